"""What a look on result frames is, and how much of it there is on which frame."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Protocol

import numpy as np
import numpy.typing as npt

from chronoxis.core.picture.rgb import Rgb16

_NOTHING = 1 / 1024  # of an amount: nobody sees it


@dataclass(frozen=True, eq=False)
class Amounts:
    """How much of a look there is on result frames; nothing outside of a stretch.

    Attributes:
        first: number of the first result frame of the stretch.
        values: float64, shape (frames,), 1 is full.
    """

    first: int
    values: npt.NDArray[np.float64]

    @property
    def are_nothing(self) -> bool:
        """Whether it never shows."""
        return not (np.abs(self.values) > _NOTHING).any()

    def shows_on(self, result_frame: int) -> bool:
        """Whether there is enough of it to be seen."""
        place = result_frame - self.first
        return 0 <= place < len(self.values) and abs(self.values[place]) > _NOTHING

    def __getitem__(self, result_frame: int) -> float:
        return float(self.values[result_frame - self.first])


class DrawnAccent(Protocol):
    """A look, with an amount for every result frame. Its measures are shares of the picture's sides."""

    @property
    def amounts(self) -> Amounts:
        """How much of it there is; other frames pass untouched and at no cost."""

    def applied(self, result_frame: int, codes: Rgb16) -> Rgb16:
        """A result frame with the look on it; the same shape."""


def accents_on(accents: Sequence[DrawnAccent], result_frame: int) -> list[DrawnAccent]:
    """Those that show on a result frame, in their order."""
    return [accent for accent in accents if accent.amounts.shows_on(result_frame)]
