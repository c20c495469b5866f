"""All keys, listed in one place, from the menus themselves."""

from PySide6.QtCore import Qt
from PySide6.QtGui import QKeySequence
from PySide6.QtWidgets import QFrame, QGridLayout, QLabel, QMainWindow, QMenu

from chronoxis.app.theme.theme import font


class ShortcutsPage(QFrame):
    """A panel over the window; a click or any key takes it away."""

    def __init__(self, window: QMainWindow) -> None:
        super().__init__(window, Qt.WindowType.Popup)
        self._window = window
        self.setProperty("panel", True)
        self._grid = QGridLayout(self)
        self._grid.setContentsMargins(24, 20, 24, 20)
        self._grid.setHorizontalSpacing(28)

    def show_beside(self) -> None:
        """Fill the list and show it in the middle of the window."""
        while item := self._grid.takeAt(0):
            if (widget := item.widget()) is not None:
                widget.deleteLater()
        row = 0
        for menu in self._window.menuBar().findChildren(QMenu):
            row = self._add_menu(menu, row)
        self.adjustSize()
        corner = self._window.geometry().center() - self.rect().center()
        self.move(corner)
        self.show()

    def _add_menu(self, menu: QMenu, row: int) -> int:
        actions = [action for action in menu.actions() if not action.shortcut().isEmpty()]
        if not actions:
            return row
        title = QLabel(menu.title().replace("&", ""))
        title.setFont(font(10.5, 600))
        self._grid.addWidget(title, row, 0)
        for action in actions:
            row += 1
            keys = QLabel(action.shortcut().toString(QKeySequence.SequenceFormat.NativeText))
            keys.setProperty("dim", True)
            self._grid.addWidget(QLabel(action.text().replace("&", "")), row, 0)
            self._grid.addWidget(keys, row, 1)
        return row + 1
