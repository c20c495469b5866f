"""Recorded frames at a glance: small pictures, from which traces are measured."""

from typing import NamedTuple

import numpy as np
import numpy.typing as npt
from av.video.frame import VideoFrame

from chronoxis.core.picture.colour import Colour
from chronoxis.core.picture.kernels import glance

ROWS, COLUMNS = 36, 64
# Lines of the picture that are looked at for each row: all would take as long as decoding.
_LINES_PER_ROW = 3

Small = npt.NDArray[np.float32]
"""Shape (`ROWS`, `COLUMNS`, 3), red, green and blue, 0 to 1; or with the number of glances before that."""


class Glance(NamedTuple):
    """A frame, whatever its shape, as means over blocks.

    Attributes:
        codes: encoded.
        light: linear.
    """

    codes: Small
    light: Small


def glance_at(frame: VideoFrame, colour: Colour) -> Glance:
    """A frame at a glance."""
    return Glance(*glance(frame, colour, (ROWS, COLUMNS), _LINES_PER_ROW))
