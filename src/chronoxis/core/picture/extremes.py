"""Brightest and darkest: of each channel of each pixel, the most or the least light of recorded frames."""

import numpy as np

from chronoxis.core.picture.colour import Colour
from chronoxis.core.picture.kernels import Picture, encode, keep_extreme, size_of
from chronoxis.core.picture.rgb import Rgb16
from chronoxis.core.picture.row_work import RowWork
from chronoxis.core.picture.waiting import Waiting


class Extremes:
    """Keeps the brightest or the darkest codes; these rise with light, so no light needs to be reckoned."""

    def __init__(self, colour: Colour, *, brightest: bool) -> None:
        self._colour, self._brightest = colour, brightest
        self._kept = np.zeros((3, 0, 0), np.float32)
        self._begun = False
        self._waiting = Waiting(self._keep)
        self._work = RowWork()

    def add(self, picture: Picture, _weight: float = 1.0) -> None:
        """Take in a frame, which must not change before `made`. Raises ValueError if it has another size."""
        height, width = size_of(picture)
        if not self._begun:
            self._kept = np.full((3, height, width), 0.0 if self._brightest else 1.0, np.float32)
            self._begun = True
        elif self._kept.shape[1:] != (height, width):
            raise ValueError("the frames of a picture have one size")
        self._waiting.take(picture)

    def made(self) -> Rgb16:
        """The picture as R′G′B′ codes. Raises ValueError if nothing was added."""
        if not self._begun:
            raise ValueError("a picture needs at least one frame")
        self._waiting.give()
        encoded = np.empty((*self._kept.shape[1:], 3), np.uint16)
        encode(self._work, self._kept, 1.0, None, encoded)
        self._work.wait()
        self._begun = False
        return encoded

    def _keep(self, pictures: list[Picture], _weights: list[float]) -> None:
        keep_extreme(self._work, pictures, self._colour, self._kept, brightest=self._brightest)
        self._work.wait(1)
