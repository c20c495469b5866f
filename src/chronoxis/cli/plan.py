"""`chronoxis plan`: which recorded frames make each result frame."""

import csv
import io
import sys
from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path
from typing import Any

import click
from click.core import ParameterSource

from chronoxis.cli.options import FILE, framing_options, pace_options, photo_options
from chronoxis.cli.planning import plan_of_footage, plan_of_project
from chronoxis.core.files import endings
from chronoxis.core.files.atomic import written_whole
from chronoxis.core.files.outputs import check_output
from chronoxis.core.files.project_file import load_project
from chronoxis.core.model.export_formats import MKV
from chronoxis.core.model.settings import ResultSettings
from chronoxis.core.render.export import protected_files
from chronoxis.core.render.plan import Plan

_BLOCK = 20_000  # rows that are put together before they are written


@click.command()
@click.argument("source", metavar="INPUT", type=FILE)
@pace_options
@photo_options
@framing_options
@click.option("--csv", "listing", required=True, metavar="FILE|-", help="Where to write the plan.")
@click.option("--overwrite", is_flag=True, help="Replace FILE if it is there.")
@click.pass_context
def plan(context: click.Context, /, source: Path, listing: str, overwrite: bool, **choices: Any) -> None:
    """List which recorded frames make each result frame of a recording, of photos or of a project.

    A project's list also says which shot, counted from 1, and which footage.
    """
    lossless = ResultSettings(MKV)
    whole = source.suffix.lower() == endings.PROJECT
    if listing != "-":
        check_output(Path(listing), protects=[source], overwrite=overwrite)
    if whole:
        _refuse_idle(context)
        made = plan_of_project(replace(load_project(source), settings=lossless), choices["fps"])
    else:
        made = plan_of_footage(source, lossless, choices)
    if listing == "-":
        for block in _blocks(made, whole=whole):
            sys.stdout.write(block)
        return
    check_output(Path(listing), protects=protected_files(made.project), overwrite=overwrite)
    with written_whole(Path(listing), overwrite=overwrite) as file:
        for block in _blocks(made, whole=whole):
            file.write(block.encode())


def _refuse_idle(context: click.Context) -> None:
    """A project has all choices but the rate; raises UsageError if another is given."""
    for name in context.params:
        given = context.get_parameter_source(name) is ParameterSource.COMMANDLINE
        if given and name not in ("source", "listing", "overwrite", "fps"):
            raise click.UsageError(
                "A project has its own choices but for --fps; give others for a recording."
            )


def _blocks(made: Plan, *, whole: bool) -> Iterator[str]:
    """One row per pair of result frame and recorded frame; times in seconds. Many rows at a time."""
    text = io.StringIO()
    rows = csv.writer(text, lineterminator="\n")
    which = ["shot", "footage"] if whole else []
    rows.writerow(["result_frame", "result_time", *which, "recorded_frame", "recorded_time", "weight"])
    schedule, waiting = made.schedule, 0
    for result_frame, shot in enumerate(schedule.shots.tolist()):
        which = [shot + 1, made.project.shots[shot].footage] if whole else []
        start = [result_frame, f"{float(result_frame / schedule.rate):.6f}", *which]
        frames, weights = schedule.sources(result_frame)
        for recorded_frame, weight in zip(frames.tolist(), weights.tolist(), strict=True):
            rows.writerow(
                [*start, recorded_frame, f"{made.edges[shot][recorded_frame]:.6f}", f"{weight:.9g}"]
            )
        waiting += len(frames)
        if waiting >= _BLOCK:
            yield text.getvalue()
            text.seek(0)
            text.truncate()
            waiting = 0
    yield text.getvalue()
