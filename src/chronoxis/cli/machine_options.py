"""Options that say which machines make a result."""

from collections.abc import Callable
from pathlib import Path
from typing import Any

import click

from chronoxis.cli.options import FILE, with_options
from chronoxis.core.cluster.machines import Credentials, Machines, contact, require_available

_TLS = ("tls_ca_file", "tls_cert", "tls_key")
_MOST_WORKERS = 256


def machine_options(command: Callable[..., None]) -> Callable[..., None]:
    """Other machines, or several workers on this one."""
    command = with_options(
        command,
        [
            click.option("--scheduler", metavar="ADDRESS",
                         help="Have it made by the workers that wait at ADDRESS (see chronoxis worker)."),
            click.option("--workers", type=click.IntRange(1, _MOST_WORKERS), metavar="N",
                         help="Have it made by so many workers on this machine."),
        ],
    )  # fmt: skip
    return connection_options(command)


def connection_options(command: Callable[..., None]) -> Callable[..., None]:
    """How a scheduler is spoken with, and where files lie on both sides."""
    return with_options(
        command,
        [
            click.option("--map", "moved", multiple=True, metavar="HERE=THERE",
                         help="Files in HERE, where it is exported, lie in THERE, where workers are; "
                              "can be given again."),
            click.option("--tls-ca-file", type=FILE, help="Certificate of who vouches for all machines."),
            click.option("--tls-cert", type=FILE, help="Certificate of this machine."),
            click.option("--tls-key", type=FILE, help="Its private key."),
            click.option("--insecure", is_flag=True,
                         help="Speak with another machine without encryption, in a network that you trust."),
        ],
    )  # fmt: skip


def machines_of(options: dict[str, Any]) -> Machines | None:
    """What the options say; None for this machine alone.

    Raises:
        UsageError: they do not go together.
        ClusterError: the address is none, or must not be spoken with as it is.
    """
    given = [name for name in ("moved", *_TLS, "insecure") if options[name]]
    if options["scheduler"] and options["workers"]:
        raise click.UsageError("Give one of --scheduler and --workers.")
    if not options["scheduler"] and given:
        option = "--map" if given[0] == "moved" else f"--{given[0].replace('_', '-')}"
        raise click.UsageError(f"{option} goes with --scheduler.")
    if options["workers"]:
        require_available()
        return Machines(workers=options["workers"])
    return machines_at(options["scheduler"], options) if options["scheduler"] else None


def machines_at(address: str, options: dict[str, Any]) -> Machines:
    """Those at an address, once nothing speaks against using it. Raises as `machines_of`."""
    require_available()
    files: list[Path] = [options[name] for name in _TLS if options[name] is not None]
    if files and len(files) < len(_TLS):
        raise click.UsageError("--tls-ca-file, --tls-cert and --tls-key go together.")
    credentials = Credentials(*(file.absolute() for file in files)) if files else None
    contact(address, credentials, insecure=options["insecure"])
    moved = tuple(_parted(pair) for pair in options["moved"])
    return Machines(address, credentials=credentials, insecure=options["insecure"], moved=moved)


def _parted(pair: str) -> tuple[str, str]:
    here, parted, there = pair.partition("=")
    if not (parted and here and there):
        raise click.UsageError("--map takes HERE=THERE: a folder here, and the same one on a worker.")
    return here, there
