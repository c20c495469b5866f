"""Pictures averaged over the parts that the pixels of smaller ones cover."""

import ctypes
from functools import lru_cache

import numpy as np
import numpy.typing as npt

from chronoxis.core.model.export_format import Size
from chronoxis.core.picture.kernels import address, library


class _Cover(ctypes.Structure):
    _fields_ = (
        ("first", ctypes.c_void_p),
        ("shares", ctypes.c_void_p),
        ("most", ctypes.c_int32),
        ("count", ctypes.c_int32),
    )


def averaged(pixels: npt.NDArray[np.uint8], size: Size) -> npt.NDArray[np.uint8]:
    """A picture at a smaller size, each pixel the mean of the part that it covers, here and now.

    Args:
        pixels: R′G′B′, contiguous, shape (height, width, 4); the last channel is left out.
        size: width and height, of neither more than the picture's.

    Returns:
        Shape (height, width, 3).
    """
    height, width = pixels.shape[:2]
    down, across = _cover(height, size[1]), _cover(width, size[0])
    row, means = np.empty((width, 4), np.float32), np.empty((size[1], size[0], 3), np.uint8)
    library().chronoxis_average(
        address(pixels),
        width,
        ctypes.byref(down.given),
        ctypes.byref(across.given),
        address(row),
        address(means),
    )
    return means


class _Shares:
    """Which of so many pixels in a row each of fewer covers, and by what share of it, as C reads it."""

    def __init__(self, count: int, fewer: int) -> None:
        edges = np.arange(fewer + 1) * (count / fewer)
        most = min(count, int(np.ceil(count / fewer)) + 1)
        self._first = np.minimum(edges[:-1].astype(np.int32), count - most)
        at = self._first[:, None] + np.arange(most)
        within = np.minimum(at + 1, edges[1:, None]) - np.maximum(at, edges[:-1, None])
        self._shares = (np.maximum(within, 0) * (fewer / count)).astype(np.float32)
        self.given = _Cover(self._first.ctypes.data, self._shares.ctypes.data, most, fewer)


_cover = lru_cache(16)(_Shares)
