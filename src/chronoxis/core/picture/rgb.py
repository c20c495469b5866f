"""Pictures as R′G′B′ codes, which all formats can be turned into."""

import av
import numpy as np
import numpy.typing as npt
from av.video.frame import VideoFrame
from av.video.reformatter import ColorRange, Interpolation

from chronoxis.core.model.export_formats import Size
from chronoxis.core.picture.colour import Colour

SCALING = Interpolation.BICUBIC | Interpolation.ACCURATE_RND | Interpolation.FULL_CHR_H_INT
"""How frames are brought to another size or format."""

Rgb16 = npt.NDArray[np.uint16]
"""Shape (height, width, 3), full range."""


def rgb16(frame: VideoFrame, colour: Colour) -> Rgb16:
    """A decoded frame as R′G′B′ codes, uint16, shape (height, width, 3)."""
    converted = frame.reformat(
        format="rgb48le",
        src_colorspace=colour.scaler_matrix,
        src_color_range=colour.scaler_range,
        dst_color_range=ColorRange.JPEG,
        interpolation=Interpolation.BILINEAR | Interpolation.ACCURATE_RND,
    )
    return converted.to_ndarray().astype(np.uint16, copy=False)


def coded_as(codes: Rgb16, size: Size, pixel_format: str, result: Colour) -> VideoFrame:
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
        interpolation=SCALING,
    )
    return result.tag(scaled)
