"""Footage as the plan needs to know it, whatever its kind."""

from abc import ABC, abstractmethod
from collections.abc import Hashable
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path
from typing import TYPE_CHECKING

from chronoxis.core.model.marker import Marker
from chronoxis.core.timing.judged import Judged
from chronoxis.core.timing.rates import MAX_RATE, format_rate
from chronoxis.core.timing.timecode import format_time

if TYPE_CHECKING:
    from chronoxis.core.model.project import Shot

FIRST_SPEED = Fraction(10)

_SAME_RATE = Fraction(1, 10**6)
_FINEST_RATE = 100_000
_LEAST_SMOOTH = 20  # frames a second
_SMOOTH_RATES = (Fraction(25), Fraction(30), Fraction(30_000, 1001), Fraction(24))
_USUAL_RATE = Fraction(25)  # of a result, where footage has more frames a second than any screen shows


@dataclass(frozen=True, kw_only=True)
class Footage(ABC):
    """One thing that was brought in. Each kind of footage is a class of its own.

    Times are told on two clocks: that of the source, as it is stored, and recorded time, which runs
    ``scale`` times as fast.

    Attributes:
        key: what shots call it; unique in a project.
        stored_rate: frames per second of its source; the average, where it varies.
        stored_length: seconds of its source.
        counted: whether rate and length were counted from the frames, not read from a header.
        markers: named moments in recorded time, ascending.
        judged: where a person said what is a lull, ascending and apart.
    """

    key: str
    stored_rate: Fraction
    stored_length: Fraction
    counted: bool = False
    markers: tuple[Marker, ...] = ()
    judged: tuple[Judged, ...] = ()

    @property
    @abstractmethod
    def origin(self) -> Hashable:
        """What its source is opened from; equal for footage that shares one."""

    @property
    def course(self) -> Hashable:
        """Equal for footage whose sources show the same at every stored second."""
        return self.origin

    @property
    @abstractmethod
    def files(self) -> tuple[Path, ...]:
        """The files that it is read from; none, if it is made of other footage."""

    @property
    @abstractmethod
    def name(self) -> str:
        """What it is called in the window."""

    @property
    def has_pictures(self) -> bool:
        """Whether it has pictures, so that shots can be made of it."""
        return True

    @property
    def made_of(self) -> tuple[str, ...]:
        """Keys of other footage that it is made of; none for what was recorded."""
        return tuple(dict.fromkeys(shot.footage for shot in self.inner_shots))

    @property
    def inner_shots(self) -> "tuple[Shot, ...]":
        """The shots that it is made of; none for what was recorded."""
        return ()

    @abstractmethod
    def moved(self, place: Path) -> "Footage":
        """The same footage, read from another place."""

    @property
    def in_brief(self) -> str:
        """Length and rate, as they are stored."""
        return f"{format_time(self.length, 0)} · {format_rate(self.stored_rate)} fps"

    @property
    def unit(self) -> str:
        """What one of its pictures is called."""
        return "frame"

    @property
    def is_told_by_count(self) -> bool:
        """Whether people tell it by how many there are and how many are shown a second, not by time."""
        return False

    def amount_in_words(self, recorded: Fraction) -> str:
        """So many recorded seconds of it, as people tell them."""
        return format_time(recorded, 2)

    def shown_in_words(self, _speed: Fraction) -> str:
        """What showing it at a speed comes to, where that needs saying; else nothing."""
        return ""

    @property
    def most_side(self) -> int | None:
        """Pixels of the longer side of a first result; None for as many as it has."""
        return None

    @property
    def beside(self) -> Path:
        """What a result is put beside at first, and called after; of footage with files."""
        return self.files[0]

    @property
    def result_rate(self) -> Fraction:
        """A result's rate, if this is all there is: as files keep it and screens show it."""
        return self.rate.limit_denominator(_FINEST_RATE) if self.rate <= MAX_RATE else _USUAL_RATE

    @property
    def first_result_rate(self) -> Fraction:
        """A result's rate at first: one that looks smooth, where the first speed leaves frames enough for it.

        Of the usual ones, that at which each result frame is as many recorded frames further on.
        """
        kept, passing = self.result_rate, self.rate * FIRST_SPEED
        if kept >= _LEAST_SMOOTH or passing < _USUAL_RATE:
            return kept
        even = (rate for rate in _SMOOTH_RATES if (passing / rate).denominator == 1)
        return next(even, _USUAL_RATE)

    def first_speed(self, _rate: Fraction) -> Fraction:
        """At what speed a shot of it begins, in a result of so many frames per second."""
        return FIRST_SPEED

    @property
    def label(self) -> str:
        """What it is called in messages: its file's name, if it has one."""
        return self.files[0].name if self.files else self.name

    def agrees_with(self, rate: Fraction, length: Fraction) -> bool:
        """Whether its source is what it was: of that length, and of that rate as near as rates are kept."""
        return length == self.stored_length and abs(rate - self.stored_rate) < _SAME_RATE

    @property
    def scale(self) -> Fraction:
        """Recorded seconds per second of its source."""
        return Fraction(1)

    @property
    def rate(self) -> Fraction:
        """Recorded frames per recorded second."""
        return self.stored_rate / self.scale

    @property
    def length(self) -> Fraction:
        """Recorded seconds."""
        return self.stored_length * self.scale
