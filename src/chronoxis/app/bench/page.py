"""What the pages of the Bench have in common."""

from abc import abstractmethod
from collections.abc import Callable, Hashable, Iterable, Sequence
from typing import Any

import numpy as np
import numpy.typing as npt
from PySide6.QtCore import Signal
from PySide6.QtWidgets import QFrame, QHBoxLayout, QWidget

from chronoxis.app.document.document import Document
from chronoxis.app.text_label import TextLabel
from chronoxis.app.theme.theme import font
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
        return self._document.selection.in_order

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
    codes = np.zeros(len(places), np.int64)
    for column in columns:
        different, inverse = np.unique(column, return_inverse=True)
        codes = codes * len(different) + inverse
        codes = np.unique(codes, return_inverse=True)[1]  # so that they stay small
    firsts = np.unique(codes, return_index=True)[1]
    return [places[number] for number in sorted(firsts.tolist())]


def numbered(values: Sequence[Hashable]) -> tuple[list[Any], Column]:
    """The different values, and the number of its own for each; what is shared is looked at once."""
    of_value, of_object = dict[Hashable, int](), dict[int, int]()
    for value in {id(value): value for value in values}.values():
        of_object[id(value)] = of_value.setdefault(value, len(of_value))
    return list(of_value), np.array([of_object[id(value)] for value in values])


def label_for(text: str, buddy: QWidget) -> TextLabel:
    """A label that leads to a field by its underlined letter."""
    label = TextLabel(text)
    label.setProperty("dim", True)
    label.setBuddy(buddy)
    return label


def heading(text: str, outcome: QWidget | None = None) -> QWidget:
    """What a group of a page is about, a line that begins it, and what its choices come to."""
    group = QWidget()
    row = QHBoxLayout(group)
    row.setContentsMargins(0, 0, 0, 0)
    row.setSpacing(8)
    title = TextLabel(text)
    title.setFont(font(9.5, 600))
    row.addWidget(title)
    row.addWidget(line(), 1)
    if outcome is not None:
        row.addWidget(outcome)
    return group


def line() -> QFrame:
    """A thin line between groups."""
    drawn = QFrame()
    drawn.setFixedHeight(1)
    drawn.setStyleSheet("background: #353A40;")
    return drawn
