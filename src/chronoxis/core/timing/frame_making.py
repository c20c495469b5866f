"""What a person chooses of how result frames are made."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from enum import StrEnum
from fractions import Fraction
from functools import cache
from typing import Any, ClassVar

from chronoxis.core.errors import PlanError
from chronoxis.core.extensions import WAYS, guarded, usable
from chronoxis.core.parameters import Unread, check_parameters, read_values
from chronoxis.core.timing.exact import shortened

MAX_SHUTTER = 720
"""The widest shutter, in degrees."""

ALL_RECORDED = 360.0
"""The shutter that takes in all that was recorded: it is open from one result frame to the next."""

MAX_WINDOW = Fraction(24 * 3600)
"""Recorded seconds of a window of *clear*, at most."""


FEWEST_CLEARED = 3
"""Recorded frames of which a median leaves out what only one of them has."""


@dataclass(frozen=True)
class WayEntry:
    """A way of making a result frame, and what is known of it.

    Attributes:
        key: what project files and the command line call it.
        label: what a person calls it, with ``&`` before the letter that chooses it.
        about: what it does, in a few words.
        gathers: whether it is made of all that is on display while the shutter is open.
        adds_light: whether frames count by how long they are open, so that a window may be soft; else alike.
        looks_wider: whether it may look at more than the shutter takes in (`FrameMaking.window`).
        fills: whether steps along the motion can be filled in.
        most: recorded frames that it takes, evenly spread, if there are more; 0 for as many as any way does.
        settings: a frozen dataclass of parameters that it is set by; None where there are none.
        maker: of a way that a package adds, what begins a result frame; see `core.picture.added_way`.
    """

    key: str
    label: str
    about: str
    gathers: bool = True
    adds_light: bool = False
    looks_wider: bool = False
    fills: bool = False
    most: int = 0
    settings: type[Any] | None = None
    maker: Callable[..., Any] | None = None

    @property
    def name(self) -> str:
        """What a person calls it."""
        return self.label.replace("&", "")


OWN_WAYS = (
    WayEntry(
        "one",
        "&One frame",
        "The recorded frame that shows when the result frame opens",
        gathers=False,
        fills=True,
    ),
    WayEntry(
        "long-exposure",
        "Lon&g exposure",
        "The mean, in linear light, of all recorded frames while open",
        adds_light=True,
        fills=True,
    ),
    WayEntry("brightest", "&Brightest", "Of every pixel the most light while open: trails of lights"),
    WayEntry("darkest", "&Darkest", "Of every pixel the least light while open"),
    WayEntry(
        "clear",
        "&Clear",
        "The median while open, or over a wider window: without who passes by",
        looks_wider=True,
    ),
)
"""The program's own ways."""


def ways() -> dict[str, WayEntry]:
    """All ways that can be chosen, by key: the program's own, and those that packages add."""
    return {**{entry.key: entry for entry in OWN_WAYS}, **usable(WAYS)}


@dataclass(frozen=True)
class EachFrame:
    """How one result frame is made out of recorded frames: a way, as it is set.

    A further way of the program's own is an entry of `OWN_WAYS`, a module of `core.picture`, and a line in
    `frame_makers.FRAME_MAKERS`.

    Attributes:
        key: of the way.
        settings: of a way that a package adds, a value of its entry's ``settings``, or `Unread` where the
            package is not there.
    """

    key: str
    settings: Any = None

    ONE: ClassVar["EachFrame"]
    LONG_EXPOSURE: ClassVar["EachFrame"]
    BRIGHTEST: ClassVar["EachFrame"]
    DARKEST: ClassVar["EachFrame"]
    CLEAR: ClassVar["EachFrame"]

    def __post_init__(self) -> None:
        if self.settings is not None and not isinstance(self.settings, Unread):
            check_parameters(self.settings, self.key)

    @classmethod
    def named(cls, key: str) -> "EachFrame":
        """A way as it is set at first. Raises PlanError if there is none of that name."""
        known = ways()
        if key not in known:
            raise PlanError(f"“{shortened(key)}” is no way of making a frame; there are {', '.join(known)}.")
        settings = known[key].settings
        return cls(key, settings() if settings is not None else None)

    @classmethod
    def of_file(cls, key: str, values: Mapping[str, Any]) -> "EachFrame":
        """A way as a file has it; its package need not be there. Raises PlanError: a value is wrong."""
        entry = ways().get(key)
        if entry is None:
            return cls(key, Unread.of(values))
        kind = entry.settings
        return cls(key, guarded(key, lambda: read_values(kind, values)) if kind is not None else None)

    @property
    def entry(self) -> WayEntry:
        """What is known of the way; of one whose package is not there, that it is made as one frame."""
        return _OWN.get(self.key) or usable(WAYS).get(self.key) or _missing(self.key)

    @property
    def at_first(self) -> "EachFrame":
        """The way as it is set at first."""
        return self if self.is_missing else EachFrame.named(self.key)

    @property
    def is_missing(self) -> bool:
        """Whether the package that adds it is not there, so that one frame stands in its place."""
        return isinstance(self.settings, Unread) or (self.key not in _OWN and self.key not in usable(WAYS))

    def __str__(self) -> str:
        return self.key


_OWN = {entry.key: entry for entry in OWN_WAYS}
for _name, _entry in zip(("ONE", "LONG_EXPOSURE", "BRIGHTEST", "DARKEST", "CLEAR"), OWN_WAYS, strict=True):
    setattr(EachFrame, _name, EachFrame(_entry.key))

OWN_EACH_FRAME = tuple(EachFrame(entry.key) for entry in OWN_WAYS)
"""The program's own ways, as they are chosen."""


def each_frame_choices() -> list[EachFrame]:
    """All ways, as they are set at first."""
    return [EachFrame.named(key) for key in ways()]


@cache
def _missing(key: str) -> WayEntry:
    return WayEntry(
        key, f"{key} (not here)", "Its package is not there: one frame stands for it", gathers=False
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

    each: EachFrame = OWN_EACH_FRAME[0]
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
