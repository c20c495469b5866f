"""Where each frame has to be moved for the camera's path to be smooth, or to stand, within a crop budget.

Paths are sums of the steps from frame to frame. A Gaussian that goes on beyond the ends as it came, turned
about them, leaves what is straight as it is: pans and walks stay. What a frame would need beyond the budget
is held back, for it and gradually for those around it, so that no border ever shows.
"""

from dataclasses import dataclass
from itertools import pairwise
from typing import Any

import numpy as np
import numpy.typing as npt
from scipy.ndimage import gaussian_filter1d, minimum_filter1d, uniform_filter1d

from chronoxis.core.model.steady import Steady, SteadyMode
from chronoxis.core.traces.camera_path import CameraPath

Path4 = npt.NDArray[np.float64]
"""Shape (frames, 4): right and down in shares of the width, turned in radians, grown by a logarithm."""

_SURE = 0.05  # below it a step is not followed
_LONGEST = 1.5  # result seconds of the Gaussian's deviation at full strength
_STILL = 4.0  # times as long when it is meant to stand
_MANY = 6.0  # frames of the Gaussian's deviation from which on means stand for it
_REACH = 3  # deviations that a Gaussian is cut off at
_LEAST = 0.3  # frames of the Gaussian's deviation, below which it does nothing
_SHORTER = 0.8  # times as long are the stretches over which is smoothed next, where the budget is too small


@dataclass(frozen=True, eq=False)
class SteadyCourse:
    """What steadying does to the frames of a stretch.

    Attributes:
        first: number of its first recorded frame.
        moves: what each frame's content has to move by.
        crop: share of width and height that is given up.
        sway: what is left to be moved away without it, as ``moves`` would be without a budget.
        shake_before: root mean square of how far frames are off a smooth path, in shares of the width.
        shake_after: the same afterwards.
    """

    first: int
    moves: Path4
    crop: float
    sway: Path4
    shake_before: float
    shake_after: float

    def in_words(self, width: int) -> str:
        """What it comes to, at a width in pixels."""
        before, after = self.shake_before * width, self.shake_after * width
        return f"shake {before:.3g} px → {after:.2g} px, {self.crop:.0%} of the picture given up"


def steady_course(
    path: CameraPath, span: tuple[int, int], wish: Steady, rate: float, aspect: float
) -> SteadyCourse:
    """Plan the moves of a stretch's frames.

    Args:
        path: followed through all of it.
        span: numbers of its first frame, and of the one behind its last.
        wish: what it should be like.
        rate: recorded frames per result second, at the stretch's usual speed.
        aspect: height of the picture by its width.
    """
    first, stop = span
    sway = np.zeros((stop - first, 4))
    for begin, end in _scenes(path, first, stop):
        course = _summed(path, begin, end)
        sway[begin - first : end - first] = _sway(course, wish, rate, aspect)
    crop, held = _within(sway, wish.crop, aspect, max(1.0, rate / 8))
    moves = sway * held[:, None]
    off = np.hypot(sway[:, 0], sway[:, 1])
    left = np.hypot(*(sway - moves)[:, :2].T)
    return SteadyCourse(first, moves, crop, sway, _rms(off), _rms(left))


def _rms(values: npt.NDArray[np.float64]) -> float:
    return float(np.sqrt(np.mean(values**2))) if len(values) else 0.0


def _scenes(path: CameraPath, first: int, stop: int) -> list[tuple[int, int]]:
    """Stretches in which the camera was followed without a break."""
    cuts = first + np.flatnonzero(path.sureness[first:stop] < 0)
    breaks = [first, *(cut for cut in cuts.tolist() if cut > first), stop]
    return list(pairwise(breaks))


def _summed(path: CameraPath, begin: int, end: int) -> Path4:
    part = slice(begin, end)
    steps = np.stack(
        [path.right[part], path.down[part], np.radians(path.turned[part]), path.grown[part]], axis=-1
    ).astype(np.float64)
    steps[path.sureness[part] <= _SURE] = 0
    steps[:1] = 0
    return np.cumsum(steps, axis=0)


def _deviation(wish: Steady, rate: float) -> float:
    """Frames of the Gaussian's deviation."""
    return max(0.0, wish.strength * _LONGEST * rate * (_STILL if wish.mode is SteadyMode.STILL else 1.0))


def _sway(course: Path4, wish: Steady, rate: float, aspect: float) -> Path4:
    """What has to be moved away, over as long stretches as the budget allows: what is quick goes first."""
    deviation = _deviation(wish, rate)
    if deviation < _LEAST or len(course) < 3:
        return np.zeros_like(course)
    sway = np.zeros_like(course)
    if wish.mode is SteadyMode.STILL:
        sway = np.median(course, axis=0) - course
        if _room(sway, wish.crop, aspect).min() >= 1:
            return sway
    while deviation >= _LEAST:
        smooth = _gaussian(course, deviation)
        if wish.level:
            smooth[:, 2] = np.median(course[:, 2])
        sway = smooth - course
        if _room(sway, wish.crop, aspect).min() >= 1:
            break
        deviation *= _SHORTER
    return sway


def _gaussian(course: Path4, deviation: float) -> Path4:
    """Smoothed, as if the course went on beyond its ends as it came, turned about them."""
    pad = min(len(course) - 1, int(_REACH * deviation) + 1)
    deviation = min(deviation, pad / _REACH)
    before = 2 * course[0] - course[pad:0:-1]
    after = 2 * course[-1] - course[-2 : -pad - 2 : -1]
    padded = np.concatenate([before, course, after])
    made: Any = padded
    if deviation < _MANY:
        made = gaussian_filter1d(padded, deviation, axis=0, truncate=_REACH)
    else:  # means of means of means come near it, at a cost that does not grow with it
        wide = 2 * round((4 * deviation**2 + 1) ** 0.5 / 2 - 0.5) + 1
        for _ in range(3):
            made = uniform_filter1d(made, wide, axis=0, mode="nearest")
    return np.asarray(made[pad : pad + len(course)], np.float64)


def _within(
    sway: Path4, budget: float, aspect: float, deviation: float
) -> tuple[float, npt.NDArray[np.float64]]:
    """The crop that is needed, at most the budget; and how much of its move each frame can have."""
    if not np.abs(sway).any():
        return 0.0, np.ones(len(sway))
    if _room(sway, budget, aspect).min() >= 1:
        low, high = 0.0, budget
        for _ in range(20):
            middle = (low + high) / 2
            low, high = (low, middle) if _room(sway, middle, aspect).min() >= 1 else (middle, high)
        return high, np.ones(len(sway))
    room = _room(sway, budget, aspect)
    reach = max(1, int(_REACH * deviation))
    least: Any = minimum_filter1d(room, 2 * reach + 1, mode="nearest")
    # A mean of minima over as wide a window is never above what there is room for.
    held: Any = gaussian_filter1d(least, deviation, mode="nearest", radius=reach)
    return budget, np.minimum(np.asarray(held, np.float64), room)


def _room(sway: Path4, crop: float, aspect: float) -> npt.NDArray[np.float64]:
    """How much of its move each frame can have until a corner of what is shown leaves the picture."""
    low, high = np.zeros(len(sway)), np.ones(len(sway))
    fits = _fits(sway, crop, aspect)
    low[fits] = 1.0
    for _ in range(24):
        middle = (low + high) / 2
        inside = _fits(sway * middle[:, None], crop, aspect)
        low, high = np.where(inside, middle, low), np.where(inside, high, middle)
    return low


def _fits(moves: Path4, crop: float, aspect: float) -> npt.NDArray[np.bool_]:
    """Whether all corners of what is shown come from within the picture."""
    across, down = (1 - crop) / 2, (1 - crop) / 2 * aspect
    inside = np.ones(len(moves), np.bool_)
    cos, sin, size = np.cos(moves[:, 2]), np.sin(moves[:, 2]), np.exp(-moves[:, 3])
    for x, y in ((across, down), (across, -down), (-across, down), (-across, -down)):
        u, v = x - moves[:, 0], y - moves[:, 1]
        inside &= np.abs((cos * u + sin * v) * size) <= 0.5
        inside &= np.abs((cos * v - sin * u) * size) <= aspect / 2
    return inside
