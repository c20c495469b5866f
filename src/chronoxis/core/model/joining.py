"""Edits of joins and accents: pure functions from one project to the next.

A join is told by the number of the shot before it.
"""

from collections.abc import Callable, Iterable
from dataclasses import replace
from fractions import Fraction

from chronoxis.core.errors import PlanError
from chronoxis.core.model.accent import Accent
from chronoxis.core.model.arranging import set_points, trimmed
from chronoxis.core.model.join import CUT, Join, Side, Surge
from chronoxis.core.model.pacing import changed
from chronoxis.core.model.project import Place, Project, Shot
from chronoxis.core.timing.speed import MAX_SPEED, checked_speed
from chronoxis.core.timing.timecode import format_time

LONGEST_RUN = Fraction(60)
"""Result seconds of one side of a Surge."""

_FIRST_RUN = Fraction(1)
_FIRST_RISE = 4
_MOST_ROUNDS = 60


def first_surge(project: Project, join: int) -> Surge:
    """What a Surge begins as: four times as fast as the faster side, a second to either side."""
    last, first = project.shots[join].passages[-1], project.shots[join + 1].passages[0]
    peak = min(_FIRST_RISE * max(last.speed, first.speed), MAX_SPEED)
    return Surge(peak, Side(_FIRST_RUN), Side(_FIRST_RUN))


def make_surges(project: Project, joins: Iterable[int]) -> Project:
    """Make a Surge of plain cuts; those that are one stay as they are."""

    def surging(join: int, old: Join) -> Join:
        return old if old.surge else replace(old, surge=first_surge(project, join))

    return _joined(project, joins, surging)


def drop_surges(project: Project, joins: Iterable[int]) -> Project:
    """Make plain cuts of joins, without accents of their own."""
    return _joined(project, joins, lambda _, __: CUT)


def set_surges(project: Project, joins: Iterable[int], change: Callable[[Surge], Surge]) -> Project:
    """Change the Surges of joins; plain cuts become one first.

    Raises:
        PlanError: a peak is out of range, or a run has no length or too much.
    """

    def surging(join: int, old: Join) -> Join:
        surge = change(old.surge or first_surge(project, join))
        checked_speed(surge.peak)
        for side in (surge.run_up, surge.run_out):
            if not 0 < side.length <= LONGEST_RUN:
                raise PlanError(
                    f"A side of a Surge lasts more than 0 and at most {format_time(LONGEST_RUN, 0)}."
                )
        return replace(old, surge=surge)

    return _joined(project, joins, surging)


def set_join(project: Project, joins: Iterable[int], join: Join) -> Project:
    """Give joins a Surge and accents."""
    return _joined(project, joins, lambda _, __: join)


def slide_cut(project: Project, join: int, by: Fraction) -> Project:
    """Move the cut through both shots: the one before it goes on longer, the one after begins later.

    What both last together stays.

    Args:
        project: the project.
        join: its number.
        by: result seconds; below 0 the other way.

    Raises:
        PlanError: there is not so much footage.
    """
    before, after = project.shots[join], project.shots[join + 1]
    together = project.starts[join + 2] - project.starts[join]
    moved = _grown(project, join, by * before.passages[-1].speed, at_end=True)
    grows = moved.shots[join + 1].passages[0].speed * -by
    # The runs may take more or less than they did, so the other side is found by what is left over.
    for _ in range(_MOST_ROUNDS):
        made = _grown(moved, join + 1, grows, at_end=False)
        wrong = float(together - (made.starts[join + 2] - made.starts[join]))
        if abs(wrong) < 1e-9:
            return made
        grows += Fraction(wrong * float(after.passages[0].speed)).limit_denominator(10**12)
    raise PlanError("The cut cannot be moved so far: the shots are too short for their runs there.")


def set_edge(project: Project, number: int, at: Fraction, *, at_end: bool) -> Project:
    """Let a shot end, or begin, at a recorded second of its footage.

    Raises:
        PlanError: nothing would be left of it, or the second lies outside of its footage.
    """
    shot = project.shots[number]
    later = at_end != shot.backwards
    points = (shot.in_point, at) if later else (at, shot.out_point)
    return set_points(project, number, *points)


def room_beyond(project: Project, join: int) -> tuple[Fraction, Fraction]:
    """Recorded seconds that the runs before and after a cut lack, as far as there is footage for them."""
    return _lacking(project, join, at_end=True), _lacking(project, join + 1, at_end=False)


def open_beyond(project: Project, join: int) -> Project:
    """Let the shots reach farther at the cut, so that its runs have all the footage that they ask for."""
    for number, at_end in ((join, True), (join + 1, False)):
        for _ in range(3):  # a longer passage may let its other ramps grow as well
            project = _grown(project, number, _lacking(project, number, at_end=at_end), at_end=at_end)
    return project


def lacks_footage(shot: Shot, *, at_end: bool) -> bool:
    """Whether the run at an edge of a shot is shorter than it was wished."""
    run = shot.runs[at_end]
    return run is not None and shot.pace.run_lengths[at_end] < float(run.length) * (1 - 1e-9)


def set_accents(
    project: Project,
    change: Callable[[tuple[Accent, ...]], tuple[Accent, ...]],
    *,
    places: Iterable[Place] = (),
    shots: Iterable[int] = (),
    joins: Iterable[int] = (),
    whole: bool = False,
) -> Project:
    """Change the accents of passages, of shots, of joins, or of the whole result."""
    project = changed(project, places, lambda p: replace(p, accents=change(p.accents)))
    for number in shots:
        shot = project.shots[number]
        project = project.with_shot(number, replace(shot, accents=change(shot.accents)))
    project = _joined(project, joins, lambda _, old: replace(old, accents=change(old.accents)))
    return replace(project, accents=change(project.accents)) if whole else project


def _joined(project: Project, joins: Iterable[int], change: Callable[[int, Join], Join]) -> Project:
    shots = list(project.shots)
    for join in joins:
        if not 0 <= join < len(shots) - 1:
            raise PlanError("A join stands between two shots.")
        shots[join] = replace(shots[join], join=change(join, shots[join].join))
    return replace(project, shots=tuple(shots))


def _room(project: Project, number: int, *, at_end: bool) -> Fraction:
    """Recorded seconds of footage beyond an edge of a shot."""
    shot = project.shots[number]
    if at_end != shot.backwards:
        return project.footage_of(shot).length - shot.out_point
    return shot.in_point


def _lacking(project: Project, number: int, *, at_end: bool) -> Fraction:
    """What a shot needs beyond an edge for its run there, as far as there is any."""
    shot = project.shots[number]
    run = shot.runs[at_end]
    if run is None or not lacks_footage(shot, at_end=at_end):
        return Fraction(0)
    # All that asks for a passage's footage gets the same share of it.
    share = Fraction(shot.pace.run_lengths[at_end]) / run.length
    passage = shot.passages[-1 if at_end else 0]
    lacks = (passage.recorded_length / share - passage.recorded_length).limit_denominator(10**6)
    return min(lacks, _room(project, number, at_end=at_end))


def _grown(project: Project, number: int, more: Fraction, *, at_end: bool) -> Project:
    """A shot with more footage at an edge, in playing order, or with less. Raises PlanError."""
    shot = project.shots[number]
    if more > _room(project, number, at_end=at_end):
        raise PlanError("There is no more footage beyond the shot; slide the cut the other way.")
    if more <= -shot.recorded_length:
        raise PlanError("The cut cannot be moved past the end of a shot.")
    points = [shot.in_point, shot.out_point]
    later = at_end != shot.backwards
    points[later] += more if later else -more
    return project.with_shot(number, trimmed(shot, *points))
