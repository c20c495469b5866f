"""What the amount of an accent follows."""

from collections.abc import Callable
from dataclasses import replace
from functools import partial

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QButtonGroup, QComboBox, QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from chronoxis.app.bench.amount_curve import AmountCurve
from chronoxis.app.bench.number_field import NumberField
from chronoxis.app.bench.page import label_for
from chronoxis.app.document.document import Document
from chronoxis.app.push_button import choice_chip, segments_of
from chronoxis.app.text_label import TextLabel
from chronoxis.core.errors import PlanError
from chronoxis.core.model.accent import (
    Accent,
    Amount,
    ByJoin,
    ByPoints,
    BySpeed,
    Response,
    usual_amount,
)
from chronoxis.core.timing.speed import format_exact_speed, format_speed, parse_speed

Change = Callable[[Accent], Accent]

_FOLLOWED = (
    (BySpeed, "Spee&d", "None at one speed, full at another"),
    (ByJoin, "Joi&ns", "None where a run-up begins, full at the cut, none after the run-out"),
    (ByPoints, "Own &curve", "A curve of its own"),
)


class AmountForm(QWidget):
    """Shows what the amount of one accent follows.

    Signals:
        changed: what undo says of it, and the change of an accent.
        refused: an entry means nothing; the text says why.
    """

    changed = Signal(str, object)
    refused = Signal(str)

    def __init__(self, document: Document) -> None:
        super().__init__()
        self._document = document
        self._accent: Accent | None = None
        self._group = QButtonGroup(self)
        self.follows: dict[type, QPushButton] = {
            kind: choice_chip(text, tip, self._group, partial(self._follow, kind))
            for kind, text, tip in _FOLLOWED
        }
        self.none_at = self._speed_field("None at", "The speed at which there is nothing of it")
        self.full_at = self._speed_field("Full at", "The speed at which it is full")
        self.response = QComboBox()
        self.response.setAccessibleName("Response")
        self.response.setToolTip("How the amount grows with what it follows")
        self.response.addItems([str(each) for each in Response])
        self.response.activated.connect(self._choose_response)
        self.curve = AmountCurve()
        self.curve.begun.connect(lambda: document.begin_gesture("Amount curve"))
        self.curve.changed.connect(self._set_curve)
        self.curve.ended.connect(document.end_gesture)
        self._lay_out()

    def show_accent(self, accent: Accent | None) -> None:
        """Show what the amount of an accent follows; nothing, where there is none."""
        self._accent = accent
        for widget in (*self.follows.values(), self.response):
            widget.setEnabled(accent is not None)
        amount = accent.amount if accent else None
        self._group.setExclusive(False)
        for kind, chip in self.follows.items():
            chip.setChecked(isinstance(amount, kind))
        self._group.setExclusive(True)
        for widget in (*self._speed_labels, self.none_at, self.full_at):
            widget.setVisible(isinstance(amount, BySpeed))
        if isinstance(amount, BySpeed):
            self.none_at.show_number(format_speed(amount.none_at), format_exact_speed(amount.none_at))
            self.full_at.show_number(format_speed(amount.full_at), format_exact_speed(amount.full_at))
        self.curve.setVisible(isinstance(amount, ByPoints))
        if isinstance(amount, ByPoints):
            self.curve.show_curve(amount)
        self.response.setVisible(isinstance(amount, BySpeed | ByJoin))
        if isinstance(amount, BySpeed | ByJoin):
            self.response.setCurrentIndex(list(Response).index(amount.response))

    def _lay_out(self) -> None:
        follow, speeds = QHBoxLayout(), QHBoxLayout()
        follows = TextLabel("Follows")
        follows.setProperty("dim", True)
        follow.addWidget(follows)
        follow.addWidget(segments_of(*self.follows.values()))
        follow.addStretch()
        follow.addWidget(self.response)
        self._speed_labels = [label_for("none &at", self.none_at), label_for("f&ull at", self.full_at)]
        for label, field in zip(self._speed_labels, (self.none_at, self.full_at), strict=True):
            speeds.addWidget(label)
            speeds.addWidget(field, 1)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(5)
        for part in (follow, speeds):
            layout.addLayout(part)
        layout.addWidget(self.curve)
        for widget in (self.curve, self.none_at, self.full_at, *self._speed_labels):
            widget.hide()

    def _speed_field(self, name: str, tip: str) -> NumberField:
        field = NumberField(name, tip)
        field.editingFinished.connect(self._enter_speeds)
        return field

    def _change(self, label: str, change: Change) -> None:
        self.changed.emit(label, change)

    def _follow(self, kind: type) -> None:
        if self._accent is None or isinstance(self._accent.amount, kind):
            self.show_accent(self._accent)
            return
        amount: Amount = usual_amount(kind, self._document.project.rows.speeds)
        self._change("Amount follows", lambda accent: replace(accent, amount=amount))

    def _set_curve(self, curve: ByPoints) -> None:
        self._change("Amount curve", lambda accent: replace(accent, amount=curve))

    def _choose_response(self, row: int) -> None:
        response = list(Response)[row]

        def changed(accent: Accent) -> Accent:
            if isinstance(accent.amount, BySpeed | ByJoin):
                return replace(accent, amount=replace(accent.amount, response=response))
            return accent

        self._change("Response", changed)

    def _enter_speeds(self) -> None:
        texts = self.none_at.take_text(), self.full_at.take_text()
        old = self._accent.amount if self._accent is not None else None
        if not isinstance(old, BySpeed) or texts == (None, None):
            return
        try:
            none_at, full_at = (
                before if text is None else parse_speed(text)
                for text, before in zip(texts, (old.none_at, old.full_at), strict=True)
            )
            amount = replace(old, none_at=none_at, full_at=full_at)
        except PlanError as error:
            self.show_accent(self._accent)
            self.refused.emit(str(error))
            return
        self._change("Amount follows", lambda accent: replace(accent, amount=amount))
