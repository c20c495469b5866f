"""`chronoxis open`: the window, with a file."""

import sys
from pathlib import Path

import click

from chronoxis.cli.options import FILE


@click.command("open")
@click.argument("file", type=FILE)
def open_(file: Path) -> None:
    """Open the window with a project, a timeline or a recording."""
    open_window(file)


def open_window(file: Path | None, *, draws: Path | None = None) -> None:
    """Open the window, and end the program when it is closed; draw the demo in a folder beside it."""
    from chronoxis.app.start import run  # noqa: PLC0415 - the other commands run without Qt

    sys.exit(run(file, draws=draws))
