"""How large a result will be and how long it will take, from writing a few short bursts of the real thing."""

import time
from collections.abc import Callable
from contextlib import closing
from dataclasses import dataclass, replace

import numpy as np
import numpy.typing as npt

from chronoxis.core.files.atomic import scratch_folder
from chronoxis.core.footage.recording.frame_index import build_index
from chronoxis.core.model.export_format import Container
from chronoxis.core.render.chain import result_frames
from chronoxis.core.render.export import most_bitrate, writing_of
from chronoxis.core.render.plan import Plan
from chronoxis.core.render.read_back import bytes_of
from chronoxis.core.render.target import export_target
from chronoxis.core.render.undivided import sample_frames
from chronoxis.core.render.writer import open_writer
from chronoxis.core.timing.shot_columns import Frames

_MOST_BURSTS = 4
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


def estimate(plan: Plan, still_wanted: Callable[[], bool] = lambda: True) -> Estimate | None:
    """Expected size and time, or None if they are no longer wanted.

    Bursts in the middle of every quarter of the result are written, one after another, with the plan's
    settings. Each burst's first frame is coded by itself and stands for the key frames, its others stand for
    the rest; real places tell more than any rule of thumb about bits per pixel.
    """
    schedule, settings = plan.schedule, plan.settings
    burst = min(_BURST_FRAMES, len(schedule))
    middles = (np.arange(_MOST_BURSTS) + 0.5) / _MOST_BURSTS
    starts = np.unique((middles * (len(schedule) - burst)).astype(int))
    numbers = np.unique(starts[:, None] + np.arange(burst))
    written = _written(plan, numbers, np.isin(numbers, starts), still_wanted)
    if written is None:
        return None
    keys = _keys(plan)
    size = written.key * keys + written.other * (len(schedule) - keys)
    length, most = float(schedule.length), most_bitrate(plan)
    if settings.bitrate is not None:
        size = settings.bitrate / 8 * length
    elif most is not None:
        size = min(size, most / 8 * length)
    sound = length * _SOUND_BYTES_PER_SECOND if plan.has_sound else 0.0
    return Estimate(round(size + sound), len(schedule) * written.seconds)


def _keys(plan: Plan) -> int:
    """How many frames will be coded by themselves: first ones of shots, and those the format asks for."""
    shots = plan.schedule.shots
    counts = np.diff(np.flatnonzero(np.diff(shots, prepend=-1, append=-1)))
    if plan.settings.format.container is Container.LOOP:
        return len(counts)
    return int(np.sum(-(-counts // plan.settings.format.key_interval(plan.schedule.rate))))


@dataclass(frozen=True)
class _Written:
    """What bursts came to: bytes of a frame that is coded by itself and of another, seconds for each."""

    key: float
    other: float
    seconds: float


def _written(
    plan: Plan, numbers: Frames, begins: npt.NDArray[np.bool_], still_wanted: Callable[[], bool]
) -> _Written | None:
    """Write some result frames alone, those where a burst begins coded by themselves."""
    target, format_ = export_target(plan), plan.settings.format
    with scratch_folder() as folder:
        path = folder / "bursts"
        if format_.is_folder:
            path.mkdir()
        # At its quality: what a bitrate would give so few frames says nothing.
        writing = replace(writing_of(plan, target), bitrate=None, most=None, sound=False)
        with (
            open_writer(path, writing, sample_frames(plan, target)) as writer,
            closing(result_frames(plan, target, numbers=numbers)) as frames,
        ):
            began, waited = time.perf_counter(), 0.0
            for is_key in begins.tolist():
                asked = time.perf_counter()
                frame = next(frames)
                waited += time.perf_counter() - asked if is_key else 0.0
                if not still_wanted():
                    return None
                writer.write(frame, by_itself=is_key)
        took, bursts = time.perf_counter() - began, int(begins.sum())
        worth = len(numbers) + format_.slow_start * bursts
        # The first frame of a burst waits for what is sought; those after it find some made ready meanwhile.
        seconds = (took / worth + (took - waited) / max(1, worth - bursts)) / 2
        if format_.is_folder or format_.key == "webp":  # of which no library tells what each frame takes
            each = bytes_of(path) / len(numbers)
            return _Written(each, each, seconds)
        sizes = build_index(path).sizes
        keys = sizes[:1] if format_.container is Container.LOOP else sizes[begins]
        others = sizes[~begins] if (~begins).any() else sizes
        return _Written(float(keys.mean()), float(others.mean()), seconds)
