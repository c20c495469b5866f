"""A photo run: footage that is a sequence of still photos."""

from collections.abc import Hashable
from dataclasses import dataclass, replace
from enum import StrEnum
from fractions import Fraction
from functools import cached_property
from pathlib import Path

from chronoxis.core.errors import PlanError
from chronoxis.core.model.footage import Footage
from chronoxis.core.timing.exact import parse_exact, shortened
from chronoxis.core.timing.rates import MAX_RATE, format_rate, parse_rate
from chronoxis.core.timing.speed import format_speed
from chronoxis.core.timing.timecode import format_time, parse_time

FIRST_RATE = Fraction(25)
"""Photos per second, until a run's dates are known or a person says otherwise."""

MAX_INTERVAL = Fraction(31 * 86400)
"""Seconds between two photos, at most."""


@dataclass(frozen=True, eq=False)
class PhotoFiles:
    """The photos of a run: what it is opened from.

    Attributes:
        folder: where all of them lie.
        names: of the files, in their order; at least one.
    """

    folder: Path
    names: tuple[str, ...]

    @cached_property
    def _key(self) -> tuple[Path, tuple[str, ...]]:
        return self.folder, self.names

    @cached_property
    def _hash(self) -> int:
        return hash(self._key)

    def __hash__(self) -> int:
        return self._hash

    def __eq__(self, other: object) -> bool:
        if self is other:
            return True
        return isinstance(other, PhotoFiles) and self._hash == other._hash and self._key == other._key

    @cached_property
    def paths(self) -> tuple[Path, ...]:
        """Paths of the photos, in their order."""
        return tuple(self.folder / name for name in self.names)


class Clock(StrEnum):
    """What the recorded time of a photo run is told by."""

    DATES = "dates"
    INTERVAL = "interval"
    RATE = "rate"


@dataclass(frozen=True)
class PhotoTime:
    """When photos were taken, as far as the program is to know.

    Attributes:
        clock: what tells it.
        value: of an interval, seconds from one photo to the next; of a rate, photos per second; 0 of dates.
    """

    clock: Clock
    value: Fraction = Fraction(0)

    @classmethod
    def every(cls, seconds: Fraction) -> "PhotoTime":
        """One photo every so many seconds. Raises PlanError if that is out of range."""
        if not 1 / MAX_RATE <= seconds <= MAX_INTERVAL:
            raise PlanError("An interval lies between a thousandth of a second and 31 days.")
        return cls(Clock.INTERVAL, seconds)

    @classmethod
    def at_rate(cls, rate: Fraction) -> "PhotoTime":
        """So many photos a second. Raises PlanError if that is out of range."""
        if not 1 / MAX_INTERVAL <= rate <= MAX_RATE:
            raise PlanError(f"Photos per second lie above 0 and up to {MAX_RATE}.")
        return cls(Clock.RATE, rate)

    @property
    def interval(self) -> Fraction | None:
        """Seconds from one photo to the next; None if the dates tell."""
        match self.clock:
            case Clock.INTERVAL:
                return self.value
            case Clock.RATE:
                return 1 / self.value
            case _:
                return None


_MOST_SIDE = 3840  # pixels of a first result

DATES = PhotoTime(Clock.DATES)


class Handling(StrEnum):
    """What is shown at a place of a run where something is wrong."""

    KEEP = "keep"
    LEAVE_OUT = "leave-out"
    HOLD = "hold"
    FILL = "fill"


class FlawKind(StrEnum):
    """What can be wrong with a run."""

    MISSING = "missing"
    UNREADABLE = "unreadable"
    GAP = "gap"
    DOUBLED = "doubled"
    DISORDERED = "disordered"
    OTHER_SIZE = "other-size"


@dataclass(frozen=True, kw_only=True)
class PhotoRun(Footage):
    """Photos, one after another.

    Attributes:
        photos: the files.
        time: what their recorded time is told by.
        handling: what is done about each kind of flaw where it differs from the usual.
        apart: the same for single flaws: kind, name of the photo there, and what is done.
    """

    photos: PhotoFiles
    time: PhotoTime = PhotoTime(Clock.RATE, FIRST_RATE)
    handling: tuple[tuple[FlawKind, Handling], ...] = ()
    apart: tuple[tuple[FlawKind, str, Handling], ...] = ()

    @property
    def origin(self) -> PhotoFiles:
        """The folder with the names of the photos, in the order of the run."""
        return self.photos

    @cached_property
    def course(self) -> Hashable:
        """Its photos, and all that says when each is on display."""
        return self.photos, self.time, self.handling, self.apart

    @property
    def files(self) -> tuple[Path, ...]:
        """The path of each photo, in the order of the run."""
        return self.photos.paths

    @property
    def name(self) -> str:
        """The folder's name in words; the photo's, if it is one."""
        of = self.photos.folder.name if len(self.photos.names) > 1 else Path(self.photos.names[0]).stem
        return of.replace("-", " ").replace("_", " ") or "Photos"

    @property
    def label(self) -> str:
        """What it is called in messages."""
        return self.photos.folder.name or str(self.photos.folder)

    def moved(self, place: Path) -> "PhotoRun":
        """The same photos in another folder; ``place`` is that, or a photo in it."""
        folder = place if place.is_dir() else place.parent
        return replace(self, photos=PhotoFiles(folder, self.photos.names))

    @property
    def in_brief(self) -> str:
        """How many photos, and how far apart."""
        return f"{len(self.photos.names)} photos\n{self.pace_in_words}"

    @property
    def unit(self) -> str:
        """Photos, for people count these."""
        return "photo"

    @property
    def is_told_by_count(self) -> bool:
        """Photos are told by count: how often they were taken says little about how they play."""
        return True

    def amount_in_words(self, recorded: Fraction) -> str:
        """Such as ``120 photos``; places, where some of them hold a photo for a missing one."""
        places = self._places == len(self.photos.names)
        return f"{float(recorded * self.rate):.6g} {'photos' if places else 'places'}"

    def shown_in_words(self, speed: Fraction) -> str:
        """How far apart they are, how many are shown a second, and what that is as a speed."""
        count, shown = len(self.photos.names), format_rate(speed * self.rate)
        meant = f"{self.pace_in_words}, shown at {shown} a second: {format_speed(speed)}"
        if count == self._places:
            return f"{meant}\nThe frame rate alone does not change the length."
        why = "missing ones are held" if self._places > count else "some are left out"
        return f"{meant}\n{count} photos stand in {self._places} places: {why}."

    @property
    def _places(self) -> int:
        """How many places its photos stand in, with those of missing ones that are held."""
        return round(self.length * self.rate)

    @property
    def most_side(self) -> int:
        """Photos are mostly far larger than what becomes of them; a larger result can be asked for."""
        return _MOST_SIDE

    @property
    def beside(self) -> Path:
        """Their folder: a result lies beside it, not in it."""
        return self.photos.folder

    @property
    def pace_in_words(self) -> str:
        """Such as ``one per 5 s``, or ``12 a second``."""
        return apart_in_words(1 / self.rate)

    @property
    def result_rate(self) -> Fraction:
        """The usual one: how often photos were taken says nothing about how a result should play."""
        return FIRST_RATE

    def first_speed(self, rate: Fraction) -> Fraction:
        """As they play, or one photo for each result frame."""
        return Fraction(1) if self.time.clock is Clock.RATE else rate / self.rate

    def handles(self, kind: FlawKind, name: str) -> Handling:
        """What is done about a flaw of a kind at a photo."""
        for each, at, handling in self.apart:
            if (each, at) == (kind, name):
                return handling
        return dict(self.handling).get(kind, USUAL_HANDLING[kind])

    def with_handling(self, kind: FlawKind, handling: Handling, name: str | None = None) -> "PhotoRun":
        """The run with something else done about a kind of flaw, or about the one at a photo alone."""
        if name is None:
            others = tuple(each for each in self.handling if each[0] is not kind)
            apart = tuple(each for each in self.apart if each[0] is not kind)
            usual = handling is USUAL_HANDLING[kind]
            return replace(self, handling=others if usual else (*others, (kind, handling)), apart=apart)
        apart = tuple(each for each in self.apart if each[:2] != (kind, name))
        bare = replace(self, apart=apart)
        return (
            bare
            if bare.handles(kind, name) is handling
            else replace(bare, apart=(*apart, (kind, name, handling)))
        )


USUAL_HANDLING = {
    FlawKind.MISSING: Handling.HOLD,
    FlawKind.UNREADABLE: Handling.HOLD,
    FlawKind.GAP: Handling.LEAVE_OUT,
    FlawKind.DOUBLED: Handling.KEEP,
    FlawKind.DISORDERED: Handling.KEEP,
    FlawKind.OTHER_SIZE: Handling.KEEP,
}
"""What is done about a kind of flaw unless a person chooses: time stays true, and nothing is lost."""

POSSIBLE_HANDLINGS = {
    FlawKind.MISSING: (Handling.HOLD, Handling.FILL, Handling.LEAVE_OUT),
    FlawKind.UNREADABLE: (Handling.HOLD, Handling.FILL, Handling.LEAVE_OUT),
    FlawKind.GAP: (Handling.LEAVE_OUT, Handling.HOLD),
    FlawKind.DOUBLED: (Handling.KEEP, Handling.LEAVE_OUT),
    FlawKind.DISORDERED: (Handling.KEEP, Handling.LEAVE_OUT),
    FlawKind.OTHER_SIZE: (Handling.KEEP, Handling.HOLD, Handling.LEAVE_OUT),
}
"""What can be done about a kind of flaw."""


def apart_in_words(interval: Fraction) -> str:
    """How far apart photos are: ``one per 5 s``, or ``12 a second``."""
    if interval <= Fraction(1, 2):
        return f"{format_rate(1 / interval)} a second"
    if interval < 60:
        return f"one per {float(interval):.4g} s"
    return f"one per {format_time(interval, 0)}"


def parse_interval(text: str) -> PhotoTime:
    """Read ``5``, ``5 s``, ``1:30`` or ``1m30s`` as the time from one photo to the next.

    Raises:
        PlanError: the text is none of these, or out of range.
    """
    return PhotoTime.every(parse_time(text))


def parse_photo_rate(text: str) -> PhotoTime:
    """Read ``12``, ``29.97`` or ``1/2`` as photos per second.

    Raises:
        PlanError: the text is none of these, or out of range.
    """
    cleaned = text.strip().lower().removesuffix("a second").strip()
    try:
        slow = parse_exact(cleaned) if "/" in cleaned else None
    except (ValueError, ZeroDivisionError):
        raise PlanError(
            f"“{shortened(text)}” is not a number of photos per second; write 12 or 1/2."
        ) from None
    return PhotoTime.at_rate(slow if slow is not None else parse_rate(cleaned))
