"""`chronoxis worker`: this machine makes pieces for others."""

import os
import platform
from typing import Any

import click

from chronoxis.cli import SIGNALS
from chronoxis.cli.machine_options import connection_options, machines_at
from chronoxis.core.readable import in_a_line


@click.command()
@click.argument("address")
@connection_options
@click.option("--name", default=f"{platform.node()}-{os.getpid()}", help="What others call this worker.")
def worker(address: str, name: str, **options: Any) -> None:
    """Make pieces of results for others who export at the scheduler at ADDRESS, until Ctrl+C.

    A scheduler is started on one of the machines by: dask scheduler. It takes the same --tls options.
    """
    machines = machines_at(address, options)
    from chronoxis.core.cluster.worker import serve  # noqa: PLC0415 - it is an extra, and takes long

    serve(machines, name, lambda line: click.echo(in_a_line(line), err=True), SIGNALS)
