"""What a place takes that results are sent to: how long, how large, of what shape and rate."""

from dataclasses import dataclass
from fractions import Fraction

from chronoxis.core.errors import PlanError

_LONGEST_NAME = 40  # letters


@dataclass(frozen=True)
class Limits:
    """What a place takes; of what it does not mind, None.

    Attributes:
        name: of the place.
        longest: result seconds.
        largest: bytes.
        shape: width by height.
        fastest: frames per second.
    """

    name: str
    longest: Fraction | None = None
    largest: int | None = None
    shape: Fraction | None = None
    fastest: Fraction | None = None

    def __post_init__(self) -> None:
        if not self.name.strip() or len(self.name) > _LONGEST_NAME:
            raise PlanError(f"A place needs a name of up to {_LONGEST_NAME} letters.")
        numbers = (self.longest, self.largest, self.shape, self.fastest)
        if any(number is not None and number <= 0 for number in numbers):
            raise PlanError("What a place takes lies above zero.")


SHIPPED = (
    Limits("a message", Fraction(180), 16_000_000),
    Limits("a mail", None, 20_000_000),
    Limits("an upright clip", Fraction(60), None, Fraction(9, 16), Fraction(60)),
    Limits("a square post", Fraction(60), None, Fraction(1), Fraction(60)),
    Limits("a slide", Fraction(30), 100_000_000, Fraction(16, 9), Fraction(30)),
)
"""A table to begin with; people change it as their places do."""
