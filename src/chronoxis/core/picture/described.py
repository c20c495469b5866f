"""Pictures and transfer functions as the loops in C read them.

Pictures come as decoded frames, in most of their own pixel formats, or as R′G′B′ codes, uint16, shape
(height, width, 3). *Planes* are float32, shape (3, height, width); *pixels* are float32, shape
(height, width, 4), of which the last is not looked at. Light is linear, 0 to 1.
"""

from collections.abc import Sequence
from functools import cache

import numpy as np
import numpy.typing as npt
from av.video.frame import VideoFrame
from numpy.polynomial import Polynomial

from chronoxis.core.picture.colour import BT709, SRGB, Colour, from_linear, to_linear
from chronoxis.core.picture.kernel_library import Curve, Frame, address, expect_shape
from chronoxis.core.picture.rgb import Rgb16, chroma_halvings, planar_depth, planar_format, rgb16

Planes = npt.NDArray[np.float32]
Pixels = npt.NDArray[np.float32]
Picture = VideoFrame | Rgb16
"""A recorded frame in its own pixel format, or R′G′B′ codes."""

_YUV8, _YUV16, RGB24, _RGB48 = range(4)  # kinds of frames
# Toes of curves that a polynomial follows to a hundredth of an 8-bit code; all others take tables.
_TOES = {BT709: (0.081, 4.5), SRGB: (0.04045, 12.92)}
_OTHERS = (4, 5, 8, 16, 18)  # what is none of these either is read as BT.709


def size_of(picture: Picture) -> tuple[int, int]:
    """Height and width."""
    if isinstance(picture, VideoFrame):
        return picture.height, picture.width
    return picture.shape[0], picture.shape[1]


class GivenFrames:
    """Frames as C reads them, with what they lie in."""

    def __init__(self, count: int) -> None:
        self.given = (Frame * count)()
        self.kept: list[object] = []


def frames_of(
    pictures: Sequence[Picture],
    colour: Colour,
    size: tuple[int, int],
    weights: Sequence[float] | None = None,
) -> GivenFrames:
    """Pictures of a height and width as C reads them. Raises ValueError if one has another size."""
    frames = GivenFrames(len(pictures))
    for number, (frame, picture) in enumerate(zip(frames.given, pictures, strict=True)):
        if size_of(picture) != size:
            raise ValueError(f"a picture of {size_of(picture)} among those of {size}")
        if not isinstance(picture, VideoFrame) or not describe(frame, picture, colour, frames):
            codes = np.ascontiguousarray(
                rgb16(picture, colour) if isinstance(picture, VideoFrame) else picture
            )
            expect_shape(codes, *size, 3)
            lies = address(codes, np.uint16)
            frame.kind, frame.planes[0], frame.strides[0] = _RGB48, lies, codes.strides[0]
            frames.kept.append(codes)
        frame.weight = 1.0 if weights is None else weights[number]
    return frames


def describe(frame: Frame, picture: VideoFrame, colour: Colour, frames: GivenFrames) -> bool:
    """Describe a frame whose planes can be read as they are; whether that is so."""
    if picture.format.name == "rgb24":
        frame.kind, frame.planes[0], frame.strides[0] = (
            RGB24,
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
