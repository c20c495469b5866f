"""*Field from the tower*: what happens when. The drawing follows this, and so can any measurement."""

import json
from dataclasses import asdict, dataclass
from math import exp, sin, tau

SECONDS = 240
RATE = 25
SIZE = (1280, 720)

_ROAR_SECONDS = 1.6


@dataclass(frozen=True)
class Balloon:
    """One balloon. Places are shares of the picture's width and height.

    Attributes:
        colours: the gores' colours, as R, G, B code values.
        launch: when the basket leaves the ground, recorded seconds.
        ground_x: where the basket stands.
        ground_y: likewise, from the top.
        width: of the full envelope, as a share of the picture's width, while it stands.
    """

    colours: tuple[tuple[int, int, int], ...]
    launch: float
    ground_x: float
    ground_y: float
    width: float


@dataclass(frozen=True)
class Place:
    """Where a balloon is at one moment.

    Attributes:
        x: basket, share of the picture's width.
        y: basket, share of the picture's height, from the top.
        width: of the full envelope, share of the picture's width.
        inflation: 0 flat on the grass to 1 upright.
        glow: burner light, 0..1.
    """

    x: float
    y: float
    width: float
    inflation: float
    glow: float


@dataclass(frozen=True)
class Passer:
    """Somebody who crosses close to the lens.

    Attributes:
        enter: when the figure begins to show, recorded seconds.
        leave: when it is gone.
        rightward: the direction.
        height: share of the picture's height.
    """

    enter: float
    leave: float
    rightward: bool
    height: float

    def x(self, seconds: float) -> float:
        """Middle of the figure, share of the picture's width; outside 0..1 while it comes and goes."""
        share = (seconds - self.enter) / (self.leave - self.enter)
        across = -0.15 + 1.3 * share
        return across if self.rightward else 1 - across


_CREAM, _RED, _BLUE, _TEAL = (240, 226, 190), (196, 58, 66), (52, 104, 176), (38, 140, 122)
_PLUM, _GOLD, _ORANGE, _INK = (138, 48, 118), (224, 172, 62), (222, 112, 52), (52, 56, 98)

BALLOONS = (
    Balloon((_RED, _CREAM, _GOLD), 62.0, 0.13, 0.83, 0.125),
    Balloon((_BLUE, _CREAM), 78.0, 0.30, 0.79, 0.105),
    Balloon((_TEAL, _CREAM, _TEAL, _GOLD), 96.0, 0.47, 0.86, 0.150),
    Balloon((_PLUM, _GOLD), 112.0, 0.66, 0.80, 0.108),
    Balloon((_ORANGE, _INK, _ORANGE, _CREAM), 126.0, 0.83, 0.84, 0.135),
    Balloon((_GOLD, _RED), 146.0, 0.22, 0.755, 0.080),
    Balloon((_CREAM, _PLUM, _BLUE), 163.0, 0.57, 0.75, 0.078),
    Balloon((_BLUE, _TEAL, _CREAM), 182.0, 0.93, 0.76, 0.085),
)

PASSERS = (
    Passer(11.0, 13.6, True, 1.05),
    Passer(37.5, 40.5, False, 0.95),
    Passer(58.2, 61.0, True, 1.10),
    Passer(90.4, 93.4, False, 1.00),
    Passer(118.0, 120.4, True, 0.92),
    Passer(119.4, 122.6, False, 1.08),
    Passer(155.8, 158.6, True, 1.02),
    Passer(190.0, 193.2, False, 0.98),
    Passer(216.5, 219.0, True, 1.06),
)

_INFLATING = 34.0


def daylight(seconds: float) -> float:
    """How far the morning is, 0 before dawn to 1."""
    return 1 / (1 + exp(-(seconds - 105.0) / 32.0))


def flicker(seconds: float) -> float:
    """Gain of the exposure, about 1: the camera's hunting, made of three uneven waves."""
    return (
        1
        + 0.012 * sin(tau * seconds / 0.83)
        + 0.010 * sin(tau * seconds / 2.9 + 1.0)
        + 0.008 * sin(tau * seconds / 0.37 + 2.0)
    )


def roars(balloon: Balloon) -> list[tuple[float, float]]:
    """When a balloon's burner burns: begins and ends, recorded seconds."""
    begins = balloon.launch - 20.0
    gaps = (4.0, 3.6, 3.2, 4.6, 7.5, 9.0, 8.2, 10.5, 9.4, 11.0, 10.2, 12.0, 11.4)
    burns = []
    for gap in gaps:
        burns.append((begins, begins + _ROAR_SECONDS))
        begins += gap
    return [burn for burn in burns if burn[1] < SECONDS]


def place(balloon: Balloon, seconds: float) -> Place:
    """Where a balloon is."""
    inflation = min(max((seconds - balloon.launch + _INFLATING) / (_INFLATING - 6.0), 0.0), 1.0)
    aloft = max(seconds - balloon.launch, 0.0)
    climb = 0.62 * (1 - exp(-((aloft / 75.0) ** 1.6)))
    drift = 0.0011 * aloft + 0.012 * sin(aloft / 19.0)
    away = 1 / (1 + aloft / 260.0)
    burning = [
        1.0 if begin <= seconds < end else exp(-(seconds - end) / 0.12)
        for begin, end in roars(balloon)
        if seconds >= begin
    ]
    return Place(
        x=balloon.ground_x + drift,
        y=balloon.ground_y - climb,
        width=balloon.width * away,
        inflation=inflation,
        glow=max(burning, default=0.0),
    )


def truth_json() -> str:
    """All of this, sampled once a second, for measurements outside the program."""
    seconds = range(SECONDS)
    return json.dumps(
        {
            "seconds": SECONDS,
            "rate": RATE,
            "size": SIZE,
            "daylight": [daylight(s) for s in seconds],
            "flicker": [flicker(frame / RATE) for frame in range(SECONDS * RATE)],
            "passers": [asdict(passer) for passer in PASSERS],
            "balloons": [
                {"roars": roars(balloon), "places": [asdict(place(balloon, s)) for s in seconds]}
                for balloon in BALLOONS
            ],
        }
    )
