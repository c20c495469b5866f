"""How much of each accent there is when: numbers over result time, from choices, speeds and joins."""

from collections.abc import Iterator
from dataclasses import dataclass
from itertools import pairwise

import numpy as np
import numpy.typing as npt

from chronoxis.core.model.accent import Accent, ByJoin, ByPoints, BySpeed, Response
from chronoxis.core.model.project import Project, Shot
from chronoxis.core.timing.pace import Seconds

PLAIN_REACH = 0.5
"""Result seconds to either side of a plain cut that follow it."""


@dataclass(frozen=True)
class Placed:
    """An accent where it is.

    Attributes:
        accent: the choice.
        begin: result seconds.
        end: likewise.
        join: number of the join that it belongs to; None if it belongs to something else.
    """

    accent: Accent
    begin: float
    end: float
    join: int | None = None


@dataclass(frozen=True, eq=False)
class JoinReach:
    """Where joins begin and end to tell; every column has the shape (joins,).

    Attributes:
        cuts: result seconds of the cuts.
        before: result seconds before them.
        after: result seconds after them.
    """

    cuts: Seconds
    before: Seconds
    after: Seconds

    @classmethod
    def of(cls, project: Project) -> "JoinReach":
        """The joins of a project, in their order."""
        shots = project.shots
        cuts = project.shot_rows.begins[1:] if len(shots) > 1 else np.empty(0)
        pairs = list(pairwise(shots))
        before = np.array([_reach(one, at_end=True) for one, _ in pairs], np.float64)
        after = np.array([_reach(other, at_end=False) for _, other in pairs], np.float64)
        return cls(cuts, before, after)

    def closeness(self, times: Seconds, join: int | None = None) -> Seconds:
        """0 where a run-up begins and where a run-out ends, 1 at a cut, even between; of the nearest one."""
        if not len(self.cuts):
            return np.zeros(len(times))
        if join is None:
            after = np.searchsorted(self.cuts, times)
            sides = [np.clip(after - 1, 0, len(self.cuts) - 1), np.clip(after, 0, len(self.cuts) - 1)]
        else:
            sides = [np.full(len(times), join)]
        found = np.zeros(len(times))
        for number in sides:
            since = times - self.cuts[number]
            reach = np.where(since < 0, self.before[number], self.after[number])
            near = np.where(reach > 0, 1 - np.abs(since) / np.maximum(reach, 1e-12), 0.0)
            found = np.maximum(found, np.where(since == 0, 1.0, near))
        return np.asarray(found)


def _reach(shot: Shot, *, at_end: bool) -> float:
    if shot.runs[at_end] is not None:
        return shot.pace.run_lengths[at_end]
    return min(PLAIN_REACH, float(shot.pace.result_length))


def placed_accents(project: Project) -> Iterator[Placed]:
    """All accents in the order in which they are laid on: passages', shots', joins', the whole result's."""
    rows = project.shot_rows if project.shots else None
    if rows is None:
        return
    for number, shot in enumerate(project.shots):
        if not shot.has_accents:
            continue
        start = float(rows.begins[number])
        joints = shot.pace.joints
        for place, passage in enumerate(shot.passages):
            for accent in passage.accents:
                yield Placed(accent, start + float(joints[place]), start + float(joints[place + 1]))
        for accent in shot.accents:
            yield Placed(accent, start, start + float(joints[-1]))
    if any(shot.join.accents for shot in project.shots[:-1]):
        reach = JoinReach.of(project)
        for join, shot in enumerate(project.shots[:-1]):
            cut = float(reach.cuts[join])
            for accent in shot.join.accents:
                yield Placed(accent, cut - float(reach.before[join]), cut + float(reach.after[join]), join)
    for accent in project.accents:
        yield Placed(accent, 0.0, float(project.result_length))


def amounts_at(project: Project, placed: Placed, times: Seconds, speeds: Seconds | None = None) -> Seconds:
    """How much of an accent there is at result seconds; nothing outside of where it is.

    Args:
        project: whose accent it is.
        placed: which one.
        times: result seconds, ascending.
        speeds: recorded per result second then, if they are at hand.
    """
    inside = (times >= placed.begin) & (times < placed.end)
    match amount := placed.accent.amount:
        case BySpeed():
            found = project.pace.speed_at(times) if speeds is None else speeds
            rise = np.log(found / float(amount.none_at)) / np.log(float(amount.full_at / amount.none_at))
            shares = _responded(np.clip(rise, 0, 1), amount.response)
        case ByJoin():
            shares = _responded(JoinReach.of(project).closeness(times, placed.join), amount.response)
        case ByPoints():
            lasting = max(placed.end - placed.begin, 1e-12)
            places = [float(point.at) for point in amount.points]
            shares = np.interp((times - placed.begin) / lasting, places, [p.amount for p in amount.points])
    strength = placed.accent.strength if placed.accent.on else 0.0
    return np.where(inside, shares * strength, 0.0)


def strongest_at(project: Project, times: Seconds) -> Seconds:
    """The amount of the strongest accent at result seconds, at most 1."""
    found = np.zeros(len(times))
    speeds = project.pace.speed_at(times) if project.shots else None
    for placed in placed_accents(project):
        found = np.maximum(found, amounts_at(project, placed, times, speeds))
    return np.minimum(found, 1.0)


def _responded(share: npt.NDArray[np.float64], response: Response) -> Seconds:
    match response:
        case Response.EVEN:
            return share
        case Response.GENTLE:
            return share * share * (3 - 2 * share)
        case Response.LATE:
            return share * share
