"""How large a result will be and how long it will take, from writing a few short bursts of the real thing."""

import tempfile
import time
from collections.abc import Callable
from contextlib import closing
from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np

from chronoxis.core.footage.recording.frame_index import build_index
from chronoxis.core.model.export_format import Container
from chronoxis.core.render.chain import result_frames
from chronoxis.core.render.export import most_bitrate, sample_frames, writing_of
from chronoxis.core.render.plan import Plan
from chronoxis.core.render.read_back import bytes_of
from chronoxis.core.render.target import export_target
from chronoxis.core.render.writer import open_writer

_BURSTS = 4
_BURST_FRAMES = 10
_SOUND_BYTES_PER_SECOND = 24_000


@dataclass(frozen=True)
class Estimate:
    """What to expect of an export.

    Attributes:
        size: bytes.
        seconds: that it takes.
    """

    size: int
    seconds: float


@dataclass(frozen=True)
class _Burst:
    """What one burst came to: bytes of its first frame and of the others, and seconds for each frame."""

    first: float
    others: list[float]
    seconds: float


def estimate(plan: Plan, still_wanted: Callable[[], bool] = lambda: True) -> Estimate | None:
    """Expected size and time, or None if they are no longer wanted.

    Bursts in the middle of every quarter of the result are written with the plan's settings. Each burst's
    first frame stands for the key frames, its others for the rest; the last places tell more than any
    rule of thumb about bits per pixel.
    """
    schedule, settings = plan.schedule, plan.settings
    burst = min(_BURST_FRAMES, len(schedule))
    middles = (np.arange(_BURSTS) + 0.5) / _BURSTS
    starts = np.unique((middles * (len(schedule) - burst)).astype(int))
    bursts = []
    for start in starts.tolist():
        if not still_wanted():
            return None
        bursts.append(_burst(plan, start, start + burst))
    key = float(np.mean([each.first for each in bursts]))
    others = [size for each in bursts for size in each.others]
    other = float(np.mean(others)) if others else key
    key_count = -(-len(schedule) // settings.format.key_interval(schedule.rate))
    if settings.format.container is Container.LOOP:
        key_count = 1
    size = key * key_count + other * (len(schedule) - key_count)
    length, most = float(schedule.length), most_bitrate(plan)
    if settings.bitrate is not None:
        size = settings.bitrate / 8 * length
    elif most is not None:
        size = min(size, most / 8 * length)
    sound = length * _SOUND_BYTES_PER_SECOND if plan.has_sound else 0.0
    return Estimate(round(size + sound), len(schedule) * float(np.mean([each.seconds for each in bursts])))


def _burst(plan: Plan, start: int, stop: int) -> _Burst:
    """Write a part of the result alone."""
    target, format_ = export_target(plan), plan.settings.format
    with tempfile.TemporaryDirectory(prefix="chronoxis-") as folder:
        path = Path(folder) / "burst"
        if format_.is_folder:
            path.mkdir()
        # At its quality: what a bitrate would give so few frames says nothing.
        writing = replace(writing_of(plan, target), bitrate=None, most=None, sound=False)
        count = 0
        with (
            open_writer(path, writing, sample_frames(plan, target)) as writer,
            closing(result_frames(plan, target, start, stop)) as frames,
        ):
            began = opened = time.perf_counter()
            for frame in frames:
                writer.write(frame)
                count += 1
                if count == 1:
                    opened = time.perf_counter()
        ended = time.perf_counter()
        # The first frame waits for what is opened; those after it find some made ready meanwhile.
        seconds = ((ended - began) / count + (ended - opened) / max(1, count - 1)) / 2
        if format_.container is Container.STREAM:
            sizes = build_index(path).sizes
            return _Burst(float(sizes[0]), sizes[1:].tolist(), seconds)
        each = bytes_of(path) / count
        return _Burst(each, [each] * (count - 1), seconds)
