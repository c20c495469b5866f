"""Checks of joins."""

from collections.abc import Iterator

import numpy as np

from chronoxis.core.checks.check import Check, Edit, Known, mark
from chronoxis.core.model import arranging, joining
from chronoxis.core.render.plan import Plan
from chronoxis.core.timing.timecode import format_time

_HURTING_STOPS = 2.0  # of light from one shot to the next, from which on a plain cut hurts
_FRAMES_AROUND_CUT = 12  # result frames on either side of a cut whose light counts


def surges(plan: Plan, known: Known) -> Iterator[Check]:
    """A Surge that its shots are too short for, or whose motion goes two ways."""
    project, cameras = plan.project, known.cameras
    for join, shot in enumerate(project.shots[:-1]):
        if shot.join.surge is None:
            continue
        at, after = float(project.starts[join + 1]), project.shots[join + 1]
        if joining.lacks_footage(shot, at_end=True) or joining.lacks_footage(after, at_end=False):
            room = max(joining.room_beyond(project, join)) > 0
            yield Check(
                "Surge shortened",
                f"The Surge at {format_time(at, 1)} is shortened: its shots are too short for it.",
                at,
                mark(project, join),
                "Open beyond" if room else "",
                _opened(join) if room else None,
            )
        if join in cameras and cameras[join].are_opposed:
            moves = cameras[join].before.move, cameras[join].after.move
            yield Check(
                "motion at a join",
                f"At {format_time(at, 1)} the camera {moves[0]}, then {moves[1]}: the rush breaks.",
                at,
                mark(project, join),
                f"Reverse shot {join + 2}",
                _reversed(join + 1),
            )


def _opened(join: int) -> Edit:
    return lambda project: joining.open_beyond(project, join)


def _reversed(shot: int) -> Edit:
    return lambda project: arranging.reverse(project, [shot])


def light_at_cuts(plan: Plan, known: Known) -> Iterator[Check]:
    """A plain cut between shots of very different light."""
    project = plan.project
    for join, shot in enumerate(project.shots[:-1]):
        if shot.join.surge is not None or shot.join.accents:
            continue
        first, stop = plan.frames_of(join + 1)[0], plan.frames_of(join)[1]
        before = _light(
            plan, known, join, range(max(plan.frames_of(join)[0], stop - _FRAMES_AROUND_CUT), stop)
        )
        after = _light(
            plan, known, join + 1, range(first, min(plan.frames_of(join + 1)[1], first + _FRAMES_AROUND_CUT))
        )
        if before is None or after is None:
            continue
        stops = float(np.log2(after / before))
        if abs(stops) >= _HURTING_STOPS:
            at, way = float(project.starts[join + 1]), "brighter" if stops > 0 else "darker"
            yield Check(
                "light at a cut",
                f"At {format_time(at, 1)} the next shot is {abs(stops):.1f} stops {way}: the cut hurts the "
                "eye. A Surge, a flash there, or another order hides it.",
                at,
                mark(project, join),
            )


def _light(plan: Plan, known: Known, shot: int, frames: range) -> float | None:
    """The mean light of some result frames of a shot; None where it was not measured."""
    trace = known.pictures.get(plan.project.shots[shot].footage)
    if trace is None or not frames:
        return None
    firsts = plan.schedule.firsts[list(frames)]
    recorded = plan.sources[shot].originals.recorded(firsts)
    if not trace.known[recorded].all():
        return None
    light = trace.light[recorded].astype(np.float64)
    if (gains := plan.gains[shot]) is not None:
        light = light * gains[firsts, 1]
    return max(float(light.mean()), 1e-4)
