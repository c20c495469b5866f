"""How one result frame is made out of recorded frames."""

from collections import defaultdict
from collections.abc import Callable, Mapping
from functools import partial
from typing import Protocol

from chronoxis.core.picture.added_way import AddedMaker
from chronoxis.core.picture.clear import Clear
from chronoxis.core.picture.colour import Colour
from chronoxis.core.picture.described import Picture
from chronoxis.core.picture.extremes import Extremes
from chronoxis.core.picture.filled import AT_ONCE, FINEST_STEPS, GOOD_STEPS, QUICK_STEPS, Filled, Passed
from chronoxis.core.picture.in_between import InBetween, LightPair
from chronoxis.core.picture.long_exposure import LightMean
from chronoxis.core.picture.motion import FINEST
from chronoxis.core.timing.frame_making import EachFrame
from chronoxis.core.timing.shot_columns import Derived, Way


class FrameMaker(Protocol):
    """One result frame under way; all its recorded frames are of one size and colour, and come in order."""

    def add(self, picture: Picture, weight: float = 1.0, passed: Passed = AT_ONCE) -> None:
        """Take in a recorded frame; weights count relative to one another. ``passed`` is of the way to it."""

    def made(self) -> Picture:
        """The picture. What was taken in is forgotten, so that the next result frame can be made."""


class OneFrame:
    """Keeps the recorded frame as it is."""

    def __init__(self) -> None:
        self._picture: Picture | None = None

    def add(self, picture: Picture, _weight: float = 1.0, _passed: object = None) -> None:
        """Take the frame."""
        self._picture = picture

    def made(self) -> Picture:
        """The frame itself. Raises ValueError if there is none."""
        picture, self._picture = self._picture, None
        if picture is None:
            raise ValueError("one frame is to be kept, and none came")
        return picture


FRAME_MAKERS: Mapping[Way, Callable[[Colour], Callable[[], FrameMaker]]] = {
    EachFrame.ONE: lambda _colour: OneFrame,
    EachFrame.LONG_EXPOSURE: lambda colour: partial(LightMean, colour),
    EachFrame.BRIGHTEST: lambda colour: partial(Extremes, colour, brightest=True),
    EachFrame.DARKEST: lambda colour: partial(Extremes, colour, brightest=False),
    EachFrame.CLEAR: lambda colour: partial(Clear, colour),
    # The same two frames serve several pictures between them.
    Derived.IN_BETWEEN: lambda colour: partial(InBetween, LightPair(colour, FINEST)),
    Derived.FILLED_QUICK: lambda colour: partial(Filled, colour, QUICK_STEPS),
    Derived.FILLED_GOOD: lambda colour: partial(Filled, colour, GOOD_STEPS),
    Derived.FILLED_FINEST: lambda colour: partial(Filled, colour, FINEST_STEPS),
}
"""Of each way of the program's own, what gives a making for each of its frames, from the recorded colour."""


class FrameMakers:
    """Gives out what makes result frames, and takes it back to be used again: it holds large arrays."""

    def __init__(self, colour: Colour) -> None:
        self._colour = colour
        self._new = {way: making(colour) for way, making in FRAME_MAKERS.items()}
        self._idle: defaultdict[Way, list[FrameMaker]] = defaultdict(list)

    def begin(self, way: Way) -> FrameMaker:
        """What makes a result frame; one frame, where the package that adds a way is not there."""
        if idle := self._idle[way]:
            return idle.pop()
        if way in self._new:
            return self._new[way]()
        assert isinstance(way, EachFrame)
        return OneFrame() if way.is_missing else AddedMaker(way, self._colour)

    def end(self, way: Way, making: FrameMaker) -> None:
        """Take one back that has given its picture."""
        self._idle[way].append(making)
