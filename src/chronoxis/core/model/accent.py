"""Accents: looks that come and go with the speed, as they are chosen."""

from dataclasses import dataclass
from enum import StrEnum
from fractions import Fraction
from typing import ClassVar

from chronoxis.core.errors import PlanError
from chronoxis.core.timing.exact import parse_exact, shortened

MOST_STRENGTH = 2.0
"""Of an accent, where 1 is full."""

STUTTERS = (8.0, 18.0)
"""Held pictures a second, at least and at most."""


class Response(StrEnum):
    """How an amount follows what drives it."""

    EVEN = "even"
    GENTLE = "gentle"
    LATE = "late"


@dataclass(frozen=True)
class BySpeed:
    """Follows the speed, by its logarithm.

    Attributes:
        none_at: the speed at which there is nothing of the accent yet.
        full_at: the speed at which it is full; below ``none_at`` for what slows down.
        response: how it grows between them.
    """

    none_at: Fraction
    full_at: Fraction
    response: Response = Response.EVEN

    def __post_init__(self) -> None:
        if self.none_at <= 0 or self.full_at <= 0 or self.none_at == self.full_at:
            raise PlanError("An accent follows the speed from one speed to another, both above zero.")


@dataclass(frozen=True)
class ByJoin:
    """Follows the joins: nothing where a run-up begins, full at the cut, nothing where the run-out ends."""

    response: Response = Response.LATE


@dataclass(frozen=True)
class Point:
    """An amount at a moment.

    Attributes:
        at: share of the stretch that the accent is on, 0 to 1.
        amount: 0 to 1.
    """

    at: Fraction
    amount: float


@dataclass(frozen=True)
class ByPoints:
    """A curve of its own: straight between its points, level outside them; ascending, at least one."""

    points: tuple[Point, ...]

    def __post_init__(self) -> None:
        places = [point.at for point in self.points]
        if not places or places != sorted(set(places)) or places[0] < 0 or places[-1] > 1:
            raise PlanError("The points of an accent lie in order, between 0 and 1.")
        if not all(0 <= point.amount <= 1 for point in self.points):
            raise PlanError("The amount of an accent lies between 0 and 1.")


Amount = BySpeed | ByJoin | ByPoints

STEADY = ByPoints((Point(Fraction(0), 1.0),))
"""Full throughout."""


@dataclass(frozen=True)
class Flash:
    """More light.

    Attributes:
        stops: by how many doublings of light, when full; below 0 it grows dark.
    """

    key: ClassVar[str] = "flash"
    stops: float = 2.0


@dataclass(frozen=True)
class Streak:
    """Blur along a direction, as of a fast camera.

    Attributes:
        length: share of the picture's width that a point is drawn to, when full.
        direction: degrees, 0 to the right, 90 up; None takes the camera's own, or level without one.
    """

    key: ClassVar[str] = "streak"
    length: float = 0.08
    direction: float | None = None


@dataclass(frozen=True)
class Wobble:
    """Waves of sideways displacement.

    Attributes:
        size: share of the picture's width, when full.
        waves: how many there are from top to bottom.
        opens: whether the edges of the picture move as well, with black behind them.
    """

    key: ClassVar[str] = "wobble"
    size: float = 0.02
    waves: float = 2.5
    opens: bool = False


@dataclass(frozen=True)
class Grain:
    """Grain, new in every frame.

    Attributes:
        level: standard deviation in mid tones, as a share of white's code value, when full.
        size: of a grain, as a share of the picture's height.
    """

    key: ClassVar[str] = "grain"
    level: float = 0.04
    size: float = 0.003


@dataclass(frozen=True)
class Lines:
    """The lines of a screen that is filmed.

    Attributes:
        count: lines from top to bottom.
        depth: how much light the gaps between them lose, 0 to 1, when full.
        warp: by how much the picture bulges, as a share of its half diagonal, when full.
        fringe: how far red and blue part at the sides, as a share of the width, when full.
    """

    key: ClassVar[str] = "lines"
    count: int = 180
    depth: float = 0.6
    warp: float = 0.06
    fringe: float = 0.004


@dataclass(frozen=True)
class Stutter:
    """Pictures that are held. It holds where its amount is above a half.

    Attributes:
        rate: held pictures per result second.
    """

    key: ClassVar[str] = "stutter"
    rate: float = 12.0

    def __post_init__(self) -> None:
        if not STUTTERS[0] <= self.rate <= STUTTERS[1]:
            raise PlanError(f"A stutter holds {STUTTERS[0]:g} to {STUTTERS[1]:g} pictures a second.")


class Corner(StrEnum):
    """Where a badge stands."""

    TOP_LEFT = "top left"
    TOP_RIGHT = "top right"
    BOTTOM_LEFT = "bottom left"
    BOTTOM_RIGHT = "bottom right"


@dataclass(frozen=True)
class Badge:
    """A mark that time is condensed, or runs back, with the speed.

    Attributes:
        corner: where it stands.
        size: its height, as a share of the picture's.
        blinks: whether it comes and goes once a second.
    """

    key: ClassVar[str] = "badge"
    corner: Corner = Corner.TOP_RIGHT
    size: float = 0.09
    blinks: bool = False


Look = Flash | Streak | Wobble | Grain | Lines | Stutter | Badge

LOOKS: tuple[type[Look], ...] = (Flash, Streak, Wobble, Grain, Lines, Stutter, Badge)

NAMES = {
    Flash: "flash",
    Streak: "streak",
    Wobble: "wobble",
    Grain: "grain",
    Lines: "screen lines",
    Stutter: "stutter",
    Badge: "badge",
}
"""What a person calls each look."""

_RANGES: dict[str, tuple[float, float]] = {
    "stops": (-8, 8),
    "length": (0, 0.5),
    "direction": (-360, 360),
    "waves": (0.1, 50),
    "level": (0, 0.5),
    "count": (10, 1200),
    "depth": (0, 1),
    "warp": (0, 0.3),
    "fringe": (0, 0.05),
}
_SIZES = {Wobble: (0.0, 0.2), Grain: (0.0005, 0.05), Badge: (0.02, 0.5)}


@dataclass(frozen=True)
class Accent:
    """A look with its amount.

    Attributes:
        look: what it does to a picture.
        amount: how much of it, when.
        strength: times its amount; 1 is full, at most `MOST_STRENGTH`.
        seed: of what is random in it.
    """

    look: Look
    amount: Amount = STEADY
    strength: float = 1.0
    seed: int = 1

    def __post_init__(self) -> None:
        if not 0 <= self.strength <= MOST_STRENGTH:
            raise PlanError(f"The strength of an accent lies between 0 and {MOST_STRENGTH * 100:g}%.")
        for name, value in vars(self.look).items():
            low, high = _SIZES[type(self.look)] if name == "size" else _RANGES.get(name, (-1e9, 1e9))
            if isinstance(value, float | int) and not low <= value <= high:
                raise PlanError(
                    f"The {name} of a {NAMES[type(self.look)]} lies between {low:g} and {high:g}."
                )

    @property
    def name(self) -> str:
        """What a person calls it."""
        return NAMES[type(self.look)]


def parse_accent(text: str) -> Accent:
    """Read ``flash``, ``flash:0.5`` or ``lines:40%``: a look, throughout, at an amount.

    Raises:
        PlanError: there is no such look, or the amount is out of range.
    """
    name, _, amount = text.strip().lower().partition(":")
    look = next((each for each in LOOKS if name in (each.key, NAMES[each])), None)
    if look is None:
        named = ", ".join(each.key for each in LOOKS)
        raise PlanError(f"“{shortened(text)}” is no accent; there are {named}.")
    try:
        strength = parse_exact(amount.removesuffix("%") or "1")
    except ValueError:
        raise PlanError(f"“{shortened(amount)}” is no amount; write 0.5 or 50%.") from None
    return Accent(look(), strength=float(strength / 100 if amount.endswith("%") else strength))
