"""The compiled loops, and what they are given: compared with how they were compiled once, at loading."""

import ctypes
import os
from functools import cache
from importlib.util import find_spec
from typing import Any

import numpy as np
import numpy.typing as npt

_Pointer = ctypes.c_void_p


class Frame(ctypes.Structure):
    """A decoded frame: planes of Y′CbCr, or R′G′B′ in one plane."""

    _fields_ = (
        ("planes", _Pointer * 3),
        ("strides", ctypes.c_ssize_t * 3),
        ("kind", ctypes.c_int32),
        ("across", ctypes.c_int32),
        ("down", ctypes.c_int32),
        ("matrix", ctypes.c_float * 12),
        ("weight", ctypes.c_float),
    )


class Curve(ctypes.Structure):
    """A transfer function and its inverse."""

    _fields_ = (
        ("toe", ctypes.c_float),
        ("slope", ctypes.c_float),
        ("dark", ctypes.c_float),
        ("polynomial", ctypes.c_float * 7),
        ("inverse", ctypes.c_float * 7),
        ("short_polynomial", ctypes.c_float * 6),
        ("table", _Pointer),
        ("encoded", _Pointer),
    )


class GatheredFrames(ctypes.Structure):
    """What frames are gathered into."""

    _fields_ = (
        ("before", _Pointer),
        ("planes", _Pointer),
        ("codes", _Pointer),
        ("size", ctypes.c_ssize_t),
        ("scale", ctypes.c_float),
        ("more", _Pointer),
    )


class Slant(ctypes.Structure):
    """A picture along slanted lines."""

    _fields_ = (
        ("light", _Pointer),
        ("lines", _Pointer),
        ("along", ctypes.c_int32),
        ("across", ctypes.c_int32),
        ("count", ctypes.c_int32),
        ("above", ctypes.c_int32),
        ("slope", ctypes.c_float),
        ("step_along", ctypes.c_ssize_t),
        ("step_across", ctypes.c_ssize_t),
        ("lines_along", ctypes.c_ssize_t),
        ("lines_across", ctypes.c_ssize_t),
    )


class Between(ctypes.Structure):
    """A picture between two others, by a blend map on a coarser grid."""

    _fields_ = (
        ("first", _Pointer),
        ("second", _Pointer),
        ("width", ctypes.c_int32),
        ("height", ctypes.c_int32),
        ("blends", _Pointer),
        ("columns", ctypes.c_int32),
        ("rows", ctypes.c_int32),
    )


class MarkedTiles(ctypes.Structure):
    """Square parts of a grid, some of them marked."""

    _fields_ = (
        ("marks", _Pointer),
        ("chosen", ctypes.c_int32),
        ("side", ctypes.c_int32),
        ("columns", ctypes.c_int32),
        ("rows", ctypes.c_int32),
    )


class Taps(ctypes.Structure):
    """Of which rows or columns of a picture each one of another is made."""

    _fields_ = (
        ("first", _Pointer),
        ("shares", _Pointer),
        ("most", ctypes.c_int32),
        ("count", ctypes.c_int32),
    )


def address(
    array: npt.NDArray[np.generic] | None, dtype: npt.DTypeLike, *, written: bool = False
) -> ctypes.c_void_p | None:
    """Where an array lies, as C wants it.

    Raises:
        TypeError: its elements are of another kind, do not lie one behind the other, or must not be written.
    """
    if array is None:
        return None
    flags = array.flags
    if array.dtype != dtype or not flags.c_contiguous or (written and not flags.writeable):
        raise TypeError(f"{array.dtype} of shape {array.shape} and strides {array.strides} is no {dtype}")
    return ctypes.c_void_p(array.ctypes.data)


def expect_shape(array: npt.NDArray[np.generic] | None, *shape: int) -> None:
    """Raise ValueError if there is an array of another shape: C reads and writes as far as it is told."""
    if array is not None and array.shape != shape:
        raise ValueError(f"an array of shape {array.shape} where {shape} is needed")


class _Contiguous:
    """An argument that is an array, or none."""

    def __init__(self, dtype: npt.DTypeLike, *, written: bool = False) -> None:
        self._dtype, self._written = np.dtype(dtype), written

    def from_param(self, array: npt.NDArray[np.generic] | None) -> ctypes.c_void_p | None:
        return address(array, self._dtype, written=self._written)


class _SamplesInRows:
    """An argument that is an array of samples whose rows lie whole, at whatever distance."""

    @staticmethod
    def from_param(array: npt.NDArray[np.generic]) -> ctypes.c_void_p:
        if array.dtype not in (np.uint8, np.uint16) or not array[:1].flags.c_contiguous:
            raise TypeError(f"{array.dtype} with strides {array.strides} is no picture in rows")
        return ctypes.c_void_p(array.ctypes.data)


_INT, _FLOAT, _STRIDE = ctypes.c_int, ctypes.c_float, ctypes.c_ssize_t
_FRAMES, _CURVE, _SLANT = (ctypes.POINTER(each) for each in (Frame, Curve, Slant))
_GATHERED, _BETWEEN, _TILES = (ctypes.POINTER(each) for each in (GatheredFrames, Between, MarkedTiles))
_TAPS = ctypes.POINTER(Taps)
_FEW = ctypes.POINTER(_FLOAT)  # numbers that are the same for all of a picture
_READS, _WRITES = _Contiguous(np.float32), _Contiguous(np.float32, written=True)
_BYTES, _NUMBERS = _Contiguous(np.uint8), _Contiguous(np.float64)
_CODES, _ENCODES = _Contiguous(np.uint16), _Contiguous(np.uint16, written=True)
_ROWS = (_INT, _INT)  # the first, and the one behind the last

_ARGUMENTS: dict[str, tuple[Any, ...]] = {
    "add_light": (_FRAMES, _INT, _CURVE, _INT, *_ROWS, _GATHERED),
    "keep_extreme": (_FRAMES, _INT, _INT, _INT, *_ROWS, _GATHERED),
    "median": (_FRAMES, _INT, _INT, *_ROWS, _ENCODES),
    "gain": (_FRAMES, _CURVE, _FEW, _READS, _INT, *_ROWS, _ENCODES),
    "flash": (_FRAMES, _CURVE, _FEW, _FEW, _INT, *_ROWS, _ENCODES),
    "pixels": (_FRAMES, _CURVE, _INT, _INT, *_ROWS, _WRITES),
    "codes": (_FRAMES, _INT, _INT, *_ROWS, _ENCODES),
    "glance": (_FRAMES, _CURVE, *(_INT,) * 5, *_ROWS, _WRITES, _WRITES),
    "residual": (_BYTES, _BYTES, _READS, _READS, _INT, _INT, _WRITES, _WRITES),
    "confidence": (*(_READS,) * 4, _INT, _FLOAT, _FLOAT, _FLOAT, _WRITES),
    "splat": (_READS, _INT, _INT, _FLOAT, _WRITES),
    "blend_map": (_READS, _READS, _INT, _FLOAT, _TILES, *_ROWS, _WRITES),
    "add_between": (_BETWEEN, _TILES, _FLOAT, *_ROWS, _WRITES),
    "between": (_BETWEEN, _CURVE, *_ROWS, _ENCODES),
    "add_both": (_READS, _READS, _INT, _INT, _TILES, _FLOAT, _FLOAT, *_ROWS, _WRITES),
    "grain": (_CODES, _READS, _FLOAT, _INT, *_ROWS, _ENCODES),
    "streak": (_SLANT, _FLOAT, *_ROWS),
    "unslant": (_SLANT, _CURVE, _INT, _INT, *_ROWS, _ENCODES),
    "warp": (_READS, _INT, _INT, _NUMBERS, _FEW, _CURVE, _INT, *_ROWS, _ENCODES),
    "planes": (
        _SamplesInRows, _STRIDE, _INT, _READS, _INT, _INT, _FLOAT, _INT, _INT,
        ctypes.POINTER(_Pointer), ctypes.POINTER(_STRIDE), *_ROWS,
    ),
    "scale": (
        _SamplesInRows, _STRIDE, _INT, _INT, _INT, _TAPS, _TAPS, *_ROWS, _WRITES, _SamplesInRows,
    ),
    "block_differences": (
        _SamplesInRows, _STRIDE, _SamplesInRows, _STRIDE, *(_INT,) * 5, *_ROWS, _WRITES,
    ),
    "level": (),
}  # fmt: skip
_ALLOCATE = ("add_between", "between", "streak")  # what they need to work in; 0 if they got it
_TELLING = ("level",)
_STRUCTURES = (Frame, Curve, GatheredFrames, MarkedTiles, Between, Slant, Taps)


_OTHER_BUILD = "CHRONOXIS_KERNELS"  # path of a build to use, such as one that watches what it reads


@cache
def library() -> ctypes.CDLL:
    """The compiled loops. Raises ImportError if they were not compiled, or from another source."""
    spec = find_spec("chronoxis.core.picture._kernels")
    path = os.environ.get(_OTHER_BUILD) or (spec.origin if spec is not None else None)
    if path is None:
        raise ImportError("Chronoxis was not built: run make setup, which needs a C compiler.")
    loaded = ctypes.CDLL(path)
    try:
        sizes = (ctypes.c_int32 * len(_STRUCTURES)).in_dll(loaded, "chronoxis_sizes")
        functions = {name: getattr(loaded, f"chronoxis_{name}") for name in _ARGUMENTS}
    except (ValueError, AttributeError) as error:
        raise ImportError(f"Chronoxis was built from an older state: run make setup ({error}).") from error
    if list(sizes) != [ctypes.sizeof(each) for each in _STRUCTURES]:
        raise ImportError("Chronoxis was built from another state: run make setup.")
    for name, function in functions.items():
        function.argtypes = _ARGUMENTS[name]
        function.restype = ctypes.c_int if name in (*_ALLOCATE, *_TELLING) else None
        if name in _ALLOCATE:
            function.errcheck = _allocated
    return loaded


def level() -> int:
    """For which level of x86-64 the loops were made that run here: 1, 3 or 4; 0 if there is but one."""
    found: int = library().chronoxis_level()
    return found


def _allocated(failed: int, _function: object, _arguments: object) -> None:
    if failed:
        raise MemoryError("a picture's rows")
