"""Pictures brought to another size: first rows, then columns, each made of a few with their shares."""

import ctypes
from functools import lru_cache
from math import ceil
from typing import Any

import numpy as np
import numpy.typing as npt

from chronoxis.core.model.export_format import Size
from chronoxis.core.picture.kernel_library import Taps, address, library
from chronoxis.core.picture.row_work import RowWork
from chronoxis.core.picture.views import Box

Samples = npt.NDArray[Any]
"""Of uint8 or uint16; shape (height, width), or (height, width, 3)."""

Shares = npt.NDArray[np.float64]

_LANCZOS_LOBES = 3


def averaged(pixels: npt.NDArray[np.uint8], size: Size) -> npt.NDArray[np.uint8]:
    """A picture at a smaller size, each pixel the mean of the part that it covers, here and now.

    Args:
        pixels: R′G′B′, shape (height, width, 4); the last channel is left out.
        size: width and height, of neither more than the picture's.

    Returns:
        Shape (height, width, 3).
    """
    height, width = pixels.shape[:2]
    means = np.empty((size[1], size[0], 3), np.uint8)
    _scale(pixels, _covering(height, size[1]), _covering(width, size[0]), 255, slice(0, size[1]), means)
    return means


def scaled_part(samples: Samples, box: Box, size: Size, top: int) -> Samples:
    """A part of a picture at another size, on all cores.

    Reduced and enlarged by Lanczos' kernel of three lobes (Duchon 1979, Lanczos filtering in one and two
    dimensions), which is widened as far as the picture is reduced; at the picture's edges by what there is.

    Args:
        samples: the picture.
        box: the part, in pixels of the picture.
        size: width and height that come out.
        top: the largest code.
    """
    left, above, width, height = box
    down = _KeptTaps(*_lanczos(above, height, size[1], samples.shape[0]))
    first, shares = _lanczos(left, width, size[0], samples.shape[1])
    begin, end = int(first.min()), int(first.max()) + shares.shape[1]
    across, seen = _KeptTaps(first - begin, shares), samples[:, begin:end]
    if not seen[0].flags.c_contiguous:
        seen = np.ascontiguousarray(seen)
    outcome = np.empty((size[1], size[0], *samples.shape[2:]), samples.dtype)
    shared = RowWork()
    shared.give(lambda rows: _scale(seen, down, across, top, rows, outcome), size[1])
    shared.wait()
    return outcome


class _KeptTaps:
    """Taps as C reads them, with the arrays that they lie in."""

    def __init__(self, first: npt.NDArray[np.intp], shares: Shares) -> None:
        """
        Args:
            first: the number of the first one that each is made of.
            shares: of those from there on, shape (made, taps).
        """
        self._first = first.astype(np.int32)
        self._shares = (shares / shares.sum(1, keepdims=True)).astype(np.float32)
        made, taps = shares.shape
        self.given = Taps(address(self._first, np.int32), address(self._shares, np.float32), taps, made)


@lru_cache(16)
def _covering(count: int, fewer: int) -> _KeptTaps:
    """Each of fewer is made of what it covers of so many."""
    edges = np.arange(fewer + 1) * (count / fewer)
    taps = min(count, ceil(count / fewer) + 1)
    first = np.minimum(edges[:-1].astype(np.intp), count - taps)
    at = first[:, None] + np.arange(taps)
    within = np.minimum(at + 1, edges[1:, None]) - np.maximum(at, edges[:-1, None])
    return _KeptTaps(first, np.maximum(within, 0))


def _lanczos(begin: float, length: float, made: int, count: int) -> tuple[npt.NDArray[np.intp], Shares]:
    """The first of so many, and shares, of which each one is made of a part that begins somewhere."""
    step = length / made
    wide = max(step, 1.0)
    taps = min(count, 2 * ceil(_LANCZOS_LOBES * wide) + 1)
    middles = begin + (np.arange(made) + 0.5) * step
    first = np.clip(np.floor(middles - _LANCZOS_LOBES * wide).astype(np.intp), 0, count - taps)
    off = (first[:, None] + np.arange(taps) + 0.5 - middles[:, None]) / wide
    return first, np.where(np.abs(off) < _LANCZOS_LOBES, np.sinc(off) * np.sinc(off / _LANCZOS_LOBES), 0.0)


def _scale(
    samples: Samples, down: _KeptTaps, across: _KeptTaps, top: int, rows: slice, outcome: Samples
) -> None:
    """Make some rows of the outcome."""
    channels = samples.shape[2] if samples.ndim == 3 else 1
    sums = np.empty(samples.shape[1] * channels + channels, np.float32)
    library().chronoxis_scale(
        samples, samples.strides[0], samples.shape[1], channels, top,
        ctypes.byref(down.given), ctypes.byref(across.given), rows.start, rows.stop,
        sums, outcome,
    )  # fmt: skip
