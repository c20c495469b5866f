"""The mapping from result time to recorded time."""

from collections import defaultdict
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from fractions import Fraction
from functools import cached_property
from itertools import accumulate
from math import lcm
from typing import NamedTuple, overload

import numpy as np
import numpy.typing as npt

from chronoxis.core.timing.ramps import (
    ABRUPT,
    FittedRamps,
    Numbers,
    Ramp,
    RampCurve,
    RampCurves,
    Run,
    Turns,
    fit_ramps,
)
from chronoxis.core.timing.speed import checked_speed

Seconds = npt.NDArray[np.float64]

GRID_BITS = 80
"""Many parts are summed as whole numbers of 2^-80 s, and rounded once."""

# Sums are exact unless their parts have no common denominator up to this; then they keep to the grid.
_MOST_EXACT = 1 << 256
# A plateau shorter than a picosecond, here in parts of the grid, is what rounding left of one that ramps
# used up.
_NOTHING = (1 << GRID_BITS) // 10**12
# Plateaus and ramps are mapped one by one while each has many of the times, else all at once.
_MANY_TIMES = 48
_AT_ONCE = 1 << 14

# Lengths of the turns, and what they take before and after: one entering, one at each joint, one leaving.
_GridRamps = tuple[list[int], list[int], list[int]]
_OnPlateau = Callable[[Seconds, Numbers | int], Seconds]
_OnRamp = Callable[[Seconds, Numbers | int, RampCurve], Seconds]


@dataclass(frozen=True)
class PacePiece:
    """A passage as the pace sees it. What is worked out of it alone is kept with it.

    Attributes:
        recorded_length: in seconds, positive.
        speed: recorded seconds per result second.

    Raises PlanError if the speed is out of range, ValueError if the piece is empty.
    """

    recorded_length: Fraction
    speed: Fraction

    def __post_init__(self) -> None:
        checked_speed(self.speed)
        if self.recorded_length <= 0:
            raise ValueError("a pace needs pieces of positive length")

    @cached_property
    def result_length(self) -> Fraction:
        """Result seconds, if no ramp takes any of it."""
        return self.recorded_length / self.speed

    @cached_property
    def rounded(self) -> tuple[float, float]:
        """Recorded length and speed."""
        return float(self.recorded_length), float(self.speed)

    @cached_property
    def on_grid(self) -> tuple[int, int]:
        """Recorded and result length in parts of the grid."""
        return _on_grid(self.recorded_length), _on_grid(self.result_length)


class _Segment(NamedTuple):
    """A plateau or a ramp: where it begins in parts of the grid, and the speed there."""

    recorded: int
    result: int
    speed: float
    is_ramp: bool


class PaceProfile:
    """How recorded time runs through a shot: passages laid end to end, with ramps at their joints.

    Both time axes start at 0 where the shot starts to play. The starts of plateaus and ramps are summed
    in whole parts of 2^-80 s and rounded once, and each time is mapped within its own one, so the error
    does not grow along the shot: it stays below 1e-6 s over ten hours.

    Attributes:
        recorded_length: seconds.
        result_length: seconds.
        joints: result seconds at which passages begin and the last one ends, shape (passages + 1,);
            a ramp's joint lies in its middle.
        ramp_lengths: result seconds that each ramp really has, shape (passages - 1,).
        run_lengths: result seconds that the runs at its beginning and at its end really have.
    """

    def __init__(
        self,
        pieces: Sequence[PacePiece],
        ramps: Sequence[Ramp] = (),
        runs: tuple[Run | None, Run | None] = (None, None),
    ) -> None:
        """``ramps[i]`` stands between pieces i and i + 1; without any, all changes are abrupt.

        ``runs`` enter and leave the shot: from a peak at its very beginning, to one at its very end.

        Raises ValueError if there is no piece, or the ramps do not match the pieces.
        """
        if not pieces:
            raise ValueError("a pace needs pieces")
        ramps = ramps or [ABRUPT] * (len(pieces) - 1)
        if len(ramps) != len(pieces) - 1:
            raise ValueError("a pace needs one ramp for each joint")
        recorded, speeds = np.array([piece.rounded for piece in pieces]).T
        fitted = fit_ramps(recorded, speeds, Turns.of_shots([(ramps, *runs)]))
        on_grid = _ramps_on_grid(fitted)
        peak = float(runs[0].peak) if runs[0] else 1.0
        segments, joints, self._grid_lengths = _lay_out(pieces, on_grid, peak)
        self.ramp_lengths = fitted.lengths[1:-1]
        self.run_lengths = float(fitted.lengths[0]), float(fitted.lengths[-1])
        self.recorded_length = total(piece.recorded_length for piece in pieces)
        self.result_length = _result_length(pieces, on_grid)
        self.joints = off_grid(joints)
        self._passages = np.stack([self.joints[:-1], np.append(self.ramp_lengths, 0.0)])
        recorded_starts, result_starts, *rest = zip(*segments, strict=True)
        self._segments = np.stack([off_grid(recorded_starts), off_grid(result_starts), *rest])
        self._curves = fitted.curves()

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
        whole.run_lengths = profiles[0].run_lengths[0], profiles[-1].run_lengths[1]
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

    @property
    def turns(self) -> Seconds:
        """When ramps and runs begin and end, and how many times faster it is after; shape (turns, 3)."""
        begins = self._result_starts[self._curve_of >= 0]
        ratios, lengths = self._curves.rows[:, 1], self._curves.rows[:, 2]
        return np.stack([begins, begins + lengths, np.exp(ratios)], -1)

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
        if count == 1 and self._curve_of[0] < 0:
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
    pieces: Sequence[PacePiece], ramps: _GridRamps, peak: float
) -> tuple[list[_Segment], list[int], tuple[int, int]]:
    """Plateaus and ramps in order; all joints in result time; recorded and result length of all.

    ``peak`` is the speed with which the run begins that enters, if there is one.
    """
    segments: list[_Segment] = []
    joints = [0]
    (result, *lengths), (_, *befores), (entered, *afters) = ramps
    recorded = entered
    if result:
        segments.append(_Segment(0, 0, peak, is_ramp=True))
    for piece, length, before, after in zip(pieces, lengths, befores, afters, strict=True):
        plateau, lasting = piece.on_grid
        if entered or before:
            plateau -= entered + before
            lasting = plateau * piece.speed.denominator // piece.speed.numerator
        if not (entered or before) or plateau > _NOTHING:
            segments.append(_Segment(recorded, result, piece.rounded[1], is_ramp=False))
            recorded, result = recorded + plateau, result + lasting
        joints.append(result + length // 2)
        if length:
            segments.append(_Segment(recorded, result, piece.rounded[1], is_ramp=True))
            recorded, result = recorded + before + after, result + length
        entered = after
    joints[-1] = result
    return segments, joints, (recorded, result)


def _ramps_on_grid(fitted: FittedRamps) -> _GridRamps:
    columns = (fitted.lengths, fitted.before, fitted.after)
    lengths, before, after = ([*map(int, (column * 2.0**GRID_BITS).tolist())] for column in columns)
    return lengths, before, after


def _result_length(pieces: Sequence[PacePiece], ramps: _GridRamps) -> Fraction:
    """What the passages last alone, and what the ramps add to that: exact, so that dividing adds nothing."""
    lengths, before, after = ramps
    taken: defaultdict[tuple[int, int], int] = defaultdict(int)
    for piece, entered, left in zip(pieces, after, before[1:], strict=False):
        taken[piece.speed.as_integer_ratio()] += entered + left
    parts = [Fraction(sum(lengths), 1 << GRID_BITS)]
    for (numerator, denominator), of_speed in taken.items():
        parts.append(Fraction(-of_speed * denominator, numerator << GRID_BITS))
    return total([*(piece.result_length for piece in pieces), *parts])


class RunningSums(Sequence[Fraction]):
    """0 and the sums of the first one, two, … parts: exact while that is cheap, else to 2^-80 each."""

    def __init__(self, parts: Iterable[Fraction]) -> None:
        numerators, self._denominator = _alike(parts)
        self._numerators = list(accumulate(numerators, initial=0))

    def __len__(self) -> int:
        return len(self._numerators)

    @overload
    def __getitem__(self, place: int) -> Fraction: ...
    @overload
    def __getitem__(self, place: slice) -> list[Fraction]: ...
    def __getitem__(self, place: int | slice) -> Fraction | list[Fraction]:
        # Fractions are made of those alone that somebody wants: they take longer than the sums.
        if isinstance(place, slice):
            return [Fraction(numerator, self._denominator) for numerator in self._numerators[place]]
        return Fraction(self._numerators[place], self._denominator)


def total(parts: Iterable[Fraction]) -> Fraction:
    """The sum of all parts, the last of `RunningSums`."""
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
    """0 and the sums of the first one, two, … parts, in parts of the grid: quicker than `RunningSums`."""
    return list(accumulate(map(_on_grid, parts), initial=0))


def off_grid(parts: Iterable[int]) -> Seconds:
    """Parts of the grid in seconds."""
    return np.array([part / (1 << GRID_BITS) for part in parts])


def _on_grid(seconds: Fraction) -> int:
    return (seconds.numerator << GRID_BITS) // seconds.denominator
