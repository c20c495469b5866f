"""Options for a pace that follows what happens."""

from collections.abc import Callable, Mapping
from dataclasses import replace
from enum import StrEnum
from fractions import Fraction
from typing import Any

import click

from chronoxis.cli.lull_options import traces_of
from chronoxis.cli.measuring_bar import measuring
from chronoxis.cli.options import Words, with_options
from chronoxis.core.errors import PlanError
from chronoxis.core.footage.source import Source
from chronoxis.core.model import follow_acts
from chronoxis.core.model.footage import Footage
from chronoxis.core.model.project import Project
from chronoxis.core.timing.following import FollowWish
from chronoxis.core.timing.lulls import Course
from chronoxis.core.timing.speed import parse_speed
from chronoxis.core.timing.timecode import parse_time
from chronoxis.core.traces.added_trace import added_traces
from chronoxis.core.traces.lull_courses import level_course, picture_course, speech_course
from chronoxis.core.traces.store import TraceStore

_NEEDED = {"slowest": "--slowest", "fastest": "--fastest", "length": "--length"}


class PaceBy(StrEnum):
    """What a pace follows."""

    CHANGE = "change"
    MOTION = "motion"
    LEVEL = "level"
    SPEECH = "speech"


def follow_options(command: Callable[..., None]) -> Callable[..., None]:
    """What the pace follows, and how."""
    return with_options(
        command,
        [
            click.option("--pace-by", type=click.Choice([*map(str, PaceBy), *added_traces()]), multiple=True,
                         help="Fast where little happens, slow where much does: by what is measured. "
                         "Of several, each counts alike."),
            click.option("--slowest", metavar="S", help="The slowest speed of --pace-by."),
            click.option("--fastest", metavar="S", help="The fastest speed of --pace-by."),
            click.option("--pace-passages", type=click.IntRange(2, 5000), metavar="N",
                         help="So many passages at most, of --pace-by; 300 if not given."),
            click.option("--pace-reaction", type=Words("time", parse_time), metavar="T",
                         help="Recorded time in which the speed of --pace-by changes; 2 s if not given."),
        ],
    )  # fmt: skip


def follows(options: Mapping[str, Any]) -> bool:
    """Whether the pace is to follow something. Raises UsageError: options have no effect, or lack."""
    for name in ("slowest", "fastest", "pace_reaction", "pace_passages"):
        if not options.get("pace_by") and options.get(name) is not None:
            raise click.UsageError(f"--{name.replace('_', '-')} goes with --pace-by.")
    if not options.get("pace_by"):
        return False
    if lacking := [option for name, option in _NEEDED.items() if options[name] is None]:
        raise click.UsageError(f"--pace-by needs {' and '.join(lacking)}.")
    return True


def with_following(project: Project, source: Source, options: Mapping[str, Any], length: Fraction) -> Project:
    """A project of one shot, whose pace follows what happens in it. Raises ChronoxisError."""
    footage = project.footage[0]
    step = footage.rate / project.rate
    slowest, fastest = (float(parse_speed(options[name], step)) for name in ("slowest", "fastest"))
    wish = FollowWish(slowest, fastest, float(length))
    if options["pace_reaction"] is not None:
        wish = replace(wish, reaction=float(options["pace_reaction"]))
    if options["pace_passages"] is not None:
        wish = replace(wish, most=options["pace_passages"])
    courses = [_course(footage, source, by) for by in dict.fromkeys(options["pace_by"])]
    return follow_acts.follow(project, {0: courses}, wish)


def _course(footage: Footage, source: Source, by: str) -> Course:
    """What is followed, measured now unless it was before. Raises PlanError: there is no such thing in it."""
    if by in added_traces():
        with measuring() as told:
            column = added_traces()[by].of(source, TraceStore(), lambda _, share: told(footage.label, share))
        return picture_course(footage, source, column)
    sound, pictures = traces_of(footage, source)
    course = None
    match PaceBy(by):
        case PaceBy.CHANGE | PaceBy.MOTION if pictures is not None:
            column = pictures.change if by == PaceBy.CHANGE else pictures.motion
            course = picture_course(footage, source, column)
        case PaceBy.LEVEL:
            course = level_course(footage, sound)
        case PaceBy.SPEECH:
            course = speech_course(footage, sound)
    if course is None:
        raise PlanError(f"There is no {by} in {footage.label} to follow; choose something else.")
    return course
