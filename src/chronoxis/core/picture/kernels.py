"""The loops over pixels that frames are made with, in C: on rows shared out among the cores.

Pictures come as decoded frames, in most of their own pixel formats, or as R′G′B′ codes, uint16, shape
(height, width, 3). Chroma that is halved is taken from the nearest sample. *Planes* are float32, shape
(3, height, width); *pixels* are float32, shape (height, width, 4), of which the last is not looked at.
Light is linear, 0 to 1.
"""

import ctypes
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cache
from math import ceil, hypot

import numpy as np
import numpy.typing as npt
from av.video.frame import VideoFrame
from numpy.polynomial import Polynomial

from chronoxis.core.picture.colour import BT709, SRGB, Colour, from_linear, to_linear
from chronoxis.core.picture.kernel_library import (
    Curve,
    Frame,
    GatheredFrames,
    Slant,
    address,
    expect_shape,
    library,
)
from chronoxis.core.picture.rgb import Rgb16, chroma_halvings, planar_depth, planar_format, rgb16
from chronoxis.core.picture.row_work import RowWork

Planes = npt.NDArray[np.float32]
Pixels = npt.NDArray[np.float32]
MOST_FRAMES = 63
"""Whose median can be taken."""

Picture = VideoFrame | Rgb16
"""A recorded frame in its own pixel format, or R′G′B′ codes."""

Luma = tuple[float, float, float]
"""The shares of red, green and blue in luminance."""

_YUV8, _YUV16, _RGB24, _RGB48 = range(4)
# Toes of curves that a polynomial follows to a hundredth of an 8-bit code; all others take tables.
_TOES = {BT709: (0.081, 4.5), SRGB: (0.04045, 12.92)}
_OTHERS = (4, 5, 8, 16, 18)  # what is none of these either is read as BT.709


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
    frames = _frames(pictures, colour, gathered.size, weights)
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
    frames, given = _frames(pictures, colour, gathered.size), gathered.described()

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
    frames = _frames(pictures, colour, into.shape[:2])

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
    frames, curve = _frames([picture], colour, into.shape[:2]), curve_of(colour.transfer)
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


def flash(
    work: RowWork, codes: Rgb16, colour: Colour, gain: float, knee: float, luma: Luma, into: Rgb16
) -> None:
    """Codes of light that is multiplied by a gain above 1, and goes to white along its hue above a knee."""
    frames, curve = _frames([codes], colour, into.shape[:2]), curve_of(colour.transfer)
    width = into.shape[1]
    shoulder, shares = (ctypes.c_float * 2)(gain, knee), (ctypes.c_float * 3)(*luma)

    def brighten(rows: slice) -> None:
        library().chronoxis_flash(
            frames.given,
            ctypes.byref(curve),
            shoulder,
            shares,
            width,
            rows.start,
            rows.stop,
            into,
        )

    work.give(brighten, into.shape[0])


def grain(work: RowWork, codes: Rgb16, noise: npt.NDArray[np.float32], strength: float, into: Rgb16) -> None:
    """Codes with noise, shape (height, width), of which mid tones get ``strength`` times."""
    expect_shape(noise, *codes.shape[:2])
    expect_shape(into, *codes.shape)

    def add(rows: slice) -> None:
        library().chronoxis_grain(codes, noise, strength, codes.shape[1], rows.start, rows.stop, into)

    work.give(add, codes.shape[0])


def streak(
    work: RowWork, light: Pixels, direction: tuple[float, float], length: float, transfer: int, into: Rgb16
) -> None:
    """R′G′B′ codes of light that is drawn out along a direction; waits until it is done.

    Args:
        work: on pictures of that height.
        light: of the picture.
        direction: right and down, not both 0.
        length: in pixels, above 1, along the direction.
        transfer: of the codes.
        into: the codes.
    """
    height, width = into.shape[:2]
    expect_shape(light, height, width, 4)
    right, down = direction
    steep = abs(down) > abs(right)
    slope = right / down if steep else down / right
    along, across = (height, width) if steep else (width, height)
    reach = slope * (along - 1)
    above = ceil(max(reach, 0.0))
    count = across + ceil(abs(reach)) + 1
    lines = np.empty((along, count, 4) if steep else (count, along, 4), np.float32)
    slant = Slant(
        address(light, np.float32), address(lines, np.float32), along, across, count, above, slope,
        *((4 * width, 4, 4 * count, 4) if steep else (4, 4 * width, 4, 4 * along)),
    )  # fmt: skip
    places = max(length / hypot(1.0, slope), 1.0)

    def blur(rows: slice) -> None:
        library().chronoxis_streak(ctypes.byref(slant), places, rows.start, rows.stop)

    curve = curve_of(transfer)

    def unslant(rows: slice) -> None:
        library().chronoxis_unslant(
            ctypes.byref(slant), ctypes.byref(curve), int(steep), width, rows.start, rows.stop, into
        )

    work.wait()  # lines run through rows of other cores
    work.give(blur, count)
    work.wait()
    work.give(unslant, height)
    work.wait()


def warp(
    work: RowWork,
    light: Pixels,
    leads: npt.NDArray[np.float64],
    smaller: tuple[float, float],
    transfer: int,
    into: Rgb16,
) -> None:
    """R′G′B′ codes of light whose every place comes from elsewhere.

    Args:
        work: on codes of that height; what fills the light is to be done.
        light: of a picture of any size.
        leads: shape (height of the codes, 6): with the numbers l of its row, the place (x, y) comes from
            (l0 + l1 x, l2 + l3 x) / (l4 + l5 x).
        smaller: how many times smaller the picture gets across and down, 1 to 4; 1 where it does not.
        transfer: of the codes.
        into: the codes.
    """
    curve, (height, width) = curve_of(transfer), into.shape[:2]
    expect_shape(light, *light.shape[:2], 4)
    expect_shape(leads, height, 6)
    given, wide = np.ascontiguousarray(leads, np.float64), (ctypes.c_float * 2)(*smaller)

    def move(rows: slice) -> None:
        library().chronoxis_warp(
            light, light.shape[1], light.shape[0], given, wide, ctypes.byref(curve),
            width, rows.start, rows.stop, into,
        )  # fmt: skip

    work.give(move, height)


def pixels(work: RowWork, picture: Picture, colour: Colour, into: Pixels) -> None:
    """The light of a picture as pixels, chroma in between its samples: for what moves by parts of them."""
    height, width = into.shape[:2]
    frames, curve = _frames([picture], colour, (height, width)), curve_of(colour.transfer)

    def write(rows: slice) -> None:
        library().chronoxis_pixels(
            frames.given, ctypes.byref(curve), width, height, rows.start, rows.stop, into
        )

    work.give(write, height)


def codes_of(picture: Picture, colour: Colour) -> Rgb16:
    """R′G′B′ codes of a picture: those of `rgb16`, on all cores; codes as they are."""
    if not isinstance(picture, VideoFrame):
        return picture
    (height, width), frames = size_of(picture), _Given(1)
    if not _describe(frames.given[0], picture, colour, frames) or frames.given[0].kind == _RGB24:
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
    frames, curve = _frames([picture], colour, (height, width)), curve_of(colour.transfer)
    codes, light = np.empty((*size, 3), np.float32), np.empty((*size, 3), np.float32)
    library().chronoxis_glance(
        frames.given, ctypes.byref(curve), width, height, size[1], size[0], lines, 0, size[0],
        codes, light,
    )  # fmt: skip
    return codes, light


def size_of(picture: Picture) -> tuple[int, int]:
    """Height and width."""
    if isinstance(picture, VideoFrame):
        return picture.height, picture.width
    return picture.shape[0], picture.shape[1]


class _Given:
    """Frames as C reads them, with what they lie in."""

    def __init__(self, count: int) -> None:
        self.given = (Frame * count)()
        self.kept: list[object] = []


def _frames(
    pictures: Sequence[Picture],
    colour: Colour,
    size: tuple[int, int],
    weights: Sequence[float] | None = None,
) -> _Given:
    """Pictures of a height and width as C reads them. Raises ValueError if one has another size."""
    frames = _Given(len(pictures))
    for number, (frame, picture) in enumerate(zip(frames.given, pictures, strict=True)):
        if size_of(picture) != size:
            raise ValueError(f"a picture of {size_of(picture)} among those of {size}")
        if not isinstance(picture, VideoFrame) or not _describe(frame, picture, colour, frames):
            codes = np.ascontiguousarray(
                rgb16(picture, colour) if isinstance(picture, VideoFrame) else picture
            )
            expect_shape(codes, *size, 3)
            lies = address(codes, np.uint16)
            frame.kind, frame.planes[0], frame.strides[0] = _RGB48, lies, codes.strides[0]
            frames.kept.append(codes)
        frame.weight = 1.0 if weights is None else weights[number]
    return frames


def _describe(frame: Frame, picture: VideoFrame, colour: Colour, frames: _Given) -> bool:
    """Describe a frame whose planes can be read as they are; whether that is so."""
    if picture.format.name == "rgb24":
        frame.kind, frame.planes[0], frame.strides[0] = (
            _RGB24,
            picture.planes[0].buffer_ptr,
            picture.planes[0].line_size,
        )
        frames.kept.append(picture)
        return True
    name = planar_format(picture)
    if name is None or len(picture.planes) < 2:
        return False
    if name != picture.format.name:
        picture = picture.reformat(format=name)
    depth = planar_depth(name)
    frame.kind = _YUV16 if depth > 8 else _YUV8
    for number, plane in enumerate(picture.planes[:3]):
        frame.planes[number], frame.strides[number] = plane.buffer_ptr, plane.line_size
    frame.across, frame.down = chroma_halvings(picture)
    frame.matrix[:] = _matrix(colour, depth)
    frames.kept.append(picture)
    return True


@cache
def _matrix(colour: Colour, depth: int) -> list[float]:
    matrix: list[float] = colour.rgb_matrix(depth).ravel().tolist()
    return matrix


@cache
def curve_of(transfer: int) -> Curve:
    """A transfer function, and its inverse, as C reads them."""
    curve = Curve()
    transfer = transfer if transfer in _TOES or transfer in _OTHERS else BT709
    if transfer not in _TOES:
        whole = np.arange(65536) / 65535
        light = to_linear(whole, transfer).astype(np.float32)
        codes = np.rint(from_linear(whole**4, transfer) * 65535).astype(np.uint16)
        curve.table, curve.encoded = light.ctypes.data, codes.ctypes.data
        _TABLES.extend((light, codes))
        return curve
    curve.toe, curve.slope = _TOES[transfer][0], 1 / _TOES[transfer][1]
    curve.dark = curve.toe * curve.slope
    codes_ = np.linspace(curve.toe, 1, 4000)
    light_ = to_linear(codes_, transfer)
    steep = np.minimum(1 / np.gradient(light_, codes_), 8)
    curve.polynomial[:] = Polynomial.fit(codes_, light_, 6, w=steep).convert().coef.tolist()
    curve.short_polynomial[:] = Polynomial.fit(codes_, light_, 5, w=steep).convert().coef.tolist()
    curve.inverse[:] = Polynomial.fit(np.sqrt(light_), codes_, 6).convert().coef.tolist()
    return curve


_TABLES: list[npt.NDArray[np.generic]] = []  # for as long as the program runs


def blocks_apart(
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
    library().chronoxis_apart(
        before, before.strides[0], after, after.strides[0], int(after.dtype == np.uint16), width, height,
        across, down, 0, down, means,
    )  # fmt: skip
    return means
