"""Named moments."""

from dataclasses import dataclass
from fractions import Fraction


@dataclass(frozen=True)
class Marker:
    """A named moment; seconds on whatever rail it stands on."""

    at: Fraction
    name: str
