"""The loops over pixels that frames are made with, in C: on rows shared out among the cores.

What pictures, planes and pixels are is told in `described`. Chroma that is halved is taken from the nearest
sample.
"""

import ctypes
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt
from av.video.frame import VideoFrame

from chronoxis.core.picture.colour import Colour
from chronoxis.core.picture.described import (
    RGB24,
    GivenFrames,
    Picture,
    Pixels,
    Planes,
    curve_of,
    describe,
    frames_of,
    size_of,
)
from chronoxis.core.picture.kernel_library import (
    GatheredFrames,
    address,
    expect_shape,
    library,
)
from chronoxis.core.picture.rgb import Rgb16, chroma_halvings, planar_depth, rgb16
from chronoxis.core.picture.row_work import RowWork

MOST_FRAMES = 63
"""Whose median can be taken."""


@dataclass(frozen=True)
class Gathered:
    """What pictures are gathered into.

    Attributes:
        before: what was gathered of those before them; None if there were none.
        into: planes that take in all of it (which may be those before), or R′G′B′ codes of it.
        scale: of the planes, for codes.
        more: light that is added for codes, not scaled.
    """

    before: Planes | None
    into: Planes | Rgb16
    scale: float = 1.0
    more: Pixels | None = None

    @property
    def size(self) -> tuple[int, int]:
        """Height and width."""
        return self.into.shape[:2] if self._ends else self.into.shape[1:]

    @property
    def _ends(self) -> bool:
        return self.into.dtype == np.uint16

    def described(self) -> GatheredFrames:
        """As C reads it; this must be kept as long."""
        height, width = self.size
        planes, codes = (None, self.into) if self._ends else (self.into, None)
        expect_shape(self.before, 3, height, width)
        expect_shape(self.more, height, width, 4)
        return GatheredFrames(
            address(self.before, np.float32),
            address(planes, np.float32, written=True),
            address(codes, np.uint16, written=True),
            height * width,
            self.scale,
            address(self.more, np.float32),
        )


def add_light(
    work: RowWork, pictures: Sequence[Picture], weights: Sequence[float], colour: Colour, gathered: Gathered
) -> None:
    """Add up the weighted light of pictures; codes are of its sum."""
    frames = frames_of(pictures, colour, gathered.size, weights)
    curve, given = curve_of(colour.transfer), gathered.described()

    def add(rows: slice) -> None:
        library().chronoxis_add_light(
            frames.given, len(pictures), ctypes.byref(curve), gathered.size[1], rows.start, rows.stop,
            ctypes.byref(given),
        )  # fmt: skip

    work.give(add, gathered.size[0])


def keep_extreme(
    work: RowWork, pictures: Sequence[Picture], colour: Colour, gathered: Gathered, *, brightest: bool
) -> None:
    """Keep, channel by channel, the brightest or the darkest codes, 0 to 1, of what comes."""
    frames, given = frames_of(pictures, colour, gathered.size), gathered.described()

    def keep(rows: slice) -> None:
        library().chronoxis_keep_extreme(
            frames.given, len(pictures), int(brightest), gathered.size[1], rows.start, rows.stop,
            ctypes.byref(given),
        )  # fmt: skip

    work.give(keep, gathered.size[0])


def median(work: RowWork, pictures: Sequence[Picture], colour: Colour, into: Rgb16) -> None:
    """The median of at most `MOST_FRAMES` pictures, channel by channel, as `Clear` says.

    Raises ValueError if there are more, or none.
    """
    if not 0 < len(pictures) <= MOST_FRAMES:
        raise ValueError(f"the median of {len(pictures)} pictures")
    frames = frames_of(pictures, colour, into.shape[:2])

    def sort(rows: slice) -> None:
        library().chronoxis_median(frames.given, len(pictures), into.shape[1], rows.start, rows.stop, into)

    work.give(sort, into.shape[0])


def gain(
    work: RowWork,
    picture: Picture,
    colour: Colour,
    gains: Sequence[float],
    into: Rgb16,
    by_row: npt.NDArray[np.float32] | None = None,
) -> None:
    """R′G′B′ codes of a picture whose light, channel by channel, and perhaps row by row, is multiplied."""
    frames, curve = frames_of([picture], colour, into.shape[:2]), curve_of(colour.transfer)
    expect_shape(by_row, into.shape[0])
    given, width = (ctypes.c_float * 3)(*gains), into.shape[1]

    def multiply(rows: slice) -> None:
        library().chronoxis_gain(
            frames.given,
            ctypes.byref(curve),
            given,
            by_row,
            width,
            rows.start,
            rows.stop,
            into,
        )

    work.give(multiply, into.shape[0])


def warp(
    work: RowWork,
    light: Pixels,
    inverse: npt.NDArray[np.float64],
    smaller: tuple[float, float],
    transfer: int,
    into: Rgb16,
) -> None:
    """R′G′B′ codes of light whose every place comes from elsewhere.

    Args:
        work: on codes of that height; what fills the light is to be done.
        light: of a picture of any size.
        inverse: the inverse homography, row by row of the codes, shape (height, 6): with the numbers h of
            its row, the place (x, y) comes from (h0 + h1 x, h2 + h3 x) / (h4 + h5 x).
        smaller: how many times smaller the picture gets across and down, 1 to 4; 1 where it does not.
        transfer: of the codes.
        into: the codes.
    """
    curve, (height, width) = curve_of(transfer), into.shape[:2]
    expect_shape(light, *light.shape[:2], 4)
    expect_shape(inverse, height, 6)
    given, wide = np.ascontiguousarray(inverse, np.float64), (ctypes.c_float * 2)(*smaller)

    def move(rows: slice) -> None:
        library().chronoxis_warp(
            light, light.shape[1], light.shape[0], given, wide, ctypes.byref(curve),
            width, rows.start, rows.stop, into,
        )  # fmt: skip

    work.give(move, height)


def pixels(work: RowWork, picture: Picture, colour: Colour, into: Pixels) -> None:
    """The light of a picture as pixels, chroma in between its samples: for what moves by parts of them."""
    height, width = into.shape[:2]
    frames, curve = frames_of([picture], colour, (height, width)), curve_of(colour.transfer)

    def write(rows: slice) -> None:
        library().chronoxis_pixels(
            frames.given, ctypes.byref(curve), width, height, rows.start, rows.stop, into
        )

    work.give(write, height)


def codes_of(picture: Picture, colour: Colour) -> Rgb16:
    """R′G′B′ codes of a picture: those of `rgb16`, on all cores; codes as they are."""
    if not isinstance(picture, VideoFrame):
        return picture
    (height, width), frames = size_of(picture), GivenFrames(1)
    if not describe(frames.given[0], picture, colour, frames) or frames.given[0].kind == RGB24:
        return rgb16(picture, colour)
    codes, work = np.empty((height, width, 3), np.uint16), RowWork()

    def write(rows: slice) -> None:
        library().chronoxis_codes(frames.given, width, height, rows.start, rows.stop, codes)

    work.give(write, height)
    work.wait()
    return codes


def planes(
    work: RowWork,
    codes: Rgb16 | npt.NDArray[np.uint8],
    matrix: npt.NDArray[np.float32],
    into: VideoFrame,
) -> None:
    """Planar Y′CbCr of R′G′B′ codes, dithered; chroma of the mean of the pixels that share it.

    Args:
        work: on pictures of that height.
        codes: of sixteen bits or of eight, of the frame's size, contiguous along rows.
        matrix: from codes of sixteen bits to samples; affine, shape (3, 4).
        into: a frame of three planes.
    """
    height, width = codes.shape[:2]
    parts, halved = into.planes[:3], chroma_halvings(into)
    given = (ctypes.c_void_p * 3)(*(part.buffer_ptr for part in parts))
    strides = (ctypes.c_ssize_t * 3)(*(part.line_size for part in parts))
    deep, top = codes.dtype == np.uint16, float((1 << planar_depth(into.format.name)) - 1)
    affine = np.array(matrix, np.float32)
    affine[:, :3] *= 1 if deep else 257

    def write(rows: slice) -> None:
        library().chronoxis_planes(
            codes, codes.strides[0], int(deep), affine, *halved,
            top, width, height, given, strides, rows.start, rows.stop,
        )  # fmt: skip

    work.give(write, height)


def glance(
    picture: Picture, colour: Colour, size: tuple[int, int], lines: int
) -> tuple[npt.NDArray[np.float32], npt.NDArray[np.float32]]:
    """Means of a picture's codes and of its light, 0 to 1, over blocks, here and now.

    Args:
        picture: of any size.
        colour: of it.
        size: rows and columns, at most 1024, of what comes out, each of shape (rows, columns, 3).
        lines: of each block that are looked at, at most.
    """
    height, width = size_of(picture)
    frames, curve = frames_of([picture], colour, (height, width)), curve_of(colour.transfer)
    codes, light = np.empty((*size, 3), np.float32), np.empty((*size, 3), np.float32)
    library().chronoxis_glance(
        frames.given, ctypes.byref(curve), width, height, size[1], size[0], lines, 0, size[0],
        codes, light,
    )  # fmt: skip
    return codes, light


def block_differences(
    before: npt.NDArray[np.generic], after: npt.NDArray[np.generic], blocks: tuple[int, int]
) -> npt.NDArray[np.float32]:
    """The mean difference of samples in each block of two pictures of one channel.

    Args:
        before: uint8 or uint16, shape (height, width), whose rows may lie apart.
        after: of the same kind and shape.
        blocks: how many there are down and across; no more than the pictures have rows and columns.
    """
    if (before.shape, before.dtype) != (after.shape, after.dtype):
        raise ValueError(f"pictures of shapes {before.shape} and {after.shape}")
    height, width = after.shape
    down, across = blocks
    if down > height or across > width:
        raise ValueError(f"{down} by {across} blocks of a picture of shape {after.shape}")
    means = np.empty(blocks, np.float32)
    library().chronoxis_block_differences(
        before, before.strides[0], after, after.strides[0], int(after.dtype == np.uint16), width, height,
        across, down, 0, down, means,
    )  # fmt: skip
    return means
