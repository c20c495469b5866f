"""Writing a result into a file, with what the options say of it."""

import sys
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import Any

import click

from chronoxis.cli.machine_options import machines_of
from chronoxis.cli.reporting import reporting
from chronoxis.cli.sound_options import is_asked_for, wants_recorded
from chronoxis.core.cluster.making import making
from chronoxis.core.errors import Cancelled, ChronoxisError, PlanError
from chronoxis.core.files.outputs import check_output
from chronoxis.core.model.export_format import ExportFormat
from chronoxis.core.model.export_formats import fits_name, format_of
from chronoxis.core.model.preset import Preset
from chronoxis.core.model.project import Project
from chronoxis.core.model.settings import ResultSettings
from chronoxis.core.render.export import export, protected_files
from chronoxis.core.render.pieces import pieces_of
from chronoxis.core.render.pipe import PIPES, RAW, Y4M, write_frames
from chronoxis.core.render.plan import Plan
from chronoxis.core.render.result_place import result_place
from chronoxis.core.timing.speed import format_speed

STANDARD = Path("-")
"""The name that stands for standard input and output."""

_OF_FILES = (
    *("sound", "music", "loudness", "silent_above", "credits", "quality", "bitrate", "at_most"),
    *("resume", "overwrite", "workers", "scheduler"),
)  # options that only files have


def write_result(
    source: Path,
    options: dict[str, Any],
    begin: Callable[[], Project],
    planned: Callable[[Project], Plan],
) -> None:
    """Write a file from a source; what the options do not say is as the project has it."""
    if options["output"] == STANDARD:
        write_to_pipe(options, begin, planned)
        return
    machines = machines_of(options)
    with reporting(options["progress"]) as report:
        plan = wished_result(source, options, begin, planned)
        remark = plan.remark
        if wants_recorded(options) and not plan.has_sound:
            above = format_speed(plan.project.mix.silent_above)
            remark = (
                f"Nothing is heard: there is no sound, or all of it is faster than {above}. {remark}".strip()
            )
        if machines is not None and len(pieces_of(plan)) == 1:
            machines, remark = None, f"The result is one piece, and made here. {remark}".strip()
        report.begin(len(plan.schedule), remark)
        try:
            with making(machines, report.note) as make:
                done = export(
                    plan,
                    options["output"],
                    overwrite=options["overwrite"],
                    resume=options["resume"],
                    progress=report.progress,
                    check=report.check,
                    make=make,
                )
        except Cancelled:
            if options["resume"]:
                raise _StoppedError(f"{options['output']} was stopped; --resume goes on with it.") from None
            raise
        report.done(done)
    if report.stood_in:
        raise click.exceptions.Exit(STOOD_IN)


def write_to_pipe(
    options: dict[str, Any], begin: Callable[[], Project], planned: Callable[[Project], Plan]
) -> None:
    """Write frames on standard output; what is told goes to standard error. Raises UsageError."""
    for name in _OF_FILES:
        if options[name]:
            raise click.UsageError(f"--{name.replace('_', '-')} has no effect on frames through a pipe.")
    if options["progress"] == "json":
        raise click.UsageError("--progress json and frames cannot both go to standard output.")
    if sys.stdout.isatty():
        raise click.UsageError("Frames would go to the terminal; send them on with | or >.")
    pipe = RAW if options["format_key"] == RAW.key else Y4M
    if options["format_key"] not in (None, *(each.key for each in PIPES)):
        raise click.UsageError("--format is y4m or raw where frames go to standard output.")
    with reporting(options["progress"]) as report:
        project = begin()
        size = options["size"] or project.settings.size
        settings = ResultSettings(
            pipe, replace(size, stretch=options["stretch"] or size.stretch), sound=False
        )
        plan = planned(replace(project, settings=settings))
        report.begin(len(plan.schedule), plan.remark)
        write_frames(plan, sys.stdout.buffer, report.written, report.check)


def begun(options: dict[str, Any]) -> Project:
    """What footage is condensed into: where neither options nor a preset say anything of sound, none."""
    preset: Preset | None = options["preset"]
    if preset is None:
        return Project(settings=ResultSettings(sound=False))
    return Project(settings=preset.export or ResultSettings(sound=preset.is_heard))


def wished_result(
    source: Path,
    options: dict[str, Any],
    begin: Callable[[], Project],
    planned: Callable[[Project], Plan],
) -> Plan:
    """The plan of what is to be written, once nothing speaks against writing it. Arguments as above."""
    output = options["output"]
    project = begin()
    chosen = _chosen_format(options, project.settings.format)
    place = result_place(output, chosen)
    protects = [source, *protected_files(project)]
    check_output(place.path, protects=protects, overwrite=options["overwrite"], folder=place.is_folder)
    settings = _settings(options, chosen, project.settings)
    settings.check()
    if options["credits"] and not project.music and not options["music"]:
        raise click.UsageError("--credits is for music, and there is none.")
    return planned(replace(project, settings=settings))


class _StoppedError(ChronoxisError):
    """An export was stopped, and what is made of it is kept."""


STOOD_IN = 3
"""Exit status of an export that is there, but has frames in it that stand in for others."""


def _chosen_format(options: dict[str, Any], saved: ExportFormat) -> ExportFormat:
    """The format of the options, or of a project where it goes with the output's name. Raises UsageError."""
    output, key = options["output"], options["format_key"]
    if key in [each.key for each in PIPES]:
        raise click.UsageError(f"--format {key} is for -o -, standard output.")
    try:
        chosen = saved if key is None and fits_name(saved, output) else format_of(output, key)
    except PlanError as error:
        raise click.UsageError(str(error)) from None
    _refuse_idle(options, chosen)
    return chosen


def _settings(options: dict[str, Any], chosen: ExportFormat, saved: ResultSettings) -> ResultSettings:
    """What the options say, and what they leave as a project has it."""
    wish, limits = options["size"], {name: options[name] for name in ("bitrate", "at_most")}
    if all(options[name] is None for name in ("quality", *limits)):
        limits = {
            "bitrate": saved.bitrate if chosen.bitrate_options else None,
            "at_most": saved.at_most if chosen.most_options else None,
        }
    return ResultSettings(
        chosen,
        replace(wish, stretch=options["stretch"]) if wish is not None else saved.size,
        options["quality"] or saved.quality,
        is_asked_for(options) or (saved.sound and options["sound"] is None),
        credits=options["credits"] or saved.credits,
        **limits,
    )


def _refuse_idle(options: dict[str, Any], chosen: ExportFormat) -> None:
    """Raises UsageError for options that would have no effect."""
    if options["stretch"] and (options["size"] is None or options["size"].width is None):
        raise click.UsageError("--stretch fills a --size of width and height, such as 1280x720.")
    if options["quality"] is not None and not chosen.has_quality:
        raise click.UsageError(f"--quality has no effect on {chosen.name}: it is {chosen.sole_quality}.")
    if is_asked_for(options) and not chosen.sound_codec:
        raise click.UsageError(f"{chosen.name} has no sound.")
