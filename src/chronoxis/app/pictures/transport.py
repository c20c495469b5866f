"""Playing the result: when which result frame is due, and what is waited for."""

import time
from dataclasses import dataclass
from enum import Enum, auto
from fractions import Fraction

import numpy as np
from PySide6.QtCore import QObject, QTimer, Signal

from chronoxis.app.document.document import Document
from chronoxis.app.pictures.compared import Compared
from chronoxis.app.pictures.playing_record import PlayingRecord
from chronoxis.app.pictures.preview import Preview
from chronoxis.app.sound.player import Player
from chronoxis.app.sound.sound_ahead import SoundAhead
from chronoxis.core.timing.shot_columns import Frames

_TICK = 8  # milliseconds
_LOOK = 100  # milliseconds between looks whether enough is made to begin
_TELL = 250  # milliseconds between two words on what was shown
_LEAD = 0.5  # seconds of pictures and sound, as they play, that are made before it begins
_LEAST_LEAD = 0.05  # seconds of sound, without which it waits
_SURE_SHARE = 0.85  # of the rate at which frames come, what can be counted on
_MOST_BROKEN_SECONDS = 1  # result seconds without a picture that it plays on over
_SHUTTLES = (1, 2, 4, 8)


class Phase(Enum):
    """What the transport does."""

    AT_REST = auto()
    WAITS_FOR_FRAMES = auto()
    WAITS_FOR_ALL = auto()
    WAITS_FOR_SOUND = auto()
    WAITS_FOR_DEVICE = auto()
    PLAYS = auto()


@dataclass(frozen=True)
class TransportState:
    """What the transport does, and how well.

    Attributes:
        phase: what it does.
        left: seconds until it plays; None if that cannot be told.
        made: frames a second that are made while they are waited for; 0 if that cannot be told.
        rates: frames a second that were due and that were shown, over the last second; None before that.
        of_all: frames of what plays that are made, and all of these, where all are waited for.
    """

    phase: Phase
    left: float | None = None
    made: float = 0.0
    rates: tuple[float, float] | None = None
    of_all: tuple[int, int] = (0, 0)

    @property
    def lacks_frames(self) -> bool:
        """Whether pictures come, or came over the last second, more slowly than they are due."""
        late = self.rates is not None and self.rates[1] < self.rates[0] - 1
        return late or self.phase in (Phase.WAITS_FOR_FRAMES, Phase.WAITS_FOR_ALL)


AT_REST = TransportState(Phase.AT_REST)


class Transport(QObject):
    """Moves the playhead at the result's true rate.

    Where there is sound, its device tells the time. Playing begins when so much is made ahead that it need
    not stop. Where a frame lacks all the same both wait for it; or, if that is chosen, the last one stands.

    Attributes:
        shuttle: at how many times the true rate it plays; negative is backwards, 0 is at rest.
        loop: whether the end goes on at the beginning.
        span: the result frames that are played over and over; all, if None.
        make_first: whether all of what plays is made before it plays.
        fewer: whether frames may be left out, rather than waited for.
        state: what it does, and how well.

    Signals:
        changed: playing, direction, loop or state is another.
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
        self._timer = QTimer(self, interval=_TICK)
        self._timer.timeout.connect(self._tick)
        self._clock = 0.0
        self._from = self._due = 0
        self._at = 0  # the frame that it moved to last
        self._looked = self._told = 0.0
        self._record = PlayingRecord()
        self._broken = 0  # frames one after another that cannot be made
        self.shuttle = 0
        self.loop = True
        self.span: tuple[int, int] | None = None
        self.make_first = self.fewer = False
        self.state = AT_REST

    @property
    def playing(self) -> bool:
        """Whether the result plays or is about to, in whatever direction."""
        return self.shuttle != 0

    @property
    def heard_at(self) -> float:
        """Result second that is heard just now; where it does not play, that of the playhead."""
        if self.state.phase is not Phase.PLAYS:
            return float(self._document.playhead)
        return self._from / float(self._document.project.rate) + self._passed() * self.shuttle

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
        self.shuttle, self._broken = shuttle, 0
        self._ahead.hurry(shuttle != 0)
        if shuttle:
            self._wait()
            self._timer.start()
        else:
            self._timer.stop()
            self._player.stop()
            self._preview.want(self._document.result_frame)
            self.state = AT_REST
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
        """Whether all of what plays is made before it plays."""
        self.make_first = on
        if on and self.state.phase is Phase.PLAYS:
            self._wait()
        self._look_again()

    def set_fewer(self, on: bool) -> None:
        """Whether frames may be left out where they come too late, so that it keeps its rate."""
        self.fewer = on
        self._look_again()

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

    def note_shown(self, number: int) -> None:
        """A result frame came onto the screen."""
        if self.state.phase is Phase.PLAYS:
            self._record.note_shown(number)

    @property
    def _leaves_out(self) -> bool:
        """Whether frames may be left out: more are due at a faster rate than can be told apart."""
        return self.fewer or abs(self.shuttle) > 1

    def _bounds(self) -> tuple[int, int]:
        """The result frames that play: the part that is looped as far as it is there still, or all."""
        count = self._document.frame_count
        if self.span is None or self.span[0] >= count:
            return 0, count
        return self.span[0], min(self.span[1], count)

    def _to_come(self) -> Frames:
        """The result frames in the order in which they will play, as far as they can be held."""
        first, stop = self._bounds()
        here = min(max(self._document.result_frame, first), stop - 1)
        on, back = np.arange(here, stop), np.arange(here, first - 1, -1)
        around = self.loop or self.span is not None
        before, behind = np.arange(first, here), np.arange(stop - 1, here, -1)
        order = [on, before] if self.shuttle >= 0 else [back, behind]
        return np.concatenate(order if around else order[:1])[: self._preview.room]

    def _lacking(self, numbers: Frames) -> "np.ndarray[tuple[int], np.dtype[np.bool_]]":
        """Of each of some frames, whether it, or what stands beside it, is still to be made."""
        return self._preview.lacking(numbers) | self._compared.lacking(numbers)

    def _has(self, number: int) -> bool:
        return self._preview.has(number) and self._compared.has(number)

    def _want(self, number: int) -> None:
        """Have what comes next made."""
        rate = float(self._document.project.rate)
        pace = abs(self.shuttle) * rate if self._leaves_out and self.state.phase is Phase.PLAYS else 0.0
        self._preview.want(number, back=self.shuttle < 0, pace=pace)
        self._compared.want(number)

    def _tick(self) -> None:
        if self._document.plan is None:
            self.set_shuttle(0)
        elif self.state.phase is Phase.PLAYS:
            self._go_on()
        elif time.monotonic() - self._looked > _LOOK / 1000:
            self._look_again()

    def _wait(self) -> None:
        """Wait for what lacks, from here on."""
        self._player.stop()
        self.state = TransportState(Phase.WAITS_FOR_FRAMES)
        self._look_again()

    def _look_again(self) -> None:
        """While something is waited for, look whether it is there."""
        if self.playing and self.state.phase is not Phase.PLAYS and self._document.plan is not None:
            self._looked = time.monotonic()
            self._want(self._document.result_frame)
            waiting = self._what_lacks()
            if waiting is None:
                self._begin()
            else:
                self.state = waiting
        self.changed.emit()

    def _what_lacks(self) -> TransportState | None:
        """What is waited for; None if it can begin."""
        frames = self._frames_that_lack()
        if frames is not None:
            return frames
        if not self._ahead.is_known:
            return TransportState(Phase.WAITS_FOR_SOUND)
        if self._ahead.is_silent:
            return None
        self._player.look_for_device()
        if self._player.is_opening:
            return TransportState(Phase.WAITS_FOR_DEVICE)
        at = float(self._document.playhead)
        left = self._ahead.seconds_before_playing(at, self._end, _LEAD)
        return TransportState(Phase.WAITS_FOR_SOUND, left) if left is None or left > 0 else None

    @property
    def _end(self) -> float:
        """Result second up to which sound plays from here on."""
        return self._bounds()[1] / float(self._document.project.rate)

    def _frames_that_lack(self) -> TransportState | None:
        """How long frames have to be waited for, if at all.

        The nth frame that lacks comes after n times as long as one takes. It has to come before it is due.
        """
        to_come = self._to_come()
        lacking = np.flatnonzero(self._lacking(to_come))
        made = self._preview.rate
        if self.make_first:
            left = len(lacking) / made if made else None
            of_all = len(to_come) - len(lacking), len(to_come)
            return TransportState(Phase.WAITS_FOR_ALL, left, made, of_all=of_all) if len(lacking) else None
        due = lacking / (abs(self.shuttle) * float(self._document.project.rate))
        if self._leaves_out:
            return TransportState(Phase.WAITS_FOR_FRAMES, None, made) if len(due) and due[0] == 0 else None
        if not len(due) or (due[0] >= _LEAD and not made):
            return None
        if not made:
            return TransportState(Phase.WAITS_FOR_FRAMES)
        left = float(np.max(np.arange(1, len(due) + 1) / (made * _SURE_SHARE) - due))
        return TransportState(Phase.WAITS_FOR_FRAMES, left, made) if left > 0 else None

    def _begin(self) -> None:
        """Play from here on."""
        self._count_from_here()
        self._record.begin()
        self._told = self._clock
        self.state = TransportState(Phase.PLAYS)

    def _count_from_here(self) -> None:
        self._from = self._due = self._at = self._document.result_frame
        self._clock = time.monotonic()
        self._sounds = self._player.start(float(self._document.playhead), self.shuttle)

    def _passed(self) -> float:
        """Seconds since the beginning, by the device that plays, else by the clock."""
        if self._sounds:
            heard = self._player.passed()
            if heard is not None:
                self._clock = time.monotonic() - heard
                return heard
            self._sounds = False  # the device is gone: the clock goes on from where it was
        return time.monotonic() - self._clock

    def _lacks_sound(self) -> bool:
        at = float(self._document.playhead)
        return self._sounds and not self._ahead.has(at, at + _LEAST_LEAD)

    def _go_on(self) -> None:
        """Show the frame that is due, or wait for it."""
        if self._lacks_sound() or self._document.result_frame != self._at:  # or somebody went elsewhere
            self._wait()
            return
        rate = self._document.project.rate
        first, stop = self._bounds()
        way = 1 if self.shuttle > 0 else -1
        due = self._from + int(self._passed() * float(rate) * self.shuttle)
        due = way * max(way * due, way * self._due)  # a device's clock may fall back a little
        if not first <= due < stop:
            self._turn_round(due, first, stop)
            return
        if due != self._due:
            self._record.note_due(abs(due - self._due))
            self._due = due
            self._show(due, way)
        if self.state.phase is Phase.PLAYS and time.monotonic() - self._told > _TELL / 1000:
            self._told = time.monotonic()
            self.state = TransportState(Phase.PLAYS, made=self._preview.rate, rates=self._record.rates())
            self.changed.emit()

    def _show(self, due: int, way: int) -> None:
        """Move to the frame that is due; where it lacks, wait for it, or move to the last that does not."""
        rate, here = self._document.project.rate, self._document.result_frame
        if not self._leaves_out and not self._has(due):
            self._document.move_playhead(due / rate)
            self._wait()
            return
        broken = self._preview.why_broken(due)
        self._broken = self._broken + 1 if broken else 0
        if self._broken > _MOST_BROKEN_SECONDS * rate:
            self.set_shuttle(0)
            return
        there = next((n for n in range(due, here, -way) if self._has(n)), None)
        if there is not None:
            self._document.move_playhead(there / rate)
            self._at = there
        self._want(due)

    def _turn_round(self, due: int, first: int, stop: int) -> None:
        """At an end of what plays: rest there, or go on at the other end."""
        rate = self._document.project.rate
        if not (self.loop or self.span):
            self._document.move_playhead(Fraction(stop - 1 if due >= stop else 0) / rate)
            self.set_shuttle(0)
            return
        self._document.move_playhead(Fraction(first if self.shuttle > 0 else stop - 1) / rate)
        self._record.note_due(1)
        if self._what_lacks() is None:
            self._count_from_here()
        else:
            self._wait()
