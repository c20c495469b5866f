"""Playing the result: when which result frame is due."""

import time
from fractions import Fraction

from PySide6.QtCore import QObject, QTimer, Signal

from chronoxis.app.document import Document
from chronoxis.app.pictures.preview import Preview

_TICK = 8  # milliseconds
_SHUTTLES = (1, 2, 4, 8)


class Transport(QObject):
    """Moves the playhead at the result's true rate.

    When the next frame is not made yet, the clock waits for it: what plays is always every frame that
    the screen can show, never a guess.

    Signals:
        changed: playing, direction, loop or waiting is another.
    """

    changed = Signal()

    def __init__(self, document: Document, preview: Preview) -> None:
        super().__init__()
        self._document = document
        self._preview = preview
        self._timer = QTimer(self)
        self._timer.setInterval(_TICK)
        self._timer.timeout.connect(self._tick)
        self._clock = 0.0
        self._from = 0
        self.shuttle = 0
        self.loop = True
        self.span: tuple[int, int] | None = None
        self.waiting = False

    @property
    def playing(self) -> bool:
        """Whether the result plays, in whatever direction."""
        return self.shuttle != 0

    def toggle(self) -> None:
        """Play, or pause."""
        self.set_shuttle(0 if self.playing else 1)

    def faster(self, direction: int) -> None:
        """L and J: play that way; again for twice as fast; the other way first comes to rest at 1."""
        if self.shuttle * direction <= 0:
            self.set_shuttle(direction)
            return
        self.set_shuttle(direction * min(abs(self.shuttle) * 2, _SHUTTLES[-1]))

    def set_shuttle(self, shuttle: int) -> None:
        """Play at so many times the true rate; negative is backwards, 0 is at rest."""
        if self._document.plan is None:
            shuttle = 0
        if shuttle > 0 and self._document.result_frame >= self._document.frame_count - 1:
            self._document.move_playhead(Fraction(0))
        self.shuttle = shuttle
        self._restart()
        if shuttle:
            self._timer.start()
        else:
            self._timer.stop()
            self.waiting = False
        self.changed.emit()

    def step(self, frames: int) -> None:
        """Rest, and move by so many result frames."""
        if self.playing:
            self.set_shuttle(0)
        rate = self._document.project.rate
        self._document.move_playhead(max(Fraction(0), self._document.playhead + frames / rate))

    def scrub(self, result_seconds: Fraction) -> None:
        """Rest, at a moment that a person points at."""
        if self.playing:
            self.set_shuttle(0)
        self._document.move_playhead(result_seconds)

    def step_seconds(self, seconds: int) -> None:
        """Rest, and move by whole seconds of the result."""
        self.step(round(seconds * self._document.project.rate))

    def set_loop(self, loop: bool) -> None:
        """Whether the end goes on at the beginning."""
        self.loop = loop
        self.changed.emit()

    def loop_over(self, seconds: tuple[float, float] | None) -> None:
        """Play a part of the result over and over, result seconds; None for all of it."""
        self.span = None
        if seconds is not None and self._document.plan is not None:
            rate, last = self._document.project.rate, self._document.frame_count
            first = min(round(seconds[0] * float(rate)), last - 1)
            self.span = (first, min(max(round(seconds[1] * float(rate)), first + 1), last))
            self._document.move_playhead(first / rate)
            self.set_shuttle(1)
        self.changed.emit()

    def _restart(self) -> None:
        self._clock, self._from = time.monotonic(), self._document.result_frame

    def _bounds(self, count: int) -> tuple[int, int]:
        """The result frames that play: the part that is looped as far as it is there still, or all."""
        if self.span is None or self.span[0] >= count:
            return 0, count
        return self.span[0], min(self.span[1], count)

    def _tick(self) -> None:
        if self._document.plan is None:
            self.set_shuttle(0)
            return
        rate = self._document.project.rate
        first, stop = self._bounds(self._document.frame_count)
        passed = int((time.monotonic() - self._clock) * float(rate) * self.shuttle)
        due = self._from + passed
        if not first <= due < stop:
            if not (self.loop or self.span):
                self._document.move_playhead(Fraction(stop - 1 if due > 0 else 0) / rate)
                self.set_shuttle(0)
                return
            due = first + (due - first) % (stop - first)
            self._from, self._clock = due, time.monotonic()
        if due == self._document.result_frame:
            return
        waiting = not self._preview.has(due)
        if waiting:
            self._preview.want(due)
            self._from, self._clock = self._document.result_frame, time.monotonic()
        else:
            self._document.move_playhead(due / rate)
        if waiting != self.waiting:
            self.waiting = waiting
            self.changed.emit()
