"""The result's size, and bringing frames to it: rotation, pixel aspect, scaling, pixel format."""

from fractions import Fraction

import cv2
import numpy as np
from av.filter import Graph
from av.video.frame import VideoFrame
from av.video.reformatter import Interpolation

from chronoxis.core.model.export_formats import Size
from chronoxis.core.picture.colour import Colour
from chronoxis.core.picture.making import Made
from chronoxis.core.picture.picture_format import PictureFormat
from chronoxis.core.picture.rgb import SCALING, Rgb16, coded_as, rgb16
from chronoxis.core.picture.tone import is_high_range, ordinary

_ANY = Fraction(1, 1000)  # a frame alone has no time; the filters want one
_SAME_ASPECT = 2  # pixels by which rounding and odd sides may miss the result's size
_TURNS = {90: ("cclock",), 180: ("clock", "clock"), 270: ("clock",)}


def turned(frame: VideoFrame, rotation: int, *, mirrored: bool = False) -> VideoFrame:
    """The frame mirrored, then turned counter-clockwise by a multiple of 90°, every sample kept."""
    steps = [("hflip", "")] if mirrored else []
    steps += [("transpose", direction) for direction in _TURNS.get(rotation % 360, ())]
    return _filtered(frame, steps) if steps else frame


def framed(
    made: Made, picture: PictureFormat, size: Size, pixel_format: str, result: Colour, *, stretch: bool
) -> VideoFrame:
    """A made picture in the result's size, format and colour, upright; between bars where aspects differ.

    Args:
        made: as it comes from the making.
        picture: what the footage's pictures are like.
        size: of the result.
        pixel_format: of the result.
        result: how the result's code values stand for light.
        stretch: fill the size whatever the aspect.
    """
    inside = _inside(picture, size, stretch=stretch)
    toned = is_high_range(picture.colour) and not is_high_range(result)
    if isinstance(made, VideoFrame) and inside == size and not toned:
        return fitted(
            turned(made, picture.rotation, mirrored=picture.mirrored),
            picture.colour,
            size,
            pixel_format,
            result,
        )
    codes = _upright(made, picture)
    if toned:
        codes = ordinary(codes, picture.colour)
    codes = codes if inside == size else barred(codes, inside, size)
    return coded_as(codes, size, pixel_format, result)


def framed_codes(made: Made, picture: PictureFormat, size: Size, *, stretch: bool) -> Rgb16:
    """A made picture as R′G′B′ codes of the result's size, upright, for what is yet to be done to it."""
    inside, codes = _inside(picture, size, stretch=stretch), _upright(made, picture)
    if inside != size:
        return barred(codes, inside, size)
    shape = (codes.shape[1], codes.shape[0])
    return (
        codes
        if shape == size
        else np.asarray(cv2.resize(codes, size, interpolation=cv2.INTER_AREA), np.uint16)
    )


def reduced(frame: VideoFrame, picture: PictureFormat, size: Size, *, stretch: bool) -> VideoFrame:
    """A recorded frame at the scale at which a small result shows it, before it is turned."""
    width, height = picture.lying(_inside(picture, size, stretch=stretch))
    colour = picture.colour
    scaled = frame.reformat(
        width=width,
        height=height,
        format="yuv420p",
        src_colorspace=colour.scaler_matrix,
        dst_colorspace=colour.scaler_matrix,
        src_color_range=colour.scaler_range,
        dst_color_range=colour.scaler_range,
        interpolation=Interpolation.AREA,
    )
    return colour.tag(scaled)


def _inside(picture: PictureFormat, size: Size, *, stretch: bool) -> Size:
    """The size that footage takes up in the result: all of it, or as much as its aspect allows."""
    width, height = size
    scale = min(width / picture.width, height / picture.height)
    inside = round(picture.width * scale), round(picture.height * scale)
    near = width - inside[0] <= _SAME_ASPECT and height - inside[1] <= _SAME_ASPECT
    return size if stretch or near else (max(2, inside[0] // 2 * 2), max(2, inside[1] // 2 * 2))


def _upright(made: Made, picture: PictureFormat) -> Rgb16:
    codes = rgb16(made, picture.colour) if isinstance(made, VideoFrame) else made
    return np.rot90(codes[:, ::-1] if picture.mirrored else codes, picture.rotation // 90)


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
        interpolation=SCALING,
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
