"""`chronoxis plan`: which recorded frames make each result frame."""

import csv
import io
import sys
from dataclasses import replace
from pathlib import Path
from typing import Any, TextIO

import click

from chronoxis.cli.options import FILE, pace_options
from chronoxis.cli.planning import plan_of_footage, plan_of_project
from chronoxis.core.files import endings
from chronoxis.core.files.atomic import write_whole
from chronoxis.core.files.project_file import load_project
from chronoxis.core.model import arranging
from chronoxis.core.model.export_formats import MKV
from chronoxis.core.model.settings import ResultSettings
from chronoxis.core.render.plan import Plan


@click.command()
@click.argument("source", metavar="INPUT", type=FILE)
@pace_options
@click.option("--csv", "listing", required=True, metavar="FILE|-", help="Where to write the plan.")
def plan(source: Path, listing: str, **choices: Any) -> None:
    """List which recorded frames make each result frame of a recording or a project.

    A project's list also says which shot, counted from 1, and which footage.
    """
    lossless = ResultSettings(MKV)
    whole = source.suffix.lower() == endings.PROJECT
    if whole:
        given = [name for name in ("begin", "end", "speed", "length", "every") if choices[name] is not None]
        if given:
            raise click.UsageError("A project has its points and speeds; give those choices for a recording.")
        project = replace(load_project(source), settings=lossless)
        made = plan_of_project(arranging.set_rate(project, choices["fps"] or project.rate))
    else:
        made = plan_of_footage(source, lossless, choices)
    if listing == "-":
        _list_plan(made, sys.stdout, whole=whole)
        return
    text = io.StringIO()
    _list_plan(made, text, whole=whole)
    write_whole(Path(listing), text.getvalue().encode())


def _list_plan(made: Plan, file: TextIO, *, whole: bool) -> None:
    """One row per pair of result frame and recorded frame; times in seconds."""
    rows = csv.writer(file, lineterminator="\n")
    which = ["shot", "footage"] if whole else []
    rows.writerow(["result_frame", "result_time", *which, "recorded_frame", "recorded_time", "weight"])
    schedule = made.schedule
    for result_frame, shot in enumerate(schedule.shots.tolist()):
        which = [shot + 1, made.project.shots[shot].footage] if whole else []
        start = [result_frame, f"{float(result_frame / schedule.rate):.6f}", *which]
        for recorded_frame, weight in zip(*schedule.sources(result_frame), strict=True):
            rows.writerow(
                [*start, recorded_frame, f"{made.edges[shot][recorded_frame]:.6f}", f"{weight:.9g}"]
            )
