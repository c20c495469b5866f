"""`chronoxis condense`: a recording into a file."""

from pathlib import Path
from typing import Any

import click

from chronoxis.cli.condensing_options import condensing_options
from chronoxis.cli.exporting import begun, write_result
from chronoxis.cli.machine_options import machine_options
from chronoxis.cli.options import FILE, file_options, progress_options
from chronoxis.cli.sound_options import as_meant
from chronoxis.cli.wished_plan import plan_of_footage


@click.command()
@click.argument("footage", metavar="INPUT", type=FILE)
@condensing_options
@file_options
@machine_options
@progress_options
def condense(footage: Path, **options: Any) -> None:
    """Condense a recording, or the photos of a folder, into a file."""
    options = as_meant(options)
    write_result(
        footage,
        options,
        lambda: begun(options),
        lambda project: plan_of_footage(footage, project.settings, options),
    )
