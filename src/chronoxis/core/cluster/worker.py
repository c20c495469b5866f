"""A worker: a process that waits at a scheduler for pieces to make, until it is stopped or that is gone."""

import asyncio
import os
from collections.abc import Callable, Iterable
from typing import Any

from distributed import Worker

from chronoxis.core.cluster.connection import hush, security_of
from chronoxis.core.cluster.machines import ClusterError, Machines, contact, not_answered
from chronoxis.core.files.atomic import scratch_folder, sweep_unfinished

_NICENESS = 10
_PATIENCE_SECONDS = 10  # until a scheduler answers


class PieceWorker(Worker):
    """A worker that knows where files of other machines lie on its own.

    Attributes:
        moved: folders there, and here.
    """

    moved: tuple[tuple[str, str], ...] = ()


def serve(machines: Machines, name: str, told: Callable[[str], None], signals: Iterable[int]) -> None:
    """Make pieces for whoever asks at an address, until a signal comes or nothing answers there any more.

    Raises:
        ClusterError: nothing answers there, or it must not be spoken with.
    """
    address = contact(machines.address, machines.credentials, insecure=machines.insecure)
    os.nice(_NICENESS)
    sweep_unfinished()
    hush()
    with scratch_folder() as folder:
        asyncio.run(_served(address, machines, {"name": name, "local_directory": str(folder)}, told, signals))


async def _served(
    address: str,
    machines: Machines,
    options: dict[str, Any],
    told: Callable[[str], None],
    signals: Iterable[int],
) -> None:
    stop = asyncio.Event()
    for number in signals:
        asyncio.get_running_loop().add_signal_handler(number, stop.set)
    try:
        worker = await PieceWorker(
            address,
            nthreads=1,
            memory_limit=0,
            security=security_of(machines.credentials),
            death_timeout=_PATIENCE_SECONDS,
            **options,
        )
    except (OSError, RuntimeError, ValueError, TimeoutError) as error:
        raise not_answered(machines) from error
    worker.moved = machines.moved
    told(f"{worker.name} waits for pieces at {machines.address}.")
    ended, stopped = asyncio.ensure_future(worker.finished()), asyncio.ensure_future(stop.wait())
    await asyncio.wait([ended, stopped], return_when=asyncio.FIRST_COMPLETED)
    if not ended.done():
        await worker.close()
        return
    stopped.cancel()
    raise ClusterError(f"The scheduler at {machines.address} is lost.")
