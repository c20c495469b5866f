"""Connections to a scheduler, and workers on this machine."""

import logging
from collections.abc import Iterator
from contextlib import ExitStack, contextmanager

from distributed import Client, LocalCluster, Security

from chronoxis.core.cluster.machines import ClusterError, Credentials, Machines, contact, not_answered

_PATIENCE_SECONDS = 10  # until a scheduler answers
_ENGINE_LOGS = "distributed"


@contextmanager
def connected(machines: Machines) -> Iterator[Client]:
    """Be connected to the scheduler of some machines, or to one of this process with workers of its own.

    Raises:
        ClusterError: nothing answers there, or it must not be spoken with.
    """
    hush()
    with ExitStack() as stack:
        try:
            client = stack.enter_context(_client(machines, stack))
        except (OSError, RuntimeError, ValueError) as error:
            raise not_answered(machines) from error
        with client.as_current():  # what makes pieces elsewhere is called through that
            yield client


def _client(machines: Machines, stack: ExitStack) -> Client:
    if machines.address:
        address = contact(machines.address, machines.credentials, insecure=machines.insecure)
        security = security_of(machines.credentials)
        return Client(address, security=security, timeout=_PATIENCE_SECONDS, set_as_default=False)
    workers = LocalCluster(
        n_workers=machines.workers, threads_per_worker=1, dashboard_address=None, memory_limit=0
    )
    return Client(stack.enter_context(workers), set_as_default=False)


def hush() -> None:
    """Let the engine log nothing: what matters of it is told in our words."""
    logging.getLogger(_ENGINE_LOGS).setLevel(logging.CRITICAL)


def security_of(credentials: Credentials | None) -> Security:
    """As the engine wants it: where nothing is given, what its own settings say."""
    if credentials is None:
        return Security()
    for path in (credentials.ca_file, credentials.cert, credentials.key):
        if not path.is_file():
            raise ClusterError(f"{path} is not there; it is needed for the connection.")
    ca_file, cert, key = map(str, (credentials.ca_file, credentials.cert, credentials.key))
    given = {f"tls_{role}_{kind}": path for role in _ROLES for kind, path in (("cert", cert), ("key", key))}
    return Security(require_encryption=True, tls_ca_file=ca_file, **given)


_ROLES = ("client", "worker", "scheduler")
