"""All keys, listed in one place, from the menus themselves; and what the pointer does in the Weave."""

from collections.abc import Iterator, Sequence

from PySide6.QtCore import Qt
from PySide6.QtGui import QKeyEvent, QKeySequence
from PySide6.QtWidgets import (
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QMainWindow,
    QMenu,
    QMenuBar,
    QVBoxLayout,
)

from chronoxis.app.text_label import TextLabel
from chronoxis.app.theme.theme import font

Entries = Sequence[tuple[str, str]]

_COLUMNS = 4
_POINTER = (
    ("Use other footage", "drag edges above"),
    ("Change the length", "drag edges below"),
    ("Change a speed", "drag the curve"),
    ("Move a joint or a mark", "drag it"),
    ("Change a ramp or a run", "drag its end"),
    ("Slide a cut", "drag its handle"),
    ("Defeat snapping", "Alt"),
    ("Give up a drag", "Esc"),
    ("Select one more", "Ctrl+click"),
    ("Select up to here", "Shift+click"),
    ("Zoom to a passage", "double click"),
    ("Move along", "wheel"),
    ("Zoom", "Ctrl+wheel"),
)


class ShortcutsPage(QFrame):
    """A panel over the window; a click or any key takes it away."""

    def __init__(self, window: QMainWindow) -> None:
        super().__init__(window, Qt.WindowType.Popup)
        self._window = window
        self.setProperty("panel", True)
        row = QHBoxLayout(self)
        row.setContentsMargins(12, 7, 12, 7)
        row.setSpacing(12)
        self._columns = [QVBoxLayout() for _ in range(_COLUMNS)]
        for column in self._columns:
            column.setSpacing(5)
            row.addLayout(column)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Any key goes back."""
        self.hide()

    def show_beside(self) -> None:
        """Fill the list and show it in the middle of the window."""
        for column in self._columns:
            while item := column.takeAt(0):
                if (widget := item.widget()) is not None:
                    widget.deleteLater()
        groups = [*_keys_of(self._window.menuBar()), ("Pointer in the Weave", _POINTER)]
        for column, numbers in zip(
            self._columns, _balanced([len(group[1]) for group in groups]), strict=True
        ):
            for number in numbers:
                column.addWidget(_list(*groups[number]))
        for column in self._columns:
            column.addStretch()
        self.adjustSize()
        self.move(self._window.geometry().center() - self.rect().center())
        self.show()


def _balanced(lengths: Sequence[int]) -> list[list[int]]:
    """Numbers of the lists in each column: no column much longer than another, all in their order."""
    columns: list[list[int]] = [[] for _ in range(_COLUMNS)]
    for number in sorted(range(len(lengths)), key=lambda number: -lengths[number]):
        min(columns, key=lambda column: sum(lengths[n] + 2 for n in column)).append(number)
    return sorted(sorted(column) for column in columns)


def _keys_of(bar: QMenuBar) -> Iterator[tuple[str, Entries]]:
    """Each menu's name and its actions that have keys."""
    for menu in bar.findChildren(QMenu):
        entries = [
            (
                action.text().replace("&", ""),
                action.shortcut().toString(QKeySequence.SequenceFormat.NativeText),
            )
            for action in menu.actions()
            if not action.shortcut().isEmpty()
        ]
        if entries:
            yield menu.title().replace("&", ""), entries


def _list(name: str, entries: Entries) -> QFrame:
    block = QFrame()
    grid = QGridLayout(block)
    grid.setContentsMargins(0, 0, 0, 0)
    grid.setHorizontalSpacing(8)
    grid.setVerticalSpacing(2)
    title = TextLabel(name)
    title.setFont(font(10.5, 600))
    grid.addWidget(title, 0, 0)
    for row, (deed, doing) in enumerate(entries, 1):
        keys = TextLabel(doing)
        keys.setFont(font(8.5))
        keys.setProperty("dim", True)
        words = TextLabel(deed)
        words.setFont(font(9))
        grid.addWidget(words, row, 0)
        grid.addWidget(keys, row, 1)
    return block
