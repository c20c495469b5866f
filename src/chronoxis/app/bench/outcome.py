"""What an act would make of the project: worked out while it is being chosen, done at once when pressed."""

from typing import Protocol

from PySide6.QtCore import QObject, QTimer, Signal

from chronoxis.app.document.document import Document
from chronoxis.app.workers import NewestWorker
from chronoxis.core.errors import ChronoxisError
from chronoxis.core.model.project import Project, warm

_REST_MS = 120  # milliseconds without another choice, after which the last one is worked out


class Act(Protocol):
    """Something that can be done with a project, as it is chosen."""

    @property
    def project(self) -> Project:
        """The project before the act."""

    @property
    def label(self) -> str:
        """The label of its step of undo."""

    def done(self) -> Project:
        """As it is after. Raises ChronoxisError: it cannot be done."""


class Outcome(QObject):
    """Works the newest act out, beside the interface thread.

    Attributes:
        act: what was asked for last; None if nothing is.
        made: what comes of it; None while that is not known, and where it cannot be had.
        why: why it cannot be had, or nothing.

    Signals:
        changed: more is known of what was asked for.
    """

    changed = Signal()

    def __init__(self, document: Document, name: str) -> None:
        """``name`` is that of the thread."""
        super().__init__()
        self._document = document
        self.act: Act | None = None
        self.made: Project | None = None
        self.why = ""
        self._is_known = self._is_pressed = False
        self._rest = QTimer(self, singleShot=True, interval=_REST_MS)
        self._rest.timeout.connect(self._begin)
        self._work = NewestWorker(_worked_out, name, urgent=True)
        self._work.answered.connect(self._take)

    def close(self) -> None:
        """Stop the work in the background."""
        self._rest.stop()
        self._work.close()

    def ask(self, act: Act) -> None:
        """Work an act out, as soon as no other one is asked for; what was known of another is forgotten.

        What is asked for again, because something beside it changed, goes on as it is.
        """
        if self.act is not None and act.project is self.act.project and act == self.act:
            return
        self.act, self.made, self.why = act, None, ""
        self._is_known = self._is_pressed = False
        self._work.give_up()  # it would only hold up whoever still chooses
        self._rest.start()

    def forget(self, why: str = "") -> None:
        """Nothing is asked for any more, perhaps because it means nothing."""
        self.act, self.made, self.why, self._is_known, self._is_pressed = None, None, why, False, False
        self._rest.stop()
        self._work.give_up()
        self.changed.emit()

    def press(self) -> None:
        """Do it: at once if it is worked out, else as soon as it is."""
        self._is_pressed = self.act is not None
        self._do()

    def _begin(self) -> None:
        if self.act is not None:
            self._work.ask(self.act)

    def _take(self, act: Act, outcome: Project | str) -> None:
        if act is not self.act:
            return
        self._is_known = True
        self.made = outcome if isinstance(outcome, Project) else None
        self.why = outcome if isinstance(outcome, str) else ""
        self.changed.emit()
        self._do()

    def _do(self) -> None:
        """Make the project what was worked out, unless it has become another one meanwhile."""
        act, made = self.act, self.made
        if not (self._is_pressed and self._is_known) or act is None:
            return
        self._is_pressed = False
        if made is not None and act.project is self._document.project:
            self._document.apply(act.label, lambda _: made)


def _worked_out(act: Act, _still_wanted: object) -> Project | str:
    """What comes of an act, or why nothing does."""
    try:
        made = act.done()
        warm(made)  # all that is asked of it as soon as it is taken
    except ChronoxisError as error:
        return str(error)
    return made
