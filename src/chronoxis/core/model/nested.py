"""A run of shots that is footage itself: looked at, condensed and reversed as one."""

from collections.abc import Hashable
from dataclasses import dataclass, replace
from fractions import Fraction
from pathlib import Path

from chronoxis.core.model.accent import Accent
from chronoxis.core.model.footage import Footage
from chronoxis.core.model.marker import Marker
from chronoxis.core.model.project import Shot, with_runs
from chronoxis.core.timing.judged import Judged
from chronoxis.core.timing.pace import total
from chronoxis.core.timing.schedule import result_frame_count


@dataclass(frozen=True)
class NestedOrigin:
    """What a nested run is opened from: other footage of its project."""

    key: str


@dataclass(frozen=True, kw_only=True)
class Nested(Footage):
    """Shots of a project taken together. Its recorded time is the result time inside.

    Attributes:
        title: what it is called.
        shots: in their order; at least one.
        accents: looks on all of it.
    """

    title: str
    shots: tuple[Shot, ...]
    accents: tuple[Accent, ...] = ()

    @classmethod
    def of(
        cls,
        key: str,
        title: str,
        shots: tuple[Shot, ...],
        rate: Fraction,
        accents: tuple[Accent, ...] = (),
        markers: tuple[Marker, ...] = (),
        judged: tuple[Judged, ...] = (),
    ) -> "Nested":
        """As long as its shots last, in whole frames of the rate inside."""
        shots = with_runs(shots)
        length = result_frame_count(total(shot.pace.result_length for shot in shots), rate) / rate
        return cls(
            key=key,
            stored_rate=rate,
            stored_length=length,
            counted=True,
            markers=markers,
            judged=judged,
            title=title,
            shots=shots,
            accents=accents,
        )

    @property
    def origin(self) -> Hashable:
        """Its own place in the project."""
        return NestedOrigin(self.key)

    @property
    def course(self) -> Hashable:
        """Another one whenever anything inside is another."""
        return NestedOrigin(self.key), self.stored_rate, self.shots, self.accents

    @property
    def files(self) -> tuple[Path, ...]:
        """A nested run reads no files of its own."""
        return ()

    @property
    def name(self) -> str:
        """Its title."""
        return self.title

    @property
    def inner_shots(self) -> tuple[Shot, ...]:
        """The shots that it is made of."""
        return self.shots

    def moved(self, _place: Path) -> "Nested":
        """Itself: it lies nowhere."""
        return self

    def first_speed(self, _rate: Fraction) -> Fraction:
        """A nested run begins at 1×: its pace is inside."""
        return Fraction(1)

    def with_shots(self, shots: tuple[Shot, ...]) -> "Nested":
        """The run with other shots inside."""
        own = self.accents, self.markers, self.judged
        return Nested.of(self.key, self.title, shots, self.stored_rate, *own)

    def titled(self, title: str) -> "Nested":
        """The run under another title."""
        return replace(self, title=title)
