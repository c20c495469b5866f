"""What a person chooses of how result frames are made."""

from dataclasses import dataclass
from enum import StrEnum
from fractions import Fraction

MAX_SHUTTER = 720
"""Degrees."""

ALL_RECORDED = 360.0
"""The shutter that takes in all that was recorded: it is open from one result frame to the next."""

MAX_WINDOW = Fraction(24 * 3600)
"""Recorded seconds of a window of *clear*, at most."""


FEWEST_CLEARED = 3
"""Recorded frames of which a median leaves out what only one of them has."""


@dataclass(frozen=True)
class _Entry:
    """A way of `EachFrame`, and what is known of it.

    Attributes:
        key: what project files and the command line call it.
        label: what a person calls it, with ``&`` before the letter that chooses it.
        about: what it does, in a few words.
        gathers: whether it is made of all that is on display while the shutter is open.
        adds_light: whether frames count by how long they are open, so that a window may be soft; else alike.
        looks_wider: whether it may look at more than the shutter takes in (`FrameMaking.window`).
        fills: whether steps along the motion can be filled in.
    """

    key: str
    label: str
    about: str
    gathers: bool = True
    adds_light: bool = False
    looks_wider: bool = False
    fills: bool = False


class EachFrame(StrEnum):
    """How one result frame is made out of recorded frames.

    A further way is an entry here, a module of `core.picture`, and a line in `making.FRAME_MAKERS`.
    """

    entry: _Entry

    def __new__(cls, entry: _Entry) -> "EachFrame":
        """A member whose value is its key."""
        member = str.__new__(cls, entry.key)
        member._value_ = entry.key
        member.entry = entry
        return member

    ONE = _Entry(
        "one",
        "&One frame",
        "The recorded frame that shows when the result frame opens",
        gathers=False,
        fills=True,
    )
    LONG_EXPOSURE = _Entry(
        "long-exposure",
        "Lon&g exposure",
        "The mean, in linear light, of all recorded frames while open",
        adds_light=True,
        fills=True,
    )
    BRIGHTEST = _Entry(
        "brightest", "&Brightest", "Of every pixel the most light while open: trails of lights"
    )
    DARKEST = _Entry("darkest", "&Darkest", "Of every pixel the least light while open")
    CLEAR = _Entry(
        "clear",
        "&Clear",
        "The median while open, or over a wider window: without who passes by",
        looks_wider=True,
    )


class Fill(StrEnum):
    """Steps along the motion between recorded frames, so that no separate copies show."""

    NONE = "none"
    QUICK = "quick"
    GOOD = "good"
    FINEST = "finest"


class Between(StrEnum):
    """What is shown where there are too few recorded frames."""

    HOLD = "hold"
    BLEND = "blend"
    MOTION = "motion"


class PassersBy(StrEnum):
    """What is done about what crosses the picture near the lens."""

    LEAVE = "leave"
    SKIP = "skip"
    CLEAR = "clear"


@dataclass(frozen=True)
class FrameMaking:
    """How the result frames of a passage are made.

    Attributes:
        each: out of which recorded frames.
        shutter: degrees, for the ways that gather and for blur that is added.
        soft: whether a long exposure fades in and out rather than opens and shuts.
        window: recorded seconds that *clear* looks at; as long as the shutter is open, if None.
        fill: of a long exposure, or of one frame and its neighbour: blur that is added.
        between: where there are too few recorded frames.
        line_up: above 1×, by how much of a step a frame may be away from the even one, so that neighbours
            line up; 0 keeps the even step.
    """

    each: EachFrame = EachFrame.ONE
    shutter: float = ALL_RECORDED
    soft: bool = False
    window: Fraction | None = None
    fill: Fill = Fill.NONE
    between: Between = Between.HOLD
    line_up: float = 0.0

    @property
    def is_open(self) -> bool:
        """Whether the shutter counts."""
        return self.each.entry.gathers or self.fill is not Fill.NONE

    @property
    def is_soft(self) -> bool:
        """Whether the window fades; filled frames are exposed evenly along the motion."""
        return self.soft and self.each.entry.adds_light and not self.is_filled

    @property
    def is_filled(self) -> bool:
        """Whether steps along the motion are filled in."""
        return self.fill is not Fill.NONE and self.each.entry.fills

    @property
    def spans_frames(self) -> bool:
        """Whether what lies between two recorded frames of a scene is made out of both."""
        return self.is_filled or self.between is not Between.HOLD


PLAIN = FrameMaking()
"""One frame, as it was recorded."""
