"""`chronoxis open`: the window, with a file."""

import sys
from pathlib import Path

import click

from chronoxis.cli.options import FILE


@click.command("open")
@click.argument("files", type=FILE, nargs=-1)
def open_(files: tuple[Path, ...]) -> None:
    """Open the window; with a project, a timeline, recordings or photos if they are given."""
    open_window(*files)


def open_window(*files: Path, draws: Path | None = None) -> None:
    """Open the window, and end the program when it is closed; draw the demo in a folder beside it."""
    from chronoxis.app.start import run  # noqa: PLC0415 - the other commands run without Qt

    sys.exit(run(files, draws=draws))
