"""What stands between two shots: a plain cut, or a Surge."""

from dataclasses import dataclass, replace
from fractions import Fraction
from typing import NamedTuple

from chronoxis.core.model.accent import Accent
from chronoxis.core.timing.ramps import RampShape, Run


@dataclass(frozen=True)
class Side:
    """One side of a Surge.

    Attributes:
        length: result seconds, positive; shortened to what the shot's passage at the cut holds.
        shape: how the change of speed is spread, seen from the passage towards the cut.
    """

    length: Fraction
    shape: RampShape = RampShape.LATE


@dataclass(frozen=True)
class Surge:
    """The pace climbs to a peak at the cut and falls from it after, as one thing.

    Attributes:
        peak: recorded seconds per result second exactly at the cut.
        run_up: before the cut.
        run_out: after it.
        linked: whether changing one side changes the other alike.
    """

    peak: Fraction
    run_up: Side
    run_out: Side
    linked: bool = True

    @property
    def leaving(self) -> Run:
        """The run that leaves the shot before the cut."""
        return Run(self.run_up.length, self.peak, self.run_up.shape)

    @property
    def entering(self) -> Run:
        """The run that enters the shot after the cut."""
        return Run(self.run_out.length, self.peak, self.run_out.shape.mirrored)

    def with_side(self, side: Side, *, after: bool) -> "Surge":
        """The Surge with another side; with both like it, if they are linked."""
        if self.linked:
            return replace(self, run_up=side, run_out=side)
        return replace(self, run_out=side) if after else replace(self, run_up=side)


@dataclass(frozen=True)
class Join:
    """What stands between a shot and the next one.

    Attributes:
        surge: how the pace carries through the cut; None for a plain cut.
        accents: looks that belong to it, in their order.
    """

    surge: Surge | None = None
    accents: tuple[Accent, ...] = ()


CUT = Join()
"""A plain cut."""


class Runs(NamedTuple):
    """The runs that a shot's neighbours in the result give it."""

    entering: Run | None = None
    leaving: Run | None = None
