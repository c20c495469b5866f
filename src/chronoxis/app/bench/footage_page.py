"""The page *Footage*: what one footage is, and what can be done with all of it."""

from fractions import Fraction

from PySide6.QtCore import QSize, Qt, Signal
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QLabel, QPushButton, QVBoxLayout

from chronoxis.app.bench.number_field import NumberField
from chronoxis.app.bench.page import Page, label_for, line
from chronoxis.app.document import Document
from chronoxis.app.footage.footage_card import Thumbnail
from chronoxis.app.footage.shelf import Shelf
from chronoxis.app.theme.theme import font, scaled
from chronoxis.core.errors import PlanError
from chronoxis.core.model import arranging
from chronoxis.core.model.footage import Footage
from chronoxis.core.model.recording import Recording, set_capture_rate
from chronoxis.core.timing.rates import format_rate, parse_rate
from chronoxis.core.timing.timecode import format_time

_PATH_ROOM = 250  # pixels of a fact's text


class FootagePage(Page):
    """Shows what is chosen on the shelf. Signal ``locate_wanted``: its key."""

    locate_wanted = Signal(str)

    def __init__(self, document: Document, shelf: Shelf) -> None:
        super().__init__(document)
        self._shelf = shelf
        self._picture = Thumbnail(QSize(104, 60))
        self.name, self._uses = QLabel(), QLabel()
        self.name.setFont(font(11, 600))
        self.name.setWordWrap(True)
        self._uses.setProperty("dim", True)
        self._facts = QGridLayout()
        self._facts.setVerticalSpacing(2)
        self._facts.setHorizontalSpacing(12)
        self._facts.setColumnStretch(1, 1)
        self.capture = NumberField(
            "Capture rate", "Frames per second as they were shot, if not as stored: then 1× is real time"
        )
        self.capture.setFixedWidth(scaled(84))
        self.capture.editingFinished.connect(self._enter_capture)
        self._shot_at = label_for("Shot a&t", self.capture)
        self.use = _button("Add s&hot", "Put all of this footage at the end of the result, as a new shot")
        self.use.clicked.connect(self._add_shot)
        self.locate = _button("&Locate…", "Say where this footage is now")
        self.locate.clicked.connect(lambda: self.locate_wanted.emit(document.chosen_footage or ""))
        self.remove = _button("Re&move", "Take this footage and its shots out of the project")
        self.remove.clicked.connect(self._remove)
        self._lay_out()
        for signal in (document.footage_changed, document.footage_chosen):
            signal.connect(self.show_project)

    def _lay_out(self) -> None:
        words = QVBoxLayout()
        for widget in (self.name, self._uses):
            words.addWidget(widget)
        words.addStretch()
        top = QHBoxLayout()
        top.setSpacing(10)
        top.addWidget(self._picture, 0, Qt.AlignmentFlag.AlignTop)
        top.addLayout(words, 1)
        rate = QHBoxLayout()
        rate.addWidget(self._shot_at)
        rate.addWidget(self.capture)
        rate.addStretch()
        buttons = QHBoxLayout()
        for button in (self.use, self.locate, self.remove):
            buttons.addWidget(button)
        buttons.addStretch()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 4, 0, 0)
        layout.setSpacing(6)
        layout.addLayout(top)
        layout.addLayout(self._facts)
        layout.addWidget(line())
        layout.addLayout(rate)
        layout.addLayout(buttons)
        layout.addStretch()

    @property
    def footage(self) -> Footage | None:
        """What is chosen."""
        key = self._document.chosen_footage
        return self._document.project.footage_named(key) if key is not None else None

    def show_project(self) -> None:
        """Show what is chosen as it is now."""
        footage = self.footage
        if footage is None:
            return
        facts = self._document.facts.get(footage.origin)
        self._picture.show_image(self._shelf.thumbnail(footage.origin))
        self.name.setText(footage.name)
        count = sum(shot.footage == footage.key for shot in self._document.project.shots)
        self._uses.setText(f"in {count} shots" if count > 1 else "in one shot" if count else "in no shot")
        rows = facts.rows() if facts else [("length", format_time(footage.length, 2))]
        self._show_facts(rows)
        is_recording = isinstance(footage, Recording)
        self._shot_at.setVisible(is_recording)
        self.capture.setVisible(is_recording)
        self.capture.show_number(f"{format_rate(footage.rate)} fps")
        self.use.setEnabled(facts is not None)

    def _show_facts(self, rows: list[tuple[str, str]]) -> None:
        while item := self._facts.takeAt(0):
            if (widget := item.widget()) is not None:
                widget.deleteLater()
        for row, (name, value) in enumerate(rows):
            label, text = QLabel(name), QLabel()
            label.setProperty("dim", True)
            room = scaled(_PATH_ROOM)
            text.setText(text.fontMetrics().elidedText(value, Qt.TextElideMode.ElideMiddle, room))
            text.setToolTip(value)
            for column, widget in enumerate((label, text)):
                widget.setFont(font(9))
                self._facts.addWidget(widget, row, column)

    def _add_shot(self) -> None:
        footage = self.footage
        if footage is not None:
            self._apply("Add shot", lambda p: arranging.add_shot(p, footage.key))

    def _remove(self) -> None:
        footage = self.footage
        if footage is not None:
            self._apply("Remove footage", lambda p: arranging.drop_footage(p, footage.key))

    def _enter_capture(self) -> None:
        text, footage = self.capture.take_text(), self.footage
        if text is None or footage is None:
            return
        try:
            rate: Fraction | None = parse_rate(text) if text.strip() else None
        except PlanError as error:
            self.show_project()
            self.refused.emit(str(error))
            return
        self._apply("Capture rate", lambda p: set_capture_rate(p, footage.key, rate))
        self.show_project()


def _button(text: str, tip: str) -> QPushButton:
    button = QPushButton(text)
    button.setToolTip(tip)
    return button
