"""Ramps: how speed passes from one to another, and how much recorded time that takes.

A ramp of result length ``w`` between the speeds ``a`` and ``b`` has the speed ``a^(1-σ(u)) · b^σ(u)`` at
``u = (t - t0) / w``: even steps of ``σ`` are even steps of ratio, which look even. Its recorded time is
the integral of that. For most shapes no closed form exists, so the speed is interpolated at Chebyshev
points and the series integrated term by term (Trefethen, *Approximation Theory and Approximation
Practice*, 2013, ch. 3 and 19); the speed is an entire function of ``u``, so the series converges
faster than any power. With `_CHEBYSHEV_POINTS` terms it is right to 1e-13 of the ramp's recorded length
even between the slowest and the fastest speed there are.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum
from fractions import Fraction
from functools import cached_property

import numpy as np
import numpy.typing as npt
from numpy.polynomial import chebyshev

Floats = npt.NDArray[np.float64]
Numbers = npt.NDArray[np.intp]
Coefficient = float | Floats

_CHEBYSHEV_POINTS = 64
_NEGLIGIBLE = 4e-16  # of the largest term: below it is rounding
_SERIES_COLUMN = 6  # columns of `RampCurves.rows` before the series
_TABLE_PLACES = np.linspace(0.0, 1.0, 65)


class RampShape(StrEnum):
    """How the change of speed is spread over a ramp.

    Even changes by the same ratio in every moment; smooth begins and ends gently; early does most of
    it at once; late does most of it at the end.
    """

    EVEN = "even"
    SMOOTH = "smooth"
    EARLY = "early"
    LATE = "late"

    @property
    def mirrored(self) -> "RampShape":
        """The shape of the same ramp run backwards."""
        return {RampShape.EARLY: RampShape.LATE, RampShape.LATE: RampShape.EARLY}.get(self, self)

    @property
    def bends(self) -> tuple[float, float, float]:
        """The coefficients of σ in u, u² and u³."""
        return _BENDS[self]

    @property
    def half_way(self) -> float:
        """σ(½): the share of the change that is done at the joint."""
        first, second, third = self.bends
        return first / 2 + second / 4 + third / 8

    def share_at(self, u: float) -> float:
        """The same as `share` for one place."""
        first, second, third = self.bends
        return u * (first + u * (second + u * third))

    def place_of(self, share: float) -> float:
        """Where in the ramp a share of the change is done; the inverse of `share_at`, by bisection."""
        low, high = 0.0, 1.0
        for _ in range(50):
            middle = (low + high) / 2
            low, high = (middle, high) if self.share_at(middle) < share else (low, middle)
        return high

    def share(self, u: Floats) -> Floats:
        """σ(u): the share of the change that is done, 0 to 1."""
        return _share(u, *self.bends)


_BENDS = {
    RampShape.EVEN: (1.0, 0.0, 0.0),
    RampShape.SMOOTH: (0.0, 3.0, -2.0),
    RampShape.EARLY: (2.0, -1.0, 0.0),
    RampShape.LATE: (0.0, 1.0, 0.0),
}


def _share(u: Floats, first: Coefficient, second: Coefficient, third: Coefficient) -> Floats:
    return np.asarray(u * (first + u * (second + u * third)))


@dataclass(frozen=True)
class Ramp:
    """The wished change of speed at a joint.

    Attributes:
        length: result seconds; 0 is an abrupt change. Where the passages are too short for it, it is
            shortened to what fits.
        shape: how the change is spread.
    """

    length: Fraction = Fraction(0)
    shape: RampShape = RampShape.SMOOTH

    def __post_init__(self) -> None:
        if self.length < 0:
            raise ValueError("a ramp of negative length")

    @cached_property
    def rounded(self) -> float:
        """The length in result seconds, rounded."""
        return float(self.length)


def lengths_of(ramps: Sequence[Ramp]) -> Floats:
    """Wished result seconds, shape (ramps,)."""
    return np.array([ramp.rounded for ramp in ramps], np.float64)


ABRUPT = Ramp()
"""No ramp: the speed changes at once."""


_x = chebyshev.chebpts1(_CHEBYSHEV_POINTS)
_u = (_x + 1) / 2


def _series_of_integral() -> Floats:
    """Matrix from values at the points to the series of their integral from u = 0; (count, count + 1)."""
    order = np.arange(_CHEBYSHEV_POINTS)
    fit = 2 / _CHEBYSHEV_POINTS * np.cos(np.outer(np.arccos(_x), order))
    fit[:, 0] /= 2
    integrate = np.stack([chebyshev.chebint(row, lbnd=-1, scl=0.5) for row in np.eye(_CHEBYSHEV_POINTS)])
    return np.asarray(fit @ integrate)


_TO_SERIES = _series_of_integral()
_TO_HALVES = _TO_SERIES @ (
    chebyshev.chebvander(np.array([0.0, 1.0]), _CHEBYSHEV_POINTS).T @ [[1, -1], [0, 1]]
)
_SHARES = {shape: shape.share(_u) for shape in RampShape}


def speeds_at_points(before: Floats, after: Floats, shapes: list[RampShape]) -> Floats:
    """Speeds of some ramps at the Chebyshev points; shape (ramps, points)."""
    shares = np.array([_SHARES[shape] for shape in shapes]).reshape(-1, _CHEBYSHEV_POINTS)
    return np.asarray(before[:, None] * np.exp(np.log(after / before)[:, None] * shares))


@dataclass(frozen=True)
class Run:
    """A ramp at an edge of a shot: to a peak exactly there, or from it.

    Attributes:
        length: result seconds, positive; shortened to what the shot's last, or first, passage holds.
        peak: recorded seconds per result second at the edge.
        shape: how the change is spread, in playing order.
    """

    length: Fraction
    peak: Fraction
    shape: RampShape

    def __post_init__(self) -> None:
        if self.length <= 0:
            raise ValueError("a run without length")

    @property
    def turned(self) -> "Run":
        """The same run backwards in time."""
        return Run(self.length, self.peak, self.shape.mirrored)


@dataclass(frozen=True, eq=False)
class Turns:
    """The wished changes of speed of one or more shots, in playing order.

    Attributes:
        before: number of the passage before each; -1 where it is the run that enters a shot.
        after: number of the passage after each; -1 where it is the run that leaves a shot.
        peaks: speed at the edge of each run; of no meaning at joints.
        lengths: wished result seconds.
        shapes: of each.
    """

    before: Numbers
    after: Numbers
    peaks: Floats
    lengths: Floats
    shapes: Sequence[RampShape]

    @classmethod
    def of_shots(cls, shots: Sequence[tuple[Sequence[Ramp], Run | None, Run | None]]) -> "Turns":
        """Of shots that follow one another: the ramps at their joints, the runs that enter and leave them."""
        before, after, wished, peaks, shapes = [], [], [], [], []
        first = 0
        for ramps, entering, leaving in shots:
            count = len(ramps) + 1
            before.append(np.arange(first - 1, first + count))
            after.append(np.arange(first, first + count + 1))
            before[-1][0] = after[-1][-1] = -1
            first += count
            for run in (entering, *ramps, leaving):
                wished.append(float(run.length) if run else 0.0)
                peaks.append(float(run.peak) if isinstance(run, Run) else 1.0)
                shapes.append(run.shape if run else RampShape.EVEN)
        return cls(np.concatenate(before), np.concatenate(after), np.array(peaks), np.array(wished), shapes)

    def speeds(self, speeds: Floats) -> tuple[Floats, Floats]:
        """From which speed each goes to which, by the speeds of the passages."""
        return (
            np.where(self.before < 0, self.peaks, speeds[self.before]),
            np.where(self.after < 0, self.peaks, speeds[self.after]),
        )

    @property
    def are_runs(self) -> npt.NDArray[np.bool_]:
        """Which of them stand at the edges of shots."""
        return (self.before < 0) | (self.after < 0)


@dataclass(frozen=True, eq=False)
class FittedRamps:
    """What the turns of a shot come to.

    Attributes:
        lengths: result seconds of each turn, at most as wished; float64, one per turn.
        before: recorded seconds that each takes of the passage before it.
        after: recorded seconds that each takes of the passage after it.
        real: numbers of the turns that have a length.
        values: speeds at the Chebyshev points of these; shape (turns, points).
        ends: speeds at the beginning and at the end of these; shape (turns, 2).
        shapes: of these.
    """

    lengths: Floats
    before: Floats
    after: Floats
    real: Numbers
    values: Floats
    ends: Floats
    shapes: Sequence[RampShape]

    def curves(self) -> "RampCurves":
        """The curves of the turns that have a length, in order."""
        bends = np.array([shape.bends for shape in self.shapes]).reshape(-1, 3)
        ratios = np.log(self.ends[:, 1] / self.ends[:, 0])
        lengths = self.lengths[self.real]
        series = self.values @ _TO_SERIES * lengths[:, None]
        return RampCurves(np.column_stack((self.ends[:, 0], ratios, lengths, bends, series)))


def fit_ramps(recorded: Floats, speeds: Floats, turns: Turns) -> FittedRamps:
    """Shorten each turn to what its passages hold.

    Where the turns of a passage together ask for more than it has, each gets the same share of its
    wish, so a passage may be used up from both sides to a peak without a plateau.

    Args:
        recorded: recorded seconds of each passage, shape (n,).
        speeds: of each passage.
        turns: of them.
    """
    wished = turns.lengths
    halves = np.zeros((len(wished), 2))
    ends = np.stack(turns.speeds(speeds), -1)
    runs = turns.are_runs
    real = np.flatnonzero((wished > 0) & (runs | (ends[:, 0] != ends[:, 1])))
    values = speeds_at_points(ends[real, 0], ends[real, 1], [turns.shapes[turn] for turn in real.tolist()])
    halves[real] = _halves(values, wished[real])
    if runs[real].any():
        # A run belongs to one passage alone.
        whole = halves.sum(axis=1)
        halves = np.where(
            runs[:, None], np.stack([turns.after < 0, turns.before < 0], -1) * whole[:, None], halves
        )
    asked = np.zeros(len(recorded) + 1)  # the last is what is beyond the edges, which has all that is asked
    np.add.at(asked, turns.before, halves[:, 0])
    np.add.at(asked, turns.after, halves[:, 1])
    share = np.append(np.minimum(1.0, recorded / np.maximum(asked[:-1], 1e-200)), 1.0)
    least = np.minimum(share[turns.before], share[turns.after])
    lengths = np.where(halves.any(axis=1), wished * least, 0.0)
    there = lengths[real] > 0
    values, real = values[there], real[there]
    before, after = halves.T * least
    shapes = [turns.shapes[turn] for turn in real.tolist()]
    return FittedRamps(lengths, before, after, real, values, ends[real], shapes)


def run_taken(speed: float, run: Run, length: float) -> float:
    """Recorded seconds that a run of ``length`` result seconds takes, beside a passage of a speed."""
    values = speeds_at_points(np.array([float(run.peak)]), np.array([speed]), [run.shape.mirrored])
    return float(_halves(values, np.array([length])).sum())


def ramp_halves(speeds: Floats, lengths: Floats, shapes: list[RampShape]) -> Floats:
    """Recorded seconds that ramps take before their joints and after them; shape (ramps, 2).

    Args:
        speeds: of the passages that they stand between, shape (ramps + 1,).
        lengths: result seconds, as they really are.
        shapes: of each.
    """
    return _halves(speeds_at_points(speeds[:-1], speeds[1:], shapes), lengths)


def _halves(values: Floats, lengths: Floats) -> Floats:
    """The same from the speeds at the Chebyshev points."""
    return np.asarray(values @ _TO_HALVES * lengths[:, None])


@dataclass(frozen=True, eq=False)
class RampCurves:
    """The curves of several ramps, one a row.

    Attributes:
        rows: speed at the beginning; natural logarithm of the speed at the end over that; result
            seconds; the three coefficients of the shape; the series of the recorded time, over -1..1.
    """

    rows: Floats

    @classmethod
    def joined(cls, parts: "Sequence[RampCurves]") -> "RampCurves":
        """The ramps of several collections, one after the other."""
        return cls(np.concatenate([part.rows for part in parts]))

    @property
    def _series(self) -> Floats:
        return self.rows[:, _SERIES_COLUMN:]

    @cached_property
    def _terms(self) -> npt.NDArray[np.intp]:
        """How many terms of each series are more than rounding."""
        sizes = np.abs(self._series)
        kept = sizes > _NEGLIGIBLE * sizes.max(axis=1, keepdims=True)
        return np.asarray(kept.shape[1] - np.argmax(kept[:, ::-1], axis=1))

    def one(self, ramp: int) -> "RampCurve":
        """One ramp's curve, for any times."""
        before, ratio, length, *bends = self.rows[ramp, :_SERIES_COLUMN].tolist()
        return RampCurve(before, ratio, length, tuple(bends), self._series[ramp, : self._terms[ramp]])

    def many(self, ramps: npt.NDArray[np.intp]) -> "RampCurve":
        """The curves of several ramps as if they were one, for as many times: one of each."""
        chosen = self.rows[ramps].T
        return RampCurve(
            chosen[0], chosen[1], chosen[2], tuple(chosen[3:_SERIES_COLUMN]), chosen[_SERIES_COLUMN:]
        )


@dataclass(frozen=True, eq=False)
class RampCurve:
    """A ramp's recorded time over its result time and back; both begin at 0.

    The values may also be arrays: of different ramps, one for each of the times that are asked for.
    """

    before: Coefficient
    ratio: Coefficient
    length: Coefficient
    bends: tuple[Coefficient, ...]
    series: Floats

    @cached_property
    def _table(self) -> Floats:
        return np.asarray(chebyshev.chebval(2 * _TABLE_PLACES - 1, self.series))

    def speed(self, result_t: Floats) -> Floats:
        """Speed at result seconds since the ramp's beginning."""
        share = _share(result_t / self.length, *self.bends)
        return np.asarray(self.before * np.exp(self.ratio * share))

    def recorded(self, result_t: Floats) -> Floats:
        """Recorded seconds covered; outside the ramp, its first and last speed go on."""
        inside = np.clip(result_t, 0.0, self.length)
        covered = chebyshev.chebval(inside * (2 / self.length) - 1, self.series, tensor=False)
        return np.asarray(covered + (result_t - inside) * self.speed(inside))

    def result(self, recorded_t: Floats) -> Floats:
        """Result seconds at which so much is covered, by Newton's method from a table; of one ramp."""
        inside = np.clip(recorded_t, 0.0, self._table[-1])
        t = np.interp(inside, self._table, _TABLE_PLACES) * self.length
        for _ in range(4):
            t = np.clip(t - (self.recorded(t) - inside) / self.speed(t), 0.0, self.length)
        return np.asarray(t + (recorded_t - inside) / self.speed(t))
