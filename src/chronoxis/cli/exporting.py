"""Writing a result into a file, with what the options say of it."""

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import Any

import click

from chronoxis.cli.reporting import reporting
from chronoxis.cli.sound import is_asked_for, wants_recorded
from chronoxis.core.errors import PlanError
from chronoxis.core.files.outputs import check_output
from chronoxis.core.model.export_format import ExportFormat
from chronoxis.core.model.export_formats import format_of
from chronoxis.core.model.project import Project
from chronoxis.core.model.settings import ResultSettings
from chronoxis.core.render.export import export, protected_files
from chronoxis.core.render.plan import Plan
from chronoxis.core.render.result_place import result_place
from chronoxis.core.timing.speed import format_speed


def write_result(
    source: Path,
    options: dict[str, Any],
    begin: Callable[[], Project],
    planned: Callable[[Project], Plan],
) -> None:
    """Write a file from a source; what the options do not say is as the project has it."""
    output, overwrite = options["output"], options["overwrite"]
    try:
        chosen = format_of(output, options["format_key"])
    except PlanError as error:
        raise click.UsageError(str(error)) from None
    _refuse_idle(options, chosen)
    with reporting(options["progress"]) as report:
        place = result_place(output, chosen)
        check_output(place.path, protects=[source], overwrite=overwrite, folder=place.is_folder)
        project = begin()
        protects = protected_files(project)
        check_output(place.path, protects=protects, overwrite=overwrite, folder=place.is_folder)
        saved, wish = project.settings, options["size"]
        settings = ResultSettings(
            chosen,
            replace(wish, stretch=options["stretch"]) if wish is not None else saved.size,
            options["quality"] or saved.quality,
            is_asked_for(options) or (saved.sound and options["sound"] is None),
            options["bitrate"],
            options["at_most"],
            options["credits"] or saved.credits,
        )
        settings.check()
        if options["credits"] and not project.music and not options["music"]:
            raise click.UsageError("--credits is for music, and there is none.")
        plan = planned(replace(project, settings=settings))
        remark = plan.remark
        if wants_recorded(options) and not plan.has_sound:
            above = format_speed(plan.project.mix.silent_above)
            remark = (
                f"Nothing is heard: there is no sound, or all of it is faster than {above}. {remark}".strip()
            )
        report.begin(len(plan.schedule), remark)
        done = export(
            plan,
            output,
            overwrite=overwrite,
            progress=report.progress,
            check=report.check,
        )
        report.done(done)
    if report.stood_in:
        raise click.exceptions.Exit(STOOD_IN)


STOOD_IN = 3
"""Exit status of an export that is there, but has frames in it that stand in for others."""


def _refuse_idle(options: dict[str, Any], chosen: ExportFormat) -> None:
    """Raises UsageError for options that would have no effect."""
    if options["stretch"] and (options["size"] is None or options["size"].width is None):
        raise click.UsageError("--stretch fills a --size of width and height, such as 1280x720.")
    if options["quality"] is not None and not chosen.has_quality:
        raise click.UsageError(f"--quality has no effect on {chosen.name}: it is {chosen.sole_quality}.")
    if is_asked_for(options) and not chosen.sound_codec:
        raise click.UsageError(f"{chosen.name} has no sound.")
