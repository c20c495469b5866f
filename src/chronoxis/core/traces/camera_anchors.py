"""Against which picture each one is held, so that errors do not add up where the camera hardly moves.

What is measured of each step alone falls a little short where steps are far below a pixel, always to the
same side: over minutes of a slow drift that comes to several pixels. Where the camera hardly moves, pictures
are held against one and the same, the *anchor*, instead of each against the one before.
"""

from collections import deque
from collections.abc import Callable
from dataclasses import astuple, dataclass, replace
from functools import partial, reduce
from math import hypot, radians

from chronoxis.core.traces.camera_steps import NOT_TOLD, CameraStep, Grey, step_between

_SLOW_SHARE = 0.004  # of the width, that the camera may move over some frames for an anchor to be laid
_OVER = 8  # frames
_LOST_SHARE = 0.03  # of the width, from where on an anchor is given up
_LEAST_SURENESS = 0.5  # sureness below which what is seen is not held against the anchor
_LEVER_SHARE = 0.3  # of the width: how far from the middle turning and growing move a picture on the whole
_MOST_MISSES = 6  # frames after another that may not be held against it until it is given up


@dataclass(frozen=True)
class _Anchor:
    number: int
    picture: Grey


@dataclass(frozen=True)
class Found:
    """What was found of a picture: how it is against the one before, or against an anchor.

    Attributes:
        step: from one to the other.
        anchor: number of the anchor's frame; None against the picture before.
    """

    step: CameraStep
    anchor: int | None = None


class Anchors:
    """Lays anchors as it is told what was found, for pictures that come in their order."""

    def __init__(self) -> None:
        self._anchor: _Anchor | None = None  # that places are told against
        self._holds = False  # whether further pictures are held against it
        self._last_held = self._taken = -1  # numbers of pictures
        self._place = NOT_TOLD  # of the latest picture against the anchor
        self._missed = 0
        self._latest: deque[CameraStep] = deque(maxlen=_OVER)

    def look(self, number: int, before: Grey | None, now: Grey) -> Callable[[], Found]:
        """What is to be worked out of a picture, on whatever thread."""
        if before is None:
            return partial(Found, NOT_TOLD)
        if not self._holds and self._taken >= self._last_held and self._is_slow:
            self._anchor, self._place, self._missed = _Anchor(number - 1, before), NOT_TOLD, 0
            self._holds = True
        if self._holds:
            self._last_held = number
        return partial(_found, self._anchor if self._holds else None, before, now)

    def step(self, number: int, found: Found) -> CameraStep:
        """The step to a picture from the one before, of what was found of each in its order."""
        step, self._taken = found.step, number
        if self._anchor is not None and number > self._anchor.number:
            if found.anchor == self._anchor.number:
                place, self._missed = found.step, 0
                step = replace(_less(place, self._place), sureness=place.sureness)
            else:
                place, self._missed = _plus(self._place, found.step), self._missed + 1
            self._place = place
            away = self._missed > _MOST_MISSES or _way(place) > _LOST_SHARE
            if self._holds and (away or found.step.sureness < 0):
                self._holds = False
                self._latest.clear()
        self._latest.append(step)
        return step

    @property
    def _is_slow(self) -> bool:
        """Whether the camera hardly moved of late."""
        steps = self._latest
        told = all(step.sureness >= _LEAST_SURENESS for step in steps)
        return len(steps) == _OVER and told and _way(reduce(_plus, steps, NOT_TOLD)) < _SLOW_SHARE


def _found(anchor: _Anchor | None, before: Grey, now: Grey) -> Found:
    if anchor is not None and anchor.picture is not before:
        place = step_between(anchor.picture, now)
        if place.sureness >= _LEAST_SURENESS:
            return Found(place, anchor.number)
    step = step_between(before, now)
    return Found(step, anchor.number if anchor is not None and anchor.picture is before else None)


def _way(step: CameraStep) -> float:
    """How far a picture is moved on the whole, in widths."""
    return hypot(step.right, step.down) + _LEVER_SHARE * (abs(radians(step.turned)) + abs(step.grown))


def _plus(one: CameraStep, other: CameraStep) -> CameraStep:
    return CameraStep(*(a + b for a, b in zip(astuple(one), astuple(other), strict=True)))


def _less(one: CameraStep, other: CameraStep) -> CameraStep:
    return CameraStep(*(a - b for a, b in zip(astuple(one), astuple(other), strict=True)))
