"""Edits of what is corrected in recorded frames; pure functions from one project to the next."""

from collections.abc import Iterable
from dataclasses import replace
from fractions import Fraction

from chronoxis.core.model.even_out import EvenOut
from chronoxis.core.model.project import Project, Shot
from chronoxis.core.model.steady import Steady
from chronoxis.core.timing.frame_making import PassersBy


def set_even_out(project: Project, shots: Iterable[int], wish: EvenOut) -> Project:
    """Even out the light of shots."""
    for number in shots:
        project = project.with_shot(number, replace(project.shots[number], even_out=wish))
    return project


def set_steady(project: Project, shots: Iterable[int], wish: Steady) -> Project:
    """Steady shots."""
    for number in shots:
        project = project.with_shot(number, replace(project.shots[number], steady=wish))
    return project


def uncorrected(project: Project) -> Project:
    """With recorded frames taken evenly and as they are: not steadied, lined up or evened out."""
    return replace(project, shots=tuple(_uncorrected(shot) for shot in project.shots))


def _uncorrected(shot: Shot) -> Shot:
    passages = tuple(
        replace(passage, making=replace(passage.making, line_up=0.0)) if passage.making.line_up else passage
        for passage in shot.passages
    )
    return replace(
        shot,
        passages=passages,
        even_out=EvenOut(),
        steady=Steady(),
        passers_by=PassersBy.LEAVE,
        passers_apart=(),
    )


def set_passers_by(project: Project, shots: Iterable[int], wish: PassersBy) -> Project:
    """Choose what is done about all passers-by of shots, whatever was chosen for single ones."""
    for number in shots:
        shot = replace(project.shots[number], passers_by=wish, passers_apart=())
        project = project.with_shot(number, shot)
    return project


def set_passer_by(
    project: Project, number: int, moment: tuple[Fraction, Fraction], wish: PassersBy | None
) -> Project:
    """Choose for one moment of a shot, between two recorded seconds; None leaves it to what all have."""
    shot = project.shots[number]
    begin, end = moment
    others = tuple(each for each in shot.passers_apart if not begin <= each[0] < end)
    chosen = others if wish in (None, shot.passers_by) else (*others, ((begin + end) / 2, wish))
    apart = tuple(sorted((at, handling) for at, handling in chosen if handling is not None))
    return project.with_shot(number, replace(shot, passers_apart=apart))
