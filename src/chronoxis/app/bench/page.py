"""What the pages of the Bench have in common."""

from abc import abstractmethod
from collections.abc import Callable, Iterable

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QFrame, QWidget

from chronoxis.app.document import Document
from chronoxis.app.text_label import TextLabel
from chronoxis.core.model.project import Place, Project

_SEVERAL = "several"


class Page(QWidget):
    """A page of settings.

    Signals:
        refused: an entry means nothing; the text says why.
        noted: its note is another.
    """

    refused = Signal(str)
    noted = Signal()

    def __init__(self, document: Document) -> None:
        super().__init__()
        self._document = document

    @property
    def about(self) -> str:
        """What to say of what is selected, on this page; the Bench has room for it."""
        return ""

    @property
    def note(self) -> str:
        """What else to say of what is selected, where there is nothing to be cautious about."""
        return ""

    @abstractmethod
    def show_project(self) -> None:
        """Show the values of what is selected."""

    @property
    def _places(self) -> list[Place]:
        return sorted(self._document.selection)

    def _apply(self, label: str, edit: Callable[[Project], Project]) -> None:
        if not self._document.apply(label, edit):
            self.show_project()


def common(texts: Iterable[str]) -> str:
    """The text that all are, or that they are several."""
    found = set(texts)
    return found.pop() if len(found) == 1 else _SEVERAL


def label_for(text: str, buddy: QWidget) -> TextLabel:
    """A label that leads to a field by its underlined letter."""
    label = TextLabel(text)
    label.setProperty("dim", True)
    label.setBuddy(buddy)
    return label


def line() -> QFrame:
    """A thin line between groups."""
    drawn = QFrame()
    drawn.setFixedHeight(1)
    drawn.setStyleSheet("background: #353A40;")
    return drawn
