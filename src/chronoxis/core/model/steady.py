"""How the pictures of a shot are steadied, as a person chose."""

from dataclasses import dataclass, replace
from enum import StrEnum

from chronoxis.core.errors import PlanError
from chronoxis.core.timing.exact import parse_exact, shortened

MOST_CROP = 0.4
"""Share of the picture's width and height that steadying may take at most."""


class SteadyMode(StrEnum):
    """What the camera should seem to do."""

    OFF = "off"
    SMOOTH = "smooth"
    STILL = "still"


@dataclass(frozen=True)
class Steady:
    """Moves each recorded frame so that the camera's path is smooth, or stands.

    Attributes:
        mode: what the camera should seem to do.
        strength: 0 to 1; how long the stretches are over which it is smoothed.
        crop: share of the picture's width and height that may be given up.
        level: whether its turning is taken out altogether, so that the horizon keeps its slope.
    """

    mode: SteadyMode = SteadyMode.OFF
    strength: float = 0.6
    crop: float = 0.1
    level: bool = False

    def __post_init__(self) -> None:
        if not 0 <= self.strength <= 1:
            raise PlanError("A strength lies between 0 and 1, or 0% and 100%.")
        if not 0 < self.crop <= MOST_CROP:
            raise PlanError(f"A crop budget lies above 0% and up to {MOST_CROP:.0%} of the picture.")

    @property
    def is_on(self) -> bool:
        """Whether it does anything."""
        return self.mode is not SteadyMode.OFF


AS_FILMED = Steady()
"""Off."""


def parse_steady(text: str) -> Steady:
    """Read ``smooth``, ``still:0.8`` or ``smooth:80%``. Raises PlanError if it is none of these."""
    mode, _, strength = text.strip().lower().partition(":")
    try:
        chosen = Steady(SteadyMode(mode))
        if not strength:
            return chosen
        share = float(parse_exact(strength.removesuffix("%")))
    except ValueError:
        raise PlanError(
            f"“{shortened(text)}” is not off, smooth or still, perhaps with a strength."
        ) from None
    return replace(chosen, strength=share / 100 if strength.endswith("%") else share)


def parse_crop_budget(text: str) -> float:
    """Read ``10`` or ``10%`` as a share. Raises PlanError if it is no number or out of range."""
    try:
        share = float(parse_exact(text.strip().removesuffix("%"))) / 100
    except (ValueError, ZeroDivisionError):
        raise PlanError(f"“{shortened(text)}” is not a percentage; write 10 or 10%.") from None
    return Steady(crop=share).crop
