"""The accents that are on something: a row for each, in the order in which they are laid on."""

from collections.abc import Callable, Sequence

import numpy as np
import numpy.typing as npt
from PySide6.QtCore import QPointF, QSize, Signal
from PySide6.QtGui import QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QHBoxLayout, QSizePolicy, QVBoxLayout, QWidget

from chronoxis.app.bench.gesture_slider import GestureSlider
from chronoxis.app.document.document import Document
from chronoxis.app.empty_layout import empty_layout
from chronoxis.app.push_button import push_button, switch
from chronoxis.app.scroller import Scroller
from chronoxis.app.text_label import TextLabel
from chronoxis.app.theme.theme import DIM, GROUND, LINE, TEXT, scaled
from chronoxis.core.model.accent import MOST_STRENGTH, Accent

SAMPLES = 64
"""Moments at which the amount of an accent is drawn, from the first to the last that it is on."""

_CURVE = QSize(52, 20)  # pixels; they grow with the text
_ROW, _GAP = 28, 2  # pixels; the former grows with the text
_MOST_SHOWN = 2.4  # rows, beyond which they scroll: a part of one shows that there are more
_NAME, _SHARE = 84, 36  # pixels of words; they grow with the text

Amounts = npt.NDArray[np.float64]


class AccentRow(QWidget):
    """One accent: whether it is on, its name, its amount over time, how much at most, order, remove."""

    def __init__(self, document: Document, number: int, told: "AccentRows") -> None:
        super().__init__()
        self.on = switch("", "Show it, or leave it out for now", lambda on: told.turned.emit(number, on))
        self.name = push_button("", "Show how this accent looks and what it follows")
        self.name.setCheckable(True)
        self.name.setProperty("choice", True)
        self.name.setMinimumWidth(scaled(_NAME))
        self.name.clicked.connect(lambda _: told.chosen.emit(number))
        self.curve = _Curve()
        self.strength = GestureSlider(
            document,
            "Amount at most",
            "How much of the accent there is where it is full",
            least=0,
            most=round(MOST_STRENGTH * 100),
            page=10,
            choose=lambda share: told.strength_set.emit(number, share / 100),
            label="Amount",
        )
        self._share = TextLabel()
        self._share.setMinimumWidth(scaled(_SHARE))
        self.earlier = push_button("↑", "Apply it earlier")
        self.earlier.clicked.connect(lambda _: told.raised.emit(number))
        self.remove = push_button("×", "Take it away")
        self.remove.clicked.connect(lambda _: told.removed.emit(number))
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(4)
        for button in (self.earlier, self.remove):
            button.setProperty("small", True)
        row.addWidget(self.on)
        row.addWidget(self.name)
        row.addWidget(self.curve)
        row.addWidget(self.strength, 1)
        row.addWidget(self._share)
        row.addWidget(self.earlier)
        row.addWidget(self.remove)
        self.setFixedHeight(scaled(_ROW))
        self.earlier.setEnabled(number > 0)

    def show_accent(self, accent: Accent, amounts: Amounts, *, is_chosen: bool) -> None:
        """Show an accent, and how much of it there is over time, 0 to 1."""
        self.name.setText(accent.name)
        self.name.setChecked(is_chosen)
        self.on.setChecked(accent.on)
        self.curve.show_amounts(amounts, accent.on)
        self.strength.show_value(round(100 * accent.strength))
        self._share.setText(f"{accent.strength:.0%}")
        for control, does in (
            (self.on, "Show"),
            (self.strength, "Amount of"),
            (self.earlier, "Apply earlier:"),
            (self.remove, "Remove"),
        ):
            control.setAccessibleName(f"{does} {accent.name}")


class AccentRows(QWidget):
    """All of them, of which one is chosen.

    Signals, each with the number of a row:
        chosen: it is to be shown in all that it is.
        turned: it is to be on, or off.
        strength_set: how much of it there is at most.
        raised: it is to be laid on earlier.
        removed: it is to go.
    """

    chosen = Signal(int)
    turned = Signal(int, bool)
    strength_set = Signal(int, float)
    raised = Signal(int)
    removed = Signal(int)

    def __init__(self, document: Document) -> None:
        super().__init__()
        self._document = document
        self.rows: list[AccentRow] = []
        self.none = TextLabel("None yet: add one below.")
        self.none.setProperty("dim", True)
        inside = QWidget()
        self._list = QVBoxLayout(inside)
        self._list.setContentsMargins(0, 0, 0, 0)
        self._list.setSpacing(_GAP)
        self._scroller = Scroller(inside)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addWidget(self.none)
        layout.addWidget(self._scroller)
        self.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Fixed)

    def show_accents(
        self, accents: Sequence[Accent], chosen: int, amounts: Callable[[Accent], Amounts]
    ) -> None:
        """Show accents; rows that are there already stay, so that a drag in one goes on."""
        if len(accents) != len(self.rows):
            empty_layout(self._list)
            self.rows = [AccentRow(self._document, number, self) for number in range(len(accents))]
            for row in self.rows:
                self._list.addWidget(row)
            shown = min(len(accents), _MOST_SHOWN)
            self._scroller.setFixedHeight(round(shown * (scaled(_ROW) + _GAP)))
        self.none.setVisible(not accents)
        self._scroller.setVisible(bool(accents))
        for number, (row, accent) in enumerate(zip(self.rows, accents, strict=True)):
            row.show_accent(accent, amounts(accent), is_chosen=number == chosen)


class _Curve(QWidget):
    """Draws how much of an accent there is from the beginning to the end of what it is on."""

    def __init__(self) -> None:
        super().__init__()
        self._amounts: Amounts = np.zeros(SAMPLES)
        self._is_on = True
        self.setFixedSize(scaled(_CURVE.width()), scaled(_CURVE.height()))
        self.setToolTip("How much of it there is, from the beginning to the end of what it is on")

    def show_amounts(self, amounts: Amounts, is_on: bool) -> None:
        """Show amounts, 0 to 1."""
        self._amounts, self._is_on = amounts, is_on
        self.update()

    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), GROUND)
        wide, high = self.width() - 2, self.height() - 4
        across = np.linspace(1, 1 + wide, len(self._amounts))
        down = 2 + high * (1 - np.clip(self._amounts, 0, 1))
        painter.setPen(QPen(LINE, 1))
        painter.drawLine(1, 2 + high, 1 + wide, 2 + high)
        painter.setPen(QPen(TEXT if self._is_on else DIM, 1.4))
        points = [QPointF(x, y) for x, y in zip(across.tolist(), down.tolist(), strict=True)]
        painter.drawPolyline(QPolygonF(points))
