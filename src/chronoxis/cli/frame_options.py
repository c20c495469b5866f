"""What options say of how frames are made and corrected."""

from collections.abc import Callable, Mapping
from dataclasses import replace
from typing import Any

import click

from chronoxis.core.model import correcting, making
from chronoxis.core.model.project import Project
from chronoxis.core.timing.frame_making import Between, Fill, PassersBy

FRAME_CHOICES = (
    "each",
    "shutter",
    "window",
    "fill",
    "between",
    "even_out",
    "even_out_span",
    "passers_by",
    "steady",
    "crop_budget",
    "level",
    "line_up",
)
"""The names of these options."""


def with_frames(project: Project, choices: Mapping[str, Any]) -> Project:
    """A project whose passages and shots are as the options have them; the rest stays as it is.

    Raises:
        PlanError: a window or a span is out of range.
        UsageError: an option has no effect.
    """
    places, shots = project.places(), range(len(project.shots))
    edits: dict[str, Callable[[Project, Any], Project]] = {
        "each": lambda p, wish: making.set_each_frame(p, places, wish),
        "shutter": lambda p, wish: making.set_shutter(p, places, wish),
        "window": lambda p, wish: making.set_window(p, places, wish),
        "fill": lambda p, wish: making.set_fill(p, places, Fill(wish)),
        "between": lambda p, wish: making.set_between(p, places, Between(wish)),
        "line_up": lambda p, wish: making.set_line_up(p, places, wish),
        "passers_by": lambda p, wish: correcting.set_passers_by(p, shots, PassersBy(wish)),
    }
    for name, edit in edits.items():
        if choices.get(name) is not None:
            project = edit(project, choices[name])
    for number in shots:
        steady = choices.get("steady") or project.shots[number].steady
        crop = choices.get("crop_budget") or steady.crop
        steady = replace(steady, crop=crop, level=bool(choices.get("level")) or steady.level)
        project = correcting.set_steady(project, [number], steady)
    strength, span = choices.get("even_out"), choices.get("even_out_span")
    for number in shots:
        old = project.shots[number].even_out
        wish = replace(
            old,
            strength=old.strength if strength is None else strength,
            span=old.span if span is None else span,
        )
        project = correcting.set_even_out(project, [number], wish)
    _refuse_idle(project, choices)
    return project


def _refuse_idle(project: Project, choices: Mapping[str, Any]) -> None:
    """Raises UsageError for an option that would have no effect on anything."""
    shots, makings = project.shots, [making for shot in project.shots for making in shot.makings]
    needs = {
        "crop_budget": (any(shot.steady.is_on for shot in shots), "--steady smooth or still"),
        "level": (any(shot.steady.is_on for shot in shots), "--steady smooth or still"),
        "even_out_span": (any(shot.even_out.strength for shot in shots), "--even-out"),
        "window": (any(making.each.entry.looks_wider for making in makings), "--each clear"),
        "shutter": (any(making.is_open for making in makings), "--each or --fill"),
    }
    for name, (acts, wanted) in needs.items():
        if choices.get(name) is not None and not acts:
            raise click.UsageError(f"--{name.replace('_', '-')} has no effect without {wanted}.")
