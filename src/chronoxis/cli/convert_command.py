"""`chronoxis convert`: projects and open timelines into one another."""

from collections.abc import Callable
from pathlib import Path

import click

from chronoxis.cli.options import FILE
from chronoxis.core.files import endings
from chronoxis.core.files.outputs import check_output
from chronoxis.core.files.project_file import load_project, save_project
from chronoxis.core.files.timeline_reading import read_timeline
from chronoxis.core.model.project import Project
from chronoxis.core.readable import in_a_line


@click.command()
@click.argument("source", metavar="INPUT", type=FILE)
@click.option("-o", "--output", type=FILE, required=True, metavar="OUT",
              help="A .chronoxis project or an .otio timeline.")  # fmt: skip
@click.option("--overwrite", is_flag=True, help="Replace OUT if it is there.")
def convert(source: Path, output: Path, overwrite: bool) -> None:
    """Turn a project into an OpenTimelineIO timeline, or a timeline into a project."""
    ways = {endings.PROJECT: load_project, endings.TIMELINE: _load_timeline}
    writers: dict[str, Callable[[Project, Path], object]] = {
        endings.PROJECT: save_project,
        endings.TIMELINE: _save_timeline,
    }
    if source.suffix.lower() not in ways or output.suffix.lower() not in writers:
        raise click.UsageError(f"INPUT and OUT end in {endings.PROJECT} or {endings.TIMELINE}.")
    check_output(output, protects=[source], overwrite=overwrite)
    writers[output.suffix.lower()](ways[source.suffix.lower()](source), output)


def _save_timeline(project: Project, path: Path) -> None:
    from chronoxis.core.files.interchange import export_timeline  # noqa: PLC0415 - slow, and seldom needed
    from chronoxis.core.files.timeline_writing import remark_on  # noqa: PLC0415 - likewise

    export_timeline(project, path)
    if remark := remark_on(project):
        click.echo(remark, err=True)


def _load_timeline(path: Path) -> Project:
    imported = read_timeline(path)
    for note in imported.notes:
        click.echo(in_a_line(note), err=True)
    return imported.project
