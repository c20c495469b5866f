"""Speeds that give passages a wished length while their ramps stand."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from fractions import Fraction
from functools import cache
from math import exp, log

import numpy as np

from chronoxis.core.errors import PlanError
from chronoxis.core.timing.pace import PacePiece, Seconds
from chronoxis.core.timing.ramps import Ramp, Run, Turns, fit_ramps
from chronoxis.core.timing.speed import MAX_SPEED, MIN_SPEED
from chronoxis.core.timing.timecode import format_time

# Speeds that come out of solving are rounded to this, far below what any frame can tell.
_MOST_DENOMINATOR = 10**9
# How far, in logarithms, a ramped passage's speed mostly is at most from what it would be without ramps.
_NEAR_OCTAVES = 0.25
_REACH_STEPS = 2


@dataclass(frozen=True)
class PaceWish:
    """The pace of a shot before it is fitted.

    Attributes:
        pieces: its passages.
        ramps: one for each joint.
        held: which passages keep their speed.
        runs: that enter and leave the shot; their peaks stand.
    """

    pieces: Sequence[PacePiece]
    ramps: Sequence[Ramp]
    held: Sequence[bool]
    runs: tuple[Run | None, Run | None] = (None, None)

    def around(self, number: int) -> tuple["PaceWish", int]:
        """A passage with the two on either side: what is farther away has nothing to do with its length."""
        first, end = max(0, number - _REACH_STEPS), number + _REACH_STEPS + 1
        runs = self.runs[0] if first == 0 else None, self.runs[1] if end >= len(self.pieces) else None
        part = PaceWish(self.pieces[first:end], self.ramps[first : end - 1], self.held[first:end], runs)
        return part, number - first


def load_solver() -> None:
    """Load what finds the speeds: half a second that most commands do not need, and no drag can spare."""
    import scipy.optimize  # noqa: F401, PLC0415


def solve_speed(shot: PaceWish, number: int, wish: Fraction) -> Fraction:
    """The speed at which passage ``number`` lasts ``wish`` result seconds from joint to joint.

    Raises:
        PlanError: no speed in the range gives that.
    """
    shot, number = shot.around(number)
    lengths = _Lengths([shot])

    @cache
    def at(log_speed: float) -> float:
        speeds = lengths.speeds.copy()
        speeds[number] = exp(log_speed)
        return float(lengths.passages(speeds)[number])

    slowest, fastest = log(MIN_SPEED), log(MAX_SPEED)
    alone = log(shot.pieces[number].recorded_length / wish)
    near = max(slowest, alone - _NEAR_OCTAVES), min(fastest, alone + _NEAR_OCTAVES)
    if at(near[0]) >= wish >= at(near[1]):
        return _rational(exp(_root(at, float(wish), *near)))
    if wish < at(fastest):
        raise PlanError(
            f"The passage cannot be as short as {format_time(wish, 2)}: with its ramps it takes at least "
            f"{format_time(at(fastest), 2)}. Shorten the ramps."
        )
    if wish > at(slowest):
        raise PlanError(
            f"The passage cannot last {format_time(wish)}: at 1/100× it lasts {format_time(at(slowest))}."
        )
    return _rational(exp(_root(at, float(wish), slowest, fastest)))


def fit_to_length(shots: Sequence[PaceWish], wish: Fraction) -> list[list[Fraction]]:
    """The speeds at which all shots together last ``wish`` result seconds.

    Passages that are not held change by one common factor; ramps keep their result lengths as far as
    they fit.

    Raises:
        PlanError: it cannot be had; the message says by how much.
    """
    lengths = _Lengths(shots)
    free = ~lengths.held
    if not free.any():
        raise PlanError("Every passage's speed is held; let go of one so that the length can change.")
    old = [[piece.speed for piece in shot.pieces] for shot in shots]
    if not lengths.wished.any():
        return _scaled(shots, old, _exact_factor(shots, wish))

    @cache
    def at(log_factor: float) -> float:
        speeds = np.where(free, lengths.speeds * exp(log_factor), lengths.speeds)
        return float(lengths.passages(speeds).sum())

    least = log(MIN_SPEED) - log(lengths.speeds[free].min())
    most = log(MAX_SPEED) - log(lengths.speeds[free].max())
    if wish < at(most):
        raise PlanError(_too_short(at(most), wish))
    if wish > at(least):
        raise PlanError(_too_long(at(least), wish))
    return _scaled(shots, old, exp(_root(at, float(wish), least, most)))


def _exact_factor(shots: Sequence[PaceWish], wish: Fraction) -> Fraction:
    """Without ramps the factor is a quotient."""
    parts = [
        (piece.result_length, piece.speed, held)
        for shot in shots
        for piece, held in zip(shot.pieces, shot.held, strict=True)
    ]
    fixed = sum((length for length, _, held in parts if held), Fraction(0))
    free = sum((length for length, _, held in parts if not held), Fraction(0))
    most = min(MAX_SPEED / speed for _, speed, held in parts if not held)
    least = max(MIN_SPEED / speed for _, speed, held in parts if not held)
    if wish < fixed + free / most:
        raise PlanError(_too_short(float(fixed + free / most), wish))
    if wish > fixed + free / least:
        raise PlanError(_too_long(float(fixed + free / least), wish))
    return free / (wish - fixed)


def _too_short(shortest: float, wish: Fraction) -> str:
    return (
        f"The result cannot be as short as {format_time(wish)}: what is held and the ramps take "
        f"{format_time(shortest, 2)}, which is {format_time(shortest - float(wish), 2)} too much. "
        "Let go of a passage, shorten a ramp or trim a shot."
    )


def _too_long(longest: float, wish: Fraction) -> str:
    return (
        f"The result cannot last {format_time(wish)}: at the slowest it lasts {format_time(longest)}, "
        f"{format_time(float(wish) - longest)} too little. Let go of a passage or add a shot."
    )


def _scaled(
    shots: Sequence[PaceWish], speeds: list[list[Fraction]], factor: Fraction | float
) -> list[list[Fraction]]:
    def scaled(speed: Fraction) -> Fraction:
        exact = speed * factor if isinstance(factor, Fraction) else _rational(float(speed) * factor)
        return min(max(exact, MIN_SPEED), MAX_SPEED)

    return [
        [s if held else scaled(s) for s, held in zip(row, shot.held, strict=True)]
        for row, shot in zip(speeds, shots, strict=True)
    ]


def _rational(speed: float) -> Fraction:
    return min(max(Fraction(speed).limit_denominator(_MOST_DENOMINATOR), MIN_SPEED), MAX_SPEED)


def _root(at: Callable[[float], float], wish: float, low: float, high: float) -> float:
    if at(low) <= wish:
        return low
    if at(high) >= wish:
        return high
    from scipy.optimize import brentq  # noqa: PLC0415 - see load_solver

    return float(brentq(lambda x: at(x) - wish, low, high, xtol=1e-14, rtol=1e-14, maxiter=200))


class _Lengths:
    """Result lengths of the passages of several shots as a function of their speeds."""

    def __init__(self, shots: Sequence[PaceWish]) -> None:
        pieces = [piece.rounded for shot in shots for piece in shot.pieces]
        self._recorded, self.speeds = np.array(pieces).T
        self.held = np.array([held for shot in shots for held in shot.held])
        self._turns = Turns.of_shots([(shot.ramps, *shot.runs) for shot in shots])

    @property
    def wished(self) -> Seconds:
        """Result seconds of all changes of speed."""
        return self._turns.lengths

    def passages(self, speeds: Seconds) -> Seconds:
        """Result seconds of each passage from joint to joint; a run is part of its passage."""
        turns = self._turns
        fitted = fit_ramps(self._recorded, speeds, turns)
        plateaus, parts = np.append(self._recorded, 0.0), np.zeros(len(self._recorded) + 1)
        parted = np.where(turns.are_runs, 1.0, 0.5) * fitted.lengths
        for side, taken in ((turns.before, fitted.before), (turns.after, fitted.after)):
            np.subtract.at(plateaus, side, taken)
            np.add.at(parts, side, parted)
        return np.asarray(np.maximum(plateaus[:-1], 0.0) / speeds + parts[:-1])
