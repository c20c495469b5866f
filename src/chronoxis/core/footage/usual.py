"""What most opened footage answers alike."""

from abc import ABC, abstractmethod
from fractions import Fraction
from typing import TYPE_CHECKING, cast

import numpy as np

from chronoxis.core.footage.source import Flaw, Originals
from chronoxis.core.timing.shot_columns import NO_SPANS, Spans

if TYPE_CHECKING:
    from chronoxis.core.footage.source import Source


class UsualSource:
    """Every frame is there and can be seen as it was recorded, nothing is known to be wrong."""

    @property
    def is_quick(self) -> bool:
        """Any frame can be had as soon as the next one."""
        return True

    @property
    def flaws(self) -> tuple[Flaw, ...]:
        """Nothing is known to be wrong."""
        return ()

    @property
    def is_there(self) -> bool:
        """What was opened is the footage itself."""
        return True

    @property
    def start(self) -> Fraction:
        """Its clock begins with it."""
        return Fraction(0)

    @property
    def has_pictures(self) -> bool:
        """What was opened can be looked at."""
        return True

    @property
    def holes(self) -> Spans:
        """Every frame is there."""
        return NO_SPANS

    @property
    def originals(self) -> Originals:
        """It is read as it was recorded: nothing about its course can be chosen."""
        return Originals(cast("Source", self))


class SteadySource(UsualSource, ABC):
    """Frames follow one another at one rate, and the last one stays up to the length."""

    @property
    @abstractmethod
    def rate(self) -> Fraction:
        """Frames per stored second."""

    @property
    @abstractmethod
    def length(self) -> Fraction:
        """Stored seconds."""

    @property
    @abstractmethod
    def frame_count(self) -> int:
        """At least one."""

    def frame_at(self, seconds: float) -> int:
        """Number of the frame on display."""
        return int(np.clip(int(seconds * float(self.rate) + 1e-6), 0, self.frame_count - 1))

    def begins(self, frame: int) -> Fraction:
        """When a frame begins; behind the last one, the length."""
        return min(frame / self.rate, self.length)
