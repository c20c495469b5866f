"""A field that shows a number as a person reads it, and exactly while it is being edited."""

from PySide6.QtGui import QFocusEvent
from PySide6.QtWidgets import QLineEdit

from chronoxis.app.text_label import plain_tip
from chronoxis.app.theme.theme import font, scaled


class NumberField(QLineEdit):
    """Text that a person is typing stays, whatever becomes of the value meanwhile."""

    def __init__(self, name: str, tip: str, wide: int | None = None) -> None:
        """``wide`` is how many pixels it has, which grow with the text; as much as there is, if None."""
        super().__init__()
        self._tip = tip
        self._short = self._exact = ""
        self.setAccessibleName(name)
        self.setToolTip(tip)
        self.setFont(font(10, 500))
        if wide is not None:
            self.setFixedWidth(scaled(wide))

    def show_number(self, short: str, exact: str = "") -> None:
        """Show a number: in short, and exactly, where that differs."""
        self._short, self._exact = short, exact or short
        exactly = "" if self._exact == short else f"\nExactly {self._exact}"
        self.setToolTip(plain_tip(self._tip + exactly))
        if not self.isModified():
            self._write(self._exact if self.hasFocus() else self._short)

    def take_text(self) -> str | None:
        """What was typed since the last time, or None."""
        if not self.isModified():
            return None
        self.setModified(False)
        return self.text()

    def focusInEvent(self, event: QFocusEvent) -> None:
        if not self.isModified():
            self._write(self._exact)
        super().focusInEvent(event)

    def focusOutEvent(self, event: QFocusEvent) -> None:
        super().focusOutEvent(event)
        if not self.isModified():
            self._write(self._short)

    def _write(self, text: str) -> None:
        if text != self.text():
            self.setText(text)
            self.setCursorPosition(0)
        self.setModified(False)
