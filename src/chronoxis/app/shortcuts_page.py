"""All keys, listed in one place, from the menus themselves."""

from PySide6.QtCore import Qt
from PySide6.QtGui import QAction, QKeySequence
from PySide6.QtWidgets import QFrame, QGridLayout, QHBoxLayout, QLabel, QMainWindow, QMenu, QVBoxLayout

from chronoxis.app.theme.theme import font

_COLUMNS = 4


class ShortcutsPage(QFrame):
    """A panel over the window; a click or any key takes it away."""

    def __init__(self, window: QMainWindow) -> None:
        super().__init__(window, Qt.WindowType.Popup)
        self._window = window
        self.setProperty("panel", True)
        row = QHBoxLayout(self)
        row.setContentsMargins(24, 20, 24, 20)
        row.setSpacing(34)
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
        for menu in self._window.menuBar().findChildren(QMenu):
            actions = [action for action in menu.actions() if not action.shortcut().isEmpty()]
            if actions:
                shortest = heights.index(min(heights))
                heights[shortest] += len(actions) + 2
                self._columns[shortest].addWidget(_menu_list(menu.title(), actions))
        for column in self._columns:
            column.addStretch()
        self.adjustSize()
        self.move(self._window.geometry().center() - self.rect().center())
        self.show()


def _menu_list(name: str, actions: list[QAction]) -> QFrame:
    block = QFrame()
    grid = QGridLayout(block)
    grid.setContentsMargins(0, 0, 0, 0)
    grid.setHorizontalSpacing(18)
    grid.setVerticalSpacing(7)
    title = QLabel(name.replace("&", ""))
    title.setFont(font(10.5, 600))
    grid.addWidget(title, 0, 0)
    for row, action in enumerate(actions, 1):
        keys = QLabel(action.shortcut().toString(QKeySequence.SequenceFormat.NativeText))
        keys.setProperty("dim", True)
        grid.addWidget(QLabel(action.text().replace("&", "")), row, 0)
        grid.addWidget(keys, row, 1)
    return block
