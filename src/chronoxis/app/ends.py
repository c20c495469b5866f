"""How all that works beside the window ends: told first, then waited for together, within one deadline.

Whatever hangs on a disk that does not answer is left to itself: its thread keeps no process alive, and
what it would still say is not listened to.
"""

import threading
import time

from PySide6.QtCore import QProcess

DEADLINE = 2.0
"""Seconds that a window waits at most before it is closed."""

_KILLED = 0.2  # seconds that a process gets to be gone once it is killed

_threads: list[threading.Thread] = []
_processes: list[QProcess] = []


def expect_end(told: threading.Thread | QProcess) -> None:
    """Note that a thread was told to end, or a process to terminate."""
    if isinstance(told, threading.Thread):
        _threads.append(told)
    else:
        _processes.append(told)


def wait_for_ends(seconds: float = DEADLINE) -> list[str]:
    """Wait for all that was told to end.

    A process that does not end in time is killed. Returns the names of the threads that are left.
    """
    until = time.monotonic() + seconds
    while _processes:
        process = _processes.pop()
        if not process.waitForFinished(_milliseconds(until)):
            process.kill()
            process.waitForFinished(round(1000 * _KILLED))
    for thread in _threads:
        thread.join(max(0.0, until - time.monotonic()))
    left = [thread.name for thread in _threads if thread.is_alive()]
    _threads.clear()
    return left


def _milliseconds(until: float) -> int:
    return max(0, round(1000 * (until - time.monotonic())))
