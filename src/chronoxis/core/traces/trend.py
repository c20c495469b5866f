"""The trend of a course of light: slow changes and lasting steps stay, whatever comes and goes does not."""

from functools import cache
from typing import NamedTuple

import numpy as np
import numpy.typing as npt
from scipy.linalg import solveh_banded
from scipy.ndimage import median_filter
from scipy.signal import oaconvolve

from chronoxis.core.timing.shot_columns import Frames

Course = npt.NDArray[np.float64]
"""Logarithms of light, shape (frames, channels); only differences mean anything."""

_Line = npt.NDArray[np.float64]
"""One channel of a course, shape (frames,)."""

SHORTEST = 45.0
"""Frames within which changes that come and go are flicker, where nobody chooses."""

_SPANS = (SHORTEST, 60.0, 85.0, 120.0, 170.0, 240.0, 340.0, 400.0)
_LONGEST_SOLVED = 400  # frames of a span that is smoothed frame by frame; longer ones in blocks
_BLOCKS_OF_SPAN = 100
# What a bend costs in cross-validation: above 1 it does not follow noise (Kim and Gu, Journal of the Royal
# Statistical Society B 66, 2004, 337).
_BREAK_PRICE = 1.4

_GLITCH_WINDOW = 11  # frames about one that lies far off all of them
# Standard deviations, and logarithms of light where there is no scatter.
_FAR_DEVIATIONS, _FAR_FROM_NONE = 6.0, 0.05
_DEVIATION_PER_MEDIAN = 1.4826  # standard deviations of a normal scatter in the median of its absolute values
_SCATTER_FRAMES = 121  # frames that scatter is measured in
_LEAST_SCATTER = 0.004  # logarithms of light: what eight-bit codes tell
# Degrees of the curves on both sides of a break, and how far they are looked at, in spans.
_BREAK_REACHES = ((1, 0.27), (1, 0.54), (1, 1.07), (0, 1.07), (0, 2.14))
_FEWEST_FRAMES = 6  # frames on either side
_LEAST_LIKELIHOOD = 12.0  # logarithms of likelihood
_ABOVE_USUAL = 8.0  # times what flicker alone gives
_MOST_ROUNDS = 12


def trend(course: Course, span: float | None, scenes: Frames) -> Course:
    """What of a course of light is no flicker.

    Changes that come and go within a span are gone, single frames that lie far off do not sway it, and steps
    and bends that last stay as they are: between these breaks, each part is smoothed by itself.

    Args:
        course: shape (frames, channels).
        span: frames; the one that suits the course, if None.
        scenes: the first frames of scenes, ascending; each is smoothed by itself.
    """
    own = np.column_stack([_without_glitches(channel) for channel in course.T])
    parts = np.union1d(scenes, _breaks(own.mean(axis=1), span or SHORTEST, scenes)).astype(np.int64)
    return smoothed(own, fitting_span(own, parts) if span is None else span, parts)


def fitting_span(course: Course, parts: Frames) -> float:
    """The span that suits a course: long enough to be rid of its flicker, short enough to keep its bends.

    By generalised cross-validation (Craven and Wahba, Numerische Mathematik 31, 1979, 377).
    """
    count = len(course)
    found = []
    for span in _SPANS:
        left = float(np.mean((smoothed(course, span, parts) - course) ** 2))
        free = _BREAK_PRICE * min((len(parts) + 1) * 3 + count * _passed_share(span), 0.75 * count)
        found.append(left / (1 - free / count) ** 2)
    return _SPANS[int(np.argmin(found))]


@cache
def _passed_share(span: float) -> float:
    """The share of noise that a span lets pass."""
    turns = np.pi * (np.arange(4096) + 0.5) / 4096
    return float(np.mean(1 / (1 + (span / (2 * np.pi)) ** 6 * (2 - 2 * np.cos(turns)) ** 3)))


def smoothed(course: Course, span: float, parts: Frames) -> Course:
    """The slow course of light: changes that come and go within a span are gone.

    Whittaker's smoother with differences of the third order (Eilers, Analytical Chemistry 75, 2003, 3631):
    it lets pass what is slower than the span, bends of a dawn included, and goes on to both ends.

    Args:
        course: shape (frames, channels).
        span: frames.
        parts: the first frames of parts, ascending; each is smoothed by itself.
    """
    smooth = np.empty_like(course)
    ends = [*parts.tolist(), len(course)]
    for begin, end in zip([0, *parts.tolist()], ends, strict=True):
        if end > begin:
            smooth[begin:end] = _smoothed_part(course[begin:end], span)
    return smooth


def _smoothed_part(course: Course, span: float) -> Course:
    count = len(course)
    if span > _LONGEST_SOLVED:
        block = max(1, int(span / _BLOCKS_OF_SPAN))
        means, middles = _block_means(course, block)
        slow = _smoothed_part(means, span / block)
        at = np.arange(count)
        return np.stack([np.interp(at, middles, column) for column in slow.T], axis=1)
    if count < 5:
        return np.repeat(course.mean(axis=0, keepdims=True), count, axis=0)
    weight = (span / (2 * np.pi)) ** 6
    # The bands of I + w DᵀD, D the third differences.
    difference = np.array([-1.0, 3.0, -3.0, 1.0])
    bands = np.zeros((4, count))
    for place in range(4):
        for other in range(place, 4):
            bands[other - place, place : count - 3 + place] += difference[place] * difference[other]
    bands *= weight
    bands[0] += 1
    return np.asarray(solveh_banded(bands, course, lower=True), np.float64)


def _block_means(course: Course, block: int) -> tuple[Course, _Line]:
    """Means of so many frames each, and where their middles are."""
    firsts = np.arange(0, len(course), block)
    sizes = np.diff(np.append(firsts, len(course)))
    return np.add.reduceat(course, firsts) / sizes[:, None], firsts + (sizes - 1) / 2


def _block_levels(line: _Line, block: int) -> _Line:
    """A middle frame of so many each, by its light: of two levels that meet in a block, it has one."""
    padded = np.pad(line, (0, -len(line) % block), mode="edge").reshape(-1, block)
    return np.asarray(np.partition(padded, (block - 1) // 2, axis=1)[:, (block - 1) // 2])


def _without_glitches(line: _Line) -> _Line:
    """With the running median where a frame lies far off it (Davies and Gather, JASA 88, 1993, 782)."""
    middle = median_filter(line, _GLITCH_WINDOW, mode="reflect")
    off = np.abs(line - middle)
    return np.where(off > _FAR_DEVIATIONS * _scatter(off) + _FAR_FROM_NONE, middle, line)


def _scatter(off: _Line) -> _Line:
    """The standard deviations about each frame that absolute differences come to, a few large ones or not."""
    return np.asarray(
        _DEVIATION_PER_MEDIAN * median_filter(off, min(_SCATTER_FRAMES, len(off)), mode="reflect")
    )


def _breaks(line: _Line, span: float, scenes: Frames) -> Frames:
    """The frames that begin another part: the light stepped there, or its course bent, and stayed so.

    Narrowest over threshold (Baranowski, Chen and Fryzlewicz, Journal of the Royal Statistical Society B 81,
    2019, 649): of the places where two straight courses that meet there explain the light on both sides far
    better than a smooth one, those count first that need the least of it. What flicker alone gives sets the
    threshold.
    """
    if span > _LONGEST_SOLVED:
        block = int(span / _BLOCKS_OF_SPAN)
        rough = _breaks(_block_levels(line, block), span / block, np.unique(scenes // block))
        return np.array([_exactly(line, int(place) * block, 2 * block) for place in rough], np.int64)
    reaches = [
        _Reach.of(line, degree, max(_FEWEST_FRAMES, round(share * span))) for degree, share in _BREAK_REACHES
    ]
    reaches = [reach for reach in reaches if 2 * reach.frames <= len(line)]
    breaks: list[int] = []
    for _ in range(_MOST_ROUNDS):
        parts = np.union1d(scenes, breaks).astype(np.int64)
        off = line - smoothed(line[:, None], span, parts)[:, 0]
        more = _surest(reaches, off, parts)
        if not more:
            break
        breaks += more
    return np.array(sorted(breaks), np.int64)


def _exactly(line: _Line, about: int, reach: int) -> int:
    """The frame near one that divides its surroundings best into two levels."""
    first = max(about - reach, 0)
    near = line[first : about + reach]
    sums, counts = np.cumsum(near)[:-1], np.arange(1, len(near))
    apart = sums**2 / counts + (near.sum() - sums) ** 2 / (len(near) - counts)
    return first + 1 + int(apart.argmax())


class _Reach(NamedTuple):
    """How far is looked on both sides of a place, and what two separate curves there leave unexplained.

    Attributes:
        frames: on either side.
        apart: sums of squares, of each place that has as many frames on both sides.
    """

    frames: int
    apart: _Line

    @classmethod
    def of(cls, line: _Line, degree: int, frames: int) -> "_Reach":
        if 2 * frames > len(line):
            return cls(frames, np.empty(0))
        level = line - line.mean()
        places = np.arange(frames) - (frames - 1) / 2
        curves, _ = np.linalg.qr(np.vander(places, degree + 1, increasing=True))
        left = _window_sums(level**2, frames)
        for curve in curves.T:
            left -= oaconvolve(level, curve[::-1], "valid") ** 2
        left = np.maximum(left, 0)
        return cls(frames, left[: len(left) - frames] + left[frames:])

    def likelihood(self, off: _Line, noise: _Line) -> _Line:
        """By how much likelier two curves are than a smooth one that is ``off``; noise is a variance."""
        smooth = _window_sums(off**2, 2 * self.frames)
        floor = 2 * self.frames * _LEAST_SCATTER**2
        by_ratio = self.frames * np.log((smooth + floor) / (self.apart + floor))
        by_noise = (smooth - self.apart) / (2 * noise[self.frames : self.frames + len(smooth)])
        return np.asarray(np.minimum(by_ratio, by_noise))


def _window_sums(values: _Line, count: int) -> _Line:
    sums = np.concatenate([[0.0], np.cumsum(values)])
    return np.asarray(sums[count:] - sums[:-count])


def _surest(reaches: list[_Reach], off: _Line, parts: Frames) -> list[int]:
    """Places that are breaks beyond doubt, so far apart that none of them is the echo of another."""
    noise = np.append(_scatter(np.abs(off)), 0.0) ** 2 + _LEAST_SCATTER**2
    widest = 2 * max((reach.frames for reach in reaches), default=0)
    found: list[int] = []
    for frames, likelihood in ((reach.frames, reach.likelihood(off, noise)) for reach in reaches):
        sure = max(_LEAST_LIKELIHOOD, _ABOVE_USUAL * float(np.median(likelihood)))
        for places, around in ((parts.tolist(), frames), (found, widest)):
            for place in places:
                likelihood[max(place - around + 1 - frames, 0) : max(place + around - frames, 0)] = 0
        while likelihood.max() >= sure:
            place = int(likelihood.argmax()) + frames
            found.append(place)
            likelihood[max(place - widest - frames, 0) : place + widest - frames] = 0
    return found
