"""Passages whose joints lie at given result times: how much footage each covers, and at what speed.

Elsewhere the footage and the speeds are given and the joints follow. Here it is the other way round, so
that joints can be laid on beats.
"""

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
import numpy.typing as npt

from chronoxis.core.errors import PlanError
from chronoxis.core.timing.ramps import Floats, RampShape, Run, ramp_halves, run_taken
from chronoxis.core.timing.speed import MAX_SPEED, MIN_SPEED

_MOST_ROUNDS = 60
_CLOSE_ENOUGH = 1e-11


@dataclass(frozen=True, eq=False)
class Laid:
    """Passages by their joints.

    Attributes:
        joints: result seconds, from 0 to the end of the last passage; shape (passages + 1,).
        speeds: of each passage.
        ramps: result seconds of the ramp at each inner joint; shape (passages - 1,).
        shapes: of these.
        runs: that enter and leave the shot; no longer than its first and its last passage.
    """

    joints: Floats
    speeds: Floats
    ramps: Floats
    shapes: Sequence[RampShape]
    runs: tuple[Run | None, Run | None] = (None, None)

    @property
    def lengths(self) -> Floats:
        """Result seconds of each passage."""
        return np.diff(self.joints)

    def with_ramps_that_fit(self) -> "Laid":
        """With ramps no longer than either of the passages that they stand between."""
        lengths = self.lengths
        return replace(self, ramps=np.minimum(self.ramps, np.minimum(lengths[:-1], lengths[1:])))

    def recorded(self) -> Floats:
        """Recorded seconds that each passage covers."""
        covered = self.speeds * self.lengths
        for place, run in zip((0, -1), self.runs, strict=True):
            if run:
                length, speed = min(float(run.length), float(self.lengths[place])), float(self.speeds[place])
                covered[place] += run_taken(speed, run if place else run.turned, length) - speed * length
        if not len(self.ramps):
            return covered
        halves = ramp_halves(self.speeds, self.ramps, list(self.shapes))
        covered[:-1] += halves[:, 0] - self.speeds[:-1] * self.ramps / 2
        covered[1:] += halves[:, 1] - self.speeds[1:] * self.ramps / 2
        return covered


def scaled_to(laid: Laid, total: float, free: npt.NDArray[np.bool_]) -> Laid:
    """The passages with the free speeds scaled alike, so that all cover so much footage together.

    Raises:
        PlanError: those that are not free cover more than that alone, or no speed is low or high enough.
    """

    def at(factor: float) -> Laid:
        return replace(laid, speeds=np.where(free, laid.speeds * factor, laid.speeds))

    low, high = float(MIN_SPEED / MAX_SPEED), float(MAX_SPEED / MIN_SPEED)
    if not free.any() or at(low).recorded().sum() > total:
        raise PlanError("There is not enough footage for that; choose less speed, or less of it.")
    for _ in range(200):
        middle = (low * high) ** 0.5
        low, high = (middle, high) if at(middle).recorded().sum() < total else (low, middle)
    return _in_range(at(high))


def covering(laid: Laid, recorded: Floats, free: npt.NDArray[np.bool_]) -> Laid:
    """The passages with such speeds that each free one covers as much footage as given.

    Raises:
        PlanError: the ramps leave no such speeds, or they are out of range.
    """
    speeds = np.where(free, recorded / np.maximum(laid.lengths, 1e-9), laid.speeds)
    for _ in range(_MOST_ROUNDS):
        laid = replace(laid, speeds=speeds)
        ratio = np.where(free, recorded / laid.recorded(), 1.0)
        if np.abs(ratio - 1).max() < _CLOSE_ENOUGH:
            return _in_range(laid)
        speeds = speeds * np.clip(ratio, 0.25, 4.0) ** 0.8
    raise PlanError("The ramps here are too long for that; choose shorter ones.")


def _in_range(laid: Laid) -> Laid:
    if laid.speeds.min() < MIN_SPEED or laid.speeds.max() > MAX_SPEED:
        raise PlanError("A speed that follows would be out of range; choose other ones.")
    return laid
