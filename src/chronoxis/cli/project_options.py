"""Which options go with a project, and which are for footage alone."""

from collections.abc import Collection

import click
from click.core import ParameterSource

from chronoxis.cli.frame_options import FRAME_CHOICES

FOR_PROJECTS = {
    *("fps", *FRAME_CHOICES, "accent"),
    *("sound", "silent_above", "music", "music_level", "loudness"),
}
"""Choices about a result that a project takes from options."""


def refuse_for_projects(context: click.Context, taken: Collection[str]) -> None:
    """A project has its own stretches, paces and framings; options that say others raise UsageError."""
    for param in context.command.params:
        name = param.name or ""
        given = context.get_parameter_source(name) is ParameterSource.COMMANDLINE
        if given and name not in taken:
            raise click.UsageError(
                f"{param.opts[0]} is for footage: a project has its own, but for --fps, how frames are made, "
                "accents and sound."
            )
