"""`chronoxis render`: a project's result into a file."""

from fractions import Fraction
from pathlib import Path
from typing import Any

import click

from chronoxis.cli.exporting import write_result
from chronoxis.cli.machine_options import machine_options
from chronoxis.cli.options import (
    FILE,
    Words,
    accent_options,
    file_options,
    frame_options,
    progress_options,
    sound_options,
)
from chronoxis.cli.wished_plan import plan_of_project
from chronoxis.core.files.project_file import load_project
from chronoxis.core.timing.rates import parse_rate


@click.command()
@click.argument("project", metavar="PROJECT", type=FILE)
@frame_options
@accent_options
@sound_options
@file_options
@machine_options
@progress_options
@click.option("--fps", type=Words("rate", parse_rate), metavar="R", help="Result frame rate.")
def render(project: Path, fps: Fraction | None, **options: Any) -> None:
    """Export a project's result."""
    write_result(
        project,
        options,
        lambda: load_project(project),
        lambda loaded: plan_of_project(loaded, fps, options),
    )
