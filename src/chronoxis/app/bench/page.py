"""What the pages of the Bench have in common."""

from abc import abstractmethod
from collections.abc import Callable, Iterable, Sequence
from typing import Any

import numpy as np
import numpy.typing as npt
from PySide6.QtCore import Signal
from PySide6.QtWidgets import QFrame, QWidget

from chronoxis.app.document import Document
from chronoxis.app.text_label import TextLabel
from chronoxis.core.model.project import Place, Project

Column = npt.NDArray[Any]
"""A number for each place."""

SEVERAL = "several"
"""What stands in place of a text that is not the same for all that is selected."""


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
        return self._document.selected_places

    def _apply(self, label: str, edit: Callable[[Project], Project]) -> None:
        if not self._document.apply(label, edit):
            self.show_project()


def common(texts: Iterable[str]) -> str:
    """The text that all are, or that they are several: nothing is asked for behind the second one."""
    first: str | None = None
    for text in texts:
        if first is None:
            first = text
        elif text != first:
            return SEVERAL
    return SEVERAL if first is None else first


def one_of_each(places: Sequence[Place], *columns: Column) -> list[Place]:
    """Of places that are alike in all columns of numbers, the first one each; of thousands, a few."""
    _, firsts = np.unique(np.stack(columns), axis=1, return_index=True)
    return [places[number] for number in sorted(firsts.tolist())]


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
