"""Evening out: each recorded frame's light times a gain of its own."""

import numpy as np
import numpy.typing as npt

from chronoxis.core.picture import kernels
from chronoxis.core.picture.colour import Colour
from chronoxis.core.picture.described import Picture, size_of
from chronoxis.core.picture.row_work import RowWork
from chronoxis.core.timing.shot_columns import Frames

_NOTHING = 1 / 2048  # of light: less than a step of eight-bit codes anywhere


class EvenLight:
    """Brings recorded frames to an even light, in linear light.

    Attributes:
        gains: of every recorded frame, shape (frames, 3) for red, green and blue.
    """

    def __init__(self, gains: npt.NDArray[np.float32], colour: Colour) -> None:
        self.gains, self._colour = gains, colour
        self._acts = np.abs(gains - 1).max(axis=1) > _NOTHING

    def acts_on(self, frame: int) -> bool:
        """Whether a frame's gain makes a difference."""
        return bool(self._acts[frame])

    def corrected(self, frame: int, picture: Picture) -> Picture:
        """A recorded frame with its light multiplied, as R′G′B′ codes; what goes above white is white."""
        codes = np.empty((*size_of(picture), 3), np.uint16)
        work = RowWork()
        kernels.gain(work, picture, self._colour, self.gains[frame].tolist(), codes)
        work.wait()
        return codes

    def parameters(self, frames: Frames) -> bytes:
        """The gains of these frames, as bytes."""
        return self.gains[frames].tobytes()
