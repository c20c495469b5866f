"""R′G′B′ codes as frames for an encoder."""

import av
import numpy as np
import numpy.typing as npt
from av.video.frame import VideoFrame
from av.video.reformatter import ColorRange, Colorspace

from chronoxis.core.model.export_format import Size
from chronoxis.core.picture import kernels
from chronoxis.core.picture.colour import Colour
from chronoxis.core.picture.rgb import SCALING, Rgb16, planar_depth
from chronoxis.core.picture.row_work import RowWork

_PLANAR = ("yuv420p", "yuv422p", "yuv444p")


def coded_as(codes: Rgb16, size: Size, pixel_format: str, result: Colour) -> VideoFrame:
    """R′G′B′ codes, uint16, shape (height, width, 3), as an encoder's frame; dithered where bits are lost."""
    height, width = codes.shape[:2]
    if 0 <= width - size[0] <= 1 and 0 <= height - size[1] <= 1:
        codes = codes[: size[1], : size[0]]
    codes = np.ascontiguousarray(codes)
    if is_planar(pixel_format, result) and codes.shape[1::-1] == size:
        return as_planes(codes, pixel_format, result)
    frame = av.VideoFrame.from_numpy_buffer(codes, "rgb48le")
    frame.color_range = ColorRange.JPEG
    if pixel_format == "rgb48le" and (frame.width, frame.height) == size:
        return result.tag(frame)
    return rescaled(frame, size, pixel_format, result, ColorRange.JPEG)


def rescaled(
    frame: VideoFrame,
    size: Size,
    pixel_format: str,
    result: Colour,
    given_range: ColorRange,
    given_matrix: Colorspace | None = None,
) -> VideoFrame:
    """A frame in another size, format and colour, by the library; ``given_`` is how it was, to the scaler."""
    scaled = frame.reformat(
        width=size[0],
        height=size[1],
        format=pixel_format,
        src_colorspace=given_matrix,
        dst_colorspace=result.scaler_matrix,
        src_color_range=given_range,
        dst_color_range=result.scaler_range,
        interpolation=SCALING,
    )
    return result.tag(scaled)


def is_planar(pixel_format: str, result: Colour) -> bool:
    """Whether frames of a format have planes of Y′CbCr."""
    return pixel_format.startswith(_PLANAR) and result.is_luma_and_chroma


def as_planes(codes: Rgb16 | npt.NDArray[np.uint8], pixel_format: str, result: Colour) -> VideoFrame:
    """R′G′B′ codes of either depth as planes of their size, dithered.

    On all cores, with the matrix of H.273; the library takes one core and several times as long.
    """
    height, width = codes.shape[:2]
    frame, work = VideoFrame(width, height, pixel_format), RowWork()
    kernels.planes(work, codes, result.luma_matrix(planar_depth(pixel_format)), frame)
    work.wait()
    return result.tag(frame)
