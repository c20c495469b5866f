"""Work beside the interface thread."""

import logging
import os
import threading
import time
import traceback
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from functools import partial
from pathlib import Path
from typing import Any

from PySide6.QtCore import QObject, Signal

from chronoxis.core.errors import Cancelled, ChronoxisError

log = logging.getLogger("chronoxis")

_NICENESS = 10


def give_way() -> None:
    """Let the interface thread go first: lowers the calling thread, and those it starts from now on."""
    os.setpriority(os.PRIO_PROCESS, threading.get_native_id(), _NICENESS)


_QUIET = 0.12  # seconds without a person's doing after which work goes on
_LOOK = 0.01  # seconds between looks
_busy_until = 0.0


def note_activity() -> None:
    """Say that a person does something just now that the window must show at once."""
    global _busy_until  # noqa: PLW0603 - there is one interface thread
    _busy_until = time.monotonic() + _QUIET


def stand_aside() -> None:
    """Wait while a person drags or edits; work that can wait calls it between its frames.

    Threads share the interpreter's lock: a thread of low priority that holds it keeps the interface
    waiting, however little it does.
    """
    while time.monotonic() < _busy_until:
        time.sleep(_LOOK)


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


class InTurn(QObject):
    """Does all that is asked for, one after the other, on a thread of its own.

    Signals:
        done: request, and what came of it.
        failed: request, and a message for the person.
    """

    done = Signal(object, object)
    failed = Signal(object, str)

    def __init__(self, work: Callable[[Any], Any], name: str) -> None:
        super().__init__()
        self._work = work
        self._pool = ThreadPoolExecutor(1, name, give_way)
        self._closed = False

    def ask(self, request: Any) -> None:
        """Ask; nothing that was asked for before is dropped. Once closed, nothing more is taken."""
        if not self._closed:
            self._pool.submit(self._do, request)

    def close(self) -> None:
        """Finish what was asked for."""
        self._closed = True
        self._pool.shutdown()

    def _do(self, request: Any) -> None:
        try:
            outcome = self._work(request)
        except Exception as error:
            self.failed.emit(request, in_one_line(error))
        else:
            self.done.emit(request, outcome)


class Latest(QObject):
    """Answers requests on a thread of its own; of requests that wait, only the newest is answered.

    Signals:
        answered: request and answer.
        failed: a message for the person.
    """

    answered = Signal(object, object)
    failed = Signal(str)

    def __init__(
        self, answer: Callable[[Any, Callable[[], bool]], Any], name: str, *, urgent: bool = False
    ) -> None:
        """``answer`` takes a request and a function that tells whether it is still the newest.

        Whoever asks that between its steps stands aside while a person drags or edits. What is
        ``urgent`` neither does so nor gives way to the interface thread, which waits for the answer.
        """
        super().__init__()
        self._answer, self._urgent = answer, urgent
        self._condition = threading.Condition()
        self._request: Any = None
        self._number = 0
        self._waits = False
        self._closed = False
        self._thread = threading.Thread(target=self._run, name=name, daemon=True)
        self._thread.start()

    def ask(self, request: Any) -> None:
        """Ask; an earlier request that is under way may be given up."""
        with self._condition:
            self._request, self._waits = request, True
            self._number += 1
            self._condition.notify()

    def close(self) -> None:
        """Stop, giving up what is under way, and wait for the thread to end."""
        with self._condition:
            self._closed = True
            self._number += 1
            self._condition.notify()
        self._thread.join(5)

    def _run(self) -> None:
        if not self._urgent:
            give_way()
        while True:
            with self._condition:
                self._condition.wait_for(lambda: self._closed or self._waits)
                if self._closed:
                    return
                request, number, self._waits = self._request, self._number, False
            try:
                answer = self._answer(request, partial(self._is_wanted, number))
            except Cancelled:
                continue
            except Exception as error:
                self._tell(self.failed, in_one_line(error))
            else:
                self._tell(self.answered, request, answer)

    def _is_wanted(self, number: int) -> bool:
        if not self._urgent:
            stand_aside()
        return number == self._number

    def _tell(self, signal: Any, *values: Any) -> None:
        if not self._closed:
            signal.emit(*values)
