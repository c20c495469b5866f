"""`chronoxis facts`: what footage is."""

import csv
import io
import json
import sys
from pathlib import Path
from typing import Any

import click
import numpy as np

from chronoxis.cli.lull_options import found_lull_options, lull_wish, lulls_listed
from chronoxis.cli.measuring_bar import measuring
from chronoxis.cli.options import FILE
from chronoxis.core.errors import FootageError
from chronoxis.core.files.atomic import written_whole
from chronoxis.core.files.outputs import check_output
from chronoxis.core.footage.kinds import footage_of, open_source
from chronoxis.core.model.music import MusicFile
from chronoxis.core.readable import in_a_line
from chronoxis.core.timing.lulls import LullWish, most_between
from chronoxis.core.traces.camera_path import follow
from chronoxis.core.traces.lull_courses import level_course, speech_course
from chronoxis.core.traces.picture_trace import watch
from chronoxis.core.traces.sound_trace import listen
from chronoxis.core.traces.store import TraceStore
from chronoxis.core.traces.trace_kinds import SOUND


@click.command()
@click.argument("footage", metavar="INPUT", type=FILE)
@click.option("--json", "as_json", is_flag=True, help="Write JSON.")
@click.option("--beats", metavar="FILE|-", help="Write the beats of its sound as CSV.")
@click.option("--traces", metavar="FILE|-", help="Write what is measured of its pictures and sound as CSV.")
@click.option("--camera", metavar="FILE|-", help="Write how the camera moves from frame to frame as CSV.")
@click.option("--lulls", metavar="FILE|-", help="Write where nobody speaks or nothing changes as CSV.")
@found_lull_options
@click.option("--overwrite", is_flag=True, help="Replace FILE if it is there.")
def facts(
    footage: Path,
    as_json: bool,
    beats: str | None,
    traces: str | None,
    camera: str | None,
    lulls: str | None,
    overwrite: bool,
    **options: Any,
) -> None:
    """Say what a recording, a run of photos or music is."""
    for listing in (beats, traces, camera, lulls):
        if listing not in (None, "-"):
            check_output(Path(str(listing)), protects=[footage], overwrite=overwrite)
    if beats is not None:
        _write(beats, _beats(footage), overwrite=overwrite)
    if traces is not None:
        _write(traces, _traces(footage), overwrite=overwrite)
    if camera is not None:
        _write(camera, _camera(footage), overwrite=overwrite)
    if lulls is not None:
        _write(lulls, _lulls(footage, lull_wish(options)), overwrite=overwrite)
    elif any(option is not None for option in options.values()):
        raise click.UsageError("What counts as a lull goes with --lulls.")
    if any(listing is not None for listing in (beats, traces, camera, lulls)):
        return
    found = open_source(footage).facts
    if as_json:
        click.echo(json.dumps(found.as_json(), indent=2, ensure_ascii=False))
        return
    for name, value in found.rows():
        click.echo(f"{name:<14} {in_a_line(value)}")


def _beats(footage: Path) -> str:
    """One row for each beat: its second, and whether it begins a bar (1 or 0)."""
    beats = listen(open_source(MusicFile(footage)), TraceStore()).beats
    if not beats.times:
        raise FootageError(f"No beat was found in {footage.name}; in the window, beats can be tapped along.")
    text = io.StringIO()
    rows = csv.writer(text, lineterminator="\n")
    rows.writerow(["time", "bar_start"])
    for number, time in enumerate(beats.times):
        rows.writerow([f"{time:.6f}", int(beats.begins_bar(number))])
    return text.getvalue()


def _traces(footage: Path) -> str:
    """One row for each frame: its second, what is measured of it, 0 to 1; of passers-by 1 or 0.

    Speech and level are the greatest while it is shown; nothing stands there if there is no sound.
    """
    source = open_source(footage)
    if not source.has_pictures:
        raise FootageError(f"{footage.name} has no pictures to be measured.")
    with measuring() as told:
        trace = watch(source, TraceStore(), lambda _, share: told(footage.name, share))
        sound = listen(source, TraceStore()) if SOUND.fits(source) else None
    passes = trace.has_passer
    numbers = source.originals.numbers
    frames = np.arange(len(trace)) if numbers is None else numbers
    text = io.StringIO()
    rows = csv.writer(text, lineterminator="\n")
    rows.writerow(["frame", "time", "light", "motion", "change", "passers_by", "speech", "level"])
    courses = [speech_course(footage_of(source.facts), sound), level_course(footage_of(source.facts), sound)]
    heard = [None if course is None else most_between(course, source.edges) for course in courses]
    for place, (frame, time) in enumerate(zip(frames.tolist(), source.edges[:-1].tolist(), strict=True)):
        seen = [f"{column[frame]:.6f}" for column in (trace.light, trace.motion, trace.change)]
        loud = ["" if column is None else f"{column[place]:.4f}" for column in heard]
        rows.writerow([place, f"{time:.6f}", *seen, int(passes[frame]), *loud])
    return text.getvalue()


def _camera(footage: Path) -> str:
    """One row for each frame: how it lies against the one before, in pixels at full size and degrees."""
    source = open_source(footage)
    if not source.has_pictures:
        raise FootageError(f"{footage.name} has no pictures to be measured.")
    originals = source.originals.source
    count, width = len(originals.edges) - 1, originals.facts.picture.width
    with measuring() as told:
        path = follow(source, [(0, count)], TraceStore(), lambda _, share: told(footage.name, share))
    text = io.StringIO()
    rows = csv.writer(text, lineterminator="\n")
    rows.writerow(["frame", "time", "dx", "dy", "rotation", "scale", "confidence"])
    for frame, values in enumerate(np.stack(path.in_pixels(width), -1).tolist()):
        rows.writerow([frame, f"{originals.edges[frame]:.6f}", *(f"{value:.6f}" for value in values)])
    return text.getvalue()


def _lulls(footage: Path, wish: LullWish) -> str:
    """One row for each lull: recorded seconds, and what is missing there."""
    source = open_source(footage)
    text = io.StringIO()
    rows = csv.writer(text, lineterminator="\n")
    rows.writerow(["begin", "end", "why"])
    for lull, why in lulls_listed(footage_of(source.facts), source, wish):
        rows.writerow([f"{lull.begin:.3f}", f"{lull.end:.3f}", why])
    return text.getvalue()


def _write(listing: str, text: str, *, overwrite: bool) -> None:
    if listing == "-":
        sys.stdout.write(text)
        return
    with written_whole(Path(listing), overwrite=overwrite) as file:
        file.write(text.encode())
