"""Findings about a plan in plain words: what will look wrong, why, and one press that mends it."""

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, replace
from fractions import Fraction

import numpy as np

from chronoxis.core.model import arranging, joining, making
from chronoxis.core.model.accent import Accent, Flash
from chronoxis.core.model.amounts import Placed, amounts_at, placed_accents
from chronoxis.core.model.project import Place, Project
from chronoxis.core.render.camera_at_joins import JoinCamera
from chronoxis.core.render.plan import Plan
from chronoxis.core.timing.exact import parse_exact
from chronoxis.core.timing.frame_making import FEWEST_CLEARED, Between, EachFrame
from chronoxis.core.timing.rates import format_rate
from chronoxis.core.timing.speed import format_speed
from chronoxis.core.timing.timecode import format_time
from chronoxis.core.traces.picture_trace import PictureTrace

_WHITE_LIGHT = 2.4  # of a picture's mean light, from which on next to nothing of it is left
_WHITE_STOPS = 5.0  # the same of pictures that were not measured
_CLEARING = 10.0  # recorded seconds in which those who pass have passed
_MENDED_LIGHT = 0.5  # of white, that the mended flash brings the mean light to


@dataclass(frozen=True, eq=False)
class Check:
    """One finding.

    Attributes:
        words: what will look wrong, and why.
        at: result seconds where it shows.
        mend: what the press says; nothing, if there is no such press.
        edit: what it does.
    """

    words: str
    at: float
    mend: str = ""
    edit: Callable[[Project], Project] | None = None


def checks_of(
    plan: Plan, traces: Mapping[str, PictureTrace], cameras: Mapping[int, JoinCamera]
) -> list[Check]:
    """All findings, in the order of the result.

    Args:
        plan: what is looked at.
        traces: what was measured of its pictures, by key of its footage.
        cameras: what the camera does at joins, by their numbers.
    """
    project = plan.project
    found = [
        *_flashes(plan, traces),
        *_joins(project, cameras),
        *_repeats(project),
        *_unclear(plan),
        *_unsteadied(plan),
    ]
    return sorted(found, key=lambda check: check.at)


def _flashes(plan: Plan, traces: Mapping[str, PictureTrace]) -> Iterator[Check]:
    project, rate = plan.project, float(plan.project.rate)
    times = np.arange(len(plan.schedule)) / rate
    for placed in placed_accents(project):
        look = placed.accent.look
        if not isinstance(look, Flash) or look.stops <= 0:
            continue
        stops = amounts_at(project, placed, times) * look.stops
        white, light = _whitened(plan, traces, stops)
        if white is None:
            continue
        most = float(stops[white])
        lower = _MENDED_LIGHT / light if light else 2 ** (most / 2)
        wish = max(0.5, look.stops * float(np.log2(max(lower, 1.2))) / most)
        yield Check(
            f"The flash makes all of the picture white at {format_time(white / rate, 1)}.",
            white / rate,
            f"Take {wish:.1f} stops",
            _with_stops(placed, round(wish, 1)),
        )


def _whitened(
    plan: Plan, traces: Mapping[str, PictureTrace], stops: np.typing.NDArray[np.float64]
) -> tuple[int | None, float]:
    """The frame that a flash leaves least of, if that is next to nothing, and its mean light before."""
    number = int(stops.argmax())
    if not stops[number]:
        return None, 0.0
    schedule, shot = plan.schedule, int(plan.schedule.shots[number])
    trace = traces.get(plan.project.shots[shot].footage)
    frames, _ = schedule.sources(number)
    numbers = plan.sources[shot].originals.numbers
    at = int(frames[0]) if numbers is None else int(numbers[frames[0]])
    if trace is None or not trace.known[at]:
        return (number if stops[number] >= _WHITE_STOPS else None), 0.0
    light = max(float(trace.light[at]), 1e-4)
    return (number if light * 2 ** stops[number] >= _WHITE_LIGHT else None), light


def _with_stops(placed: Placed, stops: float) -> Callable[[Project], Project]:
    def gentler(accents: tuple[Accent, ...]) -> tuple[Accent, ...]:
        return tuple(
            replace(each, look=replace(each.look, stops=stops))
            if each == placed.accent and isinstance(each.look, Flash)
            else each
            for each in accents
        )

    def edit(project: Project) -> Project:
        shots = range(len(project.shots))
        return joining.set_accents(
            project, gentler, places=project.places(), shots=shots, joins=shots[:-1], whole=True
        )

    return edit


def _joins(project: Project, cameras: Mapping[int, JoinCamera]) -> Iterator[Check]:
    for join, shot in enumerate(project.shots[:-1]):
        if shot.join.surge is None:
            continue
        at, after = float(project.starts[join + 1]), project.shots[join + 1]
        if joining.lacks_footage(shot, at_end=True) or joining.lacks_footage(after, at_end=False):
            room = max(joining.room_beyond(project, join)) > 0
            yield Check(
                f"The Surge at {format_time(at, 1)} is shortened: its shots are too short for it.",
                at,
                "Open beyond" if room else "",
                _opened(join) if room else None,
            )
        if join in cameras and cameras[join].are_opposed:
            moves = cameras[join].before.move, cameras[join].after.move
            yield Check(
                f"At {format_time(at, 1)} the camera {moves[0]}, then {moves[1]}: the rush breaks.",
                at,
                f"Reverse shot {join + 2}",
                _reversed(join + 1),
            )


def _opened(join: int) -> Callable[[Project], Project]:
    return lambda project: joining.open_beyond(project, join)


def _reversed(shot: int) -> Callable[[Project], Project]:
    return lambda project: arranging.reverse(project, [shot])


def _unsteadied(plan: Plan) -> Iterator[Check]:
    for shot, share, number in plan.unsteadied:
        at = number / float(plan.project.rate)
        yield Check(
            f"From {format_time(at, 1)} on, the camera cannot be followed in {max(share, 0.01):.0%} of shot "
            f"{shot + 1}: there it stays as filmed.",
            at,
        )


def _unclear(plan: Plan) -> Iterator[Check]:
    project, schedule = plan.project, plan.schedule
    rows = np.searchsorted(project.rows.begins, plan.unclear / float(project.rate), side="right") - 1
    for row, first in zip(*np.unique(rows, return_index=True), strict=True):
        number, place = int(plan.unclear[first]), project.place(int(max(row, 0)))
        if project.passage(place).making.each is not EachFrame.CLEAR:
            continue
        frames, _ = schedule.sources(number)
        edges = plan.edges[place.shot]
        step = float(edges[frames[0] + 1] - edges[frames[0]])
        window = parse_exact(f"{max(_CLEARING, (2 * FEWEST_CLEARED - 1) * step):.2g}")
        at, has = number / float(project.rate), f"{len(frames)} recorded frame{'s' * (len(frames) > 1)}"
        yield Check(
            f"At {format_time(at, 1)} clear has {has} to choose from: who passes stays in the picture.",
            at,
            f"Look at {format_time(window, 0)}",
            _widened(place, window),
        )


def _widened(place: Place, window: Fraction) -> Callable[[Project], Project]:
    return lambda project: making.set_window(project, [place], window)


def _repeats(project: Project) -> Iterator[Check]:
    rows = project.rows
    rates = np.array([0.0 if each.made_of else float(each.rate) for each in project.footage])
    steps = rows.speeds * rates[project.shot_rows.footage[rows.shots]] / float(project.rate)
    for row in np.flatnonzero((steps > 0) & (steps < 1 - 1e-9)).tolist():
        place = project.place(row)
        passage, footage = project.passage(place), project.footage_of(project.shots[place.shot])
        if passage.making.between is Between.HOLD:
            begins = float(rows.begins[row])
            what = f"{footage.unit}s" if footage.is_told_by_count else f"{format_rate(footage.rate)} fps"
            yield Check(
                f"At {format_time(begins, 1)} {what} run at {format_speed(passage.speed)}: "
                f"every {footage.unit} stands {1 / steps[row]:.3g} times.",
                begins,
                "Fill in by motion",
                _filled(place),
            )


def _filled(place: Place) -> Callable[[Project], Project]:
    return lambda project: making.set_between(project, [place], Between.MOTION)
