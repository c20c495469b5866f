"""Hyperlapses: which recorded frame, near the even step, each result frame takes so that neighbours line up.

An optimal choice over a whole stretch by dynamic programming (Bellman 1957): what counts is how far the
pictures of neighbouring result frames are apart beside the camera's smooth way, how uneven the pace is from
one to the next, and how far each is from the even step. The first and the last frame stay, so lengths do.
"""

import numpy as np
import numpy.typing as npt

from chronoxis.core.timing.pace import Seconds
from chronoxis.core.timing.shot_columns import Frames

MOST_REACH = 2.0
"""Steps that a frame may be away from the even one."""

Sway = npt.NDArray[np.float64]
"""Shape (frames, coordinates): how far the picture of each recorded frame is off the camera's smooth way."""

_UNEVEN_SHARE = 0.5  # of a step, by which neighbours may be nearer or farther than even
# What uneven pace, and being away from the even step, count beside swaying.
_PACE_COST = 0.12
_DISTANCE_COST = 0.01
_MOST_CHOICES = 33


def lined_up(even: Frames, reaches: Seconds, sway: Sway, first: int) -> Frames:
    """The frames that are taken in place of even ones.

    Args:
        even: recorded frames of result frames that follow one another, ascending or descending.
        reaches: how many recorded frames each may be away.
        sway: of the recorded frames from ``first`` on.
        first: number of its first frame.

    Returns:
        Recorded frames, shape of ``even``.
    """
    taken = even.copy()
    free = np.floor(reaches + 1e-9).astype(np.int64) >= 1
    bounds = np.flatnonzero(np.diff(np.concatenate(([0], free.astype(np.int8), [0]))))
    spread = float(np.sqrt(np.mean(sway**2)) * sway.shape[1] ** 0.5) or 1.0
    for begin, stop in bounds.reshape(-1, 2).tolist():
        if stop - begin >= 3:
            part = slice(begin, stop)
            taken[part] = _best(even[part], int(np.floor(reaches[part].max())), sway / spread, first)
    return taken


def _best(even: Frames, reach: int, sway: Sway, first: int) -> Frames:
    """The cheapest way through one stretch."""
    apart = max(1, -(-(2 * reach + 1) // _MOST_CHOICES))
    shifts = np.arange(-(reach // apart) * apart, reach + 1, apart)
    steps = np.maximum(np.abs(np.diff(even)), 1).astype(np.float64)
    direction = 1 if even[-1] >= even[0] else -1
    places = np.clip(even[:, None] + shifts * direction, first, first + len(sway) - 1)
    at = sway[places - first]
    away = (shifts / steps.mean()) ** 2 * _DISTANCE_COST
    still = np.where(shifts == 0, 0.0, np.inf)
    cost, back = still, np.zeros((len(even), len(shifts)), np.int64)
    for number in range(1, len(even)):
        uneven = (shifts[None] - shifts[:, None]) / steps[number - 1]
        moved = ((at[number][None] - at[number - 1][:, None]) ** 2).sum(axis=2)
        through = cost[:, None] + moved + _PACE_COST * uneven**2
        through[np.abs(uneven) > _UNEVEN_SHARE + 1e-9] = np.inf
        back[number] = through.argmin(axis=0)
        cost = through.min(axis=0) + away
    best = int((cost + still).argmin())
    taken = np.empty(len(even), np.int64)
    for number in range(len(even) - 1, -1, -1):
        taken[number] = places[number, best]
        best = int(back[number, best])
    return taken
