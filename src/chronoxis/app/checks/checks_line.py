"""Checks: one line under the pictures, one finding at a time, with the press that mends it."""

from fractions import Fraction

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QFrame, QHBoxLayout

from chronoxis.app.checks.found_checks import FoundChecks
from chronoxis.app.document.document import Document
from chronoxis.app.elided_label import ElidedLabel
from chronoxis.app.push_button import push_button
from chronoxis.app.text_label import plain_tip
from chronoxis.app.theme.theme import font
from chronoxis.core.checks.check import Check


class ChecksLine(QFrame):
    """Shows what was found, and is gone where nothing was.

    Signals:
        all_wanted: to see all findings.
    """

    all_wanted = Signal()

    def __init__(self, document: Document, found: FoundChecks) -> None:
        super().__init__()
        self._document, self._found = document, found
        self._shown = 0
        self.setProperty("checks", True)
        self.words = ElidedLabel()
        self.words.setFont(font(9))
        self.mend = push_button("Mend", "Do what mends this")
        self.mend.clicked.connect(self._mend)
        self.next = push_button("Next", "Show the next finding (Ctrl+K)")
        self.next.clicked.connect(self.show_next)
        self.all = push_button("All", "Show all findings; put aside what is meant to be so (Ctrl+Shift+K)")
        self.all.clicked.connect(self.all_wanted)
        row = QHBoxLayout(self)
        row.setContentsMargins(8, 0, 4, 0)
        row.addWidget(self.words, 1)
        for button in (self.mend, self.next, self.all):
            button.setProperty("check", True)
            button.setFont(font(9, 500))
            row.addWidget(button)
        self.hide()
        found.changed.connect(self._show)

    @property
    def checks(self) -> list[Check]:
        """What it shows, one at a time."""
        return self._found.open

    def show_next(self) -> None:
        """Show the next finding, and go where it shows."""
        checks = self.checks
        if checks:
            self._shown = (self._shown + 1) % len(checks)
            self._show()
            self._document.move_playhead(Fraction(checks[self._shown].at))

    def _show(self) -> None:
        checks = self.checks
        self.setVisible(bool(checks))
        if not checks:
            return
        self._shown = min(self._shown, len(checks) - 1)
        check = checks[self._shown]
        self.words.show_text(f"Check {self._shown + 1} of {len(checks)} · {check.words}")
        self.mend.setVisible(check.edit is not None)
        self.mend.setText(check.mend)
        self.mend.setToolTip(plain_tip(f"{check.words} A press mends it; it can be undone."))
        self.next.setVisible(len(checks) > 1)

    def _mend(self) -> None:
        checks = self.checks
        if checks:
            self._found.mend(checks[min(self._shown, len(checks) - 1)])
