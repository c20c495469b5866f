"""Footage that is not there: dark frames at the right times, so that what is there can be worked on."""

from collections.abc import Callable, Iterable, Iterator
from contextlib import AbstractContextManager
from dataclasses import dataclass
from fractions import Fraction
from functools import cached_property
from pathlib import Path
from typing import Any

import numpy as np
import numpy.typing as npt
from av.video.frame import VideoFrame

from chronoxis.core.errors import FootageError
from chronoxis.core.footage.prefetch import Check, never
from chronoxis.core.footage.source import Facts, SoundFacts
from chronoxis.core.footage.usual import SteadySource, UsualReader
from chronoxis.core.model.canvas import Canvas
from chronoxis.core.model.export_format import Size
from chronoxis.core.model.footage import Footage
from chronoxis.core.picture.colour import Colour
from chronoxis.core.picture.picture_format import PictureFormat
from chronoxis.core.sound.samples import Samples
from chronoxis.core.timing.pace import Seconds

# More than an hour at 25 fps. A project may name hundreds of recordings of many hours that are not there:
# what stands for longer ones has coarser frames, at the right times all the same.
_MOST_FRAMES = 100_000
_DRAWN_HEIGHT = 180  # pixels of what is drawn in place of frames
_USUAL_CANVAS = Canvas(1280, 720, 1, 1, 1, False)


@dataclass(frozen=True, eq=False)
class AbsentSource(SteadySource):
    """Stands for footage of which only the project knows something.

    Attributes:
        footage: as the project has it.
        canvas: of the result.
        is_missing: whether it was looked for in vain; else it is on its way.
    """

    footage: Footage
    canvas: Canvas | None = None
    is_missing: bool = True

    @property
    def facts(self) -> Facts:
        """What the project knows."""
        return self

    @property
    def origin(self) -> object:
        """Where it should be."""
        return self.footage.origin

    @property
    def files(self) -> tuple[Path, ...]:
        """The files that it should be read from."""
        return self.footage.files

    @property
    def rate(self) -> Fraction:
        """As the project has it."""
        return self.footage.stored_rate

    @property
    def length(self) -> Fraction:
        """As the project has it."""
        return self.footage.stored_length

    @property
    def frame_count(self) -> int:
        """As many as its length and rate make, up to a number."""
        return max(1, min(round(self.length * self.rate), _MOST_FRAMES))

    @cached_property
    def picture(self) -> PictureFormat:
        """Of the size of the result."""
        canvas = self.canvas or _USUAL_CANVAS
        size = canvas.size
        return PictureFormat(*size, *size, 0, "yuv420p", 8, Colour.on(canvas))

    @property
    def sound(self) -> SoundFacts | None:
        """What is missing cannot be heard."""
        return None

    @property
    def recorded_on(self) -> None:
        """Nothing is known."""

    @property
    def caution(self) -> str:
        """Nothing: whoever looked for it says what is wrong."""
        return ""

    def summary(self) -> list[str]:
        """Nothing is known."""
        return []

    def rows(self) -> list[tuple[str, str]]:
        """Nothing is known."""
        return []

    def as_json(self) -> dict[str, Any]:
        """Nothing is known."""
        return {}

    @cached_property
    def edges(self) -> Seconds:
        """At a steady rate, up to its very length."""
        edges = np.arange(self.frame_count + 1) / float(self._frame_rate)
        edges[-1] = float(self.length)
        return edges

    @property
    def _frame_rate(self) -> Fraction:
        """That of its frames: the footage's own, unless there were too many of them."""
        return min(self.rate, _MOST_FRAMES / self.length)

    def frame_at(self, seconds: float) -> int:
        """Number of the frame on display."""
        return int(np.clip(int(seconds * float(self._frame_rate) + 1e-6), 0, self.frame_count - 1))

    def begins(self, frame: int) -> Fraction:
        """When a frame begins; behind the last one, the length."""
        return min(frame / self._frame_rate, self.length)

    @property
    def is_there(self) -> bool:
        """It stands for footage that is missing."""
        return False

    @property
    def has_pictures(self) -> bool:
        """Its dark frames only keep their places."""
        return False

    def reader(self, _threads: int = 0, _needed: Size | None = None, *, fit: bool = False) -> "DarkReader":
        """Gives dark frames."""
        return DarkReader()

    def sound_between(
        self,
        _begin: Fraction,
        _end: Fraction,
        _rate: int,
        _layout: str,
        broken: Callable[[Fraction], None] | None = None,
    ) -> AbstractContextManager[Iterator[Samples]]:
        """Raises FootageError: there is none."""
        raise FootageError(f"{self.footage.label} is not there.")


class DarkReader(UsualReader):
    """Gives one small dark frame for every number; it is brought to size like any other."""

    reduction = 1
    lost: set[int] = set()  # noqa: RUF012 - nothing is ever lost of nothing

    def __init__(self) -> None:
        self._frame = VideoFrame.from_ndarray(np.full((24, 16), 128, np.uint8), "yuv420p")
        memory = memoryview(self._frame.planes[0])
        self._frame.planes[0].update(bytes([16]) * len(memory))

    def frame(self, _number: int) -> VideoFrame:
        """A dark frame."""
        return self._frame

    def effort_to(self, _number: int) -> int:
        """Nothing is decoded."""
        return 0

    def frames(self, numbers: Iterable[int], check: Check = never) -> Iterator[tuple[int, VideoFrame]]:
        """Dark frames."""
        for number in sorted({int(number) for number in numbers}):
            yield number, self._frame

    def close(self) -> None:
        """Nothing is open."""


Drawn = Callable[[int, Size], npt.NDArray[np.uint8]]
"""Gives a picture in place of a frame, by its number and a size: R′G′B′, shape (height, width, 3)."""


@dataclass(frozen=True, eq=False)
class DrawnSource(AbsentSource):
    """Stands for footage that is being made, by small pictures of what will be in it."""

    draw: Drawn | None = None

    @property
    def files(self) -> tuple[Path, ...]:
        """None of the footage's own: what is made of small pictures must not be taken for it later."""
        return tuple(path.with_name(f"{path.name} (drawn small)") for path in self.footage.files)

    def reader(self, _threads: int = 0, _needed: Size | None = None, *, fit: bool = False) -> "DrawnReader":
        """Gives what is drawn."""
        if self.draw is None:
            raise AssertionError("nothing draws what this stands for")
        width, height = self.picture.size
        small = _DRAWN_HEIGHT * width // height // 2 * 2, _DRAWN_HEIGHT
        return DrawnReader(self.draw, small, self.picture.colour)


class DrawnReader(DarkReader):
    """Gives a small picture for each number."""

    def __init__(self, draw: Drawn, size: Size, colour: Colour) -> None:
        super().__init__()
        self._draw, self._size, self._colour = draw, size, colour

    def frame(self, number: int) -> VideoFrame:
        """A picture, drawn now."""
        drawn = VideoFrame.from_ndarray(np.ascontiguousarray(self._draw(number, self._size)), "rgb24")
        return drawn.reformat(
            format="yuv420p",
            dst_colorspace=self._colour.scaler_matrix,
            dst_color_range=self._colour.scaler_range,
        )

    def frames(self, numbers: Iterable[int], check: Check = never) -> Iterator[tuple[int, VideoFrame]]:
        """Pictures, one after the other."""
        for number in sorted({int(number) for number in numbers}):
            check()
            yield number, self.frame(number)
