"""`chronoxis plan`: which recorded frames make each result frame, and what is heard."""

import csv
import io
import json
import sys
from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path
from typing import Any

import click

from chronoxis.cli.condensing_options import condensing_options
from chronoxis.cli.measuring_bar import measuring
from chronoxis.cli.options import FILE
from chronoxis.cli.project_options import FOR_PROJECTS, refuse_for_projects
from chronoxis.cli.wished_plan import plan_of_footage, plan_of_project
from chronoxis.core.checks.checks import checks_of
from chronoxis.core.checks.looking import known_of, with_place
from chronoxis.core.files import endings
from chronoxis.core.files.atomic import written_whole
from chronoxis.core.files.outputs import check_output
from chronoxis.core.files.project_file import load_project
from chronoxis.core.footage.reader_pool import FreshReaders
from chronoxis.core.model.export_formats import MKV
from chronoxis.core.model.settings import ResultSettings
from chronoxis.core.render.estimate import estimate
from chronoxis.core.render.export import protected_files
from chronoxis.core.render.plan import Plan
from chronoxis.core.sound.sound_plan import Stretch
from chronoxis.core.timing.timecode import format_time
from chronoxis.core.traces.store import TraceStore

_FOR_PROJECTS = {*FOR_PROJECTS, "source", "listing", "heard", "checks", "as_json", "overwrite"}
_BLOCK = 20_000  # rows that are put together before they are written


@click.command()
@click.argument("source", metavar="INPUT", type=FILE)
@condensing_options
@click.option(
    "--csv", "listing", metavar="FILE|-", help="Write which recorded frames make each result frame."
)
@click.option("--heard", metavar="FILE|-", help="Write what is heard in each stretch.")
@click.option("--checks", is_flag=True, help="Say what will look or sound wrong.")
@click.option("--json", "as_json", is_flag=True, help="Write what --checks finds as JSON.")
@click.option("--overwrite", is_flag=True, help="Replace FILE if it is there.")
@click.pass_context
def plan(context: click.Context, /, source: Path, **choices: Any) -> None:
    """List which recorded frames make each result frame, and what is heard in each stretch.

    INPUT is a recording, photos or a project. A project's list also says which shot, counted from 1, and
    which footage.
    """
    wanted = {name: choices.pop(name) for name in ("listing", "heard")}
    checks, as_json = choices.pop("checks"), choices.pop("as_json")
    overwrite = choices.pop("overwrite")
    files = [Path(name) for name in wanted.values() if name not in (None, "-")]
    if not any(wanted.values()) and not checks:
        raise click.UsageError("Give --csv for the frames, --heard for what is heard, or --checks.")
    if as_json and not checks:
        raise click.UsageError("--json has no effect without --checks.")
    for file in files:
        check_output(file, protects=[source], overwrite=overwrite)
    lossless = ResultSettings(MKV, sound=choices["sound"] != "none")
    whole = source.suffix.lower() == endings.PROJECT
    if whole:
        refuse_for_projects(context, _FOR_PROJECTS)
        project = load_project(source)
        project = project if checks else replace(project, settings=lossless)
        made = plan_of_project(project, choices["fps"], choices)
    else:
        made = plan_of_footage(source, lossless, choices)
    for file in files:
        check_output(file, protects=protected_files(made.project), overwrite=overwrite)
    if wanted["listing"] is not None:
        _write(wanted["listing"], _blocks(made, whole=whole), overwrite=overwrite)
    if wanted["heard"] is not None:
        _write(wanted["heard"], iter([_heard(made)]), overwrite=overwrite)
    if checks:
        _tell_checks(made, as_json=as_json)


def _tell_checks(made: Plan, *, as_json: bool) -> None:
    """Each finding in a line, in the order of the result; those that were put aside after them."""
    with measuring() as told:
        known = known_of(made, TraceStore(), FreshReaders(), told)
    written = estimate(made)
    known = with_place(known, made, (written.size, Path.cwd()) if written is not None else None)
    found = checks_of(made, known)
    aside = made.project.aside
    found = sorted(found, key=lambda check: check.key in aside)
    if as_json:
        entries = [
            {
                "kind": check.kind,
                "key": check.key,
                "at": round(check.at, 3),
                "words": check.words,
                "mend": check.mend or None,
                "aside": check.key in aside,
            }
            for check in found
        ]
        click.echo(json.dumps(entries, indent=2, ensure_ascii=False))
        return
    for check in found:
        mend = f" [{check.mend}]" if check.mend else ""
        put = " (put aside)" if check.key in aside else ""
        click.echo(f"{format_time(check.at, 1):>8}  {check.kind}: {check.words}{mend}{put}")
    if not found:
        click.echo("Nothing was found that will look or sound wrong.")


def _write(name: str, blocks: Iterator[str], *, overwrite: bool) -> None:
    if name == "-":
        for block in blocks:
            sys.stdout.write(block)
        return
    with written_whole(Path(name), overwrite=overwrite) as file:
        for block in blocks:
            file.write(block.encode())


def _heard(made: Plan) -> str:
    """One row per stretch, in the order of the result; seconds and dB."""
    text = io.StringIO()
    rows = csv.writer(text, lineterminator="\n")
    rows.writerow(["result_begin", "result_end", "source", "source_begin", "source_end", "manner", "level"])
    for row in made.sound.rows() if made.settings.sound else ():
        begin, end = f"{row.begin:.6f}", f"{row.end:.6f}"
        if isinstance(row, Stretch):
            source = [row.source, f"{row.source_begin:.6f}", f"{row.source_end:.6f}"]
            rows.writerow([begin, end, *source, row.manner or "music", f"{row.level:g}"])
        else:
            rows.writerow([begin, end, row.effect.kind, "", "", "effect", f"{row.effect.level:g}"])
    return text.getvalue()


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
