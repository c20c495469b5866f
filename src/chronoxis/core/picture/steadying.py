"""Steadying: what is seen of each recorded frame, moved, turned and scaled in one resampling of light."""

import threading
from math import cos, radians, sin

import cv2
import numpy as np
import numpy.typing as npt

from chronoxis.core.model.export_format import Size
from chronoxis.core.picture import kernels
from chronoxis.core.picture.described import Picture, Pixels, size_of
from chronoxis.core.picture.picture_format import PictureFormat
from chronoxis.core.picture.row_work import RowWork
from chronoxis.core.picture.views import Crop, scaled_box
from chronoxis.core.timing.shot_columns import Frames

_NOTHING = 1e-6

Moves = npt.NDArray[np.float64]
"""Shape (frames, 4): right and down in shares of the width, turned in radians, grown by a logarithm."""

Leads = tuple[tuple[npt.NDArray[np.float64], ...], ...]
"""Three rows of three columns, each of shape (frames,)."""


def inverse_homography(moves: Moves, bend: float) -> Leads:
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
        """``moves`` are of the recorded frames from ``first`` on; ``bend`` is as in `inverse_homography`."""
        self._first, self._moves, self._crop, self._picture = first, moves, crop, picture
        self._bend = bend
        self._kept = threading.local()

    def steadied(self, frame: int, picture: Picture, seen: Crop | None = None) -> Picture:
        """A recorded frame, steadied, as R′G′B′ codes: what is seen of it, or all of it at its own size.

        One that is seen whole at its own size and is not moved is given back as it came.
        """
        height, width = size_of(picture)
        all_of_it = Crop((0.0, 0.0, float(self._lying[0]), float(self._lying[1])), (width, height))
        if not self._acts_on(frame) and seen in (None, all_of_it):
            return picture
        light, work, colour = self._light_of(height, width), RowWork(), self._picture.colour
        kernels.pixels(work, picture, colour, light)
        work.wait()
        seen = seen or all_of_it
        part = scaled_box(seen.box, self._picture, (height, width))
        smaller = [
            max(1.0, side * (1 - self._crop) / at) for side, at in zip(part[2:], seen.size, strict=True)
        ]
        if (times := int(min(smaller)) // 2) > 1:
            sides = width // times, height // times
            light = np.asarray(cv2.resize(light, sides, interpolation=cv2.INTER_AREA), np.float32)
            smaller = [many / times for many in smaller]
        codes = np.empty((seen.size[1], seen.size[0], 3), np.uint16)
        inverse = self.inverse_rows(frame, light.shape[1], light.shape[0], seen)
        kernels.warp(work, light, inverse, (smaller[0], smaller[1]), colour.transfer, codes)
        work.wait()
        return codes

    def parameters(self, frames: Frames) -> bytes:
        """All that it does to recorded frames: where that is equal, so is what becomes of them."""
        places = frames - self._first
        inside = (places >= 0) & (places < len(self._moves))
        moves = self._moves[places[inside]]
        return b"".join((repr((self._crop, self._bend)).encode(), inside.tobytes(), moves.tobytes()))

    def inverse_rows(self, frame: int, width: int, height: int, seen: Crop) -> npt.NDArray[np.float64]:
        """The inverse homography from what is seen to a decoded frame, as `kernels.warp` wants it.

        Shape (height of what is seen, 6).
        """
        matrix, rows = self.places(frame, width, height, seen), seen.size[1]
        along, across = matrix[:, 0], matrix[:, 1:] @ np.stack([np.arange(rows), np.ones(rows)])
        return np.stack([across.T, np.broadcast_to(along, (rows, 3))], axis=2).reshape(rows, 6)

    def places(self, frame: int, width: int, height: int, seen: Crop) -> npt.NDArray[np.float64]:
        """The inverse homography from what is seen to a decoded frame of a size, shape (3, 3)."""
        inside = 0 <= frame - self._first < len(self._moves)
        move = self._moves[frame - self._first] if inside else np.zeros(4)
        inverse, across = np.array(inverse_homography(move[None], self._bend))[:, :, 0], self._picture.width
        # What is shown is enlarged about the middle, then looked for where the content was before its move.
        shown = np.diag([(1 - self._crop) / across, (1 - self._crop) / across, 1.0])
        turn = np.eye(3)
        turn[:2, :2] = _turn(self._picture)
        whole = turn.T @ np.diag([across, across, 1.0]) @ inverse @ shown @ turn
        return np.asarray(self._decoded(width, height) @ whole @ self._from_middle(seen))

    def _from_middle(self, seen: Crop) -> npt.NDArray[np.float64]:
        """From a place that is seen to one in square pixels from the middle of the decoded picture."""
        (left, top, wide, high), (columns, rows) = seen
        across, down = wide / columns, high / rows
        middle = self._lying[0] / 2, self._lying[1] / 2
        return np.array(
            [[across, 0, left + across / 2 - middle[0]], [0, down, top + down / 2 - middle[1]], [0, 0, 1]]
        )

    def _decoded(self, width: int, height: int) -> npt.NDArray[np.float64]:
        """From there to a place in a decoded frame of a size."""
        across, down = width / self._lying[0], height / self._lying[1]
        return np.array([[across, 0, (width - 1) / 2], [0, down, (height - 1) / 2], [0, 0, 1]])

    @property
    def _lying(self) -> Size:
        return self._picture.lying(self._picture.size)

    def _acts_on(self, frame: int) -> bool:
        """Whether a frame is moved, or cropped as those around it."""
        inside = 0 <= frame - self._first < len(self._moves)
        return inside and (self._crop > 0 or bool(np.abs(self._moves[frame - self._first]).max() > _NOTHING))

    def _light_of(self, height: int, width: int) -> Pixels:
        """Room for the light of a picture, kept by each thread: making it takes as long as filling it."""
        kept: Pixels | None = getattr(self._kept, "light", None)
        if kept is None or kept.shape != (height, width, 4):
            kept = self._kept.light = np.empty((height, width, 4), np.float32)
        return kept


def _turn(picture: PictureFormat) -> npt.NDArray[np.float64]:
    """From directions in a decoded picture to those in the upright one."""
    angle = radians(picture.rotation)
    turn = np.array([[cos(angle), sin(angle)], [-sin(angle), cos(angle)]])
    mirror = np.diag([-1.0, 1.0]) if picture.mirrored else np.eye(2)
    return np.asarray(np.rint(turn) @ mirror)
