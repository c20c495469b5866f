"""Playing the result: when which result frame is due."""

import time
from fractions import Fraction

from PySide6.QtCore import QObject, QTimer, Signal

from chronoxis.app.document.document import Document
from chronoxis.app.pictures.compared import Compared
from chronoxis.app.pictures.preview import Preview
from chronoxis.app.sound.player import Player
from chronoxis.app.sound.sound_ahead import SoundAhead

_TICK = 8  # milliseconds
_LEAD = 0.5  # result seconds of sound that are made before it begins
_LEAST_LEAD = 0.05
_SHUTTLES = (1, 2, 4, 8)


class Transport(QObject):
    """Moves the playhead at the result's true rate.

    Where there is sound, its device tells the time. When the next frame or its sound is not made yet, both
    wait for it: what plays is always every frame that the screen can show, never a guess.

    Attributes:
        waits_for_sound: whether it is sound that is waited for.
        make_first: whether all of what plays is made before it plays.

    Signals:
        changed: playing, direction, loop or waiting is another.
    """

    changed = Signal()

    def __init__(
        self, document: Document, preview: Preview, compared: Compared, ahead: SoundAhead, player: Player
    ) -> None:
        super().__init__()
        self._document = document
        self._preview, self._compared = preview, compared
        self._ahead, self._player = ahead, player
        self._sounds = False
        self.waits_for_sound = False
        self._timer = QTimer(self)
        self._timer.setInterval(_TICK)
        self._timer.timeout.connect(self._tick)
        self._clock = 0.0
        self._begun = False
        self._from = 0
        self.shuttle = 0
        self.loop = True
        self.span: tuple[int, int] | None = None
        self.waiting = False
        self.make_first = False

    @property
    def playing(self) -> bool:
        """Whether the result plays, in whatever direction."""
        return self.shuttle != 0

    @property
    def heard_at(self) -> float:
        """Result second that is heard just now; where it rests, that of the playhead."""
        if not self.playing or not self._begun:
            return float(self._document.playhead)
        begun = self._from / float(self._document.project.rate)
        return begun + self._passed() * self.shuttle

    @property
    def sound_wait(self) -> str:
        """What to say while sound is waited for, and how long that takes."""
        left = self._ahead.seconds_left(float(self._document.playhead) + _LEAD)
        return f"making the sound… {left:.0f} s left" if left >= 1 else "making the sound…"

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
        self._ahead.hurry(shuttle != 0)
        if shuttle:
            self._timer.start()
        else:
            self._timer.stop()
            self._player.stop()
            self.waiting = self.waits_for_sound = False
        self.changed.emit()

    def rest(self) -> None:
        """Play no further."""
        if self.playing:
            self.set_shuttle(0)

    def step(self, frames: int) -> None:
        """Rest, and move by so many result frames."""
        self.rest()
        rate = self._document.project.rate
        self._document.move_playhead(max(Fraction(0), self._document.playhead + frames / rate))

    def scrub(self, result_seconds: Fraction) -> None:
        """Rest, at a moment that a person points at."""
        self.rest()
        self._document.move_playhead(result_seconds)
        self._player.scrub_over(float(self._document.playhead))

    def step_seconds(self, seconds: int) -> None:
        """Rest, and move by whole seconds of the result."""
        self.step(round(seconds * self._document.project.rate))

    def set_loop(self, loop: bool) -> None:
        """Whether the end goes on at the beginning."""
        self.loop = loop
        self.changed.emit()

    def set_make_first(self, on: bool) -> None:
        """Whether all of what plays is made before it plays, so that it keeps its rate."""
        self.make_first = on
        if self.playing:
            self._restart()
        self.changed.emit()

    @property
    def made_of_loop(self) -> tuple[int, int]:
        """How many frames of what plays are made, of how many."""
        first, stop = self._loop()
        return sum(self._has(number) for number in range(first, stop)), stop - first

    def _loop(self) -> tuple[int, int]:
        """The result frames that play, as far as the preview can hold them."""
        first, stop = self._bounds(self._document.frame_count)
        begin = max(first, min(self._document.result_frame, stop - 1)) if self.span is None else first
        return begin, min(stop, begin + self._preview.room)

    def _lacking(self) -> int | None:
        """The first frame of what plays that is not made."""
        first, stop = self._loop()
        return next((number for number in range(first, stop) if not self._has(number)), None)

    def _has(self, number: int) -> bool:
        """Whether a frame can be shown, with what stands beside it."""
        return self._preview.has(number) and self._compared.has(number)

    def _want(self, number: int) -> None:
        self._preview.want(number)
        self._compared.want(number)

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
        """Count from here on, as soon as the picture and its sound are there."""
        self._from, self._begun = self._document.result_frame, False
        self._player.stop()

    def _begin(self) -> None:
        """Begin to count, unless something must be waited for."""
        frame, at = self._document.result_frame, float(self._document.playhead)
        if self.make_first and self._lacking() is not None:
            frame = self._lacking() or frame
        if not self._has(frame):
            self._want(frame)
            self._say_waiting(True)
            return
        if not self._ahead.is_known:
            self._say_waiting(True, for_sound=True)
            return
        if not self._ahead.is_silent:
            self._player.look_for_device()
            if self._player.is_opening or not self._ahead.has(at, at + _LEAD):
                self._say_waiting(True, for_sound=True)
                return
        self._clock, self._begun = time.monotonic(), True
        self._sounds = self._player.start(at, self.shuttle)
        self._say_waiting(False)

    def _passed(self) -> float:
        """Seconds since the beginning, by the device that plays, else by the clock."""
        if self._sounds:
            heard = self._player.passed()
            if heard is not None:
                self._clock = time.monotonic() - heard
                return heard
            self._sounds = False  # the device is gone: the clock goes on from where it was
        return time.monotonic() - self._clock

    def _bounds(self, count: int) -> tuple[int, int]:
        """The result frames that play: the part that is looped as far as it is there still, or all."""
        if self.span is None or self.span[0] >= count:
            return 0, count
        return self.span[0], min(self.span[1], count)

    def _tick(self) -> None:
        if self._document.plan is None:
            self.set_shuttle(0)
        elif not self._begun:
            self._begin()
        elif self._lacks_sound():
            self._restart()
        else:
            self._go_on()

    def _lacks_sound(self) -> bool:
        at = float(self._document.playhead)
        return self._sounds and not self._ahead.has(at, at + _LEAST_LEAD)

    def _go_on(self) -> None:
        """Show the frame that is due, or wait for it."""
        rate = self._document.project.rate
        first, stop = self._bounds(self._document.frame_count)
        passed = int(self._passed() * float(rate) * self.shuttle)
        due = self._from + passed
        if not first <= due < stop:
            if not (self.loop or self.span):
                self._document.move_playhead(Fraction(stop - 1 if due > 0 else 0) / rate)
                self.set_shuttle(0)
                return
            due = first + (due - first) % (stop - first)
            self._document.move_playhead(due / rate)
            self._restart()
            return
        if due == self._document.result_frame:
            return
        if self._has(due):
            self._document.move_playhead(due / rate)
        else:
            self._want(due)
            self._restart()

    def _say_waiting(self, waiting: bool, *, for_sound: bool = False) -> None:
        if (waiting, for_sound) != (self.waiting, self.waits_for_sound):
            self.waiting, self.waits_for_sound = waiting, for_sound
            self.changed.emit()
