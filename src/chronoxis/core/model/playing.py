"""What plays when: the whole result, shot after shot, for many result times at once."""

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from chronoxis.core.model.passage_rows import Numbers
from chronoxis.core.model.project import Place, Project
from chronoxis.core.timing.pace import Seconds


@dataclass(frozen=True, eq=False)
class Played:
    """What plays at some result times; all of their shape.

    Attributes:
        shots: numbers of the shots.
        recorded: recorded seconds in each shot's footage.
        speeds: recorded seconds per result second.
    """

    shots: Numbers
    recorded: Seconds
    speeds: Seconds


def played_at(project: Project, result_t: npt.ArrayLike) -> Played:
    """Look up ascending result seconds; times outside the result belong to its first or last shot."""
    t = np.asarray(result_t, np.float64)
    rows = project.shot_rows
    shots = np.maximum(np.searchsorted(rows.begins, t, "right") - 1, 0)
    covered = project.pace.recorded_at(t) - rows.covered[shots]
    recorded = rows.origins[shots] + rows.directions[shots] * covered
    return Played(shots, recorded, project.pace.speed_at(t))


def place_at(project: Project, result_t: float) -> Place:
    """The passage that plays at a result time. Raises IndexError if there is no shot."""
    row = int(np.searchsorted(project.rows.begins, result_t, "right")) - 1
    return project.place(max(row, 0))


def result_time_of(project: Project, shot: int, recorded: float) -> float:
    """Result seconds at which a shot shows a recorded time of its footage, as near as it comes."""
    chosen = project.shots[shot]
    begin, end = chosen.span
    inside = min(max(recorded, begin), end)
    covered = end - inside if chosen.backwards else inside - begin
    return float(project.shot_rows.begins[shot]) + float(chosen.pace.result_at(covered))


def result_span(project: Project, place: Place) -> tuple[float, float]:
    """Result seconds at which a passage begins and ends."""
    start = float(project.shot_rows.begins[place.shot])
    joints = project.shots[place.shot].pace.joints
    return start + float(joints[place.passage]), start + float(joints[place.passage + 1])
