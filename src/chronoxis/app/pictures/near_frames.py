"""The key frame nearest to a place: it comes long before the very frame where many hang on one another."""

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from PySide6.QtGui import QImage

from chronoxis.app.pictures.frame_images import small_image
from chronoxis.app.pictures.opened_footage import OpenedFootage
from chronoxis.core.errors import FootageError
from chronoxis.core.footage.source import Source

WORTH_FRAMES = 12
"""Frames that have to be decoded before one, from which on its key frame comes in less than half the time."""


@dataclass(frozen=True, eq=False)
class NearWish:
    """A place in footage.

    Attributes:
        source: the footage.
        number: of the recorded frame.
        height: pixels of the picture.
    """

    source: Source
    number: int
    height: int


class NearFrames:
    """Keeps footage open. For one thread."""

    def __init__(self) -> None:
        self._opened = OpenedFootage(0)  # nothing exact is taken

    def answer(self, wish: NearWish, still_wanted: Callable[[], bool]) -> QImage | None:
        """The picture of the nearest key frame; None where it cannot be had, or is no longer wanted."""
        if not still_wanted():
            return None
        leaps, edges = wish.source.originals.leaps, wish.source.edges
        if leaps is None:
            return None
        nearest = int(leaps[np.argmin(np.abs(edges[leaps] - edges[wish.number]))])
        try:
            middle = float((edges[nearest] + edges[nearest + 1]) / 2)
            frame = self._opened.frame(wish.source.facts, None, middle)
        except FootageError:
            return None  # whoever makes the very frame says what is wrong
        finally:
            self._opened.rest()
        return None if frame is None else small_image(frame, wish.source.facts.picture, wish.height)
