"""Light along footage: how it is measured so that subjects do not sway it, and how it is evened out."""

from functools import cache

import numpy as np
import numpy.typing as npt

from chronoxis.core.traces.glances import Small

Course = npt.NDArray[np.float64]
"""Logarithms of light, shape (frames, 3) for red, green and blue; only differences mean anything."""

# Light below and above which a pixel tells nothing of a gain: noise, and what is white in any case.
_DARK, _WHITE = 0.004, 0.85
_FEWEST = 0.02  # of all pixels, that have to tell something
# Differences that spread wider than these, and so many times as from frame to frame, are of what moved.
_MOVED, _FURTHER = 0.05, 2.0
_LONGEST_SOLVED = 400  # frames of a span that is smoothed frame by frame; longer ones in blocks
_BLOCKS_OF_SPAN = 100
_SPANS = (100.0, 140.0, 200.0, 280.0, 400.0)  # frames, of which one suits where nobody chooses


def level(light: Small) -> npt.NDArray[np.float32]:
    """Mean luminance (BT.709) of glances in light, 0 to 1; shape (glances,)."""
    return np.asarray(light.mean(axis=(1, 2)) @ np.array([0.2126, 0.7152, 0.0722], np.float32), np.float32)


def steps(anchor: Small, lights: Small) -> Course:
    """By how much light changed from frame to frame: the midmeans of what their pixels say.

    Whatever moves changes some pixels up and others down, and the middle half stays with what is still. All
    are compared with one glance before them, so that small errors do not add up; where the camera moves and
    that is of something else, each is compared with the one before it.

    Args:
        anchor: in light, of the frame before the first one.
        lights: glances in light that follow one another, shape (n, rows, columns, 3).

    Returns:
        Differences of logarithms, shape (n, 3); 0 where too few pixels tell anything.
    """
    logs, tells = _read(np.concatenate([anchor[None], lights]))
    before, first, now = ((logs[part], tells[part]) for part in (slice(-1), slice(1), slice(1, None)))
    spread, spread_from_first = (
        float(np.median(_told(*_some(than), *_some(now))[1])) for than in (before, first)
    )
    if spread_from_first > _MOVED + _FURTHER * spread:
        return _told(*before, *now)[0]
    return np.diff(_told(*first, *now)[0], axis=0, prepend=np.zeros((1, 3)))


_Logs = npt.NDArray[np.float32]
"""Shape (glances, 3, pixels)."""

_Tells = npt.NDArray[np.bool_]
"""Likewise: whether a pixel is of a light that tells something."""


def _read(lights: Small) -> tuple[_Logs, _Tells]:
    """Logarithms of light; channels before pixels, which are sorted far faster when they are contiguous."""
    rows = np.ascontiguousarray(np.moveaxis(lights.reshape(len(lights), -1, 3), 2, 1))
    return np.log(np.maximum(rows, _DARK)), (rows > _DARK) & (rows < _WHITE)


def _some(read: tuple[_Logs, _Tells]) -> tuple[_Logs, _Tells]:
    """A part of the pixels, from all over the picture."""
    return read[0][..., ::7], read[1][..., ::7]


def _told(before: _Logs, tells_before: _Tells, logs: _Logs, tells: _Tells) -> tuple[Course, Course]:
    """Midmeans of differences of logarithms, and how far the middle half of them spreads."""
    telling = tells_before & tells
    ordered = np.sort(np.where(telling, logs - before, np.float32(np.inf)), axis=2)
    counts = telling.sum(axis=2)
    low, high = counts // 4, np.maximum(counts - counts // 4, 1)
    place = np.arange(ordered.shape[2])
    is_middle = (place >= low[..., None]) & (place < np.minimum(high, counts)[..., None])
    middle = np.where(is_middle, ordered, np.float32(0)).sum(axis=2) / np.maximum(high - low, 1)
    enough = counts > _FEWEST * ordered.shape[2]
    ends = np.take_along_axis(ordered, np.stack([low, high - 1], axis=2), axis=2)
    ends[~enough] = 0
    return np.where(enough, middle, 0.0), ends[..., 1] - ends[..., 0]


def fitting_span(course: Course, scenes: npt.NDArray[np.int64]) -> float:
    """The span that suits a course: long enough to be rid of its flicker, short enough to keep its bends.

    By generalised cross-validation (Craven and Wahba, Numerische Mathematik 31, 1979, 377).
    """
    count = len(course)
    found = []
    for span in _SPANS:
        left = float(np.mean((smoothed(course, span, scenes) - course) ** 2))
        free = min((len(scenes) + 1) * 3 + count * _passed_share(span), 0.9 * count)
        found.append(left / (1 - free / count) ** 2)
    return _SPANS[int(np.argmin(found))]


@cache
def _passed_share(span: float) -> float:
    """The share of noise that a span lets pass."""
    turns = np.pi * (np.arange(4096) + 0.5) / 4096
    return float(np.mean(1 / (1 + (span / (2 * np.pi)) ** 6 * (2 - 2 * np.cos(turns)) ** 3)))


def smoothed(course: Course, span: float, scenes: npt.NDArray[np.int64]) -> Course:
    """The slow course of light: changes that come and go within a span are gone.

    Whittaker's smoother with differences of the third order (Eilers, Analytical Chemistry 75, 2003, 3631):
    it lets pass what is slower than the span, bends of a dawn included, and goes on to both ends.

    Args:
        course: shape (frames, channels).
        span: frames.
        scenes: the first frames of scenes, ascending; each is smoothed by itself.
    """
    smooth = np.empty_like(course)
    ends = [*scenes.tolist(), len(course)]
    for begin, end in zip([0, *scenes.tolist()], ends, strict=True):
        if end > begin:
            smooth[begin:end] = _smoothed_scene(course[begin:end], span)
    return smooth


def _smoothed_scene(course: Course, span: float) -> Course:
    count = len(course)
    if span > _LONGEST_SOLVED:
        block = max(1, int(span / _BLOCKS_OF_SPAN))
        firsts = np.arange(0, count, block)
        sizes = np.diff(np.append(firsts, count))
        means = np.add.reduceat(course, firsts) / sizes[:, None]
        middles = firsts + (sizes - 1) / 2
        slow = _smoothed_scene(means, span / block)
        at = np.arange(count)
        return np.stack([np.interp(at, middles, column) for column in slow.T], axis=1)
    if count < 5:
        return np.repeat(course.mean(axis=0, keepdims=True), count, axis=0)
    from scipy.linalg import solveh_banded  # noqa: PLC0415 - slow to import, and not always needed

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
