"""What is done to recorded frames before result frames are made of them: evened-out light, steadying."""

from typing import Protocol

from chronoxis.core.picture.described import Picture
from chronoxis.core.timing.shot_columns import Frames


class Correction(Protocol):
    """Changes recorded frames of one footage, each by numbers of its own."""

    def acts_on(self, frame: int) -> bool:
        """Whether it changes a recorded frame, by its number; others pass untouched and at no cost."""

    def corrected(self, frame: int, picture: Picture) -> Picture:
        """A recorded frame, corrected; of the same size, in whatever pixel format."""

    def parameters(self, frames: Frames) -> bytes:
        """All that it does to recorded frames: where that is equal, so is what becomes of them."""


def corrected(corrections: tuple[Correction, ...], frame: int, picture: Picture) -> Picture:
    """A recorded frame after all that act on it, in their order."""
    for correction in corrections:
        if correction.acts_on(frame):
            picture = correction.corrected(frame, picture)
    return picture
