"""The mapping from result time to recorded time."""

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from fractions import Fraction
from functools import cached_property
from itertools import accumulate
from math import lcm

import numpy as np
import numpy.typing as npt

from chronoxis.core.timing.ramps import ABRUPT, FittedRamps, Numbers, Ramp, RampCurve, RampCurves, fit_ramps
from chronoxis.core.timing.speed import checked_speed

Seconds = npt.NDArray[np.float64]

GRID_BITS = 80
"""Many parts are summed as whole numbers of 2^-80 s, and rounded once."""

# Sums are exact unless their parts have no common denominator up to this; then they keep to the grid.
_MOST_EXACT = 1 << 256
# A plateau shorter than this, in recorded seconds, is what rounding left of one that ramps used up.
_NOTHING = Fraction(1, 10**12)
# Plateaus and ramps are mapped one by one while each has many of the times, else all at once.
_MANY_TIMES = 48
_AT_ONCE = 1 << 14

_OnPlateau = Callable[[Seconds, Numbers | int], Seconds]
_OnRamp = Callable[[Seconds, Numbers | int, RampCurve], Seconds]


@dataclass(frozen=True)
class PacePiece:
    """A passage as the pace sees it.

    Attributes:
        recorded_length: in seconds, positive.
        speed: recorded seconds per result second.
    """

    recorded_length: Fraction
    speed: Fraction


@dataclass(frozen=True)
class _Segment:
    """A plateau or a ramp: recorded and result seconds, and the speed at its beginning."""

    recorded: Fraction
    result: Fraction
    speed: float
    is_ramp: bool = False


class PaceProfile:
    """How recorded time runs through a shot: passages laid end to end, with ramps at their joints.

    Both time axes start at 0 where the shot starts to play. The starts of plateaus and ramps are summed
    exactly and rounded once, and each time is mapped within its own one, so the error does not grow
    along the shot: it stays below 1e-6 s over ten hours.

    Attributes:
        recorded_length: seconds.
        result_length: seconds.
        joints: result seconds at which passages begin and the last one ends, shape (passages + 1,);
            a ramp's joint lies in its middle.
        ramp_lengths: result seconds that each ramp really has, shape (passages - 1,).
    """

    def __init__(self, pieces: Sequence[PacePiece], ramps: Sequence[Ramp] = ()) -> None:
        """``ramps[i]`` stands between pieces i and i + 1; without any, all changes are abrupt.

        Raises PlanError if a speed is out of range, ValueError if there is no piece, one is empty, or
        the ramps do not match the pieces.
        """
        if not pieces or any(piece.recorded_length <= 0 for piece in pieces):
            raise ValueError("a pace needs pieces of positive length")
        ramps = ramps or [ABRUPT] * (len(pieces) - 1)
        if len(ramps) != len(pieces) - 1 or any(ramp.length < 0 for ramp in ramps):
            raise ValueError("a pace needs one ramp for each joint, none of negative length")
        speeds = np.array([checked_speed(piece.speed) for piece in pieces], np.float64)
        fitted = fit_ramps(
            np.array([piece.recorded_length for piece in pieces], np.float64),
            speeds,
            np.array([ramp.length for ramp in ramps], np.float64),
            [ramp.shape for ramp in ramps],
        )
        segments, joints = _lay_out(pieces, fitted)
        recorded_starts = grid_sums(segment.recorded for segment in segments)
        result_starts = grid_sums(segment.result for segment in segments)
        self.ramp_lengths = fitted.lengths
        self.recorded_length = sum((piece.recorded_length for piece in pieces), Fraction(0))
        self.result_length = total(segment.result for segment in segments)
        self.joints = np.array([(result_starts[number] + half) / (1 << GRID_BITS) for number, half in joints])
        self._grid_lengths = recorded_starts[-1], result_starts[-1]
        self._passages = np.stack([self.joints[:-1], np.append(fitted.lengths, 0.0)])
        self._segments = np.stack(
            [
                off_grid(recorded_starts[:-1]),
                off_grid(result_starts[:-1]),
                [segment.speed for segment in segments],
                [segment.is_ramp for segment in segments],
            ]
        )
        self._curves = fitted.curves(speeds)

    @classmethod
    def constant(cls, recorded_length: Fraction, speed: Fraction) -> "PaceProfile":
        """The pace of a shot with one speed throughout."""
        return cls([PacePiece(recorded_length, speed)])

    @classmethod
    def joined(cls, profiles: "Sequence[PaceProfile]") -> "PaceProfile":
        """The pace of shots that follow one another, abruptly. Raises ValueError if there is none."""
        if not profiles:
            raise ValueError("nothing to join")
        if len(profiles) == 1:
            return profiles[0]
        whole = cls.__new__(cls)
        whole._grid_lengths = (
            sum(profile._grid_lengths[0] for profile in profiles),
            sum(profile._grid_lengths[1] for profile in profiles),
        )
        whole.recorded_length, whole.result_length = (
            Fraction(length, 1 << GRID_BITS) for length in whole._grid_lengths
        )
        starts = cls.starts(profiles)
        begins = starts[:, :-1]
        whole._passages = np.concatenate([profile._passages for profile in profiles], axis=1)
        counts = [profile._passages.shape[1] for profile in profiles]
        whole._passages[0] += np.repeat(begins[1], counts)
        whole.joints = np.append(whole._passages[0], starts[1, -1])
        whole.ramp_lengths = whole._passages[1, :-1]
        whole._segments = np.concatenate([profile._segments for profile in profiles], axis=1)
        counts = [profile._segments.shape[1] for profile in profiles]
        whole._segments[:2] += np.repeat(begins, counts, axis=1)
        whole._curves = RampCurves.joined([profile._curves for profile in profiles])
        return whole

    @classmethod
    def starts(cls, profiles: "Sequence[PaceProfile]") -> Seconds:
        """Recorded and result seconds before each of some shots that follow one another, and of all.

        Returns:
            Shape (2, shots + 1).
        """
        columns = zip(*((0, 0), *(profile._grid_lengths for profile in profiles)), strict=True)
        return np.stack([off_grid(accumulate(column)) for column in columns])

    @property
    def _recorded_starts(self) -> Seconds:
        return np.asarray(self._segments[0])

    @property
    def _result_starts(self) -> Seconds:
        return np.asarray(self._segments[1])

    @property
    def _speeds(self) -> Seconds:
        return np.asarray(self._segments[2])

    @cached_property
    def _curve_of(self) -> Numbers:
        """The number of each segment's curve; -1 on a plateau."""
        are_ramps = self._segments[3] > 0
        return np.where(are_ramps, np.cumsum(are_ramps) - 1, -1)

    def recorded_at(self, result_t: npt.ArrayLike) -> Seconds:
        """Recorded seconds since the start, for result seconds of any shape; ascending ones go faster.

        Times before the start or past the end go on at the first or last speed.
        """

        def plateau(t: Seconds, segment: Numbers | int) -> Seconds:
            mapped = t - self._result_starts[segment]
            mapped *= self._speeds[segment]
            mapped += self._recorded_starts[segment]
            return mapped

        def ramp(t: Seconds, segment: Numbers | int, curve: RampCurve) -> Seconds:
            covered = curve.recorded(t - self._result_starts[segment])
            return np.asarray(covered + self._recorded_starts[segment])

        return self._mapped(result_t, self._result_starts, plateau, ramp)

    def result_at(self, recorded_t: npt.ArrayLike) -> Seconds:
        """Result seconds, for recorded seconds since the start: the inverse of `recorded_at`."""

        def plateau(r: Seconds, segment: Numbers | int) -> Seconds:
            since = r - self._recorded_starts[segment]
            return np.asarray(self._result_starts[segment] + since / self._speeds[segment])

        def ramp(r: Seconds, segment: Numbers | int, curve: RampCurve) -> Seconds:
            passed = curve.result(r - self._recorded_starts[segment])
            return np.asarray(passed + self._result_starts[segment])

        return self._mapped(recorded_t, self._recorded_starts, plateau, ramp, one_by_one=True)

    def speed_at(self, result_t: npt.ArrayLike) -> Seconds:
        """Speed at result seconds; at an abrupt joint, the speed that follows."""

        def plateau(_t: Seconds, segment: Numbers | int) -> Seconds:
            return np.asarray(self._speeds[segment])

        def ramp(t: Seconds, segment: Numbers | int, curve: RampCurve) -> Seconds:
            return curve.speed(t - self._result_starts[segment])

        return self._mapped(result_t, self._result_starts, plateau, ramp)

    def _mapped(
        self,
        times: npt.ArrayLike,
        starts: Seconds,
        plateau: _OnPlateau,
        ramp: _OnRamp,
        *,
        one_by_one: bool = False,
    ) -> Seconds:
        """Map times segment by segment where each has many, else all at once."""
        given = np.asarray(times, np.float64)
        t, count = given.ravel(), self._segments.shape[1]
        if count == 1:
            return plateau(t, np.zeros(t.shape, np.intp)).reshape(given.shape)
        if one_by_one or len(t) >= _MANY_TIMES * count:
            return self._in_turn(t, starts, plateau, ramp).reshape(given.shape)
        mapped = np.empty_like(t)
        for first in range(0, len(t), _AT_ONCE):
            part = slice(first, first + _AT_ONCE)
            mapped[part] = self._at_once(t[part], starts, plateau, ramp)
        return mapped.reshape(given.shape)

    def _in_turn(self, t: Seconds, starts: Seconds, plateau: _OnPlateau, ramp: _OnRamp) -> Seconds:
        order = None
        if np.any(t[1:] < t[:-1]):
            order = np.argsort(t, kind="stable")
            t = t[order]
        cuts = np.concatenate(([0], np.searchsorted(t, starts[1:]), [len(t)]))
        mapped, curve_of = np.empty_like(t), self._curve_of
        for segment in np.flatnonzero(np.diff(cuts)).tolist():
            part = slice(cuts[segment], cuts[segment + 1])
            if curve_of[segment] >= 0:
                mapped[part] = ramp(t[part], segment, self._curves.one(curve_of[segment]))
            else:
                mapped[part] = plateau(t[part], segment)
        if order is None:
            return mapped
        unsorted = np.empty_like(mapped)
        unsorted[order] = mapped
        return unsorted

    def _at_once(self, t: Seconds, starts: Seconds, plateau: _OnPlateau, ramp: _OnRamp) -> Seconds:
        """First as if all were on plateaus, then those on ramps."""
        segments = np.searchsorted(starts[1:], t, "right")
        mapped = plateau(t, segments)
        curves = self._curve_of[segments]
        there = np.flatnonzero(curves >= 0)
        if len(there):
            mapped[there] = ramp(t[there], segments[there], self._curves.many(curves[there]))
        return mapped


def _lay_out(
    pieces: Sequence[PacePiece], fitted: FittedRamps
) -> tuple[list[_Segment], list[tuple[int, int]]]:
    """Plateaus and ramps in order; and each joint as a segment and parts of the grid into it."""
    segments: list[_Segment] = []
    joints = [(0, 0)]
    lengths, before, after = (
        [Fraction(value) for value in (*column.tolist(), 0.0)]
        for column in (fitted.lengths, fitted.before, fitted.after)
    )
    entered = Fraction(0)
    for number, piece in enumerate(pieces):
        plateau = piece.recorded_length - entered - before[number]
        if plateau > (_NOTHING if entered or before[number] else 0):
            segments.append(_Segment(plateau, plateau / piece.speed, float(piece.speed)))
        joints.append((len(segments), _on_grid(lengths[number]) // 2))
        if lengths[number]:
            taken = before[number] + after[number]
            segments.append(_Segment(taken, lengths[number], float(piece.speed), is_ramp=True))
        entered = after[number]
    return segments, joints


def running_sums(parts: Iterable[Fraction]) -> list[Fraction]:
    """0 and the sums of the first one, two, … parts: exact while that is cheap, else to 2^-80 each."""
    numerators, denominator = _alike(parts)
    return [Fraction(total, denominator) for total in accumulate(numerators, initial=0)]


def total(parts: Iterable[Fraction]) -> Fraction:
    """The sum of all parts, the last of `running_sums`."""
    numerators, denominator = _alike(parts)
    return Fraction(sum(numerators), denominator)


def _alike(parts: Iterable[Fraction]) -> tuple[list[int], int]:
    """The parts as whole numbers of one fraction."""
    fractions = list(parts)
    common = lcm(*{part.denominator for part in fractions})
    if common > _MOST_EXACT:
        return [_on_grid(part) for part in fractions], 1 << GRID_BITS
    return [part.numerator * (common // part.denominator) for part in fractions], common


def grid_sums(parts: Iterable[Fraction]) -> list[int]:
    """0 and the sums of the first one, two, … parts, in parts of the grid: quicker than `running_sums`."""
    return list(accumulate(map(_on_grid, parts), initial=0))


def off_grid(parts: Iterable[int]) -> Seconds:
    """Parts of the grid in seconds."""
    return np.array([part / (1 << GRID_BITS) for part in parts])


def _on_grid(seconds: Fraction) -> int:
    return (seconds.numerator << GRID_BITS) // seconds.denominator
