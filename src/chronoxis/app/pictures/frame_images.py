"""Decoded frames as small images that Qt can draw."""

import numpy as np
import numpy.typing as npt
from av.video.frame import VideoFrame
from av.video.reformatter import Interpolation
from PySide6.QtGui import QImage

from chronoxis.core.picture.framed import turned
from chronoxis.core.picture.picture_format import PictureFormat


def small_image(frame: VideoFrame, picture: PictureFormat, height: int) -> QImage:
    """A decoded frame, upright, in square pixels, scaled to a height in pixels."""
    return image_from(small_codes(frame, picture, height))


def small_codes(frame: VideoFrame, picture: PictureFormat, height: int) -> npt.NDArray[np.uint8]:
    """The same as R′G′B′ codes, uint8, shape (height, width, 3)."""
    width = max(2, round(height * picture.width / picture.height))
    size = picture.lying((width, height))
    scaled = frame.reformat(
        width=size[0],
        height=size[1],
        format="rgb24",
        src_colorspace=picture.colour.scaler_matrix,
        src_color_range=picture.colour.scaler_range,
        interpolation=Interpolation.AREA,
    )
    upright = turned(scaled, picture.rotation, mirrored=picture.mirrored)
    return np.ascontiguousarray(upright.to_ndarray(), np.uint8)


def image_from(rgb: npt.NDArray[np.uint8]) -> QImage:
    """An image with its own copy of R′G′B′ codes, uint8, shape (height, width, 3)."""
    height, width = rgb.shape[:2]
    return QImage(rgb.data, width, height, width * 3, QImage.Format.Format_RGB888).copy()
