"""The loops in C that follow motion from one picture to the next, and make pictures between two.

They work on a grid that lies over the pictures; *pixels* and codes are as in `kernels`.
"""

import ctypes
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from chronoxis.core.picture.kernels import Pixels, address, curve_of, library
from chronoxis.core.picture.rgb import Rgb16
from chronoxis.core.picture.row_work import RowWork

Motion = npt.NDArray[np.float32]
"""Shape (rows, columns, 4): right, down, in places of the grid; how far it can be relied on; unused."""

Flow = npt.NDArray[np.float32]
"""Shape (rows, columns, 2): right, down, in places of the grid."""

Differences = npt.NDArray[np.float32]
"""Shape (rows, columns)."""

Meetings = npt.NDArray[np.float32]
"""Shape (rows, columns, 8): from where in two pictures light comes, and with what weights."""

Tiles = npt.NDArray[np.uint8]
"""Marks of square parts of a grid, row by row."""

TILE = 8
"""Places of a grid along the side of a tile."""


class _Between(ctypes.Structure):
    _fields_ = (
        ("first", ctypes.c_void_p),
        ("second", ctypes.c_void_p),
        ("width", ctypes.c_int32),
        ("height", ctypes.c_int32),
        ("meetings", ctypes.c_void_p),
        ("columns", ctypes.c_int32),
        ("rows", ctypes.c_int32),
    )


class _Tiles(ctypes.Structure):
    _fields_ = (
        ("marks", ctypes.c_void_p),
        ("chosen", ctypes.c_int32),
        ("side", ctypes.c_int32),
        ("columns", ctypes.c_int32),
        ("rows", ctypes.c_int32),
    )


def follow(
    first: npt.NDArray[np.uint8], second: npt.NDArray[np.uint8], flow: Flow, back: Flow | None = None
) -> tuple[Differences, Differences]:
    """How much a picture differs from another followed along a motion, here and now.

    Returns:
        Differences in codes; and, with the motion ``back``, how many places apart the way there and back
        begins and ends.
    """
    height, width = first.shape
    left, apart = np.empty((height, width), np.float32), np.zeros((height, width), np.float32)
    library().chronoxis_follow(
        address(first),
        address(second),
        address(flow),
        address(back),
        width,
        height,
        address(left),
        address(apart),
    )
    return left, apart


def rely(
    flow: Flow, plain: Differences, left: Differences, apart: Differences, noise: float, allowed: float,
    allowed_share: float,
) -> Motion:  # fmt: skip
    """Motion with how far it can be relied on, here and now.

    As far as it leaves less (``left``) of the difference between two pictures than there is without it
    (``plain``), but for ``noise``; and as the way back leads to where it began, but for what is allowed.
    """
    height, width = plain.shape
    motion = np.empty((height, width, 4), np.float32)
    library().chronoxis_rely(
        address(flow), address(plain), address(left), address(apart), height * width,
        ctypes.c_float(noise), ctypes.c_float(allowed), ctypes.c_float(allowed_share), address(motion),
    )  # fmt: skip
    return motion


def cast(motion: Motion, share: float, into: Motion) -> None:
    """Motion as it is a share of its way, here and now; where nothing comes, it is relied on by -1."""
    height, width = motion.shape[:2]
    library().chronoxis_cast(address(motion), width, height, ctypes.c_float(share), address(into))


@dataclass(frozen=True)
class Marked:
    """Tiles of a grid of so many columns and rows that are marked alike."""

    tiles: Tiles
    mark: int
    grid: tuple[int, int]

    def described(self) -> _Tiles:
        """As C reads it; this must be kept as long."""
        return _Tiles(address(self.tiles), self.mark, TILE, *self.grid)


def meet(
    work: RowWork, onwards: Motion, backwards: Motion, share: float, into: Meetings, within: Marked | None
) -> None:
    """Where two pictures meet a share of the way from the first to the second; in marked tiles, if any are.

    The motions are `cast` to there.
    """
    rows_, columns = onwards.shape[:2]
    tiles = within.described() if within else None

    def find(rows: slice) -> None:
        library().chronoxis_meet(
            address(onwards), address(backwards), columns, ctypes.c_float(share),
            ctypes.byref(tiles) if tiles else None, rows.start, rows.stop, address(into),
        )  # fmt: skip

    work.give(find, rows_)


def add_between(
    work: RowWork,
    pair: tuple[Pixels, Pixels],
    meetings: Meetings,
    weight: float,
    sums: Pixels,
    within: Marked,
) -> None:
    """Add the weighted light of the picture that meetings on a coarser grid describe."""
    between, tiles = _between(pair, meetings), within.described()

    def add(rows: slice) -> None:
        library().chronoxis_add_between(
            ctypes.byref(between), ctypes.byref(tiles), ctypes.c_float(weight), rows.start, rows.stop,
            address(sums),
        )  # fmt: skip

    work.give(add, sums.shape[0])


def encode_between(
    work: RowWork, pair: tuple[Pixels, Pixels], meetings: Meetings, transfer: int, into: Rgb16
) -> None:
    """R′G′B′ codes of the picture that meetings on a coarser grid describe."""
    between, curve = _between(pair, meetings), curve_of(transfer)

    def write(rows: slice) -> None:
        library().chronoxis_between(
            ctypes.byref(between), ctypes.byref(curve), rows.start, rows.stop, address(into)
        )

    work.give(write, into.shape[0])


def _between(pair: tuple[Pixels, Pixels], meetings: Meetings) -> _Between:
    (height, width), (rows, columns) = pair[0].shape[:2], meetings.shape[:2]
    return _Between(address(pair[0]), address(pair[1]), width, height, address(meetings), columns, rows)


def add_both(
    work: RowWork, pair: tuple[Pixels, Pixels], weights: tuple[float, float], sums: Pixels, within: Marked
) -> None:
    """Add the weighted light of two pictures."""
    (height, width), tiles = sums.shape[:2], within.described()

    def add(rows: slice) -> None:
        library().chronoxis_add_both(
            address(pair[0]), address(pair[1]), width, height, ctypes.byref(tiles),
            ctypes.c_float(weights[0]), ctypes.c_float(weights[1]), rows.start, rows.stop, address(sums),
        )  # fmt: skip

    work.give(add, height)
