"""`chronoxis desktop`: the program among a person's own applications."""

import os
import shutil
import sys
from pathlib import Path

import click
from platformdirs import user_data_path

from chronoxis.cli.shell_files import shell_files
from chronoxis.core.errors import ExportError
from chronoxis.desktop.places import desktop_files, put, take_away


@click.group()
def desktop() -> None:
    """Put Chronoxis among your own applications, or take it from there.

    For an install by pip or pipx: menu entry, kind of file, icon, man page, and completion for bash and fish.
    """


@desktop.command()
def install() -> None:
    """Put menu entry, kind of file, icon, man page and completion into your own folders."""
    from chronoxis.app.theme.icon_sizes import icon_files  # noqa: PLC0415 - the only part that draws

    data = _data_folder()
    put(desktop_files(_executable(), icon_files(), shell_files()), data)
    click.echo(f"Chronoxis stands among your applications; its files are below {data}.")


@desktop.command()
def remove() -> None:
    """Take all that was put there away again; projects, presets and settings stay."""
    from chronoxis.app.theme.icon_sizes import SIZES  # noqa: PLC0415

    data = _data_folder()
    removed = take_away(desktop_files("", dict.fromkeys(SIZES, b""), shell_files()), data)
    click.echo(f"{removed} files below {data} are removed." if removed else "There was nothing to remove.")


def _data_folder() -> Path:
    return user_data_path("chronoxis").parent


def _executable() -> str:
    """What starts the program that runs here. Raises ExportError if nothing does."""
    beside = Path(sys.argv[0]).absolute()
    if beside.name == "chronoxis" and os.access(beside, os.X_OK):
        return str(beside)
    found = shutil.which("chronoxis")
    if found is None:
        raise ExportError(
            "There is no chronoxis on your PATH to start from a menu; install it with pipx or pip."
        )
    return str(Path(found).absolute())
