"""Edits of how frames are made; pure functions from one project to the next."""

from collections.abc import Iterable
from dataclasses import replace
from fractions import Fraction
from typing import Any

from chronoxis.core.errors import PlanError
from chronoxis.core.model.pacing import changed
from chronoxis.core.model.project import Passage, Place, Project
from chronoxis.core.timing.exact import parse_exact, shortened
from chronoxis.core.timing.frame_making import (
    ALL_RECORDED,
    MAX_SHUTTER,
    MAX_WINDOW,
    Between,
    EachFrame,
    Fill,
)
from chronoxis.core.timing.lining_up import MOST_REACH
from chronoxis.core.timing.timecode import format_time


def set_each_frame(project: Project, places: Iterable[Place], each: EachFrame) -> Project:
    """Choose out of which recorded frames one result frame is made."""
    return _made(project, places, each=each)


def set_shutter(project: Project, places: Iterable[Place], degrees: float) -> Project:
    """Set the shutter angle. Raises PlanError if it lies outside 0° to 720°."""
    return _made(project, places, shutter=checked_shutter(degrees))


def set_soft(project: Project, places: Iterable[Place], soft: bool) -> Project:
    """Have long exposures fade in and out, or open and shut."""
    return _made(project, places, soft=soft)


def set_window(project: Project, places: Iterable[Place], window: Fraction | None) -> Project:
    """Have *clear* look at so many recorded seconds, or at what the shutter takes in.

    Raises:
        PlanError: it is not above zero, or longer than a day.
    """
    return _made(project, places, window=checked_window(window))


def set_fill(project: Project, places: Iterable[Place], fill: Fill) -> Project:
    """Choose the steps along the motion between recorded frames."""
    return _made(project, places, fill=fill)


def set_between(project: Project, places: Iterable[Place], between: Between) -> Project:
    """Choose what is shown where there are too few recorded frames."""
    return _made(project, places, between=between)


def set_line_up(project: Project, places: Iterable[Place], reach: float) -> Project:
    """Let frames be so many steps away from even ones, so that neighbours line up; 0 keeps the even step.

    Raises:
        PlanError: it is out of range.
    """
    return _made(project, places, line_up=checked_line_up(reach))


def checked_line_up(reach: float) -> float:
    """Steps that a frame may be away. Raises PlanError if they are below 0 or too many."""
    if not 0 <= reach <= MOST_REACH:
        raise PlanError(f"A frame may be 0 to {MOST_REACH:g} steps away from the even one.")
    return reach


def parse_line_up(text: str) -> float:
    """Read ``0.5`` or ``1/2`` steps. Raises PlanError if it is none."""
    try:
        return checked_line_up(float(parse_exact(text)))
    except (ValueError, ZeroDivisionError):
        raise PlanError(f"“{shortened(text)}” is no number of steps; write 0.5.") from None


def checked_shutter(degrees: float) -> float:
    """A shutter angle. Raises PlanError if it lies outside 0° to 720°."""
    if not 0 <= degrees <= MAX_SHUTTER:
        raise PlanError(f"A shutter of {degrees:g}° is out of range; it lies between 0° and {MAX_SHUTTER}°.")
    return degrees


def parse_shutter(text: str) -> float:
    """An angle such as ``180`` or ``270.5°``, or ``all``. Raises PlanError if it is none."""
    if text.strip().lower() == "all":
        return ALL_RECORDED
    try:
        degrees = parse_exact(text.strip().removesuffix("°"))
    except (ValueError, ZeroDivisionError):
        raise PlanError(f"“{shortened(text)}” is not an angle; write 180, 270.5 or all.") from None
    return checked_shutter(float(degrees))


def checked_window(window: Fraction | None) -> Fraction | None:
    """A window of *clear*. Raises PlanError if it is not above zero, or longer than a day."""
    if window is not None and not 0 < window <= MAX_WINDOW:
        raise PlanError(f"A window lies above 0 and up to {format_time(MAX_WINDOW, 0)} of recorded time.")
    return window


def _made(project: Project, places: Iterable[Place], **choice: Any) -> Project:
    def made(passage: Passage) -> Passage:
        return replace(passage, making=replace(passage.making, **choice))

    return changed(project, places, made)
