"""The mapping from result time to recorded time."""

from collections.abc import Sequence
from dataclasses import dataclass
from fractions import Fraction

import numpy as np
import numpy.typing as npt

from chronoxis.core.timing.speed import checked_speed

Seconds = npt.NDArray[np.float64]


@dataclass(frozen=True)
class PacePiece:
    """A stretch in which recorded time grows by one law.

    Attributes:
        recorded_length: in seconds, positive.
        speed: recorded seconds per result second.
    """

    recorded_length: Fraction
    speed: Fraction


class PaceProfile:
    """How recorded time runs through a shot, as pieces laid end to end.

    Both time axes start at 0 at the shot's in point. The starts of the pieces are summed exactly and
    rounded once, and each time is mapped within its own piece, so the error does not grow along the
    shot: it stays below 1e-10 s over ten hours.
    """

    def __init__(self, pieces: Sequence[PacePiece]) -> None:
        """Raises PlanError if a speed is out of range, ValueError if there is no piece or one is empty."""
        if not pieces or any(piece.recorded_length <= 0 for piece in pieces):
            raise ValueError("a pace needs pieces of positive length")
        recorded, result = Fraction(0), Fraction(0)
        recorded_starts, result_starts = [recorded], [result]
        for piece in pieces:
            recorded += piece.recorded_length
            result += piece.recorded_length / checked_speed(piece.speed)
            recorded_starts.append(recorded)
            result_starts.append(result)
        self.recorded_length = recorded
        self.result_length = result
        self._recorded_starts = np.array(recorded_starts, np.float64)
        self._result_starts = np.array(result_starts, np.float64)
        self._speeds = np.array([piece.speed for piece in pieces], np.float64)

    @classmethod
    def constant(cls, recorded_length: Fraction, speed: Fraction) -> "PaceProfile":
        """The pace of a shot with one speed throughout."""
        return cls([PacePiece(recorded_length, speed)])

    def recorded_at(self, result_t: npt.ArrayLike) -> Seconds:
        """Recorded seconds since the in point, for result seconds of any shape.

        Times before the start or past the end go on at the first or last speed.
        """
        t = np.asarray(result_t, np.float64)
        piece = self._piece(self._result_starts, t)
        return self._recorded_starts[piece] + (t - self._result_starts[piece]) * self._speeds[piece]

    def result_at(self, recorded_t: npt.ArrayLike) -> Seconds:
        """Result seconds, for recorded seconds since the in point: the inverse of `recorded_at`."""
        r = np.asarray(recorded_t, np.float64)
        piece = self._piece(self._recorded_starts, r)
        return self._result_starts[piece] + (r - self._recorded_starts[piece]) / self._speeds[piece]

    def speed_at(self, result_t: npt.ArrayLike) -> Seconds:
        """Speed at result seconds; at a joint, the speed that follows."""
        return self._speeds[self._piece(self._result_starts, np.asarray(result_t, np.float64))]

    def _piece(self, starts: Seconds, t: Seconds) -> npt.NDArray[np.intp]:
        return np.clip(np.searchsorted(starts, t, "right") - 1, 0, len(self._speeds) - 1)
