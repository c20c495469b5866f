"""Recorded frames that wait until some of them are gathered at once."""

from collections.abc import Callable

from chronoxis.core.picture.kernels import Picture

# What is gathered so far is fetched from memory once for so many frames.
_TOGETHER = 5


class Waiting:
    """Passes pictures on, a few at a time."""

    def __init__(self, gather: Callable[[list[Picture], list[float]], None]) -> None:
        self._gather = gather
        self._pictures: list[Picture] = []
        self._weights: list[float] = []

    def take(self, picture: Picture, weight: float = 1.0) -> None:
        """Take one in."""
        self._pictures.append(picture)
        self._weights.append(weight)
        if len(self._pictures) == _TOGETHER:
            self.give()

    def give(self) -> None:
        """Pass on what waits."""
        if self._pictures:
            self._gather(self._pictures, self._weights)
            self._pictures, self._weights = [], []
