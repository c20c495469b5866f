"""`chronoxis report`: a file that helps others to find a fault."""

from pathlib import Path

import click

from chronoxis.cli.options import FILE
from chronoxis.core.fault_report import fault_report
from chronoxis.core.files.atomic import written_whole


@click.command()
@click.option("-o", "--output", type=FILE, default=None, help="The file; standard output if not given.")
@click.option("--with-names", is_flag=True, help="With messages in full, which may name files and people.")
@click.option("--overwrite", is_flag=True, help="Replace a file of that name.")
def report(output: Path | None, with_names: bool, overwrite: bool) -> None:
    """Write a file that helps others to find a fault.

    It says which versions run here, what the machine and its codecs are like, and what went wrong lately; no
    name of a file or a person, unless that is wished.
    """
    text = fault_report(with_names=with_names)
    if output is None:
        click.echo(text, nl=False)
        return
    with written_whole(output, overwrite=overwrite) as written:
        written.write(text.encode())
    click.echo(f"{output} can be handed on; read it once before.")
