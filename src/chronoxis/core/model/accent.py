"""Accents: looks that come and go with the speed, as they are chosen."""

from abc import ABC, abstractmethod
from collections.abc import Mapping
from dataclasses import dataclass
from enum import StrEnum
from fractions import Fraction
from typing import Any, ClassVar, cast

import numpy as np
import numpy.typing as npt

from chronoxis.core.errors import PlanError
from chronoxis.core.extensions import ACCENTS, guarded, usable
from chronoxis.core.parameters import (
    UNREAD,
    Choice,
    Number,
    Switch,
    Unread,
    check_parameters,
    parameter,
    read_values,
    written_values,
)
from chronoxis.core.timing.exact import parse_exact, shortened

MOST_STRENGTH = 2.0
"""Of an accent, where 1 is full."""

_WHITE_STOPS = 5.0  # stops that make nearly all of a picture white


class Response(StrEnum):
    """How an amount follows what drives it."""

    EVEN = "even"
    GENTLE = "gentle"
    LATE = "late"


@dataclass(frozen=True)
class BySpeed:
    """Follows the speed, by its logarithm.

    Attributes:
        none_at: the speed at which there is nothing of the accent yet.
        full_at: the speed at which it is full; below ``none_at`` for what slows down.
        response: how it grows between them.
    """

    none_at: Fraction
    full_at: Fraction
    response: Response = Response.EVEN

    def __post_init__(self) -> None:
        if self.none_at <= 0 or self.full_at <= 0 or self.none_at == self.full_at:
            raise PlanError("An accent follows the speed from one speed to another, both above zero.")


@dataclass(frozen=True)
class ByJoin:
    """Follows the joins: nothing where a run-up begins, full at the cut, nothing where the run-out ends."""

    response: Response = Response.LATE


@dataclass(frozen=True)
class Point:
    """An amount at a moment.

    Attributes:
        at: share of the stretch that the accent is on, 0 to 1.
        amount: 0 to 1.
    """

    at: Fraction
    amount: float


@dataclass(frozen=True)
class ByPoints:
    """A curve of its own: straight between its points, level outside them; ascending, at least one."""

    points: tuple[Point, ...]

    def __post_init__(self) -> None:
        places = [point.at for point in self.points]
        if not places or places != sorted(set(places)) or places[0] < 0 or places[-1] > 1:
            raise PlanError("The points of an accent lie in order, between 0 and 1.")
        if not all(0 <= point.amount <= 1 for point in self.points):
            raise PlanError("The amount of an accent lies between 0 and 1.")


Amount = BySpeed | ByJoin | ByPoints


def usual_amount(kind: type, speeds: npt.NDArray[np.float64]) -> Amount:
    """What an amount of a kind is at first, in a project with passages of these speeds."""
    if kind is ByJoin:
        return ByJoin()
    if kind is ByPoints:
        return STEADY
    slow, fast = Fraction(f"{speeds.min():.3g}"), Fraction(f"{speeds.max():.3g}")
    return BySpeed(slow, fast if fast > slow else slow * 8)


STEADY = ByPoints((Point(Fraction(0), 1.0),))
"""Full throughout."""


@dataclass(frozen=True)
class Look:
    """What an accent does to pictures.

    A further look of the program's own is a class here and a place in `LOOKS`, a module of
    `core.picture.accents`, and a line in `render.accents`; one of a package draws itself (`AddedLook`).

    Attributes:
        key: what project files and the command line call it.
        name: what a person calls it.
        about: what it does, in a few words.
        holds: whether it holds pictures, rather than change them.
        follows_joins: whether one that is put on a join comes and goes with it at first.
    """

    key: ClassVar[str]
    name: ClassVar[str]
    about: ClassVar[str]
    holds: ClassVar[bool] = False
    follows_joins: ClassVar[bool] = True

    def __post_init__(self) -> None:
        check_parameters(self, self.name)

    def caution(self, strength: float) -> str:
        """What a person should know of it, at so much of it at most, or nothing."""
        return ""

    @property
    def follows_camera(self) -> bool:
        """Whether the camera's path has to be known."""
        return False


@dataclass(frozen=True)
class Flash(Look):
    """More light.

    Attributes:
        stops: by how many doublings of light, when full; below 0 it grows dark.
    """

    key: ClassVar[str] = "flash"
    name: ClassVar[str] = "flash"
    about: ClassVar[str] = "More light, by doublings"
    stops: float = parameter(
        2.0, Number("Light", "Doublings of light when it is full; below 0 it grows dark.", -8, 8, "stops")
    )

    def caution(self, strength: float) -> str:
        if self.stops * strength < _WHITE_STOPS:
            return ""
        return "At its height this flash makes nearly all of a picture white; fewer stops keep some."


@dataclass(frozen=True)
class Streak(Look):
    """Blur along a direction, as of a fast camera.

    Attributes:
        length: share of the picture's width that a point is drawn to, when full.
        direction: degrees, 0 to the right, 90 up; None takes the camera's own, or level without one.
    """

    key: ClassVar[str] = "streak"
    name: ClassVar[str] = "streak"
    about: ClassVar[str] = "Blur along a direction, as of a fast camera"
    length: float = parameter(
        0.08, Number("Length", "Share of the width that a point is drawn to.", 0, 0.5, "% of width", 100)
    )
    direction: float | None = parameter(
        None,
        Number(
            "Direction",
            "Degrees from -360 to 360: 0 to the right, 90 up; null is the camera's own.",
            -360,
            360,
            "°",
            unset="the camera's",
        ),
    )

    @property
    def follows_camera(self) -> bool:
        return self.direction is None


@dataclass(frozen=True)
class Wobble(Look):
    """Waves of sideways displacement.

    Attributes:
        size: share of the picture's width, when full.
        waves: how many there are from top to bottom.
        opens: whether the edges of the picture move as well, with black behind them.
    """

    key: ClassVar[str] = "wobble"
    name: ClassVar[str] = "wobble"
    about: ClassVar[str] = "Waves of sideways displacement"
    size: float = parameter(
        0.02, Number("Size", "Share of the width by which waves move sideways.", 0, 0.2, "% of picture", 100)
    )
    waves: float = parameter(2.5, Number("Waves", "Waves from top to bottom.", 0.1, 50))
    opens: bool = parameter(
        False, Switch("edges ma&y open", "Whether the edges move as well, with black behind them.")
    )


@dataclass(frozen=True)
class Grain(Look):
    """Grain, new in every frame.

    Attributes:
        level: standard deviation in mid tones, as a share of white's code value, when full.
        size: of a grain, as a share of the picture's height.
    """

    key: ClassVar[str] = "grain"
    name: ClassVar[str] = "grain"
    about: ClassVar[str] = "Grain, new in every frame"
    level: float = parameter(
        0.04,
        Number("Strength", "Deviation in mid tones, as a share of white's code.", 0, 0.5, "% of white", 100),
    )
    size: float = parameter(
        0.003, Number("Size", "Of a grain, as a share of the height.", 0.0005, 0.05, "% of picture", 100)
    )


@dataclass(frozen=True)
class Lines(Look):
    """The lines of a screen that is filmed.

    Attributes:
        count: lines from top to bottom.
        depth: how much light the gaps between them lose, 0 to 1, when full.
        warp: by how much the picture bulges, as a share of its half diagonal, when full.
        fringe: how far red and blue part at the sides, as a share of the width, when full.
    """

    key: ClassVar[str] = "lines"
    name: ClassVar[str] = "screen lines"
    about: ClassVar[str] = "The lines of a screen that is filmed"
    count: int = parameter(180, Number("Lines", "Lines from top to bottom.", 10, 1200, whole=True))
    depth: float = parameter(
        0.6, Number("Gaps", "Light that the gaps between them lose.", 0, 1, "% dark", 100)
    )
    warp: float = parameter(
        0.06,
        Number("Bulge", "By how much the picture bulges, as a share of its half diagonal.", 0, 0.3, "%", 100),
    )
    fringe: float = parameter(
        0.004,
        Number(
            "Fringe",
            "How far red and blue part at the sides, as a share of the width.",
            0,
            0.05,
            "% of width",
            100,
        ),
    )


@dataclass(frozen=True)
class Stutter(Look):
    """Pictures that are held. It holds where its amount is above a half.

    Attributes:
        rate: held pictures per result second.
    """

    key: ClassVar[str] = "stutter"
    name: ClassVar[str] = "stutter"
    about: ClassVar[str] = (
        "Holds each picture for a while, like a low frame rate, where its amount is above a half"
    )
    holds: ClassVar[bool] = True
    rate: float = parameter(12.0, Number("Held", "Held pictures a second.", 8, 18, "a second"))


class Corner(StrEnum):
    """Where a badge stands."""

    TOP_LEFT = "top left"
    TOP_RIGHT = "top right"
    BOTTOM_LEFT = "bottom left"
    BOTTOM_RIGHT = "bottom right"


class Shown(StrEnum):
    """What a badge says."""

    SPEED = "speed"
    TIME = "time of day"
    DATE = "date"
    BOTH = "date and time"
    SINCE = "time since the beginning"


@dataclass(frozen=True)
class Badge(Look):
    """A mark that time is condensed, or runs back, with the speed; or the clock of what was recorded.

    Attributes:
        shows: the speed, or when it was recorded, counting as fast as the pace goes.
        hours: by which the clock is set, where the file's is another zone's or wrong.
        noon: whether hours are counted to noon and on to midnight.
        corner: where it stands.
        size: its height, as a share of the picture's.
        blinks: whether it comes and goes once a second.
    """

    key: ClassVar[str] = "badge"
    name: ClassVar[str] = "badge"
    about: ClassVar[str] = "A mark of condensed or reversed time with the speed, or the recorded clock"
    follows_joins: ClassVar[bool] = False
    shows: Shown = parameter(Shown.SPEED, Choice("Shows", "The speed, or when it was recorded.", Shown))
    hours: float = parameter(0.0, Number("Clock set by", "Hours added to what the file says.", -36, 36, "h"))
    noon: bool = parameter(False, Switch("am/p&m", "Whether hours are counted to noon, and on from there."))
    corner: Corner = parameter(Corner.TOP_RIGHT, Choice("Corner", "Where it stands.", Corner))
    size: float = parameter(
        0.09, Number("Size", "Its height, as a share of the picture's.", 0.02, 0.5, "% of picture", 100)
    )
    blinks: bool = parameter(False, Switch("&blinks", "Whether it comes and goes once a second."))


@dataclass(frozen=True)
class AddedLook(Look, ABC):
    """A look that a package adds, which draws itself."""

    @abstractmethod
    def drawn(
        self, codes: npt.NDArray[np.uint16], amount: float, result_frame: int, seed: int
    ) -> npt.NDArray[np.uint16]:
        """A result frame with the look on it.

        Args:
            codes: shape (height, width, 3), R′G′B′ as encoded, 65535 for white; it must not be changed.
            amount: how much of it there is, 1 is full.
            result_frame: its number.
            seed: of what is random; the same frame has to look the same each time.

        Returns:
            An array of the same shape and kind.
        """


@dataclass(frozen=True)
class MissingLook(Look):
    """A look whose package is not there: it shows nothing, and is kept as the file has it.

    Attributes:
        key: of the look.
        values: what it is set to.
    """

    key: str = ""  # type: ignore[misc]
    values: Unread = UNREAD

    @property
    def name(self) -> str:  # type: ignore[override]
        """What a person calls it."""
        return f"{self.key} (not here)"

    about: ClassVar[str] = "Its package is not there, so that it shows nothing"


LOOKS: tuple[type[Look], ...] = (Flash, Streak, Wobble, Grain, Lines, Stutter, Badge)
"""The program's own looks."""


def looks() -> tuple[type[Look], ...]:
    """All looks that can be chosen: the program's own, and those that packages add."""
    return (*LOOKS, *usable(ACCENTS).values())


def look_of_file(key: str, values: Mapping[str, Any]) -> Look:
    """A look as a file has it, whose package need not be there. Raises PlanError: a value is out of range."""
    kind = next((look for look in looks() if look.key == key), None)
    if kind is None:
        return MissingLook(key, Unread.of(values))
    return cast(Look, guarded(key, lambda: read_values(kind, values)))


def look_values(look: Look) -> dict[str, Any]:
    """The same as a file has it."""
    return written_values(look.values if isinstance(look, MissingLook) else look)


@dataclass(frozen=True)
class Accent:
    """A look with its amount.

    Attributes:
        look: what it does to a picture.
        amount: how much of it, when.
        strength: times its amount; 1 is full, at most `MOST_STRENGTH`.
        seed: of what is random in it.
        on: whether it shows; one that is off keeps its place.
    """

    look: Look
    amount: Amount = STEADY
    strength: float = 1.0
    seed: int = 1
    on: bool = True

    def __post_init__(self) -> None:
        if not 0 <= self.strength <= MOST_STRENGTH:
            raise PlanError(f"The strength of an accent lies between 0 and {MOST_STRENGTH * 100:g}%.")

    @property
    def name(self) -> str:
        """What a person calls it."""
        return self.look.name


def parse_accent(text: str) -> Accent:
    """Read ``flash``, ``flash:0.5`` or ``lines:40%``: a look, throughout, at an amount.

    Raises:
        PlanError: there is no such look, or the amount is out of range.
    """
    known = {name: look for look in looks() for name in (look.key, look.name)}
    whole = text.strip().lower()
    name, _, amount = (whole, "", "") if whole in known else whole.rpartition(":")
    name = name or whole
    look = known.get(name)
    if look is None:
        named = ", ".join(each.key for each in looks())
        raise PlanError(f"“{shortened(text)}” is no accent; there are {named}.")
    try:
        strength = parse_exact(amount.removesuffix("%") or "1")
    except ValueError:
        raise PlanError(f"“{shortened(amount)}” is no amount; write 0.5 or 50%.") from None
    return Accent(look(), strength=float(strength / 100 if amount.endswith("%") else strength))
