"""Whatever has the focus has its own keys first; the window's keys are for all others."""

from PySide6.QtCore import QEvent, QObject, Qt
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import (
    QAbstractButton,
    QAbstractItemView,
    QAbstractSlider,
    QAbstractSpinBox,
    QApplication,
    QComboBox,
    QWidget,
)
from shiboken6 import isValid

_Key = Qt.Key
_PRESS = frozenset({_Key.Key_Space, _Key.Key_Return, _Key.Key_Enter})
_ARROWS = frozenset({_Key.Key_Left, _Key.Key_Right, _Key.Key_Up, _Key.Key_Down})
_KEYPAD = Qt.KeyboardModifier.KeypadModifier
_MOVES = frozenset({_Key.Key_Up, _Key.Key_Down, _Key.Key_PageUp, _Key.Key_PageDown})
_STEPS = _ARROWS | {_Key.Key_PageUp, _Key.Key_PageDown, _Key.Key_Home, _Key.Key_End}


class FocusKeys(QObject):
    """Watches what has the focus in a window, and nothing else.

    What was clicked leaves Space, Return and letters to the window: who clicks a button and then presses
    Space wants to play.
    """

    def __init__(self, window: QWidget) -> None:
        super().__init__(window)
        self._window = window
        self._watched: QWidget | None = None
        self._clicked = False
        application = QApplication.instance()
        assert isinstance(application, QApplication)
        application.focusChanged.connect(self._follow)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if event.type() is QEvent.Type.ShortcutOverride and isinstance(event, QKeyEvent):
            if watched is self._watched and self._is_own(event):
                event.accept()
                return True
        elif event.type() is QEvent.Type.KeyPress and isinstance(event, QKeyEvent):
            return self._press(event)
        return False

    def _follow(self, _before: QWidget | None, now: QWidget | None) -> None:
        if self._watched is not None and isValid(self._watched):  # it may have gone while it had the focus
            self._watched.removeEventFilter(self)
        self._watched = now if now is not None and self._window.isAncestorOf(now) else None
        self._clicked = QApplication.mouseButtons() != Qt.MouseButton.NoButton
        if self._watched is not None:
            self._watched.installEventFilter(self)

    def _is_own(self, event: QKeyEvent) -> bool:
        if event.modifiers() & ~(_KEYPAD | Qt.KeyboardModifier.ShiftModifier):
            return False
        return event.key() in self._own_keys() or self._is_typed(event)

    def _own_keys(self) -> frozenset[Qt.Key]:
        """The keys of what has the focus."""
        match self._watched:
            case QAbstractButton() as button if not self._clicked:
                return _PRESS | _ARROWS if _is_one_of_a_group(button) else _PRESS
            case QAbstractSlider():
                return _STEPS
            case QComboBox() | QAbstractItemView():
                return _MOVES if self._clicked else _MOVES | _PRESS
            case QAbstractSpinBox():
                return _MOVES
            case _:
                return frozenset()

    def _is_typed(self, event: QKeyEvent) -> bool:
        """Whether it is a letter that a list goes to."""
        is_list = isinstance(self._watched, QComboBox | QAbstractItemView) and not self._clicked
        return is_list and bool(event.text()) and event.text().isprintable()

    def _press(self, event: QKeyEvent) -> bool:
        """Return presses a button like Space, and opens a list: outside dialogs Qt has no such key."""
        if event.key() not in (_Key.Key_Return, _Key.Key_Enter) or event.modifiers() & ~_KEYPAD:
            return False
        match self._watched:
            case QAbstractButton() as button if not self._clicked:
                button.click()
                return True
            case QComboBox() as box if not box.isEditable():
                box.showPopup()
                return True
            case _:
                return False


def _is_one_of_a_group(button: QAbstractButton) -> bool:
    group = button.group()
    return button.isCheckable() and group is not None and group.exclusive()
