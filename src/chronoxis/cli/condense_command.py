"""`chronoxis condense`: a recording into a file."""

from pathlib import Path
from typing import Any

import click

from chronoxis.cli.exporting import write_result
from chronoxis.cli.options import (
    FILE,
    file_options,
    frame_options,
    framing_options,
    look_options,
    pace_options,
    photo_options,
    sound_options,
)
from chronoxis.cli.sound_options import as_meant
from chronoxis.cli.wished_plan import plan_of_footage
from chronoxis.core.model.project import Project
from chronoxis.core.model.settings import ResultSettings


def _silent() -> Project:
    """Where nothing is said of sound, there is none."""
    return Project(settings=ResultSettings(sound=False))


@click.command()
@click.argument("footage", metavar="INPUT", type=FILE)
@pace_options
@frame_options
@photo_options
@framing_options
@look_options
@sound_options
@file_options
def condense(footage: Path, **options: Any) -> None:
    """Condense a recording, or the photos of a folder, into a file."""
    options = as_meant(options)
    write_result(
        footage, options, _silent, lambda project: plan_of_footage(footage, project.settings, options)
    )
