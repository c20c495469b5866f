"""Steadying: each recorded frame moved, turned and enlarged in one resampling, in linear light."""

import threading
from math import cos, radians, sin

import numpy as np
import numpy.typing as npt

from chronoxis.core.picture import kernels
from chronoxis.core.picture.kernels import Picture, size_of
from chronoxis.core.picture.picture_format import PictureFormat
from chronoxis.core.picture.row_work import RowWork

_NOTHING = 1e-6

Moves = npt.NDArray[np.float64]
"""Shape (frames, 4): right and down in shares of the width, turned in radians, grown by a logarithm."""

Leads = tuple[tuple[npt.NDArray[np.float64], ...], ...]
"""Three rows of three columns, each of shape (frames,)."""


def whence(moves: Moves, bend: float) -> Leads:
    """From where places come once content has moved, as projective matrices.

    Places are in widths from the middle. Content moves by the matrix ((a, -b, right), (b, a, down),
    (-bend right, -bend down, 1)) with (a, b) turned and grown; this is its adjugate, hence its inverse.
    """
    right, down = moves[:, 0], moves[:, 1]
    size = np.exp(moves[:, 3])
    a, b = size * np.cos(moves[:, 2]), size * np.sin(moves[:, 2])
    p, q = -bend * right, -bend * down
    return (
        (a - down * q, b + right * q, -b * down - a * right),
        (down * p - b, a - right * p, b * right - a * down),
        (b * q - a * p, -a * q - b * p, a * a + b * b),
    )


class SteadyWarp:
    """Brings recorded frames to where they should be, and leaves off what has no picture.

    The moves are of upright pictures; frames are as they were decoded.
    """

    def __init__(
        self, first: int, moves: Moves, crop: float, picture: PictureFormat, bend: float = 0.0
    ) -> None:
        """``moves`` are of the recorded frames from ``first`` on; ``bend`` is as in `whence`."""
        self._first, self._moves, self._crop, self._picture = first, moves, crop, picture
        self._bend = bend
        self._kept = threading.local()

    def acts_on(self, frame: int) -> bool:
        """Whether a frame is moved, or cropped as those around it."""
        inside = 0 <= frame - self._first < len(self._moves)
        return inside and (self._crop > 0 or bool(np.abs(self._moves[frame - self._first]).max() > _NOTHING))

    def corrected(self, frame: int, picture: Picture) -> Picture:
        """A recorded frame, steadied, as R′G′B′ codes of the same size."""
        height, width = size_of(picture)
        leads = self.leads(frame, width, height)
        light, codes = self._light_of(height, width), np.empty((height, width, 3), np.uint16)
        work, colour = RowWork(), self._picture.colour
        kernels.pixels(work, picture, colour, light)
        kernels.warp(work, light, leads, colour.transfer, codes)
        work.wait()
        return codes

    def _light_of(self, height: int, width: int) -> kernels.Pixels:
        """Room for the light of a picture, kept by each thread: making it takes as long as filling it."""
        kept: kernels.Pixels | None = getattr(self._kept, "light", None)
        if kept is None or kept.shape != (height, width, 4):
            kept = self._kept.light = np.empty((height, width, 4), np.float32)
        return kept

    def leads(self, frame: int, width: int, height: int) -> npt.NDArray[np.float64]:
        """From where in a decoded frame each place comes, shape (height, 6), as `kernels.warp` wants it."""
        matrix = self.places(frame, width, height)
        along, across = matrix[:, 0], matrix[:, 1:] @ np.stack([np.arange(height), np.ones(height)])
        return np.stack([across.T, np.broadcast_to(along, (height, 3))], axis=2).reshape(height, 6)

    def places(self, frame: int, width: int, height: int) -> npt.NDArray[np.float64]:
        """From which place of a decoded frame each place comes; a projective matrix, shape (3, 3)."""
        upright = self._picture.rotation % 180 == 0
        across = width if upright else height  # pixels of the upright picture's width
        which = frame - self._first
        leads = np.array(whence(self._moves[which : which + 1], self._bend))[:, :, 0]
        # What is shown is enlarged about the middle, then looked for where the content was before its move.
        shown = np.diag([(1 - self._crop) / across, (1 - self._crop) / across, 1.0])
        turn = np.eye(3)
        turn[:2, :2] = _turn(self._picture)
        whole = turn.T @ np.diag([across, across, 1.0]) @ leads @ shown @ turn
        middle = np.array([[1, 0, (width - 1) / 2], [0, 1, (height - 1) / 2], [0, 0, 1]])
        return np.asarray(middle @ whole @ np.linalg.inv(middle))


def _turn(picture: PictureFormat) -> npt.NDArray[np.float64]:
    """From directions in a decoded picture to those in the upright one."""
    angle = radians(picture.rotation)
    turn = np.array([[cos(angle), sin(angle)], [-sin(angle), cos(angle)]])
    mirror = np.diag([-1.0, 1.0]) if picture.mirrored else np.eye(2)
    return np.asarray(np.rint(turn) @ mirror)
