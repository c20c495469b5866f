"""What any footage is once it is opened, whatever its kind."""

from collections.abc import Callable, Hashable, Iterable, Iterator
from contextlib import AbstractContextManager
from dataclasses import dataclass
from datetime import datetime
from fractions import Fraction
from pathlib import Path
from types import TracebackType
from typing import Any, Protocol, Self, TypeVar

import numpy as np
import numpy.typing as npt
from av.video.frame import VideoFrame

from chronoxis.core.footage.prefetch import Check, never
from chronoxis.core.model.export_format import Size
from chronoxis.core.picture.picture_format import PictureFormat
from chronoxis.core.sound.samples import Samples
from chronoxis.core.timing.pace import Seconds
from chronoxis.core.timing.shot_columns import Frames, Spans

Progress = Callable[[float], None]
"""Called with the share done, 0 to 1; it may raise `Cancelled` to stop the work."""

Thumbnails = Callable[[float], VideoFrame | None]
"""Gives a picture from near a moment, in stored seconds, or None where there is a hole."""

Number = TypeVar("Number", bound=np.generic)
"""Of a column, whatever it tells."""


@dataclass(frozen=True)
class SoundFacts:
    """The sound beside the picture."""

    codec: str
    sample_rate: int
    channels: int
    layout: str


@dataclass(frozen=True)
class Flaw:
    """Something wrong at a place.

    Attributes:
        begin: stored second.
        end: likewise; the same for what is not there.
        words: what it is.
    """

    begin: float
    end: float
    words: str


class Facts(Protocol):
    """What is known of footage: from its header at first, from its frames once they were counted."""

    @property
    def origin(self) -> Hashable:
        """What it is opened from."""

    @property
    def length(self) -> Fraction:
        """Stored seconds."""

    @property
    def rate(self) -> Fraction:
        """Frames per stored second, exact; the average, where it varies."""

    @property
    def frame_count(self) -> int:
        """Frames, or photos."""

    @property
    def picture(self) -> PictureFormat:
        """What its pictures are like."""

    @property
    def sound(self) -> SoundFacts | None:
        """Its main sound, if it has any."""

    @property
    def recorded_on(self) -> datetime | None:
        """When its first frame was recorded, as far as that is known."""

    @property
    def caution(self) -> str:
        """What is wrong with it, in a sentence, or nothing."""

    def summary(self) -> list[str]:
        """In a few words each, what stands beside its length and rate; the most telling first."""

    def rows(self) -> list[tuple[str, str]]:
        """All that is known, by name, for a person to read."""

    def as_json(self) -> dict[str, Any]:
        """All that is known, for a program to read."""


@dataclass(frozen=True, eq=False)
class Originals:
    """Footage as it was recorded, whatever was chosen about its course: what traces are measured of.

    Attributes:
        source: each of its frames is a recorded frame, or a photo.
        numbers: of each frame of the course, which of these it shows; None where they are the same.
        leaps: those that can be had without others before them, ascending; None where all can.
    """

    source: "Source"
    numbers: Frames | None = None
    leaps: Frames | None = None

    def recorded(self, frames: Frames) -> Frames:
        """The recorded frames, or photos, that frames of the course show."""
        return frames if self.numbers is None else self.numbers[frames]

    def along_course(self, column: npt.NDArray[Number]) -> npt.NDArray[Number]:
        """What is told of each recorded frame, told of each frame of the course."""
        return column if self.numbers is None else column[self.numbers]

    def leap_before(self, frame: int) -> int:
        """The last frame up to one that can be had without others before it; itself, where all can."""
        if self.leaps is None or not len(self.leaps):
            return frame
        return int(self.leaps[max(0, int(np.searchsorted(self.leaps, frame, "right")) - 1)])


class Reader(Protocol):
    """Gives numbered frames, all of one size. For one thread; to be closed."""

    @property
    def reduction(self) -> int:
        """By how much frames are smaller than they were recorded, at least."""

    @property
    def lost(self) -> set[int]:
        """Numbers of frames that were asked for and stood in for by others, since they cannot be had."""

    def frame(self, number: int) -> VideoFrame:
        """One frame. Raises FootageError if it cannot be had."""

    def effort_to(self, number: int) -> int:
        """How many frames have to be decoded for one, as things stand."""

    def frames(self, numbers: Iterable[int], check: Check = never) -> Iterator[tuple[int, VideoFrame]]:
        """Frames with their numbers, for ascending numbers. Raises FootageError as `frame`.

        Where that takes long, ``check`` is called between single steps.
        """

    def close(self) -> None:
        """Let go of what is open."""

    def __enter__(self) -> Self: ...

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None: ...


class Source(Protocol):
    """Opened footage whose frames were counted: ready for exact access."""

    @property
    def facts(self) -> Facts:
        """What its header, and the count of its frames, say of it."""

    @property
    def files(self) -> tuple[Path, ...]:
        """The files that it is read from."""

    @property
    def rate(self) -> Fraction:
        """Frames per stored second, exact; the average, where it varies."""

    @property
    def length(self) -> Fraction:
        """Stored seconds."""

    @property
    def edges(self) -> Seconds:
        """Shape (frames + 1,); frame i is on display over ``edges[i]:edges[i + 1]`` stored seconds."""

    def frame_at(self, seconds: float) -> int:
        """Number of the frame on display at a stored second; the first or last one outside."""

    def begins(self, frame: int) -> Fraction:
        """Stored second at which a frame's display begins; of the frame behind the last one, the length."""

    @property
    def is_quick(self) -> bool:
        """Whether any one frame can be had as soon as the next one."""

    @property
    def flaws(self) -> tuple[Flaw, ...]:
        """What is known to be wrong, by place."""

    @property
    def is_there(self) -> bool:
        """Whether it is the footage itself, not only what stands for it where that is missing."""

    @property
    def has_pictures(self) -> bool:
        """Whether it has pictures that can be looked at."""

    @property
    def start(self) -> Fraction:
        """Where it begins, on its file's own clock."""

    @property
    def holes(self) -> Spans:
        """Frames that are not there and are to be filled in from both sides."""

    @property
    def originals(self) -> Originals:
        """The same footage as it was recorded."""

    def form_of_frames(self, needed: Size | None, *, fit: bool) -> Hashable:
        """What frames are like that a `reader` gives of which so much is needed: equal if they are alike."""

    def reader(self, threads: int = 0, needed: Size | None = None, *, fit: bool = False) -> Reader:
        """Open it for reading with so many threads; 0 is as many as the library likes.

        Frames may be smaller than recorded, but not smaller than ``needed``, where that is given. With
        ``fit`` they may be of that very size, where it is cheaper to bring them to it beside decoding.

        Raises:
            FootageError: it cannot be opened.
        """

    def sound_between(
        self,
        begin: Fraction,
        end: Fraction,
        rate: int,
        layout: str,
        broken: Callable[[Fraction], None] | None = None,
    ) -> AbstractContextManager[Iterator[Samples]]:
        """Its main sound between two stored seconds: blocks that follow one another without gaps.

        ``broken`` is told on which second of the file's own clock a piece cannot be decoded.

        Raises:
            FootageError: it has none, or it cannot be decoded.
        """
