"""What became due while playing, and what was shown of it, over the last second."""

import time
from collections import deque

_WINDOW = 1.0  # seconds that are looked back over
_TELLING = 0.5  # seconds after which what was seen tells anything


class PlayingRecord:
    """Counts result frames as they become due, and those that came onto the screen."""

    def __init__(self) -> None:
        self._since = 0.0
        self._due: deque[tuple[float, int]] = deque()  # when, and how many frames
        self._shown: deque[tuple[float, int]] = deque()
        self._last_shown: int | None = None

    def begin(self) -> None:
        """Count from now on."""
        self._since = time.monotonic()
        self._due.clear()
        self._shown.clear()
        self._last_shown = None

    def note_due(self, frames: int) -> None:
        """So many frames more became due just now."""
        self._due.append((time.monotonic(), frames))

    def note_shown(self, number: int) -> None:
        """A frame was drawn just now; drawn again, it counts once."""
        if number != self._last_shown:
            self._last_shown = number
            self._shown.append((time.monotonic(), 1))

    def rates(self) -> tuple[float, float] | None:
        """Frames a second that became due, and that were shown; None before there is anything to tell."""
        now = time.monotonic()
        length = min(_WINDOW, now - self._since)
        if length < _TELLING:
            return None
        for noted in (self._due, self._shown):
            while noted and noted[0][0] < now - length:
                noted.popleft()
        due, shown = (sum(many for _, many in noted) / length for noted in (self._due, self._shown))
        return due, min(due, shown)
