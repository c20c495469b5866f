"""*Walk down the line*: how the camera moves, exactly; what is drawn follows this."""

import json
from dataclasses import asdict, dataclass
from math import sin, tau

SECONDS = 24
RATE = 60
SIZE = (1280, 720)

_PACE = 0.055  # picture widths a second
_STEPS = 1.85  # a second
# Hand tremor: cycles a second, and amplitudes across, up, and in roll.
_TREMOR = (
    (0.31, 0.0060, 0.0040, 0.50),
    (0.83, 0.0035, 0.0030, 0.35),
    (2.17, 0.0018, 0.0022, 0.22),
    (5.30, 0.0007, 0.0009, 0.10),
    (8.90, 0.0003, 0.0004, 0.05),
)


@dataclass(frozen=True)
class Camera:
    """Where the camera is at one moment.

    Attributes:
        along: how far down the line, in picture widths.
        across: shake to the right, share of the picture's width.
        up: shake upwards, share of the picture's width.
        roll: turned clockwise, degrees.
    """

    along: float
    across: float
    up: float
    roll: float


def camera(seconds: float) -> Camera:
    """The camera at a recorded time."""
    bob = 0.0065 * sin(tau * _STEPS * seconds) + 0.0020 * sin(tau * 2 * _STEPS * seconds + 0.7)
    sway = 0.0045 * sin(tau * _STEPS / 2 * seconds + 0.4)
    across, up, roll = sway, bob, 0.35 * sin(tau * _STEPS / 2 * seconds)
    for number, (cycles, x, y, turn) in enumerate(_TREMOR):
        across += x * sin(tau * cycles * seconds + 1.3 * number)
        up += y * sin(tau * cycles * 1.07 * seconds + 2.1 * number + 0.5)
        roll += turn * sin(tau * cycles * 0.93 * seconds + 0.8 * number + 1.1)
    return Camera(_PACE * seconds, across, up, roll)


def truth_json() -> str:
    """The camera of every frame, as JSON."""
    path = [asdict(camera(number / RATE)) for number in range(SECONDS * RATE)]
    return json.dumps({"rate": RATE, "size": SIZE, "camera": path})
