"""Steadying: each recorded frame moved, turned and enlarged in one resampling, in linear light."""

import threading
from math import cos, exp, radians, sin

import numpy as np
import numpy.typing as npt

from chronoxis.core.picture import kernels
from chronoxis.core.picture.kernels import Picture, size_of
from chronoxis.core.picture.picture_format import PictureFormat
from chronoxis.core.picture.row_work import RowWork

_NOTHING = 1e-6


class SteadyWarp:
    """Brings recorded frames to where they should be, and leaves off what has no picture.

    The moves are of upright pictures; frames are as they were decoded.
    """

    def __init__(
        self, first: int, moves: npt.NDArray[np.float64], crop: float, picture: PictureFormat
    ) -> None:
        """``moves`` are of the recorded frames from ``first`` on, shape (frames, 4)."""
        self._first, self._moves, self._crop, self._picture = first, moves, crop, picture
        self._kept = threading.local()

    def acts_on(self, frame: int) -> bool:
        """Whether a frame is moved, or cropped as those around it."""
        inside = 0 <= frame - self._first < len(self._moves)
        return inside and (self._crop > 0 or bool(np.abs(self._moves[frame - self._first]).max() > _NOTHING))

    def corrected(self, frame: int, picture: Picture) -> Picture:
        """A recorded frame, steadied, as R′G′B′ codes of the same size."""
        height, width = size_of(picture)
        inverse = self.places(frame, width, height)
        light, codes = self._light_of(height, width), np.empty((height, width, 3), np.uint16)
        work, colour = RowWork(), self._picture.colour
        kernels.pixels(work, picture, colour, light)
        kernels.warp(work, light, inverse, colour.transfer, codes)
        work.wait()
        return codes

    def _light_of(self, height: int, width: int) -> kernels.Pixels:
        """Room for the light of a picture, kept by each thread: making it takes as long as filling it."""
        kept: kernels.Pixels | None = getattr(self._kept, "light", None)
        if kept is None or kept.shape != (height, width, 4):
            kept = self._kept.light = np.empty((height, width, 4), np.float32)
        return kept

    def places(self, frame: int, width: int, height: int) -> npt.NDArray[np.float64]:
        """From which place of a decoded frame each place comes; an affine matrix, shape (2, 3)."""
        right, down, turned, grown = self._moves[frame - self._first].tolist()
        upright = self._picture.rotation % 180 == 0
        across = width if upright else height  # pixels of the upright picture's width
        # What is shown is enlarged about the middle, then looked for where the content was before its move.
        zoom = 1 - self._crop
        size = exp(-grown)
        matrix = size * np.array([[cos(turned), sin(turned)], [-sin(turned), cos(turned)]])
        shift = -matrix @ np.array([right, down]) * across
        matrix = matrix * zoom
        turn = _turn(self._picture)
        matrix, shift = turn.T @ matrix @ turn, turn.T @ shift
        middle = np.array([(width - 1) / 2, (height - 1) / 2])
        return np.column_stack([matrix, middle + shift - matrix @ middle])


def _turn(picture: PictureFormat) -> npt.NDArray[np.float64]:
    """From directions in a decoded picture to those in the upright one."""
    angle = radians(picture.rotation)
    turn = np.array([[cos(angle), sin(angle)], [-sin(angle), cos(angle)]])
    mirror = np.diag([-1.0, 1.0]) if picture.mirrored else np.eye(2)
    return np.asarray(np.rint(turn) @ mirror)
