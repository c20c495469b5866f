"""How work beside the interface thread keeps out of a person's way, and what is said of its errors."""

import logging
import os
import threading
import time
import traceback
from pathlib import Path

from chronoxis.core.errors import ChronoxisError

log = logging.getLogger("chronoxis")

BESIDE = 10
"""Niceness of what nobody waits for."""

AWAITED = 3
"""Niceness of what somebody waits for: the interface goes first; but on a busy machine it has to come."""


def give_way(niceness: int = BESIDE) -> None:
    """Let the interface thread go first: lowers the calling thread, and those it starts from now on."""
    os.setpriority(os.PRIO_PROCESS, threading.get_native_id(), niceness)


_QUIET_SECONDS = 0.12  # seconds without a person's doing after which work goes on
_LOOK_SECONDS = 0.01  # seconds between looks
_busy_until = 0.0


def note_activity() -> None:
    """Say that a person does something just now that the window must show at once."""
    global _busy_until  # noqa: PLW0603 - there is one interface thread
    _busy_until = time.monotonic() + _QUIET_SECONDS


def stand_aside() -> None:
    """Wait while a person drags or edits; work that can wait calls it between its frames.

    Threads share the interpreter's lock: a thread of low priority that holds it keeps the interface
    waiting, however little it does.
    """
    while time.monotonic() < _busy_until:
        time.sleep(_LOOK_SECONDS)


def in_one_line(error: Exception) -> str:
    """What to say of an error: what it says, if it is one of ours; else that it should not be, and where.

    What nobody foresaw must not end the thread it happened in; whoever mends it finds it in the log.
    """
    if isinstance(error, ChronoxisError):
        return str(error)
    log.error("unforeseen", exc_info=error)
    place = traceback.extract_tb(error.__traceback__)[-1]
    return (
        f"Something went wrong that should not ({type(error).__name__} in {Path(place.filename).name}, line "
        f"{place.lineno}); the work goes on without it."
    )
