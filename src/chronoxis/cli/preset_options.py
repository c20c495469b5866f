"""Presets on the command line: by their names or files, with other options before what they say."""

from collections.abc import Mapping
from fractions import Fraction
from typing import Any

import click

from chronoxis.cli.follow_options import follows
from chronoxis.cli.lull_options import hurries, lull_courses
from chronoxis.cli.options import Command, Words
from chronoxis.core.files.presets import preset_named
from chronoxis.core.footage.source import Source
from chronoxis.core.model import pacing
from chronoxis.core.model import preset as presets
from chronoxis.core.model.lull_acts import LullsOf
from chronoxis.core.model.preset import Preset, ThroughLulls
from chronoxis.core.model.project import Place, Project
from chronoxis.core.timing.lulls import lulls

_BEFORE = {"fps": "rate", "reverse": "backwards", "speed": "pace", "length": "pace", "every": "pace"}
# Options in the place of which nothing is left of that part.


def preset_option(command: Command) -> Command:
    """A whole treatment by its name."""
    return click.option(
        "--preset",
        type=Words("preset", preset_named),
        metavar="NAME|FILE",
        help="A treatment, such as “walk to hyperlapse”; other options come before what it says.",
    )(command)


def preset_besides(choices: Mapping[str, Any]) -> Preset | None:
    """What is left of a preset beside other options; nothing, if none is given."""
    preset: Preset | None = choices.get("preset")
    if preset is None:
        return None
    given = {part for name, part in _BEFORE.items() if choices.get(name)}
    if hurries(choices) or follows(choices):
        given.add("pace")
    return preset.without({*given, "export"})


def with_preset(project: Project, source: Source, preset: Preset) -> Project:
    """A project of one shot with a treatment. Raises ChronoxisError."""
    found: LullsOf = {}
    if isinstance(preset.pace, ThroughLulls):
        if preset.pace.rest is None:
            project = pacing.set_speed(project, [Place(0, 0)], Fraction(1))
        courses = lull_courses(project.footage[0], source)
        found = {0: lulls(preset.pace.wish, *courses, *project.shots[0].span)}
    return presets.apply(project, [0], preset, found)
