"""*Flight plan*: a form on a screen being filled in; what is typed, scrolled and pointed at when."""

import json
from dataclasses import asdict, dataclass

SECONDS = 75
RATE = 25
SIZE = (1280, 720)
KEYS = 11.0
"""Letters typed in a second."""

BLINK = 1.06
"""Seconds in which the caret goes and comes again."""


@dataclass(frozen=True)
class Typing:
    """A burst of typing.

    Attributes:
        begin: recorded seconds.
        field: number of the line of the form.
        text: what is typed.
    """

    begin: float
    field: int
    text: str

    @property
    def end(self) -> float:
        """Recorded seconds at which the last letter is there."""
        return self.begin + len(self.text) / KEYS


FIELDS = ("Pilot", "Balloon", "Wind", "Take-off", "Landing", "Crew", "Route", "Remarks")
TYPED = (
    Typing(2.0, 0, "Mira Fennel"),
    Typing(5.0, 1, "Marigold, 2600 cubic metres"),
    Typing(16.0, 2, "4 knots from the south-west"),
    Typing(20.0, 3, "06:10"),
    Typing(33.0, 4, "07:25 at the latest"),
    Typing(46.0, 6, "Over the hedge, along the river, mill on the left"),
    Typing(64.0, 7, "Nothing"),
)
SCROLLS = ((30.0, 31.2), (43.5, 44.5))
"""When the form moves up by a line's height."""

POINTS = ((13.6, 15.4), (61.5, 63.0))
"""When the pointer moves."""


def acts(seconds: float) -> bool:
    """Whether anything but the caret moves at a moment."""
    spans = (*((typing.begin, typing.end) for typing in TYPED), *SCROLLS, *POINTS)
    return any(begin <= seconds < end for begin, end in spans)


def truth_json() -> str:
    """All of it, as JSON."""
    typed = [{**asdict(typing), "end": typing.end} for typing in TYPED]
    return json.dumps({"rate": RATE, "size": SIZE, "typed": typed, "scrolls": SCROLLS, "points": POINTS})
