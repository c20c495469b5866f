"""All Checks, in the Bench's place: what was found, what mends it, and what was put aside."""

from fractions import Fraction

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QFrame, QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from chronoxis.app.bench.page import heading
from chronoxis.app.caution_label import CautionLabel
from chronoxis.app.checks.found_checks import FoundChecks
from chronoxis.app.document.document import Document
from chronoxis.app.push_button import push_button
from chronoxis.app.scroller import Scroller
from chronoxis.app.text_label import TextLabel
from chronoxis.app.theme.theme import font
from chronoxis.core.checks.check import Check
from chronoxis.core.timing.timecode import format_time

_NOTHING = "Nothing was found that will look or sound wrong."


class CheckRow(QFrame):
    """One finding.

    Attributes:
        check: the finding.
        go: goes where it shows.
        mend: mends it; None where no press does.
        aside: puts it aside, or takes it up again.
    """

    def __init__(self, check: Check, *, is_aside: bool) -> None:
        super().__init__()
        self.check = check
        self.setProperty("card", True)
        self.setAccessibleName(f"Finding: {check.kind}")
        self.setAccessibleDescription(check.words)
        words = TextLabel(check.words)
        words.setWordWrap(True)
        words.setProperty("dim", is_aside)
        self.go = _small(format_time(check.at, 1), "Go where it shows")
        self.go.setAccessibleName(f"Go to {check.kind}")
        self.mend = _small(check.mend, "Mend it; it can be undone") if check.edit and not is_aside else None
        self.aside = (
            _small("Take up again", "Look out for it again")
            if is_aside
            else _small("Put aside", "It is meant to be so: show it no more in this project")
        )
        self.aside.setAccessibleName(f"{self.aside.text()}: {check.kind}")
        acts = QHBoxLayout()
        acts.setSpacing(4)
        for button in (self.go, self.mend, self.aside):
            if button is not None:
                acts.addWidget(button)
        acts.addStretch()
        rows = QVBoxLayout(self)
        rows.setContentsMargins(8, 6, 8, 6)
        rows.setSpacing(4)
        rows.addWidget(words)
        rows.addLayout(acts)


class ChecksPanel(QFrame):
    """Lists findings in the order of the result.

    Signals:
        left: the person goes back to adjust.
    """

    left = Signal()

    def __init__(self, document: Document, found: FoundChecks) -> None:
        super().__init__()
        self._document, self._found = document, found
        self.setProperty("panel", True)
        self.rows: list[CheckRow] = []
        self.put_aside: list[CheckRow] = []
        self._listed: tuple[list[Check], list[Check]] = [], []
        self.back = push_button("Back to the &Bench", "Go on adjusting (Esc)")
        self.back.clicked.connect(self.left)
        self._nothing, self._aside = TextLabel(_NOTHING), heading("Put aside")
        self._nothing.setProperty("dim", True)
        self._nothing.setWordWrap(True)
        self._open_list, self._aside_list = QVBoxLayout(), QVBoxLayout()
        self._message = CautionLabel()
        self._lay_out()
        found.changed.connect(self.follow)

    def follow(self) -> None:
        """Show what was found."""
        listed = self._found.open, self._found.aside
        if not self.isVisible() or listed == self._listed:
            return
        self._listed = listed
        for row in (*self.rows, *self.put_aside):
            row.hide()
            row.deleteLater()
        self.rows = [self._row(check, is_aside=False) for check in listed[0]]
        self.put_aside = [self._row(check, is_aside=True) for check in listed[1]]
        for row in self.rows:
            self._open_list.addWidget(row)
        for row in self.put_aside:
            self._aside_list.addWidget(row)
        self._nothing.setVisible(not self.rows)
        self._aside.setVisible(bool(self.put_aside))

    def say(self, message: str) -> None:
        """Say something below the list, or nothing."""
        self._message.say(message)

    def _lay_out(self) -> None:
        title = TextLabel("Checks")
        title.setFont(font(10.5, 600))
        page = QWidget()
        rows = QVBoxLayout(page)
        rows.setContentsMargins(0, 0, 0, 0)
        rows.setSpacing(6)
        rows.addWidget(self._nothing)
        rows.addLayout(self._open_list)
        rows.addWidget(self._aside)
        rows.addLayout(self._aside_list)
        rows.addStretch()
        foot = QHBoxLayout()
        foot.addWidget(self.back)
        foot.addStretch()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(12, 10, 12, 12)
        layout.addWidget(title)
        layout.addWidget(Scroller(page), 1)
        layout.addWidget(self._message)
        layout.addLayout(foot)

    def _row(self, check: Check, *, is_aside: bool) -> CheckRow:
        row = CheckRow(check, is_aside=is_aside)
        row.go.clicked.connect(lambda: self._document.move_playhead(Fraction(check.at)))
        if row.mend is not None:
            row.mend.clicked.connect(lambda: self._found.mend(check))
        act = self._found.take_up if is_aside else self._found.put_aside
        row.aside.clicked.connect(lambda: act(check))
        return row


def _small(text: str, tip: str) -> QPushButton:
    button = push_button(text, tip)
    button.setProperty("small", True)
    return button
