"""Threads that work beside the interface thread, on what it asks for."""

import logging
import threading
import time
from abc import abstractmethod
from collections import deque
from collections.abc import Callable
from functools import partial
from typing import Any

from PySide6.QtCore import QObject, Signal

from chronoxis.app.background import AWAITED, BESIDE, give_way, in_one_line, stand_aside
from chronoxis.app.ends import expect_end
from chronoxis.core.errors import Cancelled

log = logging.getLogger("chronoxis")

_LOOKS_PER_PATIENCE = 4  # times within the patience that a thread looks whether another one hangs
_MOST_HANGING = 3  # threads that are left hanging; with so many, the rest does wait
_END_OF_QUEUE = object()


class _Worker(QObject):
    """Threads that take turns at requests. One that hangs is overtaken, so that the rest can be done."""

    def __init__(self, name: str, patience: float | None, niceness: int = BESIDE) -> None:
        """Without ``patience``, nothing is ever overtaken."""
        super().__init__()
        self._name, self._patience, self._niceness = name, patience, niceness
        self._condition = threading.Condition()
        self._waiting: deque[Any] = deque()
        self._threads: list[threading.Thread] = []
        self._overtaken: list[threading.Thread] = []
        self._holder: threading.Thread | None = None  # the one whose turn it is
        self._beat = 0.0
        self._closed = False

    def beat(self) -> None:
        """Say, within the work, that it does not hang."""
        self._beat = time.monotonic()

    def close(self) -> None:
        """Take nothing more and tell nothing more; `wait_for_ends` waits for what is under way."""
        with self._condition:
            self._closed = True
            for thread in (*self._threads, *self._overtaken):
                expect_end(thread)
            self._condition.notify_all()

    @abstractmethod
    def _do(self, request: Any) -> None:
        """Do what was asked for; raises nothing."""

    def _see_to(self) -> None:
        """See to it that somebody does what waits, even if what is under way hangs. The condition is held."""
        free = len(self._threads) - (self._holder is not None)
        if self._waiting and (not self._threads or (self._patience is not None and not free)):
            thread = threading.Thread(target=self._run, name=self._name, daemon=True)
            self._threads.append(thread)
            thread.start()
        self._condition.notify_all()

    def _run(self) -> None:
        if self._niceness:
            give_way(self._niceness)
        own = threading.current_thread()
        while (request := self._next(own)) is not _END_OF_QUEUE:
            self._do(request)

    def _next(self, own: threading.Thread) -> Any:
        """What a thread is to do now, waited for; `_END_OF_QUEUE` once that is nothing more."""
        with self._condition:
            if self._holder is own:
                self._holder = None
            while own in self._threads:
                if self._waiting and (self._holder is None or self._overtakes()):
                    self._holder = own
                    self.beat()
                    request = self._waiting.popleft()
                    self._see_to()
                    return request
                if self._closed and not self._waiting:
                    self._threads.remove(own)
                    break
                self._condition.wait(
                    self._patience / _LOOKS_PER_PATIENCE if self._waiting and self._patience else None
                )
            self._condition.notify_all()
            return _END_OF_QUEUE

    def _overtakes(self) -> bool:
        """Take the turn from a thread that hangs; whether there is such a one."""
        if self._patience is None or time.monotonic() - self._beat < self._patience:
            return False
        self._overtaken = [thread for thread in self._overtaken if thread.is_alive()]
        if self._holder is None or len(self._overtaken) >= _MOST_HANGING:
            return False
        self._threads.remove(self._holder)
        self._overtaken.append(self._holder)
        return True

    def _tell(self, signal: Any, *values: Any) -> None:
        if not self._closed:
            signal.emit(*values)


class QueueWorker(_Worker):
    """Does all that is asked for, one after the other.

    Signals:
        done: request, and what came of it.
        failed: request, and a message for the person.
    """

    done = Signal(object, object)
    failed = Signal(object, str)

    def __init__(
        self, work: Callable[[Any], Any], name: str, *, patience: float | None = None, drops: bool = False
    ) -> None:
        """Begin with nothing to do.

        Args:
            work: gets a request; what it returns or raises is told.
            name: of its threads.
            patience: seconds without a `beat` after which the rest no longer waits; None waits for ever.
            drops: whether what still waits is given up at the end, rather than done before it.
        """
        super().__init__(name, patience)
        self._work, self._drops = work, drops

    def ask(self, request: Any) -> None:
        """Ask; nothing that was asked for before is dropped. Once closed, nothing more is taken."""
        with self._condition:
            if not self._closed:
                self._waiting.append(request)
                self._see_to()

    def close(self) -> None:
        with self._condition:
            if self._drops:
                self._waiting.clear()
        super().close()

    def _do(self, request: Any) -> None:
        try:
            outcome = self._work(request)
        except Exception as error:
            message = in_one_line(error)
            if self._closed:
                log.warning("%s, after the window was closed: %s", self._name, message)
            self._tell(self.failed, request, message)
        else:
            self._tell(self.done, request, outcome)


class NewestWorker(_Worker):
    """Answers requests; of those that wait, only the newest.

    Signals:
        answered: request and answer.
        failed: a message for the person.
    """

    answered = Signal(object, object)
    failed = Signal(str)

    def __init__(
        self,
        answer: Callable[[Any, Callable[[], bool]], Any],
        name: str,
        *,
        urgent: bool = False,
        awaited: bool = False,
        patience: float | None = None,
    ) -> None:
        """Begin with nothing to do.

        Args:
            answer: takes a request and a function that tells whether it is still the newest. Whoever asks
                that between its steps stands aside while a person drags or edits.
            name: of its threads.
            urgent: it neither does so nor gives way to the interface thread, which waits for the answer.
            awaited: somebody waits for it, so it goes before what is done beside the window.
            patience: as that of a `QueueWorker`; ``answer`` has to bear being called by two threads then.
        """
        super().__init__(name, patience, 0 if urgent else AWAITED if awaited else BESIDE)
        self._answer, self._urgent = answer, urgent
        self._newest: Any = None

    def ask(self, request: Any) -> None:
        """Ask; an earlier request that is under way may be given up."""
        with self._condition:
            if not self._closed:
                self._newest = [request]  # told from another request that is equal
                self._waiting.clear()
                self._waiting.append(self._newest)
                self._see_to()

    def give_up(self) -> None:
        """Ask for nothing: what is under way may be given up."""
        with self._condition:
            self._newest = None
            self._waiting.clear()

    def close(self) -> None:
        """Stop, giving up what is under way; `wait_for_ends` waits for it."""
        self.give_up()
        super().close()

    def _do(self, request: Any) -> None:
        try:
            answer = self._answer(request[0], partial(self._is_wanted, request))
        except Cancelled:
            return
        except Exception as error:
            self._tell(self.failed, in_one_line(error))
        else:
            self._tell(self.answered, request[0], answer)

    def _is_wanted(self, request: Any) -> bool:
        self.beat()
        if not self._urgent:
            stand_aside()
        return request is self._newest
