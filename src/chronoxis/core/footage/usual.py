"""What most opened footage answers alike."""

from abc import ABC, abstractmethod
from collections.abc import Hashable, Iterable, Iterator
from fractions import Fraction
from types import TracebackType
from typing import TYPE_CHECKING, Self, cast

import numpy as np
from av.video.frame import VideoFrame

from chronoxis.core.footage.prefetch import Check, never
from chronoxis.core.footage.source import Flaw, Originals
from chronoxis.core.model.export_format import Size
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

    def form_of_frames(self, _needed: Size | None, *, fit: bool) -> Hashable:
        """Frames come as they were recorded, whatever is needed of them."""
        return None

    @property
    def originals(self) -> Originals:
        """It is read as it was recorded: nothing about its course can be chosen."""
        return Originals(cast("Source", self))


class UsualReader(ABC):
    """Gives one frame as it gives several, and is closed at the end of a ``with`` statement."""

    def __enter__(self) -> Self:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self.close()

    def frame(self, number: int) -> VideoFrame:
        """One frame. Raises FootageError if there is none that could stand in for it."""
        return next(iter(self.frames([number])))[1]

    @abstractmethod
    def frames(self, numbers: Iterable[int], check: Check = never) -> Iterator[tuple[int, VideoFrame]]:
        """As `Reader.frames`."""

    @abstractmethod
    def close(self) -> None:
        """Let go of what is open."""


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
        """How many frames there are; at least one."""

    def frame_at(self, seconds: float) -> int:
        """Number of the frame on display."""
        return int(np.clip(int(seconds * float(self.rate) + 1e-6), 0, self.frame_count - 1))

    def begins(self, frame: int) -> Fraction:
        """When a frame begins; behind the last one, the length."""
        return min(frame / self.rate, self.length)
