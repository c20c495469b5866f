"""Decoded frames as small images that Qt can draw."""

import numpy as np
import numpy.typing as npt
from av.video.frame import VideoFrame
from av.video.reformatter import Interpolation
from PySide6.QtGui import QImage

from chronoxis.core.footage.facts import Facts
from chronoxis.core.picture.framing import turned


def small_image(frame: VideoFrame, facts: Facts, height: int) -> QImage:
    """A decoded frame, upright, in square pixels, scaled to a height in pixels."""
    width = max(2, round(height * facts.width / facts.height))
    size = (width, height) if facts.rotation % 180 == 0 else (height, width)
    scaled = frame.reformat(
        width=size[0],
        height=size[1],
        format="rgb24",
        src_colorspace=facts.colour.scaler_matrix,
        src_color_range=facts.colour.scaler_range,
        interpolation=Interpolation.AREA,
    )
    return image_from(np.ascontiguousarray(turned(scaled, facts.rotation).to_ndarray(), np.uint8))


def image_from(rgb: npt.NDArray[np.uint8]) -> QImage:
    """An image with its own copy of R′G′B′ codes, uint8, shape (height, width, 3)."""
    height, width = rgb.shape[:2]
    return QImage(rgb.data, width, height, width * 3, QImage.Format.Format_RGB888).copy()
