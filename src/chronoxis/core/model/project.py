"""The project as a frozen value."""

from dataclasses import dataclass, field, replace
from fractions import Fraction
from pathlib import Path

from chronoxis.core.model.settings import ResultSettings
from chronoxis.core.timing.pace import PaceProfile
from chronoxis.core.timing.reckoner import Quantity, Reckoner
from chronoxis.core.timing.schedule import EachFrame


@dataclass(frozen=True)
class Footage:
    """A recording as the plan needs to know it.

    Attributes:
        path: where it lies.
        rate: recorded frames per second; the average, where it varies.
        length: recorded seconds.
    """

    path: Path
    rate: Fraction
    length: Fraction

    @property
    def name(self) -> str:
        """What it is called in the window."""
        return self.path.stem.replace("-", " ").replace("_", " ")


@dataclass(frozen=True)
class Shot:
    """An excerpt of one footage at one speed.

    Attributes:
        footage: what is excerpted.
        in_point: recorded seconds.
        out_point: recorded seconds, after the in point.
        speed: recorded seconds per result second.
        each: how one result frame is made.
        shutter: shutter angle in degrees, for the accumulating ways.
    """

    footage: Footage
    in_point: Fraction
    out_point: Fraction
    speed: Fraction
    each: EachFrame = EachFrame.ONE
    shutter: float = 360.0

    @property
    def recorded_length(self) -> Fraction:
        """Recorded seconds between in and out."""
        return self.out_point - self.in_point

    @property
    def pace(self) -> PaceProfile:
        """How recorded time runs through the shot."""
        return PaceProfile.constant(self.recorded_length, self.speed)


@dataclass(frozen=True)
class Project:
    """Everything a person decided.

    Attributes:
        shot: the shot, or None while the project is empty.
        rate: result frames per second.
        held: the quantities that stay when another one is changed.
        settings: the choices of an export.
    """

    shot: Shot | None = None
    rate: Fraction = Fraction(25)
    held: frozenset[Quantity] = frozenset()
    settings: ResultSettings = field(default_factory=ResultSettings)

    @property
    def reckoner(self) -> Reckoner:
        """The linked quantities of the shot. Raises ValueError while the project is empty."""
        shot = self.expect_shot()
        return Reckoner(
            recorded_rate=shot.footage.rate,
            available=shot.footage.length - shot.in_point,
            recorded_length=shot.recorded_length,
            speed=shot.speed,
            rate=self.rate,
        )

    def expect_shot(self) -> Shot:
        """The shot. Raises ValueError while the project is empty."""
        if self.shot is None:
            raise ValueError("the project is empty")
        return self.shot

    def with_reckoner(self, state: Reckoner) -> "Project":
        """The project with the linked quantities as in ``state``; the in point stays."""
        shot = self.expect_shot()
        changed = replace(shot, out_point=shot.in_point + state.recorded_length, speed=state.speed)
        return replace(self, shot=changed, rate=state.rate)
