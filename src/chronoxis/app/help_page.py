"""What there is to know of the page that is shown, over the window until a press or a key."""

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QFrame, QVBoxLayout, QWidget

from chronoxis.app.empty_layout import empty_layout
from chronoxis.app.guide import CHAPTERS, open_chapter
from chronoxis.app.help_texts import help_texts
from chronoxis.app.push_button import push_button
from chronoxis.app.text_label import TextLabel
from chronoxis.app.theme.theme import font, scaled

_WIDE = 460  # pixels of the text; grows with it


class HelpPage(QFrame):
    """A panel over the window; a click or any key takes it away, and F1 goes on to the guide.

    Signals:
        failed: the guide cannot be shown; the text says why.
        keys_wanted: the list of keys is to be shown.
    """

    keys_wanted = Signal()
    failed = Signal(str)

    def __init__(self, window: QWidget) -> None:
        super().__init__(window, Qt.WindowType.Popup)
        self._window, self._page = window, ""
        self.setProperty("panel", True)
        self._rows = QVBoxLayout(self)
        self._rows.setContentsMargins(18, 14, 18, 16)
        self._rows.setSpacing(9)

    def show_about(self, page: str) -> None:
        """Show what is to be known of a page, in the middle of the window."""
        empty_layout(self._rows)
        self._page = page
        text = help_texts()[page]
        title = TextLabel(text.title)
        title.setFont(font(12, 600))
        self._rows.addWidget(title)
        for paragraph in text.paragraphs:
            words = TextLabel(paragraph)
            words.setWordWrap(True)
            words.setFixedWidth(scaled(_WIDE))
            self._rows.addWidget(words)
        guide = push_button(
            "&Guide to this (F1)", "The guide's chapter, in your browser; it needs no network"
        )
        guide.clicked.connect(self.open_guide)
        self._rows.addWidget(guide, 0, Qt.AlignmentFlag.AlignLeft)
        more = TextLabel("?  lists all keys.  Any other key goes back.")
        more.setProperty("dim", True)
        self._rows.addWidget(more)
        self.setAccessibleName(f"{text.title}. {' '.join(text.paragraphs)}")
        self.adjustSize()
        middle = self._window.geometry().center() - self.rect().center()
        self.move(middle)
        self.show()

    def open_guide(self) -> None:
        """Go on to the chapter about the page."""
        self.hide()
        if why := open_chapter(CHAPTERS[self._page]):
            self.failed.emit(why)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """F1 and ? go on; what else no button takes goes back."""
        self.hide()
        if event.key() == Qt.Key.Key_F1:
            self.open_guide()
        elif event.text() == "?":
            self.keys_wanted.emit()

    def words(self) -> str:
        """All that it says."""
        return self.accessibleName()
