"""Which machines make a result: an address that workers wait at, or so many workers on this one."""

import socket
from collections.abc import Mapping
from dataclasses import asdict, dataclass
from importlib.util import find_spec
from ipaddress import ip_address
from pathlib import Path
from typing import Any
from urllib.parse import urlsplit

from chronoxis.core.errors import ChronoxisError

_USUAL_PORT = 8786  # of the engine's scheduler
_PLAIN, _ENCRYPTED = "tcp", "tls"


class ClusterError(ChronoxisError):
    """Other machines cannot be reached, or must not be."""


@dataclass(frozen=True)
class Credentials:
    """How a connection is encrypted, and who may take part in it.

    Attributes:
        ca_file: certificate of who vouches for all that take part.
        cert: certificate of this one.
        key: its private key.
    """

    ca_file: Path
    cert: Path
    key: Path


@dataclass(frozen=True)
class Machines:
    """Where pieces of a result are made.

    Attributes:
        address: of the scheduler that workers wait at; nothing for workers on this machine alone.
        workers: how many of those, where there is no address.
        credentials: None for a connection that is not encrypted, or as the engine's own settings have it.
        insecure: whether another machine may be spoken with over a connection that is not encrypted.
        moved: folders here, and where workers find them.
    """

    address: str = ""
    workers: int = 0
    credentials: Credentials | None = None
    insecure: bool = False
    moved: tuple[tuple[str, str], ...] = ()

    @property
    def in_words(self) -> str:
        """Where a result is made, as a list of exports tells it."""
        return f"at {self.address}" if self.address else f"by {self.workers} workers here"

    def as_json(self) -> dict[str, Any]:
        """All that was chosen, as JSON values."""
        told = asdict(self)
        if self.credentials is not None:
            told["credentials"] = {name: str(path) for name, path in told["credentials"].items()}
        return told

    @classmethod
    def from_json(cls, told: Mapping[str, Any]) -> "Machines":
        """What `as_json` told."""
        given = told["credentials"]
        credentials = Credentials(**{name: Path(path) for name, path in given.items()}) if given else None
        moved = tuple((here, there) for here, there in told["moved"])
        return cls(told["address"], told["workers"], credentials, told["insecure"], moved)


def not_answered(machines: Machines) -> ClusterError:
    """The error that says so."""
    return ClusterError(
        f"No scheduler answers {machines.in_words}; see whether it runs, and is encrypted likewise."
    )


def is_available() -> bool:
    """Whether what is needed for several machines is installed."""
    return find_spec("distributed") is not None


def require_available() -> None:
    """Raise ClusterError if what is needed for several machines is not installed."""
    if not is_available():
        raise ClusterError("Several machines need an extra: pip install chronoxis[cluster].")


def contact(address: str, credentials: Credentials | None, *, insecure: bool) -> str:
    """An address in full, once nothing speaks against using it.

    Args:
        address: such as ``studio.local``, ``192.168.7.20:8786`` or ``tls://studio.local``.
        credentials: those for an encrypted connection.
        insecure: whether another machine may be spoken with without encryption.

    Raises:
        ClusterError: it is none, is not known, or is another machine's, without encryption.
    """
    protocol, parted, rest = address.rpartition("://")
    host, port = _parts(address, rest)
    protocol = protocol if parted else (_ENCRYPTED if credentials else _PLAIN)
    if protocol not in (_PLAIN, _ENCRYPTED):
        raise ClusterError(f"{address} is no address such as studio.local:{_USUAL_PORT}.")
    if credentials is not None and protocol == _PLAIN:
        raise ClusterError(f"{address} is for connections that are not encrypted; leave out {_PLAIN}://.")
    if protocol == _PLAIN and not insecure and not _is_here(host):
        raise ClusterError(
            f"{host} is another machine, and whoever can reach the connection could run programs on both; "
            "give --tls-ca-file, --tls-cert and --tls-key, or --insecure in a network that you trust."
        )
    return f"{protocol}://{f'[{host}]' if ':' in host else host}:{port}"


def _parts(address: str, rest: str) -> tuple[str, int]:
    try:
        split = urlsplit(f"//{rest}")
        host, port = split.hostname, split.port or _USUAL_PORT
    except ValueError:
        host = None
    if not host or split.path or split.username is not None:
        raise ClusterError(f"{address} is no address such as studio.local:{_USUAL_PORT}.")
    return host, port


def _is_here(host: str) -> bool:
    """Whether a name means this machine, and what is sent there never leaves it. Raises ClusterError."""
    try:
        found = socket.getaddrinfo(host, None, type=socket.SOCK_STREAM)
    except OSError as error:
        raise ClusterError(f"{host} is not known: {error.strerror}.") from error
    return all(ip_address(str(entry[4][0]).partition("%")[0]).is_loopback for entry in found)
