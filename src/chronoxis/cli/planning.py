"""Plans of projects, and of footage with what the options say."""

from collections.abc import Callable
from dataclasses import replace
from fractions import Fraction
from pathlib import Path
from typing import Any

import click

from chronoxis.core.errors import ChronoxisError, PlanError
from chronoxis.core.footage.kinds import footage_of, open_source
from chronoxis.core.model import arranging, pacing
from chronoxis.core.model.project import Place, Project
from chronoxis.core.model.settings import ResultSettings
from chronoxis.core.render.plan import Plan, changed_on_disk, make_plan
from chronoxis.core.timing.reckoner import Quantity
from chronoxis.core.timing.schedule import EachFrame
from chronoxis.core.timing.speed import parse_speed
from chronoxis.core.timing.step import parse_step
from chronoxis.core.timing.timecode import format_time, parse_time

_ONLY = Place(0, 0)


def plan_of_project(project: Project, rate: Fraction | None = None) -> Plan:
    """The plan of a loaded project, whose footage is opened and counted; perhaps at another rate.

    Raises:
        ChronoxisError: footage is missing, damaged or not what it was, or the plan contradicts itself.
    """
    used = {shot.footage for shot in project.shots}
    sources = {}
    for footage in project.footage:
        if footage.key not in used:
            continue
        source = sources[footage.key] = open_source(footage.origin)
        measured = source.rate, source.length
        if footage.counted and not footage.agrees_with(*measured):
            raise ChronoxisError(changed_on_disk(footage, *measured))
        if measured != (footage.stored_rate, footage.stored_length):
            project = arranging.measure(project, footage.key, *measured)
    return make_plan(arranging.set_rate(project, rate or project.rate), sources)


def plan_of_footage(path: Path, settings: ResultSettings, choices: dict[str, Any]) -> Plan:
    """The plan that the shared options ask for.

    Raises:
        UsageError: the options do not go together, or one cannot be read.
        ChronoxisError: as `plan_of_project`.
    """
    ways = [name for name in ("speed", "length", "every") if choices[name] is not None]
    if len(ways) != 1:
        raise click.UsageError("Give one of --speed, --length and --every.")
    source = open_source(path)
    project = arranging.begin_with(Project(settings=settings), footage_of(source.facts))
    project = arranging.set_canvas(project, source.facts.picture.canvas)
    project = replace(project, rate=choices["fps"] or project.rate)
    project = _with_points(project, choices)
    project = pacing.change_quantity(project, _ONLY, *_pace_wish(project, ways[0], choices[ways[0]]))
    project = pacing.set_each_frame(project, [_ONLY], EachFrame(choices["each"]))
    project = pacing.set_shutter(project, [_ONLY], choices["shutter"])
    return make_plan(project, {project.footage[0].key: source})


def _with_points(project: Project, choices: dict[str, Any]) -> Project:
    footage = project.footage[0]
    begin = _usage(parse_time, choices["begin"], footage.rate) if choices["begin"] else Fraction(0)
    end = _usage(parse_time, choices["end"], footage.rate) if choices["end"] else footage.length
    if end > footage.length:
        out, whole = _apart(end, footage.length)
        raise PlanError(f"The out point {out} lies after the end of {footage.label}, which is {whole} long.")
    if begin >= footage.length:
        start, whole = _apart(begin, footage.length)
        raise PlanError(f"The in point {start} lies after the end of {footage.label}, which is {whole} long.")
    if begin >= end:
        raise PlanError(
            f"The in point {format_time(begin, 2)} must lie before the out point {format_time(end, 2)}."
        )
    return arranging.set_points(project, 0, begin, end)


def _apart(one: Fraction, other: Fraction) -> tuple[str, str]:
    """Two times in as few digits as tell them apart."""
    for decimals in range(2, 10):
        texts = format_time(one, decimals), format_time(other, decimals)
        if texts[0] != texts[1]:
            return texts
    return str(one), str(other)


def _pace_wish(project: Project, way: str, text: str) -> tuple[Quantity, Fraction]:
    if way == "length":
        return Quantity.RESULT_LENGTH, _usage(parse_time, text, project.rate)
    if way == "speed":
        frames_per_step = project.footage[0].rate / project.rate
        return Quantity.SPEED, _usage(parse_speed, text, frames_per_step)
    return Quantity.STEP, _usage(parse_step, text)


def _usage(parse: Callable[..., Fraction], *arguments: Any) -> Fraction:
    try:
        return parse(*arguments)
    except PlanError as error:
        raise click.UsageError(str(error)) from None
