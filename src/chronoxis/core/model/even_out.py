"""How the light of a shot's frames is evened out, as a person chose."""

from dataclasses import dataclass
from fractions import Fraction

from chronoxis.core.errors import PlanError
from chronoxis.core.timing.exact import parse_exact, shortened
from chronoxis.core.timing.timecode import format_time

MAX_SPAN = Fraction(31 * 86400)
"""Recorded seconds."""


@dataclass(frozen=True)
class EvenOut:
    """Correct each frame's light towards a smooth course.

    Attributes:
        strength: share of the way, 0 to 1; 0 is off.
        span: recorded seconds below which changes of light are flicker; the usual, if None.
        channels: whether red, green and blue are evened out each by itself.
    """

    strength: float = 0.0
    span: Fraction | None = None
    channels: bool = False

    def __post_init__(self) -> None:
        if not 0 <= self.strength <= 1:
            raise PlanError("A strength lies between 0 and 1, or 0% and 100%.")
        if self.span is not None and not 0 < self.span <= MAX_SPAN:
            raise PlanError(f"A span lies above 0 and up to {format_time(MAX_SPAN, 0)} of recorded time.")


AS_RECORDED = EvenOut()
"""Off."""


def parse_strength(text: str) -> float:
    """Read ``0.7`` or ``70%``. Raises PlanError if it is neither, or not between 0 and 1."""
    cleaned = text.strip()
    try:
        share = parse_exact(cleaned.removesuffix("%"))
    except (ValueError, ZeroDivisionError):
        raise PlanError(f"“{shortened(text)}” is not a strength; write 0.7 or 70%.") from None
    return EvenOut(float(share / 100 if cleaned.endswith("%") else share)).strength
