"""`chronoxis facts`: what footage is."""

import json
from pathlib import Path

import click

from chronoxis.cli.options import FILE
from chronoxis.core.footage.kinds import open_source


@click.command()
@click.argument("footage", metavar="INPUT", type=FILE)
@click.option("--json", "as_json", is_flag=True, help="Write JSON.")
def facts(footage: Path, as_json: bool) -> None:
    """Say what a recording or a run of photos is."""
    found = open_source(footage).facts
    if as_json:
        click.echo(json.dumps(found.as_json(), indent=2, ensure_ascii=False))
        return
    for name, value in found.rows():
        click.echo(f"{name:<14} {value}")
