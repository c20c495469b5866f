"""Plans of projects, and of footage with what the options say."""

from collections.abc import Callable
from dataclasses import replace
from fractions import Fraction
from pathlib import Path
from typing import Any

import click

from chronoxis.cli.follow_options import follows, with_following
from chronoxis.cli.frame_options import with_frames
from chronoxis.cli.lull_options import fits, hurries, with_lulls
from chronoxis.cli.measuring_bar import measuring
from chronoxis.cli.preset_options import preset_besides, with_preset
from chronoxis.cli.sound_options import with_sound
from chronoxis.core.errors import PlanError
from chronoxis.core.footage.kinds import footage_of, open_source
from chronoxis.core.footage.photos.photo_facts import PhotoRunFacts
from chronoxis.core.footage.source import Source
from chronoxis.core.model import arranging, joining, pacing
from chronoxis.core.model.composing import canvas_for, set_canvas, set_framings
from chronoxis.core.model.footage import Footage
from chronoxis.core.model.framing import Easing, Fit, Framing, FramingStep, View
from chronoxis.core.model.photo_run import FlawKind, Handling, PhotoRun
from chronoxis.core.model.project import Place, Project
from chronoxis.core.model.settings import ResultSettings
from chronoxis.core.picture.picture_format import PictureFormat
from chronoxis.core.render.measuring import measured_plan
from chronoxis.core.render.opened_project import open_project
from chronoxis.core.render.plan import Plan
from chronoxis.core.timing.reckoner import Quantity
from chronoxis.core.timing.speed import parse_speed
from chronoxis.core.timing.step import parse_step
from chronoxis.core.timing.timecode import format_time, parse_time
from chronoxis.core.traces.store import TraceStore

_ONLY = Place(0, 0)


def plan_of_project(
    project: Project, rate: Fraction | None = None, choices: dict[str, Any] | None = None
) -> Plan:
    """The plan of a loaded project, whose footage is opened and counted.

    Perhaps at another rate, or with what options say about frames and sound.

    Raises:
        ChronoxisError: footage is missing, damaged or not what it was, or the plan contradicts itself.
    """
    project, sources = open_project(project)
    project, music = with_sound(project, choices) if choices else (project, {})
    project = _with_accents(with_frames(project, choices or {}), choices or {})
    project = arranging.set_rate(project, rate or project.rate)
    return _plan(project, {**sources, **music})


def plan_of_footage(path: Path, settings: ResultSettings, choices: dict[str, Any]) -> Plan:
    """The plan that the shared options ask for.

    Raises:
        UsageError: the options do not go together, or one cannot be read.
        ChronoxisError: as `plan_of_project`.
    """
    is_hurried, is_followed, preset = hurries(choices), follows(choices), preset_besides(choices)
    if is_hurried and is_followed:
        raise click.UsageError("Give one of --lulls, --lulls-cut and --pace-by.")
    ways = [name for name in ("speed", "length", "every") if choices[name] is not None]
    if fits(choices) or is_followed:
        ways.remove("length")
    if is_followed and ways:
        raise click.UsageError(f"--{ways[0]} has no effect with --pace-by.")
    if len(ways) > 1:
        raise click.UsageError("Give one of --speed, --length and --every.")
    source = open_source(path)
    footage = _with_photo_choices(footage_of(source.facts), source, choices)
    is_paced = is_hurried or is_followed or (preset is not None and preset.pace is not None)
    if not ways and not footage.is_told_by_count and not is_paced:
        raise click.UsageError("Give one of --speed, --length and --every.")
    rate = choices["fps"] or (preset and preset.rate) or footage.result_rate
    project = Project(settings=settings, rate=rate)
    project = arranging.add_shot(arranging.bring_in(project, footage), footage.key)
    project = _with_framing(project, source.facts.picture, choices)
    project = _with_points(project, choices)
    if preset is not None:
        project = with_preset(project, source, preset)
    if ways:
        project = pacing.change_quantity(project, _ONLY, *_pace_wish(project, ways[0], choices[ways[0]]))
    elif is_hurried or is_followed:
        project = pacing.set_speed(project, [_ONLY], Fraction(1))
    length = _usage(parse_time, choices["length"], project.rate) if choices["length"] is not None else None
    if is_hurried:
        project = with_lulls(project, source, choices, length)
    if is_followed and length is not None:
        project = with_following(project, source, choices, length)
    project = with_frames(project, choices)
    if choices.get("reverse"):
        project = arranging.reverse(project, range(len(project.shots)))
    project = _with_accents(project, choices)
    opened: dict[str, Source] = {project.footage[0].key: source}
    if "sound" in choices:
        project, music = with_sound(project, choices)
        opened |= music
    return _plan(project, opened)


def _with_accents(project: Project, choices: dict[str, Any]) -> Project:
    """A project with accents on all of its result, behind those that are there."""
    accents = tuple(choices.get("accent") or ())
    return joining.set_accents(project, lambda old: old + accents, whole=True) if accents else project


def _plan(project: Project, sources: dict[str, Source]) -> Plan:
    with measuring() as told:
        return measured_plan(project, sources, TraceStore(), told)


def _with_photo_choices(footage: Footage, source: Source, choices: dict[str, Any]) -> Footage:
    """Footage as the options for photos have it. Raises UsageError if it is none, or they contradict."""
    times = [choices[name] for name in ("photos_per_second", "interval") if choices[name] is not None]
    if not isinstance(footage, PhotoRun) or not isinstance(source.facts, PhotoRunFacts):
        if times or choices["missing"]:
            raise click.UsageError("--photos-per-second, --interval and --missing are for photos.")
        return footage
    if len(times) > 1:
        raise click.UsageError("Give one of --photos-per-second and --interval.")
    if times:
        footage = replace(footage, time=times[0])
    for kind in (FlawKind.MISSING, FlawKind.UNREADABLE) if choices["missing"] else ():
        footage = footage.with_handling(kind, Handling(choices["missing"]))
    return source.facts.measured(footage)


def _with_framing(project: Project, picture: PictureFormat, choices: dict[str, Any]) -> Project:
    """A project with the part of the pictures that the options ask for, and a canvas of its shape."""
    steps, crop, fit = choices["framing"] or (), choices["crop"], choices["fit"]
    if steps and isinstance(crop, View):
        raise click.UsageError("Give one of --framing and a --crop in pixels.")
    if isinstance(crop, View):
        steps = (FramingStep(Fraction(0), crop),)
    elif crop is not None:
        whole = steps or (FramingStep(Fraction(0), View.whole(picture.size)),)
        steps = tuple(replace(step, view=step.view.shaped(crop)) for step in whole)
    size, canvas = project.settings.size, picture.canvas
    if steps:
        if size.stretch:
            raise click.UsageError("--stretch gives up the shape that --crop and --framing choose.")
        canvas = canvas_for(canvas, max((step.view for step in steps), key=lambda view: view.width))
    if fit in ("fill", "bars") and "output" in choices:
        if size.width is None or size.height is None:
            raise click.UsageError(f"--fit {fit} needs a --size of width and height, such as 1920x1080.")
        canvas = replace(canvas, width=size.width, height=size.height)
    framing = Framing(steps, Fit.BARS if fit == "bars" else Fit.FILL, Easing.EVEN)
    return set_canvas(set_framings(project, {0: framing}), canvas)


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
