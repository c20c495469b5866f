"""Labels and tooltips that show text as it is, whatever somebody called a file."""

import re
from html import escape

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QLabel

from chronoxis.core.readable import readable

_LONG_WORD = re.compile(r"\S{24}(?=\S)")
_MAY_BREAK = "\u200b"  # a space of no width


class TextLabel(QLabel):
    """A label of plain text: markup in a name is shown, not obeyed."""

    def __init__(self, text: str = "") -> None:
        super().__init__()
        self.setTextFormat(Qt.TextFormat.PlainText)
        self.setText(text)

    def setText(self, text: str) -> None:
        """Show text; where lines wrap, a word of any length does too."""
        shown = readable(text)
        super().setText(_LONG_WORD.sub(rf"\g<0>{_MAY_BREAK}", shown) if self.wordWrap() else shown)

    def words(self) -> str:
        """What the label says, without the places where long words may break."""
        return self.text().replace(_MAY_BREAK, "")


def plain_tip(text: str) -> str:
    """A tooltip with text from a file or a person in it. Qt takes what looks like markup for markup."""
    shown = readable(text)
    return f"<qt>{escape(shown).replace(chr(10), '<br>')}</qt>" if "<" in shown or "&" in shown else shown


def menu_text(name: str) -> str:
    """A name as an entry of a menu, where ``&`` marks a letter; a long one without its middle."""
    shown = readable(name)
    if len(shown) > _MOST_IN_MENU:
        half = _MOST_IN_MENU // 2
        shown = f"{shown[:half]}…{shown[-half:]}"
    return shown.replace("&", "&&")


_MOST_IN_MENU = 60  # characters
