"""How long *clear* has to look for whoever passes by to vanish."""

from fractions import Fraction
from itertools import pairwise

import numpy as np
import numpy.typing as npt

from chronoxis.core.footage.prefetch import Check, never
from chronoxis.core.footage.source import Source
from chronoxis.core.traces.glances import glance_at

WINDOWS = tuple(Fraction(1 << power, 2) for power in range(8))
"""Stored seconds, from half a second to about a minute; each twice as long as the one before."""

_SAMPLED_FRAMES = 15  # frames of a window, whose median is taken
_VISIBLE_CHANGE = 4 / 255  # by which a block has to change for a change to be seen, encoded
_LEAST_SHARE = 0.004  # share of blocks: less is noise, or a leaf
# Times the least share that changes with any window: clouds and balloons drift in all of them.
_LEAST_SHARE_RATIO = 1.5
_GREATEST_SHARE = 0.15  # share of blocks beyond which nothing is gained by any window


def vanishing_window(source: Source, moment: float, check: Check = never) -> Fraction | None:
    """The shortest window whose median hardly changes any more when it is doubled.

    Args:
        source: opened footage with pictures.
        moment: a stored second in the middle of the window.
        check: called between frames; it may raise `Cancelled` to stop.

    Returns:
        Stored seconds; None where somebody is always in the way, or where the footage is too short to tell.

    Raises:
        FootageError: pictures cannot be read.
    """
    sampled = {window: _frames(source, moment, window) for window in WINDOWS if window <= source.length}
    numbers = np.unique(np.concatenate(list(sampled.values()))) if sampled else np.zeros(0, np.int64)
    colour, seen = source.facts.picture.colour, dict[int, npt.NDArray[np.float32]]()
    with source.reader(0, _SMALL_SIZE) as reader:
        for number, frame in reader.frames(numbers.tolist(), check):
            seen[number] = glance_at(frame, colour).codes
    medians = {
        window: np.median([seen[number] for number in frames.tolist() if number in seen], axis=0)
        for window, frames in sampled.items()
    }
    changed = {one: _changed(medians[one], medians[other]) for one, other in pairwise(medians)}
    least = min(changed.values(), default=1.0)
    if least > _GREATEST_SHARE:
        return None
    enough = max(_LEAST_SHARE, _LEAST_SHARE_RATIO * least)
    return next(window for window, share in changed.items() if share <= enough)


_SMALL_SIZE = (256, 144)


def _frames(source: Source, moment: float, window: Fraction) -> npt.NDArray[np.int64]:
    """Frames evenly spread over a window around a moment, which is shifted to lie inside of the footage."""
    half, length = float(window) / 2, float(source.length)
    middle = min(max(moment, half), length - half)
    times = (
        np.linspace(middle - half, middle + half, _SAMPLED_FRAMES, endpoint=False)
        + float(window) / _SAMPLED_FRAMES / 2
    )
    return np.unique([source.frame_at(float(time)) for time in times])


def _changed(one: npt.NDArray[np.float64], other: npt.NDArray[np.float64]) -> float:
    """Share of blocks that differ; the light of all of it may."""
    apart = other - one
    apart = apart - np.median(apart, axis=(0, 1))
    return float((np.abs(apart).max(axis=-1) > _VISIBLE_CHANGE).mean())
