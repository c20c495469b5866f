"""Music: footage that is heard and not seen, and where it lies in the result."""

from collections.abc import Hashable
from dataclasses import dataclass, replace
from fractions import Fraction
from pathlib import Path

from chronoxis.core.errors import PlanError
from chronoxis.core.model.footage import Footage
from chronoxis.core.model.sound import checked_level
from chronoxis.core.timing.timecode import format_time

SOUND_RATE = Fraction(48_000)
"""Samples per second that lengths of music are counted in."""


@dataclass(frozen=True)
class MusicFile:
    """A file that is opened for its sound alone."""

    path: Path


@dataclass(frozen=True)
class Credit:
    """Whose music it is, and under what terms it may be used; lines of text."""

    title: str = ""
    author: str = ""
    licence: str = ""
    link: str = ""

    @property
    def is_whole(self) -> bool:
        """Whether it says what anybody who credits it needs: title, author and licence."""
        return bool(self.title and self.author and self.licence)

    @property
    def line(self) -> str:
        """All of it in one line."""
        named = f"“{self.title}”" if self.title else ""
        by = f"by {self.author}" if self.author else ""
        return " · ".join(
            part for part in (" ".join(filter(None, (named, by))), self.licence, self.link) if part
        )


@dataclass(frozen=True)
class BeatChoices:
    """What a person says of beats that were found.

    Attributes:
        factor: how many beats there are for each that was found: 2 doubles, 1/2 halves.
        shift: seconds by which all lie later.
        first: which beat of a bar the first one found is, as against what was found; 0 leaves it.
        taps: beats given by hand in place of those found, in seconds, ascending.
        moved: beats of the list dragged elsewhere: their time as found, and their new one.
    """

    factor: Fraction = Fraction(1)
    shift: Fraction = Fraction(0)
    first: int = 0
    taps: tuple[Fraction, ...] = ()
    moved: tuple[tuple[Fraction, Fraction], ...] = ()


@dataclass(frozen=True, kw_only=True)
class Music(Footage):
    """A file whose sound is laid under a result.

    Attributes:
        path: where it lies.
        credit: whose it is.
        beats: what was said of its beats.
    """

    path: Path
    credit: Credit = Credit()
    beats: BeatChoices = BeatChoices()

    @property
    def origin(self) -> Hashable:
        """Its file, to be opened for its sound."""
        return MusicFile(self.path)

    @property
    def files(self) -> tuple[Path, ...]:
        """The one file that it is read from."""
        return (self.path,)

    @property
    def name(self) -> str:
        """Its title, else its file's name in words."""
        return self.credit.title or self.path.stem.replace("-", " ").replace("_", " ")

    @property
    def has_pictures(self) -> bool:
        """No: it has no pictures."""
        return False

    @property
    def in_brief(self) -> str:
        """How long it is."""
        return format_time(self.length, 0)

    def moved(self, place: Path) -> "Music":
        """The same music as another file."""
        return replace(self, path=place)


@dataclass(frozen=True)
class MusicPiece:
    """Music where it lies in the result.

    Attributes:
        footage: key of the footage whose sound it is.
        at: result second at which it begins.
        in_point: second of the music that plays first.
        out_point: and the one at which it ends; None for all that there is.
        level: dB.
        fade_in: seconds.
        fade_out: seconds, before its end or that of the result.
        loops: whether it begins again until the result ends.
        duck: dB by which it goes down under recorded sound.
    """

    footage: str
    at: Fraction = Fraction(0)
    in_point: Fraction = Fraction(0)
    out_point: Fraction | None = None
    level: float = 0.0
    fade_in: Fraction = Fraction(0)
    fade_out: Fraction = Fraction(2)
    loops: bool = False
    duck: float = 12.0

    def __post_init__(self) -> None:
        checked_level(self.level)
        if min(self.in_point, self.fade_in, self.fade_out) < 0 or not 0 <= self.duck <= 60:
            raise PlanError(
                "In point, fades and ducking of music lie at 0 or above; it ducks by 60 dB at most."
            )
        if self.out_point is not None and self.out_point <= self.in_point:
            raise PlanError("Music must end after it begins; choose a later out point.")

    def end_in(self, length: Fraction) -> Fraction:
        """Second of the music at which it ends, of music so long."""
        return length if self.out_point is None else min(self.out_point, length)
