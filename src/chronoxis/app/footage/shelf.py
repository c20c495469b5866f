"""The Footage panel: what was brought in."""

from collections.abc import Hashable

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QImage
from PySide6.QtWidgets import QFrame, QHBoxLayout, QPushButton, QScrollArea, QVBoxLayout, QWidget

from chronoxis.app.document.document import Document
from chronoxis.app.footage.footage_card import FootageCard
from chronoxis.app.measuring.proxies import Proxies
from chronoxis.app.text_label import TextLabel
from chronoxis.app.theme.theme import font


class Shelf(QFrame):
    """Shows the project's footage.

    Signals:
        wanted: a person wants to bring in footage.
        given_up: a person does not want to wait for footage; its origin.
        count_wanted: a person wants frames counted whose counting was stopped; the origin.
        locate_wanted: a person wants to say where missing footage is; its key.
    """

    wanted = Signal()
    given_up = Signal(object)
    count_wanted = Signal(object)
    locate_wanted = Signal(str)

    def __init__(self, document: Document, proxies: Proxies) -> None:
        super().__init__()
        self._document, self._proxies = document, proxies
        self._thumbnails: dict[Hashable, QImage] = {}
        self.cards: dict[str, FootageCard] = {}
        self.setProperty("panel", True)
        title = TextLabel("Footage")
        title.setFont(font(10.5, 600))
        add = QPushButton("Add…")
        add.setToolTip("Bring in recordings (Ctrl+O)")
        add.clicked.connect(self.wanted)
        head = QHBoxLayout()
        head.addWidget(title)
        head.addStretch()
        head.addWidget(add)
        self._list = QVBoxLayout()
        self._list.setContentsMargins(0, 0, 0, 0)
        self._list.setSpacing(6)
        self._list.addStretch()
        inside = QWidget()
        inside.setLayout(self._list)
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        scroll.setWidget(inside)
        self._rows = QVBoxLayout(self)
        self._rows.setContentsMargins(8, 9, 4, 8)
        self._rows.addLayout(head)
        self._rows.addWidget(scroll, 1)
        for signal in (
            document.footage_changed,
            document.pending_changed,
            document.eased,
            document.selection.footage_chosen,
            proxies.changed,
        ):
            signal.connect(self._show)

    def show_below(self, widget: QWidget) -> None:
        """Show something below the list, which gives way."""
        self._rows.addWidget(widget)

    def show_thumbnail(self, origin: Hashable, image: QImage) -> None:
        """Show the first picture of footage."""
        self._thumbnails[origin] = image
        self._show()

    def thumbnail(self, origin: Hashable) -> QImage | None:
        """The first picture of footage, once it is there."""
        return self._thumbnails.get(origin)

    def card_of(self, origin: Hashable) -> FootageCard:
        """The card of footage. Raises StopIteration if it has none."""
        return next(card for card in self.cards.values() if card.footage.origin == origin)

    def _show(self) -> None:
        project = self._document.project
        keys = [footage.key for footage in project.footage]
        for key in [key for key in self.cards if key not in keys]:
            card = self.cards.pop(key)
            card.hide()
            card.deleteLater()
        for number, footage in enumerate(project.footage):
            if footage.key not in self.cards:
                card = self.cards[footage.key] = FootageCard(self._document, self._proxies, footage)
                card.locate.clicked.connect(lambda _, key=footage.key: self.locate_wanted.emit(key))
                card.give_up.clicked.connect(lambda _, card=card: self.given_up.emit(card.footage.origin))
                card.count.clicked.connect(lambda _, card=card: self.count_wanted.emit(card.footage.origin))
                self._list.insertWidget(number, card)
            self.cards[footage.key].show_footage(footage, self._thumbnails.get(footage.origin))
