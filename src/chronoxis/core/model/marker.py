"""Named moments."""

from dataclasses import dataclass
from fractions import Fraction
from functools import cached_property


@dataclass(frozen=True)
class Marker:
    """A named moment; seconds on whatever rail it stands on."""

    at: Fraction
    name: str

    @cached_property
    def seconds(self) -> float:
        """``at``, rounded: for whoever looks at thousands."""
        return float(self.at)
