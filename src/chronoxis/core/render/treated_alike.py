"""Other footage with the choices of a project: for condensing many recordings the same way."""

from dataclasses import replace
from fractions import Fraction
from pathlib import Path

from chronoxis.core.footage.kinds import footage_of, open_source
from chronoxis.core.model import arranging, composing, pacing
from chronoxis.core.model.project import Place, Project
from chronoxis.core.timing.speed import format_speed

_NEAREST_SPEED = 10_000  # parts of a mean speed that is not a plain one


def treated_alike(path: Path, like: Project) -> Project:
    """The project that condenses a recording, or photos, as another project does.

    It has the choices of the export, the rate, the mean speed over all of the result, the way in which the
    first passage's frames are made and its shot is corrected, and the accents on all of the result. What
    belongs to moments of the other footage, it does not have.

    Raises:
        FootageError: it cannot be read.
        PlanError: it has no pictures, or the speed does not fit it.
    """
    source = open_source(path)
    footage, only = footage_of(source.facts), Place(0, 0)
    project = Project(settings=replace(like.settings, credits=False), mix=like.mix)
    project = arranging.begin_with(project, footage)
    project = arranging.set_rate(composing.set_canvas(project, source.facts.picture.canvas), like.rate)
    first = like.shots[0]
    shot = replace(
        project.shots[0], even_out=first.even_out, passers_by=first.passers_by, steady=first.steady
    )
    project = project.with_shot(0, shot)
    project = pacing.changed(
        project, [only], lambda passage: replace(passage, making=first.passages[0].making)
    )
    project = replace(project, accents=like.accents)
    return pacing.set_speed(project, [only], mean_speed(like))


def mean_speed(project: Project) -> Fraction:
    """Recorded seconds per result second, over all of a result."""
    if len(project.places()) == 1:
        return project.passage(project.places()[0]).speed
    mean = project.recorded_length / project.result_length
    return Fraction(mean).limit_denominator(_NEAREST_SPEED)


def speed_in_name(speed: Fraction) -> str:
    """A speed as it can stand in the name of a file: ``12x``, ``1-4x``."""
    return format_speed(speed).replace("×", "x").replace("/", "-")
