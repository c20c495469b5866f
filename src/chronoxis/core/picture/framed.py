"""The result's size, and bringing frames to it: rotation, pixel aspect, scaling, pixel format."""

from fractions import Fraction

import cv2
import numpy as np
from av.filter import Graph
from av.video.frame import VideoFrame
from av.video.reformatter import Interpolation

from chronoxis.core.model.export_format import Size
from chronoxis.core.picture.coding import as_planes, coded_as, is_planar, rescaled
from chronoxis.core.picture.colour import Colour
from chronoxis.core.picture.described import Picture, size_of
from chronoxis.core.picture.kernels import codes_of
from chronoxis.core.picture.picture_format import PictureFormat
from chronoxis.core.picture.resampling import resampled
from chronoxis.core.picture.rgb import Rgb16, rgb16, rgb_samples
from chronoxis.core.picture.tone import is_high_range, ordinary
from chronoxis.core.picture.views import Crop, scaled_box

_ANY = Fraction(1, 1000)  # a frame alone has no time; the filters want one
_TURNS = {90: ("cclock",), 180: ("clock", "clock"), 270: ("clock",)}


def turned(frame: VideoFrame, rotation: int, *, mirrored: bool = False) -> VideoFrame:
    """The frame mirrored, then turned counter-clockwise by a multiple of 90°, every sample kept."""
    steps = [("hflip", "")] if mirrored else []
    steps += [("transpose", direction) for direction in _TURNS.get(rotation % 360, ())]
    return _filtered(frame, steps) if steps else frame


def framed(
    part: Picture, picture: PictureFormat, within: Size, size: Size, pixel_format: str, result: Colour
) -> VideoFrame:
    """What is seen of a made picture in the result's size, format and colour, upright; perhaps between bars.

    Args:
        part: what is seen, before it is turned, at whatever scale.
        picture: what the footage's pictures are like.
        within: the size that it takes up in the result.
        size: of the result.
        pixel_format: of the result.
        result: how the result's code values stand for light.
    """
    if isinstance(part, VideoFrame) and within == size and not _is_toned(picture, result):
        upright = turned(part, picture.rotation, mirrored=picture.mirrored)
        return fitted(upright, picture.colour, size, pixel_format, result)
    codes = _upright(part, picture, result)
    return coded_as(codes if within == size else barred(codes, within, size), size, pixel_format, result)


def framed_codes(part: Picture, picture: PictureFormat, within: Size, size: Size, result: Colour) -> Rgb16:
    """The same as R′G′B′ codes of the result's size, for what is yet to be done to it."""
    codes = _upright(part, picture, result)
    if within != size:
        return barred(codes, within, size)
    if codes.shape[1::-1] == size:
        return codes
    return np.asarray(cv2.resize(codes, size, interpolation=cv2.INTER_AREA), np.uint16)


def cut_out(made: Picture, picture: PictureFormat, seen: Crop) -> Picture:
    """What is seen of a made picture, in one resampling."""
    return resampled(made, picture.colour, scaled_box(seen.box, picture, size_of(made)), seen.size)


def reduced(frame: VideoFrame, picture: PictureFormat, size: Size) -> VideoFrame:
    """A recorded frame, before it is turned, at the size that it has upright in a small result."""
    width, height = picture.lying(size)
    colour = picture.colour
    if (frame.width, frame.height, frame.format.name) == (width, height, "yuv420p"):
        return colour.tag(frame)
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


def _is_toned(picture: PictureFormat, result: Colour) -> bool:
    return is_high_range(picture.colour) and not is_high_range(result)


def _upright(made: Picture, picture: PictureFormat, result: Colour) -> Rgb16:
    """R′G′B′ codes of a made picture, turned, of no higher dynamic range than the result's."""
    codes = codes_of(made, picture.colour)
    codes = np.rot90(codes[:, ::-1] if picture.mirrored else codes, picture.rotation // 90)
    codes = np.ascontiguousarray(codes)  # what comes after works along rows
    return ordinary(codes, picture.colour) if _is_toned(picture, result) else codes


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
    if (
        frame.format.name == "rgb24"
        and (frame.width, frame.height) == size
        and is_planar(pixel_format, result)
    ):
        return as_planes(rgb_samples(frame), pixel_format, result)
    if pixel_format == "rgb48le":  # the library's own conversion to it is not exact
        return coded_as(rgb16(frame, colour), size, pixel_format, result)
    return rescaled(frame, size, pixel_format, result, colour.scaler_range, colour.scaler_matrix)


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
