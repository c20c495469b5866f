"""How one result frame is made out of recorded frames. A further way is a module and a line in `WAYS`."""

from collections.abc import Callable, Mapping
from typing import Protocol

from av.video.frame import VideoFrame

from chronoxis.core.picture.colour import Colour
from chronoxis.core.picture.long_exposure import LightMean
from chronoxis.core.picture.rgb import Rgb16
from chronoxis.core.timing.schedule import EachFrame

Made = VideoFrame | Rgb16
"""An untouched recorded frame in its own format, or R′G′B′ codes of a new picture."""


class Making(Protocol):
    """One result frame under way; all its recorded frames are of one size and colour."""

    def add(self, frame: VideoFrame, weight: float = 1.0) -> None:
        """Take in a recorded frame; weights count relative to one another, the heaviest as 1."""

    def made(self) -> Made:
        """The picture. What was taken in is forgotten, so that the next result frame can be made."""


class OneFrame:
    """Keeps the recorded frame as it is."""

    def __init__(self) -> None:
        self._frame: VideoFrame | None = None

    def add(self, frame: VideoFrame, _weight: float = 1.0) -> None:
        """Take the frame."""
        self._frame = frame

    def made(self) -> VideoFrame:
        """The frame itself. Raises ValueError if there is none."""
        frame, self._frame = self._frame, None
        if frame is None:
            raise ValueError("one frame is to be kept, and none came")
        return frame


WAYS: Mapping[EachFrame, Callable[[Colour, int], Making]] = {
    EachFrame.ONE: lambda _colour, _frames: OneFrame(),
    EachFrame.LONG_EXPOSURE: LightMean,
}
"""Of each way, what makes its frames: from the colour of the recorded frames, and how many there will be."""


class Makings:
    """Gives out what makes result frames, and takes it back to be used again: it holds large arrays."""

    def __init__(self, colour: Colour) -> None:
        self._colour = colour
        self._idle: dict[EachFrame, list[Making]] = {way: [] for way in WAYS}

    def begin(self, way: EachFrame, frames: int) -> Making:
        """What makes a result frame of so many recorded ones."""
        idle = self._idle[way]
        return idle.pop() if idle else WAYS[way](self._colour, frames)

    def end(self, way: EachFrame, making: Making) -> None:
        """Take one back that has given its picture."""
        self._idle[way].append(making)
