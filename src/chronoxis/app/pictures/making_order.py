"""Which result frames are made next, ahead of a playhead that rests, plays on, or plays back."""

from collections.abc import Callable
from dataclasses import dataclass
from itertools import chain
from math import ceil

import numpy as np

from chronoxis.core.cores import usable_cores
from chronoxis.core.render.plan import Plan
from chronoxis.core.timing.shot_columns import Frames

FAR_FRAMES = 40
"""Result frames ahead of the work, at most, for which it is gone on with rather than begun afresh."""

STRETCH_FRAMES = 250
"""Result frames that are asked for at a time."""

_SHORT_BLOCK, _LONG_BLOCK = 8, 32  # result frames that are made in one pass when somebody goes back
_IN_TIME = 1.2  # of the time that a frame takes, how much is allowed for it
_BATCH_SECONDS = 0.7  # result seconds of frames that are asked for at a time, where not all can be made


@dataclass(frozen=True)
class Playhead:
    """Where somebody looks, and where they are going.

    Attributes:
        number: of the result frame.
        back: whether they go backwards.
        pace: result frames that become due in a second, where it is better to leave some out than to
            come too late; 0 where every frame is wanted.
    """

    number: int = 0
    back: bool = False
    pace: float = 0.0


def next_run(
    playhead: Playhead, plan: Plan, settled: Callable[[int], bool], seconds_each: float, *, sparing: bool
) -> Frames:
    """Ascending numbers of result frames to be made in one pass; none where nothing is left to do.

    Args:
        playhead: where somebody looks.
        plan: of the result.
        settled: whether a frame is made, or cannot be.
        seconds_each: that it takes to make one, lately.
        sparing: whether only what is about to be needed counts.
    """
    count = len(plan.schedule)
    number = min(playhead.number, count - 1)  # a result may have become shorter
    if playhead.pace:
        return _in_time(number, playhead, count, settled, seconds_each)
    if playhead.back:
        lacking = next((n for n in range(number, max(-1, number - FAR_FRAMES), -1) if not settled(n)), None)
        if lacking is not None:
            block = range(block_begin(plan, lacking), lacking + 1)
            return np.array([n for n in block if not settled(n)], np.int64)
    ahead = range(number, min(count, number + FAR_FRAMES) if sparing else count)
    behind = range(0 if sparing else number)
    first = next((n for n in chain(ahead, behind) if not settled(n)), None)
    if first is None:
        return np.zeros(0, np.int64)
    return np.arange(first, min(first + STRETCH_FRAMES, count))


def _in_time(
    number: int, playhead: Playhead, count: int, settled: Callable[[int], bool], seconds_each: float
) -> Frames:
    """Frames so far apart that each can be made until it is due."""
    apart = max(1, ceil(playhead.pace * seconds_each * _IN_TIME))
    many = max(1, round(_BATCH_SECONDS * playhead.pace / apart))
    way = -1 if playhead.back else 1
    wished = number + way * apart * np.arange(1, many + 1)
    wished = np.sort(wished[(wished >= 0) & (wished < count)])
    return np.array([n for n in wished.tolist() if not settled(n)], np.int64)


def block_begin(plan: Plan, number: int) -> int:
    """The first of the result frames that are best made in one pass with one, for whoever goes back.

    Those whose recorded frames follow the same key frame cost next to nothing more.
    """
    schedule = plan.schedule
    shot = int(schedule.shots[number])
    first = max(plan.frames_of(shot)[0], number - _LONG_BLOCK + 1)
    short = max(first, number - _SHORT_BLOCK + 1)
    source = plan.sources[shot]
    if source.is_quick:
        return max(first, number - usable_cores() + 1)
    originals = source.originals
    if originals.leaps is None or plan.project.shots[shot].backwards:
        return short
    firsts = schedule.firsts[first : number + 1]
    key = originals.leap_before(int(firsts[-1]))
    return min(short, first + int(np.argmax(firsts >= key)))
