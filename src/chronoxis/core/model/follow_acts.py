"""Shots whose pace follows what happens in them."""

from collections.abc import Mapping, Sequence
from dataclasses import replace
from fractions import Fraction

from chronoxis.core.errors import PlanError
from chronoxis.core.model import pacing
from chronoxis.core.model.laid_passages import with_laid_passages
from chronoxis.core.model.project import Place, Project
from chronoxis.core.timing.following import Following, FollowWish, Stretch, following
from chronoxis.core.timing.lulls import Course

CoursesOf = Mapping[int, Sequence[Course]]
"""What is followed, over recorded seconds, by the number of the shot; of each shot as many."""


def followed(project: Project, courses: CoursesOf, wish: FollowWish) -> Following:
    """The pace that follows courses through shots, in their order. Raises PlanError: there is none."""
    shots = [(project.shots[number], of_shot) for number, of_shot in sorted(courses.items())]
    return following([Stretch(of_shot, *shot.span, shot.backwards) for shot, of_shot in shots], wish)


def follow(project: Project, courses: CoursesOf, wish: FollowWish) -> Project:
    """Have the pace of shots follow courses; together they last exactly as long as wished.

    Raises:
        PlanError: no such pace is possible, or a speed in a shot is held.
    """
    numbers = sorted(courses)
    before = project.result_length - sum(project.shots[number].pace.result_length for number in numbers)
    if any(passage.held for number in numbers for passage in project.shots[number].passages):
        raise PlanError("Something in this shot is held; let go of it for the pace to follow what happens.")
    places = []
    for number, laid in zip(numbers, followed(project, courses, wish).laid, strict=True):
        shot = project.shots[number]
        template = replace(shot.longest, effect=None)
        made = with_laid_passages(shot, laid, [template] * len(laid.speeds))
        project = project.with_shot(number, made)
        places += [Place(number, passage) for passage in range(len(made.passages))]
    return pacing.fit_places_to_length(
        project, places, before + Fraction(wish.length).limit_denominator(10**6)
    )
