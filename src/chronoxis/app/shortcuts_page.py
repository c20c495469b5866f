"""All keys, listed in one place, from the menus themselves; and what the pointer does in the Weave."""

from collections.abc import Iterator, Sequence

from PySide6.QtCore import Qt
from PySide6.QtGui import QKeySequence
from PySide6.QtWidgets import (
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QMainWindow,
    QMenu,
    QMenuBar,
    QVBoxLayout,
)

from chronoxis.app.theme.theme import font

Entries = Sequence[tuple[str, str]]

_COLUMNS = 4
_POINTER = (
    ("Use other footage", "drag edges above"),
    ("Change the length", "drag edges below"),
    ("Change a speed", "drag the curve"),
    ("Slide joints, shape ramps", "drag their marks"),
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
        row.setContentsMargins(20, 18, 20, 18)
        row.setSpacing(26)
        self._columns = [QVBoxLayout() for _ in range(_COLUMNS)]
        for column in self._columns:
            column.setSpacing(16)
            row.addLayout(column)

    def show_beside(self) -> None:
        """Fill the list and show it in the middle of the window."""
        for column in self._columns:
            while item := column.takeAt(0):
                if (widget := item.widget()) is not None:
                    widget.deleteLater()
        heights = [0] * _COLUMNS
        for name, entries in (*_keys_of(self._window.menuBar()), ("Pointer in the Weave", _POINTER)):
            shortest = heights.index(min(heights))
            heights[shortest] += len(entries) + 2
            self._columns[shortest].addWidget(_list(name, entries))
        for column in self._columns:
            column.addStretch()
        self.adjustSize()
        self.move(self._window.geometry().center() - self.rect().center())
        self.show()


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
    grid.setHorizontalSpacing(14)
    grid.setVerticalSpacing(7)
    title = QLabel(name)
    title.setFont(font(10.5, 600))
    grid.addWidget(title, 0, 0)
    for row, (deed, doing) in enumerate(entries, 1):
        keys = QLabel(doing)
        keys.setFont(font(9))
        keys.setProperty("dim", True)
        grid.addWidget(QLabel(deed), row, 0)
        grid.addWidget(keys, row, 1)
    return block
