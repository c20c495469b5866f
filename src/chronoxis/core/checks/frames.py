"""Checks of how result frames follow one another, and what they are made of."""

from collections.abc import Iterator
from fractions import Fraction

import numpy as np

from chronoxis.core.checks.check import Check, Edit, Known, mark
from chronoxis.core.model import arranging, making, pacing
from chronoxis.core.model.playing import result_time_of
from chronoxis.core.model.project import Place, Project
from chronoxis.core.render.plan import Plan
from chronoxis.core.timing.exact import parse_exact
from chronoxis.core.timing.frame_making import ALL_RECORDED, FEWEST_CLEARED, Between, EachFrame
from chronoxis.core.timing.pace import Seconds
from chronoxis.core.timing.rates import format_rate
from chronoxis.core.timing.speed import format_speed
from chronoxis.core.timing.timecode import format_time

_CLEARING_SECONDS = 10.0  # recorded seconds in which those who pass have passed
_STEP_TOLERANCE = 0.02  # of a recorded frame, by which a step may be off a whole number of them
_SEEN_STEP = 3.0  # recorded frames in a step from which on nobody sees that steps differ by one
_TURNS_BACK = 0.6  # spacings from frame to frame, from which on something regular seems to go back
_HIDING_BLUR = 0.5  # spacings that it is blurred by, from which on nobody sees that
_SEEN_SECONDS = 1.0  # result seconds from which on what happens in a passage is seen
_LEAST_FLUENT_RATE = 20  # result frames a second below which it is no moving picture
_FASTEST_SINGLE = 4.0  # speed from which on single frames jump, where much moves
_MUCH_MOVES = 0.12  # share of the picture that changes from frame to frame
_CAMERA_MOVES = 0.25  # the same where the camera itself moves
_LONG_OPEN = 0.3  # recorded seconds in which a camera that moves smears all of it


def _steps(project: Project) -> Seconds:
    """Recorded frames from one result frame to the next, of each row of passages; 0 of nested runs."""
    rates = np.array([0.0 if each.made_of else float(each.rate) for each in project.footage])
    rows = project.rows
    return np.asarray(rows.speeds * rates[project.shot_rows.footage[rows.shots]] / float(project.rate))


def repeats(plan: Plan, _known: Known) -> Iterator[Check]:
    """Recorded frames that stand longer than one result frame."""
    project = plan.project
    rows, steps = project.rows, _steps(project)
    for row in np.flatnonzero((steps > 0) & (steps < 1 - 1e-9)).tolist():
        place = project.place(row)
        passage, footage = project.passage(place), project.footage_of(project.shots[place.shot])
        if passage.making.between is Between.HOLD:
            begins = float(rows.begins[row])
            what = f"{footage.unit}s" if footage.is_told_by_count else f"{format_rate(footage.rate)} fps"
            yield Check(
                "repeats",
                f"At {format_time(begins, 1)} {what} run at {format_speed(passage.speed)}: every "
                f"{footage.unit} stands {1 / steps[row]:.3g} times.",
                begins,
                mark(project, *place),
                "Fill in by motion",
                _filled(place),
            )


def _filled(place: Place) -> Edit:
    return lambda project: making.set_between(project, [place], Between.MOTION)


def unclear(plan: Plan, _known: Known) -> Iterator[Check]:
    """*Clear* with too few frames to clear anything."""
    project, schedule = plan.project, plan.schedule
    rows = np.searchsorted(project.rows.begins, plan.unclear / float(project.rate), side="right") - 1
    for row, first in zip(*np.unique(rows, return_index=True), strict=True):
        number, place = int(plan.unclear[first]), project.place(int(max(row, 0)))
        if project.passage(place).making.each != EachFrame.CLEAR:
            continue
        frames, _ = schedule.sources(number)
        edges = plan.edges[place.shot]
        step = float(edges[frames[0] + 1] - edges[frames[0]])
        window = parse_exact(f"{max(_CLEARING_SECONDS, (2 * FEWEST_CLEARED - 1) * step):.2g}")
        at, has = number / float(project.rate), f"{len(frames)} recorded frame{'s' * (len(frames) > 1)}"
        yield Check(
            "clear",
            f"At {format_time(at, 1)} clear has {has} to choose from: who passes stays in the picture.",
            at,
            mark(project, *place),
            f"Look at {format_time(window, 0)}",
            _widened(place, window),
        )


def _widened(place: Place, window: Fraction) -> Edit:
    return lambda project: making.set_window(project, [place], window)


def judder(plan: Plan, _known: Known) -> Iterator[Check]:
    """Steps that are now of one recorded frame and now of two: motion stutters."""
    project, rows = plan.project, plan.project.rows
    steps = _steps(project)
    lengths = rows.ends - rows.begins
    apart = np.abs(steps - np.rint(steps))
    for row in np.flatnonzero(
        (steps > 1) & (steps < _SEEN_STEP) & (apart > _STEP_TOLERANCE) & (lengths >= _SEEN_SECONDS)
    ):
        place, step = project.place(int(row)), float(steps[row])
        passage, footage = project.passage(place), project.footage_of(project.shots[place.shot])
        if passage.making.each != EachFrame.ONE or passage.making.is_filled or passage.making.line_up:
            continue
        speed = max(round(step), 1) * project.rate / footage.rate
        at = float(rows.begins[row])
        yield Check(
            "judder",
            f"At {format_time(at, 1)} each result frame goes on by {step:.3g} {footage.unit}s, now by "
            f"{int(step)} and now by {int(step) + 1}: motion stutters.",
            at,
            mark(project, *place),
            f"Take {format_speed(speed)}",
            _at_speed(place, speed),
        )


def _at_speed(place: Place, speed: Fraction) -> Edit:
    return lambda project: pacing.set_speed(project, [place], speed)


def low_rate(plan: Plan, _known: Known) -> Iterator[Check]:
    """A result rate that its footage could fill better."""
    project = plan.project
    steps = _steps(project)
    if project.rate >= _LEAST_FLUENT_RATE or not (steps > 0).all():
        return
    could = Fraction(30) if project.rate.denominator == 1 and 30 % project.rate == 0 else Fraction(25)
    if float(steps.min()) * float(project.rate) >= float(could):
        yield Check(
            "low rate",
            f"The result has {format_rate(project.rate)} frames a second, and its footage enough for "
            f"{format_rate(could)}: it looks jerky.",
            0.0,
            "",
            f"Take {format_rate(could)} fps",
            lambda p: arranging.set_rate(p, could),
        )


def choppy(plan: Plan, known: Known) -> Iterator[Check]:
    """Single frames far apart where much moves: everything jumps."""
    project = plan.project
    for place, changed, at in _moving(plan, known):
        passage = plan.project.passage(place)
        making_, speed = passage.making, float(passage.speed)
        if making_.each != EachFrame.ONE or making_.is_filled or making_.line_up:
            continue
        if speed >= _FASTEST_SINGLE and changed >= _MUCH_MOVES:
            yield Check(
                "choppy",
                f"At {format_time(at, 1)} single frames are taken at {format_speed(passage.speed)} where "
                "much moves: it jumps from frame to frame.",
                at,
                mark(project, *place),
                "Long exposure",
                _made(place, EachFrame.LONG_EXPOSURE),
            )


def smeared(plan: Plan, known: Known) -> Iterator[Check]:
    """A camera that moves while frames are open for long."""
    project = plan.project
    for place, changed, at in _moving(plan, known):
        passage, shot = plan.project.passage(place), plan.project.shots[place.shot]
        if not passage.making.each.entry.adds_light or shot.steady.is_on:
            continue
        open_for = float(passage.speed / plan.project.rate) * passage.making.shutter / 360
        if changed >= _CAMERA_MOVES and open_for >= _LONG_OPEN:
            yield Check(
                "smeared",
                f"At {format_time(at, 1)} the camera moves, and each frame is open for {open_for:.2g} s of "
                "that: what should be seen is smeared.",
                at,
                mark(project, *place),
                "One frame",
                _made(place, EachFrame.ONE),
            )


def strobing(plan: Plan, known: Known) -> Iterator[Check]:
    """Something regular that moves by about its own spacing from frame to frame: wheels seem to turn back."""
    project, rows, steps = plan.project, plan.project.rows, _steps(plan.project)
    for row in np.flatnonzero((steps > 1) & (rows.ends - rows.begins >= _SEEN_SECONDS)).tolist():
        place = project.place(row)
        seen = known.glances.get(place.shot)
        for frame, rate in seen.passing if seen is not None else ():
            moment = float(plan.edges[place.shot][min(frame, len(plan.edges[place.shot]) - 1)])
            if (
                not min(rows.enters[row], rows.leaves[row])
                <= moment
                <= max(rows.enters[row], rows.leaves[row])
            ):
                continue
            spacings, making_ = rate * float(steps[row]), project.passage(place).making
            blurred = spacings * making_.shutter / ALL_RECORDED if making_.is_open else 0.0
            if spacings < _TURNS_BACK or blurred >= _HIDING_BLUR or making_.is_filled:
                continue
            at = result_time_of(project, place.shot, moment)
            yield Check(
                "strobing",
                f"At {format_time(at, 1)} something regular, such as wheels or a fence, moves by "
                f"{spacings:.2g} of its own spacing from frame to frame: it seems to stand, or to go back.",
                at,
                mark(project, *place),
                "Long exposure",
                _exposed(place),
            )
            break


def _exposed(place: Place) -> Edit:
    def edit(project: Project) -> Project:
        project = making.set_each_frame(project, [place], EachFrame.LONG_EXPOSURE)
        return making.set_shutter(project, [place], ALL_RECORDED)

    return edit


def _made(place: Place, each: EachFrame) -> Edit:
    return lambda project: making.set_each_frame(project, [place], each)


def _moving(plan: Plan, known: Known) -> Iterator[tuple[Place, float, float]]:
    """Passages that last, how much changes from recorded frame to frame in them, and their beginnings.

    Of those whose pictures were measured.
    """
    project, rows = plan.project, plan.project.rows
    for row in np.flatnonzero(rows.ends - rows.begins >= _SEEN_SECONDS).tolist():
        place = project.place(row)
        shot = project.shots[place.shot]
        trace, numbers = known.pictures.get(shot.footage), plan.sources[place.shot].originals.numbers
        if trace is None or numbers is not None:
            continue
        moments = sorted((float(rows.enters[row]), float(rows.leaves[row])))
        first, stop = np.searchsorted(plan.edges[place.shot], moments).tolist()
        frames = slice(first + 1, min(stop, len(trace)))
        if stop - first > 2 and trace.known[frames].all():
            yield place, float(np.median(trace.changed[frames])), float(rows.begins[row])
