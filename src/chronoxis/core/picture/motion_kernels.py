"""The loops in C that follow motion from one picture to the next, and make pictures between two.

They work on a grid that lies over the pictures; *pixels* and codes are as in `kernels`.
"""

import ctypes
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from chronoxis.core.picture.described import Pixels, curve_of
from chronoxis.core.picture.kernel_library import Between, MarkedTiles, address, expect_shape, library
from chronoxis.core.picture.rgb import Rgb16
from chronoxis.core.picture.row_work import RowWork

Motion = npt.NDArray[np.float32]
"""Shape (rows, columns, 4): right, down, in places of the grid; confidence; unused."""

Flow = npt.NDArray[np.float32]
"""Shape (rows, columns, 2): right, down, in places of the grid."""

Differences = npt.NDArray[np.float32]
"""Shape (rows, columns)."""

Blends = npt.NDArray[np.float32]
"""Blend maps, shape (rows, columns, 8): from where in two pictures light comes, with what weights."""

Tiles = npt.NDArray[np.uint8]
"""Marks of square parts of a grid, row by row."""

TILE = 8
"""Places of a grid along the side of a tile."""


def residual(
    first: npt.NDArray[np.uint8], second: npt.NDArray[np.uint8], flow: Flow, back: Flow | None = None
) -> tuple[Differences, Differences]:
    """The residual of two pictures along an optical flow, here and now.

    Returns:
        Differences in codes; and, with the flow ``back``, the forward-backward error in places.
    """
    height, width = first.shape
    expect_shape(second, height, width)
    for each in (flow, back):
        expect_shape(each, height, width, 2)
    differences, round_trip = np.empty((height, width), np.float32), np.zeros((height, width), np.float32)
    library().chronoxis_residual(first, second, flow, back, width, height, differences, round_trip)
    return differences, round_trip


def with_confidence(
    flow: Flow,
    plain: Differences,
    residual: Differences,
    round_trip: Differences,
    noise: float,
    allowed: float,
    allowed_share: float,
) -> Motion:
    """Motion with its confidence, here and now.

    As far as its ``residual`` is less than the ``plain`` difference of the two pictures, but for ``noise``;
    and as its forward-backward error ``round_trip`` is within what is allowed.
    """
    height, width = plain.shape
    expect_shape(flow, height, width, 2)
    for each in (residual, round_trip):
        expect_shape(each, height, width)
    motion = np.empty((height, width, 4), np.float32)
    library().chronoxis_confidence(
        flow, plain, residual, round_trip, height * width, noise, allowed, allowed_share, motion
    )
    return motion


def splat(motion: Motion, share: float, into: Motion) -> None:
    """Motion splatted to a share of its way, here and now; where nothing comes, its confidence is -1."""
    height, width = motion.shape[:2]
    for each in (motion, into):
        expect_shape(each, height, width, 4)
    library().chronoxis_splat(motion, width, height, share, into)


@dataclass(frozen=True)
class Marked:
    """Tiles of a grid of so many columns and rows that are marked alike."""

    tiles: Tiles
    mark: int
    grid: tuple[int, int]

    def described(self) -> MarkedTiles:
        """As C reads it; this must be kept as long."""
        return MarkedTiles(address(self.tiles, np.uint8), self.mark, TILE, *self.grid)


def find_blends(
    work: RowWork, onwards: Motion, backwards: Motion, share: float, into: Blends, within: Marked | None
) -> None:
    """The blend map of two pictures a share of the way between them; in marked tiles, if any are.

    The motions are `splat` to there.
    """
    rows_, columns = onwards.shape[:2]
    expect_shape(backwards, rows_, columns, 4)
    expect_shape(into, rows_, columns, 8)
    tiles = within.described() if within else None

    def find(rows: slice) -> None:
        library().chronoxis_blend_map(
            onwards, backwards, columns, share,
            ctypes.byref(tiles) if tiles else None, rows.start, rows.stop, into,
        )  # fmt: skip

    work.give(find, rows_)


def add_between(
    work: RowWork,
    pair: tuple[Pixels, Pixels],
    blends: Blends,
    weight: float,
    sums: Pixels,
    within: Marked,
) -> None:
    """Add the weighted light of the picture that a blend map on a coarser grid describes."""
    between, tiles = _between(pair, blends), within.described()
    expect_shape(sums, *pair[0].shape)

    def add(rows: slice) -> None:
        library().chronoxis_add_between(
            ctypes.byref(between), ctypes.byref(tiles), weight, rows.start, rows.stop, sums
        )

    work.give(add, sums.shape[0])


def encode_between(
    work: RowWork, pair: tuple[Pixels, Pixels], blends: Blends, transfer: int, into: Rgb16
) -> None:
    """R′G′B′ codes of the picture that a blend map on a coarser grid describes."""
    between, curve = _between(pair, blends), curve_of(transfer)
    expect_shape(into, *pair[0].shape[:2], 3)

    def write(rows: slice) -> None:
        library().chronoxis_between(ctypes.byref(between), ctypes.byref(curve), rows.start, rows.stop, into)

    work.give(write, into.shape[0])


def _between(pair: tuple[Pixels, Pixels], blends: Blends) -> Between:
    (height, width), (rows, columns) = pair[0].shape[:2], blends.shape[:2]
    expect_shape(pair[1], height, width, 4)
    expect_shape(blends, rows, columns, 8)
    first, second, blend = (address(each, np.float32) for each in (*pair, blends))
    return Between(first, second, width, height, blend, columns, rows)


def add_both(
    work: RowWork, pair: tuple[Pixels, Pixels], weights: tuple[float, float], sums: Pixels, within: Marked
) -> None:
    """Add the weighted light of two pictures."""
    (height, width), tiles = sums.shape[:2], within.described()
    for each in pair:
        expect_shape(each, *sums.shape)

    def add(rows: slice) -> None:
        library().chronoxis_add_both(
            pair[0], pair[1], width, height, ctypes.byref(tiles),
            weights[0], weights[1], rows.start, rows.stop, sums,
        )  # fmt: skip

    work.give(add, height)
