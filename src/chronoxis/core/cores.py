"""How many of the machine's cores this process may use, and threads to use them with."""

import os
from concurrent.futures import ThreadPoolExecutor
from functools import cache


def usable_cores() -> int:
    """Fewer than there are where it was confined to some, as in a container or by `taskset`; at least 1."""
    return len(os.sched_getaffinity(0))


def threads_alike(name: str, workers: int, place: int = 0) -> ThreadPoolExecutor:
    """Threads that give way to others as much as the calling one does, made once for all that ask alike.

    Threads keep for good the niceness of the one that happens to start them: work that others wait for
    would otherwise be done by threads that give way to everything, or the other way round. ``place`` tells
    apart several of one name.
    """
    return _threads(name, workers, place, os.getpriority(os.PRIO_PROCESS, 0))


@cache
def _threads(name: str, workers: int, _place: int, _niceness: int) -> ThreadPoolExecutor:
    return ThreadPoolExecutor(workers, thread_name_prefix=name)
