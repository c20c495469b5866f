"""Questions to the disk that a person's doing raises, answered beside the interface thread."""

from collections.abc import Callable
from typing import Any, NamedTuple, TypeVar

from PySide6.QtCore import QObject, Signal

from chronoxis.app.workers import QueueWorker

_PATIENCE = 1.0  # seconds after which a disk that does not answer keeps other questions waiting no longer

Answer = TypeVar("Answer")


class _Question(NamedTuple):
    ask: Callable[[], Any]
    then: Callable[[Any], object]


class DiskQuestions(QObject):
    """Asks whether files are there, and the like. A disk that does not answer keeps nobody waiting.

    Signals:
        failed: a message for the person.
    """

    failed = Signal(str)

    def __init__(self) -> None:
        super().__init__()
        self._worker = QueueWorker(lambda question: question.ask(), "asking", patience=_PATIENCE, drops=True)
        self._worker.done.connect(self._go_on)
        self._closed = False
        self._worker.failed.connect(lambda _, message: self.failed.emit(message))

    def ask(self, question: Callable[[], Answer], then: Callable[[Answer], object]) -> None:
        """Answer a question on another thread, and go on with the answer on this one."""
        self._worker.ask(_Question(question, then))

    def close(self) -> None:
        """Ask no more; answers that are on their way come to nothing, for those who asked may be gone."""
        self._closed = True
        self._worker.close()

    def _go_on(self, question: _Question, answer: object) -> None:
        if not self._closed:
            question.then(answer)
