"""What the window shows while nothing is open: intentions, what was used lately, and the demo."""

from collections.abc import Sequence
from functools import partial

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QResizeEvent, QShowEvent
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QLayout, QVBoxLayout, QWidget

from chronoxis.app.bench.page import heading
from chronoxis.app.caution_label import CautionLabel
from chronoxis.app.empty_layout import empty_layout
from chronoxis.app.files.disk_questions import DiskQuestions
from chronoxis.app.files.file_actions import FileActions
from chronoxis.app.files.recent_projects import Recent, forget, recently_used
from chronoxis.app.intents.intent_card import IntentCard
from chronoxis.app.intents.recent_card import RecentCard
from chronoxis.app.push_button import push_button, switch
from chronoxis.app.scroller import Scroller
from chronoxis.app.text_label import TextLabel
from chronoxis.app.theme.theme import font, scaled
from chronoxis.core.files.presets import shipped_presets
from chronoxis.demo.larkfield import BEAT_PROJECT_NAME, PHOTO_PROJECT_NAME, PROJECT_NAME

_DEMOS = (
    ("&Recordings", PROJECT_NAME, "A finished piece out of two recordings"),
    ("&Beats", BEAT_PROJECT_NAME, "A walk with a burst of speed on the beats of a tune"),
    ("Pho&tos", PHOTO_PROJECT_NAME, "A dawn out of 240 photos, and a knot that is tied picture by picture"),
)
# Pixels that a card has at least, which grow with the text, and pixels between two.
_CARD_WIDTH = 150
_GAP = 12
_RECENT_WIDTH = 132  # pixels of a card of what was used lately; grows with the text
_MARGIN = 26


class EmptyPage(QWidget):
    """What to do next, while nothing is open.

    Signals:
        intent_wanted: a preset that a person wants to begin with, and whether with the demo's footage.
    """

    intent_wanted = Signal(object, bool)

    def __init__(self, files: FileActions, disk: DiskQuestions) -> None:
        super().__init__()
        self._files, self._disk = files, disk
        self.cards = [IntentCard(kept.preset) for kept in shipped_presets()]
        self.recent: list[RecentCard] = []
        self.with_demo = switch(
            "Tr&y them with the demo's own footage",
            "Footage of the Larkfield balloon meet, drawn by the program itself, in place of yours",
            lambda _: None,
        )
        self.message = CautionLabel()
        self._grid, self._recent_row = QGridLayout(), QHBoxLayout()
        self._lately = self._titled("Lately", self._recent_row)
        self._columns = 0
        for card in self.cards:
            card.clicked.connect(lambda _, card=card: self._begin(card))
        self._lay_out()

    def show_recent(self, recent: Sequence[Recent]) -> None:
        """Show what was used lately, as far as there is room for it."""
        empty_layout(self._recent_row)
        room = max(1, (self.width() - 2 * _MARGIN) // (scaled(_RECENT_WIDTH) + _GAP))
        self.recent = [RecentCard(each) for each in recent[:room]]
        for card in self.recent:
            card.setFixedWidth(scaled(_RECENT_WIDTH))
            card.open.clicked.connect(partial(self._files.open_files, [card.recent.path]))
            card.drop.clicked.connect(partial(self._forget, card.recent))
            self._disk.ask(card.recent.path.exists, partial(self._show_whether_there, card))
            self._recent_row.addWidget(card)
        self._recent_row.addStretch()
        self._lately.setVisible(bool(self.recent))

    def _show_whether_there(self, card: RecentCard, there: bool) -> None:
        if card in self.recent:  # else it was taken off the page meanwhile
            card.show_whether_there(there)

    def showEvent(self, event: QShowEvent) -> None:
        self._disk.ask(recently_used, self.show_recent)
        self.cards[0].setFocus()
        super().showEvent(event)

    def resizeEvent(self, event: QResizeEvent) -> None:
        self._arrange()
        super().resizeEvent(event)

    def _arrange(self) -> None:
        """As many cards beside each other as there is room for, in rows of nearly the same number."""
        most = max(1, (self.width() - 2 * _MARGIN) // (scaled(_CARD_WIDTH) + _GAP))
        rows = -(-len(self.cards) // most)
        columns = -(-len(self.cards) // rows)
        if columns != self._columns:
            self._columns = columns
            for place, card in enumerate(self.cards):
                self._grid.addWidget(card, place // columns, place % columns)

    def _begin(self, card: IntentCard) -> None:
        self.intent_wanted.emit(card.preset, self.with_demo.isChecked())

    def _forget(self, recent: Recent) -> None:
        self._disk.ask(lambda: forget(recent.path), lambda _: self._disk.ask(recently_used, self.show_recent))

    def _lay_out(self) -> None:
        title = TextLabel("What do you have?")
        title.setFont(font(17, 600))
        self._grid.setSpacing(_GAP)
        centre = Qt.AlignmentFlag.AlignHCenter
        page = QWidget()
        rows = QVBoxLayout(page)
        rows.setContentsMargins(_MARGIN, 14, _MARGIN, 14)
        rows.setSpacing(14)
        rows.addStretch()
        rows.addWidget(title, 0, centre)
        rows.addLayout(self._grid)
        rows.addWidget(self.with_demo, 0, centre)
        rows.addWidget(self.message)
        rows.addSpacing(6)
        rows.addWidget(self._own_files())
        rows.addWidget(self._lately)
        rows.addWidget(self._demo())
        rows.addStretch()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addWidget(Scroller(page))

    def _own_files(self) -> QWidget:
        row = QHBoxLayout()
        button = push_button("&Open recordings or photos…", "Choose video files or photos (Ctrl+O)")
        button.setProperty("main", True)
        button.clicked.connect(self._files.choose_footage)
        folder = push_button("A fol&der of photos…", "Choose a folder (Ctrl+Shift+P)")
        folder.clicked.connect(self._files.choose_folder)
        other = push_button("A proje&ct…", "Go on with a saved project, or an open timeline (Ctrl+Shift+O)")
        other.clicked.connect(self._files.choose_project)
        about = TextLabel("or drop them anywhere on this window")
        about.setProperty("dim", True)
        for widget in (button, folder, other, about):
            row.addWidget(widget)
        row.addStretch()
        return self._titled("Begin by hand", row)

    def _demo(self) -> QWidget:
        row = QHBoxLayout()
        about = TextLabel("The Larkfield balloon meet, drawn by the program itself:")
        about.setProperty("dim", True)
        row.addWidget(about)
        for label, name, tip in _DEMOS:
            look = push_button(label, tip)
            look.clicked.connect(partial(self._files.open_demo, name))
            row.addWidget(look)
        row.addStretch()
        return self._titled("Look at finished pieces", row)

    def _titled(self, title: str, content: QLayout) -> QWidget:
        group = QWidget()
        rows = QVBoxLayout(group)
        rows.setContentsMargins(0, 0, 0, 0)
        rows.setSpacing(8)
        rows.addWidget(heading(title))
        rows.addLayout(content)
        return group
