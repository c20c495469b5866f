"""Long exposure: the weighted mean of recorded frames in linear light."""

import numpy as np

from chronoxis.core.picture.colour import Colour
from chronoxis.core.picture.kernels import Picture, Pixels, add_light, encode, size_of
from chronoxis.core.picture.rgb import Rgb16
from chronoxis.core.picture.row_work import RowWork
from chronoxis.core.picture.waiting import Waiting


class LightMean:
    """Collects frames of one size and colour and gives their mean."""

    def __init__(self, colour: Colour) -> None:
        self._colour = colour
        self._sums = np.zeros((3, 0, 0), np.float32)
        self._weight = 0.0
        self._waiting = Waiting(self._add)
        self._work = RowWork()

    def add(self, picture: Picture, weight: float = 1.0) -> None:
        """Add a frame; weights count relative to one another.

        The work goes on after this returns; the frame must not change before `made`.

        Raises:
            ValueError: the frame has another size than those before it.
        """
        height, width = size_of(picture)
        if self._sums.shape[1:] != (height, width):
            if self._weight:
                raise ValueError("the frames of a mean have one size")
            self._sums = np.zeros((3, height, width), np.float32)
        self._waiting.take(picture, weight)
        self._weight += weight

    def made(self, more: Pixels | None = None) -> Rgb16:
        """The mean as R′G′B′ codes, uint16, shape (height, width, 3). Empties the collection for another.

        ``more`` is light that is added to it.

        Raises:
            ValueError: nothing was added.
        """
        if self._weight <= 0:
            raise ValueError("a mean needs at least one frame")
        self._waiting.give()
        encoded = np.empty((*self._sums.shape[1:], 3), np.uint16)
        encode(self._work, self._sums, 1 / self._weight, self._colour.transfer, encoded, more)
        self._work.wait()
        self._sums[:] = 0
        self._weight = 0.0
        return encoded

    def _add(self, pictures: list[Picture], weights: list[float]) -> None:
        add_light(self._work, pictures, weights, self._colour, self._sums)
        self._work.wait(1)
