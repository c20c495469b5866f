"""A button that says what it does."""

from collections.abc import Callable, Hashable, Mapping
from collections.abc import Set as AbstractSet

from PySide6.QtCore import QSize
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import QButtonGroup, QCheckBox, QFrame, QHBoxLayout, QPushButton, QSizePolicy


def push_button(text: str, tip: str) -> QPushButton:
    """A button with its tooltip; ``&`` in the text stands before the letter of its key."""
    button = QPushButton(text)
    button.setToolTip(tip)
    return button


class TersePushButton(QPushButton):
    """Says what it does in one word where there is no room for more."""

    def __init__(self, words: str, one_word: str, tip: str) -> None:
        super().__init__(words)
        self._words, self._one_word = words, one_word
        self.setAccessibleName(words)
        self.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Fixed)  # else it never gives way
        self.setToolTip(tip)

    def minimumSizeHint(self) -> QSize:
        hint = self.sizeHint()
        return QSize(hint.width() - self._saved, hint.height())

    def sizeHint(self) -> QSize:
        """With all words, whichever stand there now."""
        hint = super().sizeHint()
        return QSize(hint.width() + (self._saved if self.text() == self._one_word else 0), hint.height())

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        fitting = self._words if self.width() >= self.sizeHint().width() else self._one_word
        if fitting != self.text():
            self.setText(fitting)

    @property
    def _saved(self) -> int:
        """How much narrower the one word is, pixels."""
        metrics = self.fontMetrics()
        return metrics.horizontalAdvance(self._words) - metrics.horizontalAdvance(self._one_word)


def segments_of(*chips: QPushButton) -> QFrame:
    """Choices that exclude each other, as one control with a segment for each."""
    control = QFrame()
    control.setProperty("segments", True)
    control.setSizePolicy(QSizePolicy.Policy.Maximum, QSizePolicy.Policy.Fixed)
    row = QHBoxLayout(control)
    row.setContentsMargins(1, 1, 1, 1)
    row.setSpacing(0)
    for chip in chips:
        chip.setProperty("choice", False)
        chip.setProperty("segment", True)
        row.addWidget(chip)
    return control


def switch(text: str, tip: str, turn: Callable[[bool], object]) -> QCheckBox:
    """Something that is on or off by itself."""
    made = QCheckBox(text)
    made.setToolTip(tip)
    made.clicked.connect(lambda on: turn(bool(on)))  # some kinds of functions would be called without it
    return made


def choice_chip(text: str, tip: str, group: QButtonGroup, choose: Callable[[], object]) -> QPushButton:
    """A button of a group, of which one at a time is down."""
    chip = push_button(text, tip)
    chip.setCheckable(True)
    chip.setProperty("choice", True)
    chip.clicked.connect(lambda _: choose())
    group.addButton(chip)
    return chip


def mark_common(chips: Mapping[Hashable, QPushButton], values: AbstractSet[Hashable]) -> None:
    """Press the chip of a value that all have; of several none."""
    for value, chip in chips.items():
        chip.group().setExclusive(len(values) == 1)
        chip.setChecked(values == {value})
