"""The result's size, and bringing frames to it: rotation, pixel aspect, scaling, pixel format."""

from fractions import Fraction

import av
import cv2
import numpy as np
from av.filter import Graph
from av.video.frame import VideoFrame
from av.video.reformatter import ColorRange, Interpolation

from chronoxis.core.model.settings import Size
from chronoxis.core.picture.colour import Colour
from chronoxis.core.picture.gather import Rgb16

_ANY = Fraction(1, 1000)  # a frame alone has no time; the filters want one
_TURNS = {90: ("cclock",), 180: ("clock", "clock"), 270: ("clock",)}
_SCALING = Interpolation.BICUBIC | Interpolation.ACCURATE_RND | Interpolation.FULL_CHR_H_INT


def turned(frame: VideoFrame, rotation: int) -> VideoFrame:
    """The frame turned counter-clockwise by a multiple of 90°, every sample kept."""
    turns = _TURNS.get(rotation % 360, ())
    return _filtered(frame, [("transpose", direction) for direction in turns]) if turns else frame


def fitted(frame: VideoFrame, colour: Colour, size: Size, pixel_format: str, result: Colour) -> VideoFrame:
    """A recorded frame in the result's size, format and colour.

    Where only an odd row or column is too many, it is left off rather than the picture rescaled.
    """
    width, height = size
    if (
        0 <= frame.width - width <= 1
        and 0 <= frame.height - height <= 1
        and size != (frame.width, frame.height)
    ):
        frame = _filtered(frame, [("crop", f"{width}:{height}:0:0")])
    unchanged = (frame.width, frame.height) == size and frame.format.name == pixel_format
    if unchanged and result == colour:
        return colour.tag(frame)
    scaled = frame.reformat(
        width=width,
        height=height,
        format=pixel_format,
        src_colorspace=colour.scaler_matrix,
        dst_colorspace=result.scaler_matrix,
        src_color_range=colour.scaler_range,
        dst_color_range=result.scaler_range,
        interpolation=_SCALING,
    )
    return result.tag(scaled)


def encoded_rgb(codes: Rgb16, size: Size, pixel_format: str, result: Colour) -> VideoFrame:
    """R′G′B′ codes, uint16, shape (height, width, 3), as an encoder's frame; dithered where bits are lost."""
    height, width = codes.shape[:2]
    if 0 <= width - size[0] <= 1 and 0 <= height - size[1] <= 1:
        codes = codes[: size[1], : size[0]]
    frame = av.VideoFrame.from_ndarray(np.ascontiguousarray(codes), "rgb48le")
    frame.color_range = ColorRange.JPEG
    scaled = frame.reformat(
        width=size[0],
        height=size[1],
        format=pixel_format,
        dst_colorspace=result.scaler_matrix,
        src_color_range=ColorRange.JPEG,
        dst_color_range=result.scaler_range,
        interpolation=_SCALING,
    )
    return result.tag(scaled)


def barred(codes: Rgb16, inside: Size, size: Size) -> Rgb16:
    """R′G′B′ codes scaled to ``inside`` and set in the middle of ``size``, black around them."""
    scaled = cv2.resize(codes, inside, interpolation=cv2.INTER_AREA)
    framed = np.zeros((size[1], size[0], 3), np.uint16)
    left, top = (size[0] - inside[0]) // 2, (size[1] - inside[1]) // 2
    framed[top : top + inside[1], left : left + inside[0]] = scaled
    return framed


def _filtered(frame: VideoFrame, steps: list[tuple[str, str]]) -> VideoFrame:
    graph = Graph()
    last = graph.add_buffer(
        width=frame.width, height=frame.height, format=frame.format, time_base=frame.time_base or _ANY
    )
    for name, arguments in [*steps, ("buffersink", "")]:
        step = graph.add(name, arguments or None)
        last.link_to(step)
        last = step
    graph.configure()
    graph.push(frame)
    outcome = graph.pull()
    assert isinstance(outcome, VideoFrame)
    return outcome
