"""Kept looks: a Surge with its accents, or accents alone, under a name."""

from dataclasses import dataclass
from fractions import Fraction

from chronoxis.core.model.accent import (
    STEADY,
    Accent,
    Badge,
    ByJoin,
    BySpeed,
    Flash,
    Grain,
    Lines,
    Response,
    Streak,
    Stutter,
    Wobble,
)
from chronoxis.core.model.join import Join, Side, Surge
from chronoxis.core.timing.ramps import RampShape


@dataclass(frozen=True)
class KeptLook:
    """A look that can be given to many.

    Attributes:
        name: what a person calls it.
        join: a Surge with accents, or accents alone, which can be given to anything that takes accents.
    """

    name: str
    join: Join

    @property
    def is_join(self) -> bool:
        """Whether it is for joins: it has a Surge."""
        return self.join.surge is not None


def _surge(peak: int, seconds: Fraction, shape: RampShape = RampShape.LATE) -> Surge:
    side = Side(seconds, shape)
    return Surge(Fraction(peak), side, side)


_RISING = BySpeed(Fraction(4), Fraction(40), Response.GENTLE)

OWN_LOOKS = (
    KeptLook(
        "Balloon rush",
        Join(
            _surge(60, Fraction(1)),
            (Accent(Streak(0.12), ByJoin(Response.GENTLE)), Accent(Flash(0.9), ByJoin(Response.LATE))),
        ),
    ),
    KeptLook(
        "Soft passing",
        Join(
            _surge(30, Fraction(3, 2), RampShape.SMOOTH),
            (Accent(Streak(0.05), ByJoin(Response.GENTLE)),),
        ),
    ),
    KeptLook(
        "White-out",
        Join(_surge(45, Fraction(4, 5)), (Accent(Flash(5.0), ByJoin(Response.LATE)),)),
    ),
    KeptLook(
        "Rewound tape",
        Join(
            None,
            (
                Accent(Stutter(12.0)),
                Accent(Lines()),
                Accent(Wobble(0.012), strength=0.8),
                Accent(Badge()),
            ),
        ),
    ),
    KeptLook("Old stock", Join(None, (Accent(Grain(0.07)), Accent(Stutter(16.0))))),
    KeptLook(
        "Shimmer of speed",
        Join(
            None, (Accent(Wobble(0.01, 4.0), _RISING), Accent(Grain(0.04), _RISING), Accent(Badge(), STEADY))
        ),
    ),
)
"""Looks that come with the program."""
