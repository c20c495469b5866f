"""Edits of what part of their pictures shots show, and of the result's shape along with it."""

from collections.abc import Mapping
from dataclasses import replace
from fractions import Fraction

from chronoxis.core.model.canvas import Canvas
from chronoxis.core.model.export_format import Size
from chronoxis.core.model.framing import Framing, FramingStep, View
from chronoxis.core.model.nested import Nested
from chronoxis.core.model.project import Project, Shot


def set_canvas(project: Project, canvas: Canvas) -> Project:
    """Choose size and colour of the result.

    The pictures of nested runs have the result's size: views on them stay on what they show, as far as that
    is still there.
    """
    runs = (footage for footage in project.footage if isinstance(footage, Nested))
    for run in runs:
        project = project.with_footage(replace(run, shots=on_canvas(project, run.shots, canvas)))
    return replace(project, canvas=canvas, shots=on_canvas(project, project.shots, canvas))


def on_canvas(project: Project, shots: tuple[Shot, ...], canvas: Canvas) -> tuple[Shot, ...]:
    """Shots with their views on nested runs as they lie on another canvas than the project's."""
    before = project.canvas
    if before is None or before.size == canvas.size:
        return shots
    return tuple(
        replace(shot, framing=shot.framing.refitted(before.size, canvas.size))
        if project.footage_of(shot).made_of
        else shot
        for shot in shots
    )


def set_framings(project: Project, framings: Mapping[int, Framing]) -> Project:
    """Give shots, by their numbers, other framings."""
    for number, framing in framings.items():
        project = project.with_shot(number, replace(project.shots[number], framing=framing))
    return project


def shape_shots(project: Project, sizes: Mapping[int, Size], shape: Fraction | None) -> Project:
    """Crop shots to a shape, or let them have their own again; views keep their places.

    Where all shots have that shape then, the result takes it.

    Args:
        project: the project.
        sizes: of the pictures of the shots, by their numbers.
        shape: width by height; None takes the crop away.
    """
    framings = {}
    for number, size in sizes.items():
        old = project.shots[number].framing
        if shape is None:
            framings[number] = replace(old, steps=())
            continue
        whole = FramingStep(Fraction(0), View.whole(size).shaped(shape))
        reshaped = tuple(
            replace(step, view=step.view.reshaped(shape).within(size).shaped(shape)) for step in old.steps
        ) or (whole,)
        framings[number] = replace(old, steps=reshaped)
    project = set_framings(project, framings)
    if project.canvas is None or not sizes or len(sizes) < len(project.shots):
        return project
    size = sizes[min(sizes)]
    view = View.whole(size) if shape is None else View.whole(size).shaped(shape)
    return set_canvas(project, canvas_for(project.canvas, view))


def canvas_for(canvas: Canvas, view: View) -> Canvas:
    """The canvas of a result that shows a view as it is: of its size."""
    return replace(canvas, width=max(2, round(view.width)), height=max(2, round(view.height)))
