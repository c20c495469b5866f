"""`chronoxis facts`: what footage is."""

import csv
import io
import json
import sys
from pathlib import Path

import click

from chronoxis.cli.options import FILE
from chronoxis.core.errors import FootageError
from chronoxis.core.files.atomic import written_whole
from chronoxis.core.files.outputs import check_output
from chronoxis.core.footage.kinds import open_source
from chronoxis.core.model.music import MusicFile
from chronoxis.core.traces.sound_trace import listen
from chronoxis.core.traces.store import TraceStore


@click.command()
@click.argument("footage", metavar="INPUT", type=FILE)
@click.option("--json", "as_json", is_flag=True, help="Write JSON.")
@click.option("--beats", metavar="FILE|-", help="Write the beats of its sound as CSV.")
@click.option("--overwrite", is_flag=True, help="Replace FILE if it is there.")
def facts(footage: Path, as_json: bool, beats: str | None, overwrite: bool) -> None:
    """Say what a recording, a run of photos or music is."""
    if beats is not None:
        _write_beats(footage, beats, overwrite=overwrite)
        return
    found = open_source(footage).facts
    if as_json:
        click.echo(json.dumps(found.as_json(), indent=2, ensure_ascii=False))
        return
    for name, value in found.rows():
        click.echo(f"{name:<14} {value}")


def _write_beats(footage: Path, listing: str, *, overwrite: bool) -> None:
    """One row for each beat: its second, and whether it begins a bar (1 or 0)."""
    if listing != "-":
        check_output(Path(listing), protects=[footage], overwrite=overwrite)
    beats = listen(open_source(MusicFile(footage)), TraceStore()).beats
    if not beats.times:
        raise FootageError(f"No beat was found in {footage.name}; in the window, beats can be tapped along.")
    text = io.StringIO()
    rows = csv.writer(text, lineterminator="\n")
    rows.writerow(["time", "bar_start"])
    for number, time in enumerate(beats.times):
        rows.writerow([f"{time:.6f}", int(beats.begins_bar(number))])
    if listing == "-":
        sys.stdout.write(text.getvalue())
        return
    with written_whole(Path(listing), overwrite=overwrite) as file:
        file.write(text.getvalue().encode())
