"""Kills of the runner at random moments: each export has to end in the right file, and nothing to be left."""

import collections
import os
import random
import signal
import time
from collections.abc import Iterator
from fractions import Fraction
from multiprocessing.sharedctypes import RawValue
from pathlib import Path

from av.video.frame import VideoFrame

from chronoxis.core.files.atomic import sweep_unfinished
from chronoxis.core.footage.kinds import footage_of, open_source
from chronoxis.core.model import arranging, pacing
from chronoxis.core.model.export_formats import JPEG, MKV, MP4
from chronoxis.core.model.project import Project
from chronoxis.core.model.settings import ResultSettings
from chronoxis.core.queue.export_queue import ExportQueue
from chronoxis.core.queue.jobs import JobState
from chronoxis.core.queue.runner import Runner
from chronoxis.core.render import piece_making
from chronoxis.core.render.export import export
from chronoxis.core.render.opened_project import planned
from chronoxis.core.render.pieces import pieces_of
from chronoxis.core.render.writer import Writer, open_writer
from chronoxis.core.render.writing import Writing

_FORMATS = (MKV, MP4, JPEG)
_SPEED = Fraction(1, 24)  # so that the result has several pieces
_KILLED_AFTER = 0.2, 2.0  # seconds
Outcomes = collections.Counter[str]
_WRITTEN = RawValue("q", 0)  # frames, by all runners; a lock could be held by one that is killed


def kill_runners(
    folder: Path, recording: Path, kills: int, end: float, rng: random.Random
) -> collections.Counter[str]:
    """Export again and again, each time through kills, until there were so many of them."""
    outcomes: Outcomes = collections.Counter()
    place, so_far = folder / "results", 0
    place.mkdir()
    source = open_source(recording)
    while so_far < kills and time.monotonic() < end:
        format_ = rng.choice(_FORMATS)
        ending = "" if format_.is_folder else format_.ending
        project = arranging.begin_with(Project(settings=ResultSettings(format_)), footage_of(source.facts))
        project = pacing.set_speed(project, project.places(), _SPEED)
        whole, output = folder / f"whole-{format_.key}{ending}", place / f"film{ending}"
        if not whole.exists():
            export(planned(project), whole)
        pieces = pieces_of(planned(project))
        tries, written = _through_kills(project, output, kills - so_far, rng)
        so_far += tries - 1
        longest = max(map(len, pieces))
        twice = written - pieces[-1].stop
        outcomes["kills"] += tries - 1
        outcomes["exports"] += 1
        outcomes["MORE THAN ONE PIECE MADE TWICE"] += twice > (tries - 1) * longest
        outcomes["NOT THE RIGHT FILE"] += _content(output) != _content(whole)
        for left in place.glob(".*"):
            os.utime(left, (0, 0))
        sweep_unfinished()
        outcomes["LEFT BEHIND"] += len(list(place.iterdir())) > 1
        for path in sorted(place.rglob("*"), reverse=True):
            path.rmdir() if path.is_dir() else path.unlink()
    return +outcomes


def _through_kills(project: Project, output: Path, most: int, rng: random.Random) -> tuple[int, int]:
    """Export once; how often a runner was begun, and how many frames they wrote together."""
    queue = ExportQueue()
    number = queue.add(project, output)
    queue.close()
    tries, begun = 0, _WRITTEN.value
    while True:
        tries += 1
        child = os.fork()
        if child == 0:
            _run()
        if tries <= most:
            time.sleep(rng.uniform(*_KILLED_AFTER))
            os.kill(child, signal.SIGKILL)
        os.waitpid(child, 0)
        queue = ExportQueue()
        state = queue.job(number).state
        queue.close()
        if state is JobState.DONE:
            return tries, _WRITTEN.value - begun
        assert state is not JobState.FAILED, ExportQueue().job(number).why


def _run() -> None:
    """Work off the queue, counting frames that are written."""
    piece_making.__dict__["open_writer"] = _counting
    try:
        Runner().run()
    finally:
        os._exit(0)


def _counting(path: Path, writing: Writing, samples: Iterator[VideoFrame]) -> Writer:
    writer = open_writer(path, writing, samples)
    write = writer.write

    def counted(frame: VideoFrame, *, by_itself: bool = False) -> None:
        _WRITTEN.value += 1
        write(frame, by_itself=by_itself)

    writer.write = counted  # type: ignore[method-assign]
    return writer


def _content(path: Path) -> list[bytes]:
    """What a result holds: of stills, each file's bytes."""
    files = sorted(path.iterdir()) if path.is_dir() else [path]
    return [file.read_bytes() for file in files]
