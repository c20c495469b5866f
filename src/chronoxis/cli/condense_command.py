"""`chronoxis condense`: a recording into a file."""

import sys
from contextlib import nullcontext
from pathlib import Path
from typing import Any

import click

from chronoxis.cli.condensing_options import condensing_options
from chronoxis.cli.exporting import STANDARD, begun, write_result
from chronoxis.cli.machine_options import machine_options
from chronoxis.cli.options import FILE, file_options, progress_options
from chronoxis.cli.sound_options import as_meant
from chronoxis.cli.wished_plan import plan_of_footage
from chronoxis.core.footage.recording.piped import spooled


@click.command()
@click.argument("footage", metavar="INPUT", type=FILE)
@condensing_options
@file_options
@machine_options
@progress_options
def condense(footage: Path, **options: Any) -> None:
    """Condense a recording, or the photos of a folder, into a file.

    INPUT may be -: frames from standard input, as YUV4MPEG2.
    """
    options = as_meant(options)
    with spooled(sys.stdin.buffer) if footage == STANDARD else nullcontext(footage) as path:
        write_result(
            path,
            options,
            lambda: begun(options),
            lambda project: plan_of_footage(path, project.settings, options),
        )
