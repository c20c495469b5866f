"""What the camera does near a cut, in words; and its whips, where a cut would not be seen."""

from dataclasses import dataclass
from enum import StrEnum
from math import atan2, degrees

import numpy as np
import numpy.typing as npt

from chronoxis.core.traces.camera_path import CameraPath, Span

REACH = 3.0
"""Recorded seconds to either side of an edge in which whips are looked for."""

NEAR = 0.6
"""Recorded seconds before an edge that tell how the camera moves there."""

_LEAST_SURENESS = 0.15  # of a frame's sureness, below which it says nothing
_LEAST_SPEED = 0.02  # shares of the width a second, below which the camera stands
_LEAST_SHAKE = 0.02  # the same of its way to and fro
_LEAST_PROGRESS = 0.4  # share of its way that it gets along, below which it only shakes
_AT_SIDES = 0.25  # how much of the width turning and growing move the picture on the whole
_WHIP_SPEED = 0.25  # shares of the width a second, from which on a movement blurs the picture
_WHIP_RATIO = 2.5  # times as fast as around it


class Move(StrEnum):
    """How the camera moves, as it plays."""

    LEFT = "turns left"
    RIGHT = "turns right"
    UP = "tilts up"
    DOWN = "tilts down"
    IN = "moves in"
    OUT = "moves out"
    ROLL_LEFT = "rolls left"
    ROLL_RIGHT = "rolls right"
    STILL = "stands still"
    HANDHELD = "is held by hand"
    UNKNOWN = "cannot be told"

    @property
    def reversed(self) -> "Move":
        """The same played the other way."""
        pairs = ((Move.LEFT, Move.RIGHT), (Move.UP, Move.DOWN), (Move.IN, Move.OUT),
                 (Move.ROLL_LEFT, Move.ROLL_RIGHT))  # fmt: skip
        both = {**dict(pairs), **{other: one for one, other in pairs}}
        return both.get(self, self)

    @property
    def goes_somewhere(self) -> bool:
        """Whether it has a direction that another shot can have as well."""
        return self.reversed is not self


@dataclass(frozen=True)
class Movement:
    """How the camera moves in a stretch.

    Attributes:
        move: in a word.
        direction: degrees along which things are drawn out, 0 to the right, 90 up.
        speed: shares of the picture's width a second.
    """

    move: Move
    direction: float = 0.0
    speed: float = 0.0


def movement(path: CameraPath, span: Span, rate: float) -> Movement:
    """How the camera moves in a stretch of recorded frames, played forwards.

    Args:
        path: followed there.
        span: the frames.
        rate: recorded frames a second.
    """
    part = slice(max(0, span[0]), span[1])
    sure = path.known[part] & (path.sureness[part] > _LEAST_SURENESS)
    count = int(sure.sum())
    if count < max(2, (span[1] - span[0]) // 3):
        return Movement(Move.UNKNOWN)
    steps = _steps(path, part)[:, sure] * rate
    along, way = steps.mean(axis=1), np.abs(steps).mean(axis=1)
    direction = degrees(atan2(-along[1], along[0]))
    strongest = int(np.abs(along).argmax())
    speed = float(abs(along[strongest]))
    if speed < _LEAST_SPEED or speed < _LEAST_PROGRESS * way[strongest]:
        shakes = float(np.hypot(way[0], way[1]))
        return Movement(Move.HANDHELD if shakes > _LEAST_SHAKE else Move.STILL, direction, speed)
    # Where the camera turns left, the picture goes right.
    pairs = ((Move.LEFT, Move.RIGHT), (Move.UP, Move.DOWN), (Move.ROLL_LEFT, Move.ROLL_RIGHT),
             (Move.IN, Move.OUT))  # fmt: skip
    return Movement(pairs[strongest][0 if along[strongest] > 0 else 1], direction, speed)


def whip_in(path: CameraPath, span: Span, rate: float) -> int | None:
    """The frame of a stretch at which the camera's movement blurs the picture most; None if none does."""
    first = max(0, span[0])
    part = slice(first, span[1])
    known, sure = path.known[part], path.sureness[part] > _LEAST_SURENESS
    if known.sum() < 5:
        return None
    speeds = np.abs(_steps(path, part)).max(axis=0) * rate
    # In the middle of a whip so much is blurred that nothing can be followed: what is around tells.
    told = np.flatnonzero(known & sure)
    if len(told) < 3:
        return None
    whole = np.interp(np.arange(len(speeds)), told, speeds[told])
    smooth = np.convolve(np.pad(whole, 1, mode="edge"), [0.25, 0.5, 0.25], mode="valid")
    peak = int(smooth.argmax())
    if smooth[peak] < _WHIP_SPEED or smooth[peak] < _WHIP_RATIO * float(np.median(whole)):
        return None
    level = np.flatnonzero(smooth > smooth[peak] * 0.9)
    run = level[np.abs(level - peak) <= rate / 4]
    return first + round(float(run.mean()))


def _steps(path: CameraPath, part: slice) -> npt.NDArray[np.float64]:
    """Right, down, turned and grown, all as shares of the width that the picture moves; shape (4, frames)."""
    turned = np.radians(path.turned[part]) * _AT_SIDES
    columns = path.right[part], path.down[part], turned, path.grown[part] * _AT_SIDES
    return np.stack(columns).astype(np.float64)


def agreement(before: Move, after: Move) -> str:
    """Whether the movements on both sides of a cut go together, in words."""
    if Move.UNKNOWN in (before, after):
        return "The camera's movement cannot be told on both sides."
    both = before is after
    if both and before.goes_somewhere:
        first, rest = before.split(" ", 1)
        return f"Both {first.removesuffix('s')} {rest}."
    if both:
        return f"On both sides the camera {before}."
    if before.goes_somewhere and after is before.reversed:
        return f"One {before}, the other {after.split(' ', 1)[1]}."
    return f"Before the cut the camera {before}; after it, it {after}."
