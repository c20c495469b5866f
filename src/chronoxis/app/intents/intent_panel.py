"""The two questions of an intention, in the Bench's place, and what was done without asking."""

from functools import partial

from PySide6.QtCore import Signal
from PySide6.QtWidgets import (
    QButtonGroup,
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QLineEdit,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from chronoxis.app.bench.page import heading, label_for
from chronoxis.app.caution_label import CautionLabel
from chronoxis.app.empty_layout import empty_layout
from chronoxis.app.intents.intents import Intents
from chronoxis.app.push_button import choice_chip, push_button, segments_of
from chronoxis.app.scroller import Scroller
from chronoxis.app.text_label import TextLabel
from chronoxis.app.theme.theme import font
from chronoxis.core.errors import PlanError
from chronoxis.core.model.destinations import DESTINATIONS
from chronoxis.core.model.preset_questions import PaceQuestion
from chronoxis.core.model.preset_words import PART_NAMES, in_words

_UNTOLD = ("pace", "rate", "export")  # parts that the questions are about


class IntentPanel(QFrame):
    """Shown once an intention has its footage; every answer shows at once.

    Signals:
        left: the person goes on by hand.
        export_wanted: the result is to be written.
    """

    left = Signal()
    export_wanted = Signal()

    def __init__(self, intents: Intents) -> None:
        super().__init__()
        self._intents = intents
        self._question: PaceQuestion | None = None
        self.setProperty("panel", True)
        self._title, self._about = TextLabel(), TextLabel()
        self._title.setFont(font(10.5, 600))
        self._about.setProperty("dim", True)
        self._about.setWordWrap(True)
        self.message = CautionLabel()
        self.measuring = TextLabel("Light and camera are being measured; till then it is shown as recorded.")
        self.measuring.setProperty("dim", True)
        self.measuring.setWordWrap(True)
        self._asked = QVBoxLayout()
        self.answers: list[QPushButton] = []
        self.destinations = self._destinations()
        self._done = QGridLayout()
        self._done.setVerticalSpacing(3)
        self.export = push_button("&Export…", "Write the result into a file (Ctrl+E)")
        self.export.setProperty("main", True)
        self.export.clicked.connect(self.export_wanted)
        self.by_hand = push_button("&Go on by hand", "Leave the questions; all of it can be changed (Esc)")
        self.by_hand.clicked.connect(self.left)
        self._lay_out()
        intents.begun.connect(self._ask)
        intents.measured.connect(self._tell_measured)

    def say(self, message: str) -> None:
        """Say why an answer cannot be had, or nothing."""
        self.message.say(message)

    def _tell_measured(self, all_of_it: bool) -> None:
        self.measuring.setVisible(not all_of_it)

    def _lay_out(self) -> None:
        asked = QWidget()
        rows = QVBoxLayout(asked)
        rows.setContentsMargins(0, 0, 6, 0)
        rows.setSpacing(6)
        rows.addWidget(self._about)
        rows.addLayout(self._asked)
        rows.addWidget(heading("Where should it go?"))
        chips = QGridLayout()
        chips.setSpacing(5)
        for place, chip in enumerate(self.destinations):
            chips.addWidget(chip, place // 2, place % 2)
        rows.addLayout(chips)
        rows.addWidget(heading("Done without asking"))
        rows.addLayout(self._done)
        rows.addStretch()
        foot = QHBoxLayout()
        foot.addWidget(self.by_hand)
        foot.addStretch()
        foot.addWidget(self.export)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(12, 10, 12, 12)
        layout.addWidget(self._title)
        layout.addWidget(Scroller(asked), 1)
        layout.addWidget(self.measuring)
        layout.addWidget(self.message)
        layout.addLayout(foot)

    def _destinations(self) -> list[QPushButton]:
        group = QButtonGroup(self)
        return [
            choice_chip(each.label, each.about, group, partial(self._intents.send_to, each))
            for each in DESTINATIONS
        ]

    def _ask(self) -> None:
        """Ask about the intention that was begun."""
        preset = self._intents.preset
        if preset is None:
            return
        self.say("")
        self._title.setText(preset.name)
        self._about.setText(preset.about)
        self.destinations[DESTINATIONS.index(self._intents.destination)].setChecked(True)
        empty_layout(self._asked)
        empty_layout(self._done)
        self._question = self._intents.question
        if self._question is not None:
            self._show_question(self._question)
        told = [part for part in preset.parts if part not in _UNTOLD]
        for row, part in enumerate(told):
            words = TextLabel(in_words(preset, part))
            words.setWordWrap(True)
            name = TextLabel(PART_NAMES[part])
            name.setProperty("dim", True)
            self._done.addWidget(name, row, 0)
            self._done.addWidget(words, row, 1)
        self._done.setColumnStretch(1, 1)
        chips = self.answers if self._question is not None else self.destinations
        next((chip for chip in chips if chip.isChecked()), chips[0]).setFocus()

    def _show_question(self, question: PaceQuestion) -> None:
        group = QButtonGroup(self)
        self.answers = [
            choice_chip(text, question.text, group, partial(self._answer, text)) for text in question.usual
        ]
        for chip, text in zip(self.answers, question.usual, strict=True):
            chip.setChecked(text == question.present)
        self.other = QLineEdit()  # made anew, as its words are others
        self.other.setAccessibleName(f"{question.text} Another answer")
        self.other.setPlaceholderText(question.present)
        self.other.setToolTip("Another answer; Enter takes it")
        self.other.returnPressed.connect(self._take_other)
        row = QWidget()
        beside = QHBoxLayout(row)
        beside.setContentsMargins(0, 0, 0, 0)
        beside.addWidget(label_for("or an&other", self.other))
        beside.addWidget(self.other, 1)
        for widget in (heading(question.text), segments_of(*self.answers), row):
            self._asked.addWidget(widget)

    def _take_other(self) -> None:
        text = self.other.text().strip()
        if text:
            self._answer(text)

    def _answer(self, text: str) -> None:
        if self._question is None:
            return
        try:
            preset = self._question.answered(text)
        except PlanError as error:
            self.say(str(error))
            return
        self.say("")
        self._intents.answer(preset)
        for chip, usual in zip(self.answers, self._question.usual, strict=True):
            chip.setChecked(usual == text)
