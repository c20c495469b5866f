"""`chronoxis demo`: the Larkfield balloon meet."""

from pathlib import Path

import click
from tqdm import tqdm

from chronoxis.cli.options import FILE
from chronoxis.cli.window_command import open_window


@click.command()
@click.option("--data-only", is_flag=True, help="Make the demo data and stop.")
@click.option("--dir", "folder", type=FILE, help="Where to put it; the user's cache folder if not given.")
def demo(data_only: bool, folder: Path | None) -> None:
    """Open the Larkfield balloon meet, made by the program itself.

    Its recordings are drawn beside the window the first time; each can be used as soon as it is there.
    """
    from chronoxis.demo.larkfield import (  # noqa: PLC0415 - drawing code no other command needs
        demo_project,
        ensure_demo,
    )

    if data_only:
        project = ensure_demo(
            folder, lambda text, total: tqdm(total=total, desc=text, unit="frame", leave=False)
        )
        click.echo(project)
        return
    project = demo_project(folder)
    open_window(project, draws=project.parent)
