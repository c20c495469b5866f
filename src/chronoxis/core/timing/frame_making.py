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


class EachFrame(StrEnum):
    """How one result frame is made out of recorded frames."""

    ONE = "one"
    LONG_EXPOSURE = "long-exposure"
    BRIGHTEST = "brightest"
    DARKEST = "darkest"
    CLEAR = "clear"

    @property
    def gathers(self) -> bool:
        """Whether it is made of all that is on display while the shutter is open."""
        return self is not EachFrame.ONE

    @property
    def adds_light(self) -> bool:
        """Whether fill steps and a soft window mean anything to it."""
        return self is EachFrame.LONG_EXPOSURE


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
        return self.each.gathers or self.fill is not Fill.NONE

    @property
    def is_soft(self) -> bool:
        """Whether the window fades; filled frames are exposed evenly along the motion."""
        return self.soft and self.each.adds_light and not self.is_filled

    @property
    def is_filled(self) -> bool:
        """Whether steps along the motion are filled in."""
        return self.fill is not Fill.NONE and (self.each.adds_light or self.each is EachFrame.ONE)

    @property
    def spans_frames(self) -> bool:
        """Whether what lies between two recorded frames of a scene is made out of both."""
        return self.is_filled or self.between is not Between.HOLD


PLAIN = FrameMaking()
"""One frame, as it was recorded."""
