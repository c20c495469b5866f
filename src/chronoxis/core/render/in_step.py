"""Two results played in step: which frame of one stands beside each frame of the other."""

from enum import StrEnum

import numpy as np

from chronoxis.core.render.plan import Plan
from chronoxis.core.timing.pace import Seconds
from chronoxis.core.timing.shot_columns import Frames

_ROUNDING = 1e-6  # of a result frame


class Step(StrEnum):
    """What is the same in results that play in step."""

    RESULT_TIME = "result time"
    MOMENT = "recorded moment"


def in_step(leader: Plan, other: Plan, step: Step) -> Frames:
    """Numbers of another result's frames, one for each of the leader's; shape (frames of the leader,).

    By result time, that on display when the leader's opens; the last one where the other is shorter.
    By recorded moment, that whose window opens nearest to the leader's on the same footage; where the
    other shows none of that footage, that at the same share of its length.
    """
    count, many = len(leader.schedule), len(other.schedule)
    if step is Step.RESULT_TIME:
        opens = np.arange(count) / float(leader.schedule.rate)
        found = np.floor(opens * float(other.schedule.rate) + _ROUNDING).astype(np.int64)
        return np.minimum(found, many - 1)
    shares = np.arange(count, dtype=np.float64) * (many / count)
    found = np.minimum(shares.astype(np.int64), many - 1)
    for key in {shot.footage for shot in leader.project.shots}:
        own, theirs = _rows_of(leader, key), _rows_of(other, key)
        if len(own) and len(theirs):
            found[own] = _nearest(leader.schedule.opened[own], other, theirs, shares[own])
    return found


def _rows_of(plan: Plan, key: str) -> Frames:
    """The result frames that show some footage."""
    is_of = np.array([shot.footage == key for shot in plan.project.shots])
    return np.flatnonzero(is_of[plan.schedule.shots])


def _nearest(moments: Seconds, other: Plan, rows: Frames, shares: Seconds) -> Frames:
    """Of another result's frames, those that open nearest to recorded moments.

    A moment that is shown more than once is taken where it comes nearest in the course of the result.
    """
    opened, shots = other.schedule.opened, other.schedule.shots
    best = np.full(len(moments), rows[0])
    apart, away = np.full(len(moments), np.inf), np.full(len(moments), np.inf)
    for shot in np.unique(shots[rows]).tolist():
        own = rows[shots[rows] == shot]
        order = np.argsort(opened[own], kind="stable")
        times = opened[own][order]
        place = np.clip(np.searchsorted(times, moments), 1, max(len(times) - 1, 1))
        before = np.minimum(place - 1, len(times) - 1)
        after = np.minimum(place, len(times) - 1)
        nearer = np.where(np.abs(times[after] - moments) < np.abs(times[before] - moments), after, before)
        found, gap = own[order][nearer], np.abs(times[nearer] - moments)
        far = np.abs(found - shares)
        step = float(np.median(np.diff(times))) if len(times) > 1 else 0.0
        better = (gap < apart - step) | ((gap <= apart + step) & (far < away))
        best[better], apart[better], away[better] = found[better], gap[better], far[better]
    return best
