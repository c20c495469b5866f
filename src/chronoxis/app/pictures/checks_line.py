"""Checks: one line under the pictures, one finding at a time, with the press that mends it."""

from fractions import Fraction

from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QFrame, QHBoxLayout

from chronoxis.app.document.document import Document
from chronoxis.app.elided_label import ElidedLabel
from chronoxis.app.measuring.camera_paths import CameraPaths
from chronoxis.app.push_button import push_button
from chronoxis.app.text_label import plain_tip
from chronoxis.app.theme.theme import font
from chronoxis.core.checks.check import Check, Known
from chronoxis.core.checks.checks import checks_of
from chronoxis.core.render.camera_at_joins import JoinCamera, measured_streaks
from chronoxis.core.render.measuring import by_key
from chronoxis.core.traces.trace_kinds import PICTURES

_CALM = 300  # milliseconds after the last plan in which nothing is looked for


class ChecksLine(QFrame):
    """Looks at each plan, and is gone where nothing was found."""

    def __init__(self, document: Document, cameras: CameraPaths) -> None:
        super().__init__()
        self._document, self._camera_paths = document, cameras
        self.checks: list[Check] = []
        self._shown = 0
        self.setProperty("checks", True)
        self.words = ElidedLabel()
        self.words.setFont(font(9))
        self.mend = push_button("Mend", "Do what mends this")
        self.mend.clicked.connect(self._mend)
        self.next = push_button("Next", "Show the next finding (Ctrl+K)")
        self.next.clicked.connect(self.show_next)
        row = QHBoxLayout(self)
        row.setContentsMargins(8, 0, 4, 0)
        row.addWidget(self.words, 1)
        for button in (self.mend, self.next):
            button.setProperty("check", True)
            button.setFont(font(9, 500))
            row.addWidget(button)
        self.hide()
        self._soon = QTimer(self, singleShot=True, interval=_CALM)
        self._soon.timeout.connect(self._look)
        document.planned.connect(self._soon.start)
        cameras.changed.connect(self._soon.start)

    def show_next(self) -> None:
        """Show the next finding, and go where it shows."""
        if self.checks:
            self._shown = (self._shown + 1) % len(self.checks)
            self._show()
            self._document.move_playhead(Fraction(self.checks[self._shown].at))

    def _look(self) -> None:
        document, plan = self._document, self._document.plan
        if plan is None or not document.planner.is_current:
            self.checks = []
        else:
            traces = by_key(plan.project, document.known.measured[PICTURES])
            self.checks = checks_of(plan, Known(traces, cameras=self._cameras()))
        self._shown = min(self._shown, max(0, len(self.checks) - 1))
        self._show()

    def _cameras(self) -> dict[int, JoinCamera]:
        """At joins whose streaks go along with it; at others it is followed when somebody looks at them."""
        joins = measured_streaks(self._document.project)
        return {join: camera for join in joins if (camera := self._camera_paths.at_join(join)) is not None}

    def _show(self) -> None:
        self.setVisible(bool(self.checks))
        if not self.checks:
            return
        check, count = self.checks[self._shown], len(self.checks)
        self.words.show_text(f"Check {self._shown + 1} of {count} · {check.words}")
        self.mend.setVisible(check.edit is not None)
        self.mend.setText(check.mend)
        self.mend.setToolTip(plain_tip(f"{check.words} A press mends it; it can be undone."))
        self.next.setVisible(count > 1)

    def _mend(self) -> None:
        check = self.checks[self._shown] if self.checks else None
        if check is not None and check.edit is not None:
            self._document.apply(check.mend, check.edit)
