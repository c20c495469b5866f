"""Clear: the median of recorded frames, which whoever passes does not sway."""

import numpy as np

from chronoxis.core.picture.colour import Colour
from chronoxis.core.picture.described import Picture, size_of
from chronoxis.core.picture.kernels import MOST_FRAMES, median
from chronoxis.core.picture.rgb import Rgb16
from chronoxis.core.picture.row_work import RowWork


class Clear:
    """Holds frames and gives their median, channel by channel, between the middle two of an even number."""

    def __init__(self, colour: Colour) -> None:
        self._colour = colour
        self._pictures: list[Picture] = []
        self._work = RowWork()

    def add(self, picture: Picture, _weight: float = 1.0, _passed: object = None) -> None:
        """Take in a frame. Raises ValueError if it has another size, or they are too many."""
        if self._pictures and size_of(picture) != size_of(self._pictures[0]):
            raise ValueError("the frames of a picture have one size")
        if len(self._pictures) == MOST_FRAMES:
            raise ValueError(f"a median is of {MOST_FRAMES} frames at most")
        self._pictures.append(picture)

    def made(self) -> Rgb16:
        """The median as R′G′B′ codes. Raises ValueError if nothing was added."""
        pictures, self._pictures = self._pictures, []
        if not pictures:
            raise ValueError("a picture needs at least one frame")
        encoded = np.empty((*size_of(pictures[0]), 3), np.uint16)
        median(self._work, pictures, self._colour, encoded)
        self._work.wait()
        return encoded
