"""Corrections of lulls: drawn, stretched, split and refused ones; pure functions between projects.

All times are recorded seconds of the footage, wherever shots of it lie.
"""

from dataclasses import replace
from fractions import Fraction

from chronoxis.core.errors import PlanError
from chronoxis.core.model.project import Project
from chronoxis.core.timing.judged import Judged, Span, corrected, judged_anew, without
from chronoxis.core.timing.lulls import Course, Lull, LullWish, lulls


def set_wish(project: Project, wish: LullWish) -> Project:
    """Choose what counts as a lull."""
    return replace(project, lulls=wish)


def lulls_of_shot(project: Project, number: int, speech: Course | None, change: Course | None) -> list[Lull]:
    """What is a lull in a shot: found by the project's wish, and corrected by hand."""
    shot = project.shots[number]
    begin, end = shot.span
    found = lulls(project.lulls, speech, change, begin, end)
    spans = corrected(found, project.footage_of(shot).judged, project.lulls.least)
    inside = (Lull(max(lull.begin, begin), min(lull.end, end)) for lull in spans)
    return [lull for lull in inside if lull.end > lull.begin]


def draw(project: Project, key: str, span: Span) -> Project:
    """Say that a stretch is a lull. Raises PlanError: it lasts no time."""
    return stretch(project, key, span, span)


def stretch(project: Project, key: str, lull: Span, to: Span) -> Project:
    """Give a lull another begin or end. Raises PlanError: it would last no time."""
    length = project.footage_named(key).length
    begin, end = max(to[0], Fraction(0)), min(to[1], length)
    if end <= begin:
        raise PlanError("A lull lasts a frame at least.")
    return _judge(project, key, Judged(min(lull[0], begin), max(lull[1], end), ((begin, end),)))


def split(project: Project, key: str, lull: Span, at: Fraction) -> Project:
    """Make two lulls of one. Raises PlanError: the moment is not inside of it."""
    if not lull[0] < at < lull[1]:
        raise PlanError("Go to a moment inside of a lull to split it.")
    return _judge(project, key, Judged(*lull, ((lull[0], at), (at, lull[1]))))


def refuse(project: Project, key: str, lull: Span) -> Project:
    """Say that a stretch is no lull, whatever counts as one."""
    return _judge(project, key, Judged(*lull))


def leave_to_search(project: Project, key: str, span: Span) -> Project:
    """Take back what was said about a stretch."""
    footage = project.footage_named(key)
    return project.with_footage(replace(footage, judged=without(footage.judged, *span)))


def leave_all_to_search(project: Project, key: str) -> Project:
    """Take back all that was said about footage."""
    return project.with_footage(replace(project.footage_named(key), judged=()))


def _judge(project: Project, key: str, said: Judged) -> Project:
    footage = project.footage_named(key)
    return project.with_footage(replace(footage, judged=judged_anew(footage.judged, said)))
