"""Light along footage, measured so that subjects do not sway it."""

import numpy as np
import numpy.typing as npt

from chronoxis.core.traces.glances import Small

Course = npt.NDArray[np.float64]
"""Logarithms of light, shape (frames, 3) for red, green and blue; only differences mean anything."""

# Light below and above which a pixel tells nothing of a gain: noise, and what is white in any case.
_DARK_LIGHT, _WHITE_LIGHT = 0.004, 0.85
_LEAST_SHARE = 0.02  # of all pixels, that have to tell something
# Differences that spread wider than these, and so many times as from frame to frame, are of what moved.
_MOVED_DIFFERENCE, _MOVED_RATIO = 0.05, 2.0


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
    if spread_from_first > _MOVED_DIFFERENCE + _MOVED_RATIO * spread:
        return _told(*before, *now)[0]
    return np.diff(_told(*first, *now)[0], axis=0, prepend=np.zeros((1, 3)))


_Logs = npt.NDArray[np.float32]
"""Shape (glances, 3, pixels)."""

_Tells = npt.NDArray[np.bool_]
"""Likewise: whether a pixel is of a light that tells something."""


def _read(lights: Small) -> tuple[_Logs, _Tells]:
    """Logarithms of light; channels before pixels, which are sorted far faster when they are contiguous."""
    rows = np.ascontiguousarray(np.moveaxis(lights.reshape(len(lights), -1, 3), 2, 1))
    return np.log(np.maximum(rows, _DARK_LIGHT)), (rows > _DARK_LIGHT) & (rows < _WHITE_LIGHT)


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
    enough = counts > _LEAST_SHARE * ordered.shape[2]
    ends = np.take_along_axis(ordered, np.stack([low, high - 1], axis=2), axis=2)
    ends[~enough] = 0
    return np.where(enough, middle, 0.0), ends[..., 1] - ends[..., 0]
