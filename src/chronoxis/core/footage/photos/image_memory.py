"""The pixels of an opened photo where the library has them: without the time that a copy takes.

Through the Arrow C data interface (https://arrow.apache.org/docs/format/CDataInterface.html).
"""

import ctypes
from typing import Any

import numpy as np
import numpy.typing as npt
from PIL import Image

from chronoxis.core.cores import usable_cores

# Pixels lie in one piece only where they fit into one block; the largest photos do.
_library: Any = Image.core  # type: ignore[attr-defined]
_library.set_block_size(1 << 30)
# What one photo lay in serves the next: to have it from the system anew takes a tenth of all the time.
_library.set_blocks_max(usable_cores())


class _Array(ctypes.Structure):
    """`ArrowArray`."""


_Array._fields_ = (
    ("length", ctypes.c_int64),
    ("null_count", ctypes.c_int64),
    ("offset", ctypes.c_int64),
    ("n_buffers", ctypes.c_int64),
    ("n_children", ctypes.c_int64),
    ("buffers", ctypes.POINTER(ctypes.c_void_p)),
    ("children", ctypes.POINTER(ctypes.POINTER(_Array))),
)

_pointer_of = ctypes.pythonapi.PyCapsule_GetPointer
_pointer_of.restype, _pointer_of.argtypes = ctypes.c_void_p, (ctypes.py_object, ctypes.c_char_p)


class _Memory:
    """Memory that lasts as long as this does, as NumPy reads it."""

    def __init__(self, image: Image.Image) -> None:
        _, self._kept = image.__arrow_c_array__()
        array = _Array.from_address(_pointer_of(self._kept, b"arrow_array"))
        self.__array_interface__: dict[str, Any] = {
            "version": 3,
            "shape": (image.height, image.width, 4),
            "typestr": "|u1",
            "data": (array.children[0].contents.buffers[1], True),
        }


def pixels_in(image: Image.Image) -> npt.NDArray[np.uint8]:
    """Pixels of a decoded image of mode RGB: shape (height, width, 4), read only, the last channel empty."""
    return np.asarray(_Memory(image))


def give_back() -> None:
    """Give memory that is kept for photos to come back to the system."""
    _library.clear_cache()
