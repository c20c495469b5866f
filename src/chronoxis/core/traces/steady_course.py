"""Where each frame has to be moved for the camera's path to be smooth, or to stand, within a crop budget.

Paths are sums of the steps from frame to frame. A Gaussian that goes on beyond the ends as it came, turned
about them, leaves what is straight as it is: pans and walks stay. What a frame would need beyond the budget
is held back, for it and gradually for those around it, so that no border ever shows.
"""

from collections.abc import Iterable
from dataclasses import dataclass, replace
from itertools import pairwise
from typing import Any

import numpy as np
import numpy.typing as npt

from chronoxis.core.model.steady import Steady, SteadyMode
from chronoxis.core.picture.steadying import Moves, inverse_homography
from chronoxis.core.traces.camera_path import CameraPath

_LEAST_SURENESS = 0.05  # below it a step is not followed
_LONGEST_DEVIATION = 1.5  # result seconds of the Gaussian's deviation at full strength
_SHAKE_PERIOD = 0.5  # result seconds: what is slower is no shake
_STILL_FACTOR = 4.0  # times as long when it is meant to stand
_LARGE_DEVIATION = 6.0  # frames of the Gaussian's deviation from which on means stand for it
_CUTOFF_DEVIATIONS = 3  # deviations that a Gaussian is cut off at
_LEAST_DEVIATION = 0.3  # frames of the Gaussian's deviation, below which it does nothing
# Where the budget is too small, the stretches over which is smoothed next are so many times as long.
_LADDER_RATIO = 0.6
_LADDER_STEPS = 14  # of such stretches
# Frames that a deviation may be longer for each frame farther away from where it was shorter.
_DEVIATION_SLOPE = 0.4
_WORTH_SAYING = 0.01  # share of frames that cannot be followed
_LEAST_SHAKE = 0.1  # pixels of shake below which nothing can be told
_LEAST_CORRELATION = 0.5  # correlation of moves and keystones from which on they belong together
_BEND_RANGE = (1 / 36, 6.25)  # of focal lengths from 6 to 0.4 widths


@dataclass(frozen=True, eq=False)
class SteadyCourse:
    """What steadying does to the frames of a stretch.

    Attributes:
        first: number of its first recorded frame.
        moves: what each frame's content has to move by.
        bend: keystone that comes with a move, as `inverse_homography` has it.
        crop: share of width and height that is given up.
        sway: what ``moves`` would be at full strength and without a budget.
        shake_before: root mean square of how far frames are off the way around them, in shares of the width.
        shake_after: the same afterwards.
        lost: which frames the camera could not be followed to; they stay as filmed against those before.
    """

    first: int
    moves: Moves
    bend: float
    crop: float
    sway: Moves
    shake_before: float
    shake_after: float
    lost: npt.NDArray[np.bool_]

    def in_words(self, width: int) -> str:
        """What it comes to, at a width in pixels."""
        before, after = self.shake_before * width, self.shake_after * width
        if before < _LEAST_SHAKE:
            return f"the camera shakes by less than {_LEAST_SHAKE:g} px: there is nothing to steady"
        left = f"{after:.2g} px" if after >= _LEAST_SHAKE else f"below {_LEAST_SHAKE:g} px"
        share = float(self.lost.mean())
        kept = f", {share:.0%} cannot be followed and stays as filmed" if share >= _WORTH_SAYING else ""
        return f"shake {before:.3g} px → {left}, {self.crop:.0%} of the picture given up{kept}"


@dataclass(frozen=True, eq=False)
class Shown:
    """What of a stretch is shown.

    Attributes:
        frames: int64, ascending; the recorded frame in the middle of each result frame.
        even: float64, ascending; numbers of the recorded frames, and parts of them, that even steps at the
            pace that was chosen lead to.
        used: int64, ascending; every recorded frame that a result frame is made of.
        rate: result frames per second.
    """

    frames: npt.NDArray[np.int64]
    even: npt.NDArray[np.float64]
    used: npt.NDArray[np.int64]
    rate: float

    @classmethod
    def every(cls, span: tuple[int, int], rate: float) -> "Shown":
        """All frames, so many a second."""
        frames = np.arange(*span)
        return cls(frames, frames.astype(np.float64), frames, rate)


def camera_shake(path: CameraPath, span: tuple[int, int], wish: Steady, rate: float) -> Moves:
    """How far each frame is off the camera's smooth way; ``rate`` is frames per result second."""
    first, stop = span
    sway = np.zeros((stop - first, 4))
    for begin, end in _scenes(path, first, stop):
        course = _summed(path, begin, end)
        sway[begin - first : end - first] = _sway(course, replace(wish, strength=1.0), rate, None)
    return sway


def steady_course(
    path: CameraPath, span: tuple[int, int], wish: Steady, sway: Moves, shown: Shown, aspect: float
) -> SteadyCourse:
    """Plan the moves of a stretch's frames.

    What is shown is to follow the camera's smooth way at the pace that was chosen, however uneven the steps
    are that its frames were taken at; and what is slow in how far they are off that way may stay.

    Args:
        path: followed through all of it.
        span: numbers of its first frame, and of the one behind its last.
        wish: what it should be like.
        sway: `camera_shake` of it.
        shown: what is shown of it.
        aspect: height of the picture by its width.
    """
    first, stop = span
    frame = _Frame(wish.crop, aspect, _bend(path, first, stop))
    wished, moves = np.zeros((stop - first, 4)), np.zeros((stop - first, 4))
    sureness = path.sureness[first:stop]
    lost = (sureness >= 0) & (sureness <= _LEAST_SURENESS) & (np.arange(stop - first) > 0)
    if not len(shown.used):  # a shot too short for a result frame
        return SteadyCourse(first, moves, frame.bend, 0.0, wished, 0.0, 0.0, lost)
    scenes = []
    for begin, end in _scenes(path, first, stop):
        bounds = slice(*np.searchsorted(shown.frames, [begin, end]))
        at = shown.frames[bounds] - begin
        if not len(at):
            continue
        course, part = _summed(path, begin, end), slice(begin - first, end - first)
        smooth, numbers = course + sway[part], np.arange(len(course), dtype=np.float64)
        off = course[at] - _interpolated(shown.even[bounds] - begin, numbers, smooth)
        wished[part] = _between(course, at, _sway(off, replace(wish, strength=1.0), shown.rate, None))
        moves[part] = _between(course, at, _sway(off, wish, shown.rate, frame))
        scenes.append((off, at, part))
    used = shown.used - first
    often = max(1.0, shown.rate / 8 * len(used) / max(1, len(shown.frames)))
    crop, held = _within(moves[used], frame, often)
    moves *= np.interp(np.arange(stop - first), used, held)[:, None]
    before = _shake([off for off, _, _ in scenes], shown.rate)
    after = _shake([off + moves[part][at] for off, at, part in scenes], shown.rate)
    return SteadyCourse(first, moves, frame.bend, crop, wished, before, after, lost)


def _interpolated(wanted: npt.NDArray[np.float64], places: npt.NDArray[np.float64], course: Moves) -> Moves:
    """A course that is known at ascending places, at others."""
    return np.stack([np.interp(wanted, places, part) for part in course.T], axis=1)


def _between(course: Moves, at: npt.NDArray[np.int64], sway: Moves) -> Moves:
    """The sway of all frames of a course, of which some have theirs: the way between those is even."""
    places, inverse = np.unique(at, return_inverse=True)
    counts = np.bincount(inverse)
    mean = np.stack([np.bincount(inverse, part) / counts for part in sway.T], axis=1)
    # Beyond the first and the last it is as far off as they are.
    ends = np.array([0, len(course) - 1])
    places, mean = np.concatenate([ends[:1], places, ends[1:]]), np.concatenate([mean[:1], mean, mean[-1:]])
    numbers = np.arange(len(course), dtype=np.float64)
    return _interpolated(numbers, places.astype(np.float64), course[places] + mean) - course


def _shake(courses: Iterable[Moves], rate: float) -> float:
    """Root mean square of how far pictures are off the way around them, in shares of the width."""
    off = [_gaussian(course, _SHAKE_PERIOD * rate)[:, :2] - course[:, :2] for course in courses]
    return float(np.sqrt(np.mean((np.concatenate(off) ** 2).sum(axis=1)))) if off else 0.0


@dataclass(frozen=True)
class _Frame:
    """What of a picture may be shown: all but the crop, in shares, of one that is so high and bends so."""

    crop: float
    aspect: float
    bend: float


def _bend(path: CameraPath, first: int, stop: int) -> float:
    """How much keystone comes with a move, where the camera plainly turns rather than glides; else 0.

    Where it turns, the picture leans by its move over the square of the focal length (Hartley and Zisserman,
    Multiple View Geometry, 8.4): one number for all steps.
    """
    part = slice(first, stop)
    told = path.sureness[part] > _LEAST_SURENESS
    moved = np.concatenate([path.right[part][told], path.down[part][told]]).astype(np.float64)
    leant = np.concatenate([path.leant_right[part][told], path.leant_down[part][told]]).astype(np.float64)
    moving, leaning = float(moved @ moved), float(leant @ leant)
    if not (moving and leaning):
        return 0.0
    together = -float(moved @ leant)
    bend = together / moving
    return (
        bend
        if together / (moving * leaning) ** 0.5 > _LEAST_CORRELATION
        and _BEND_RANGE[0] < bend < _BEND_RANGE[1]
        else 0.0
    )


def _scenes(path: CameraPath, first: int, stop: int) -> list[tuple[int, int]]:
    """Stretches in which the camera was followed without a break."""
    cuts = first + np.flatnonzero(path.sureness[first:stop] < 0)
    breaks = [first, *(cut for cut in cuts.tolist() if cut > first), stop]
    return list(pairwise(breaks))


def _summed(path: CameraPath, begin: int, end: int) -> Moves:
    part = slice(begin, end)
    steps = np.stack(
        [path.right[part], path.down[part], np.radians(path.turned[part]), path.grown[part]], axis=-1
    ).astype(np.float64)
    steps[path.sureness[part] <= _LEAST_SURENESS] = 0
    steps[:1] = 0
    return np.cumsum(steps, axis=0)


def _deviation(wish: Steady, rate: float) -> float:
    """Frames of the Gaussian's deviation."""
    return max(
        0.0,
        wish.strength * _LONGEST_DEVIATION * rate * (_STILL_FACTOR if wish.mode is SteadyMode.STILL else 1.0),
    )


def _sway(course: Moves, wish: Steady, rate: float, frame: _Frame | None) -> Moves:
    """What has to be moved away; over as long stretches as the frame, if any, has room for."""
    deviation = _deviation(wish, rate)
    if deviation < _LEAST_DEVIATION or len(course) < 3:
        return np.zeros_like(course)
    if wish.mode is SteadyMode.STILL:
        sway: Moves = np.median(course, axis=0) - course
        if frame is None or _fits(sway, frame).all():
            return sway
    sway = _smoothed(course, deviation, wish)
    if frame is None or _fits(sway, frame).all():
        return sway
    return _as_far_as_fits(course, deviation, wish, frame)


def _smoothed(course: Moves, deviation: float, wish: Steady) -> Moves:
    smooth = _gaussian(course, deviation)
    if wish.level:
        smooth[:, 2] = np.median(course[:, 2])
    return smooth - course


def _as_far_as_fits(course: Moves, deviation: float, wish: Steady, frame: _Frame) -> Moves:
    """Smoothed over shorter stretches around where there is no room for more: what is quick goes first."""
    deviations = [
        each for k in range(_LADDER_STEPS) if (each := deviation * _LADDER_RATIO**k) >= _LEAST_DEVIATION
    ]
    longest = np.full(len(course), deviations[-1] * _LADDER_RATIO)  # of each frame, which there is room for
    for each in reversed(deviations):
        longest[_fits(_smoothed(course, each, wish), frame)] = each
    # Away from there they grow again, no quicker than by a share of how far away that is.
    ahead = _DEVIATION_SLOPE * np.arange(len(course))
    longest = np.minimum.accumulate(longest - ahead) + ahead
    longest = (np.minimum.accumulate((longest + ahead)[::-1]) - ahead[::-1])[::-1]
    rungs = np.log(longest / deviation) / np.log(_LADDER_RATIO)
    sway = np.zeros_like(course)
    for number, each in enumerate(deviations):
        share = np.clip(1 - np.abs(rungs - number), 0, 1)
        if share.any():
            sway += share[:, None] * _smoothed(course, each, wish)
    return sway


def _gaussian(course: Moves, deviation: float) -> Moves:
    """Smoothed, as if the course went on beyond its ends as it came, turned about them."""
    pad = min(len(course) - 1, int(_CUTOFF_DEVIATIONS * deviation) + 1)
    deviation = min(deviation, pad / _CUTOFF_DEVIATIONS)
    if deviation < _LEAST_DEVIATION:
        return course
    from scipy.ndimage import gaussian_filter1d, uniform_filter1d  # noqa: PLC0415 - slow to import, and not always needed

    before = 2 * course[0] - course[pad:0:-1]
    after = 2 * course[-1] - course[-2 : -pad - 2 : -1]
    padded = np.concatenate([before, course, after])
    made: Any = padded
    if deviation < _LARGE_DEVIATION:
        made = gaussian_filter1d(padded, deviation, axis=0, truncate=_CUTOFF_DEVIATIONS)
    else:  # means of means of means come near it, at a cost that does not grow with it
        wide = 2 * round((4 * deviation**2 + 1) ** 0.5 / 2 - 0.5) + 1
        for _ in range(3):
            made = uniform_filter1d(made, wide, axis=0, mode="nearest")
    return np.asarray(made[pad : pad + len(course)], np.float64)


def _within(sway: Moves, frame: _Frame, deviation: float) -> tuple[float, npt.NDArray[np.float64]]:
    """The crop that is needed, at most the budget; and how much of its move each frame can have."""
    if not np.abs(sway).any():
        return 0.0, np.ones(len(sway))
    if _fits(sway, frame).all():
        low, high = 0.0, frame.crop
        for _ in range(20):
            middle = (low + high) / 2
            low, high = (low, middle) if _fits(sway, replace(frame, crop=middle)).all() else (middle, high)
        return high, np.ones(len(sway))
    from scipy.ndimage import gaussian_filter1d, minimum_filter1d  # noqa: PLC0415 - slow to import, and not always needed

    room = _room(sway, frame)
    reach = max(1, int(_CUTOFF_DEVIATIONS * deviation))
    least: Any = minimum_filter1d(room, 2 * reach + 1, mode="nearest")
    # A mean of minima over as wide a window is never above what there is room for.
    held: Any = gaussian_filter1d(least, deviation, mode="nearest", radius=reach)
    return frame.crop, np.minimum(np.asarray(held, np.float64), room)


def _room(sway: Moves, frame: _Frame) -> npt.NDArray[np.float64]:
    """How much of its move each frame can have until a corner of what is shown leaves the picture."""
    low, high = np.zeros(len(sway)), np.ones(len(sway))
    fits = _fits(sway, frame)
    low[fits] = 1.0
    for _ in range(24):
        middle = (low + high) / 2
        inside = _fits(sway * middle[:, None], frame)
        low, high = np.where(inside, middle, low), np.where(inside, high, middle)
    return low


def _fits(moves: Moves, frame: _Frame) -> npt.NDArray[np.bool_]:
    """Whether all corners of what is shown come from within the picture."""
    across, down = (1 - frame.crop) / 2, (1 - frame.crop) / 2 * frame.aspect
    inside = np.ones(len(moves), np.bool_)
    leads = inverse_homography(moves, frame.bend)
    for x, y in ((across, down), (across, -down), (-across, down), (-across, -down)):
        u, v, w = (leads[k][0] * x + leads[k][1] * y + leads[k][2] for k in range(3))
        inside &= (np.abs(u) <= 0.5 * w) & (np.abs(v) <= frame.aspect / 2 * w)
    return inside
