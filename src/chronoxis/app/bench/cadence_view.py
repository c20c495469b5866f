"""Which result frames show which photo, and the even choices nearby."""

from collections.abc import Callable
from fractions import Fraction
from functools import partial

from PySide6.QtCore import QRectF, QSize, Qt, Signal
from PySide6.QtGui import QPainter, QPaintEvent
from PySide6.QtWidgets import QGridLayout, QLabel, QPushButton, QSizePolicy, QVBoxLayout, QWidget

from chronoxis.app.empty_layout import empty_layout
from chronoxis.app.push_button import push_button
from chronoxis.app.theme.theme import DIM, GROUND, LINE, RAISED, TEXT, font
from chronoxis.core.timing.cadence import Cadence
from chronoxis.core.timing.rates import format_rate
from chronoxis.core.timing.timecode import format_time

_FRAMES = 24  # result frames that are drawn
_HEIGHT = 30


class CadenceView(QWidget):
    """A strip of result frames with the photos that they show, in words, and buttons for what is even.

    Signals:
        photo_rate_chosen: photos per result second.
        rate_chosen: result frames per second.
    """

    photo_rate_chosen = Signal(object)
    rate_chosen = Signal(object)

    def __init__(self) -> None:
        super().__init__()
        self._strip, self.words = _Strip(), QLabel()
        self.words.setProperty("dim", True)
        self.offers: list[QPushButton] = []
        self._offers = QGridLayout()
        self._offers.setHorizontalSpacing(6)
        self._offers.setVerticalSpacing(4)
        rows = QVBoxLayout(self)
        rows.setContentsMargins(0, 0, 0, 0)
        rows.setSpacing(6)
        for widget in (self._strip, self.words):
            rows.addWidget(widget)
        rows.addLayout(self._offers)
        self._shown: tuple[Cadence, Fraction] | None = None

    def show_cadence(self, cadence: Cadence, photos: Fraction) -> None:
        """Show a cadence, of so many photos."""
        if self._shown == (cadence, photos):
            return
        self._shown = cadence, photos
        self._strip.show_cadence(cadence)
        self.words.setText(cadence.in_words())
        empty_layout(self._offers)
        self.offers = []
        if cadence.is_even:
            return
        for row, text in enumerate(("even with", "or with")):
            label = QLabel(text)
            label.setProperty("dim", True)
            self._offers.addWidget(label, row, 0)
        for column, rate in enumerate(cadence.even_photo_rates(), 1):
            tip = f"Change the speed: it lasts {format_time(photos / rate, 2)} then"
            act = partial(self.photo_rate_chosen.emit, rate)
            self._offer(f"{format_rate(rate)} photos a second", tip, act, (0, column))
        for column, rate in enumerate(cadence.even_rates(), 1):
            tip = "Change the result's frame rate; its length stays"
            act = partial(self.rate_chosen.emit, rate)
            self._offer(f"result at {format_rate(rate)} fps", tip, act, (1, column))
        self._offers.setColumnStretch(3, 1)

    def _offer(self, text: str, tip: str, act: Callable[[], object], place: tuple[int, int]) -> None:
        button = push_button(text, tip)
        button.setProperty("choice", True)
        button.clicked.connect(lambda _: act())
        self._offers.addWidget(button, *place)
        self.offers.append(button)


class _Strip(QWidget):
    """Result frames side by side, those of one photo in one tone, with the photo's number."""

    def __init__(self) -> None:
        super().__init__()
        self._cadence: Cadence | None = None
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName("Which result frames show which photo")
        self.setToolTip("The first result frames, with the number of the photo that each shows")

    def sizeHint(self) -> QSize:
        return QSize(200, _HEIGHT)

    def show_cadence(self, cadence: Cadence) -> None:
        self._cadence = cadence
        self.update()

    def paintEvent(self, _event: QPaintEvent) -> None:
        if self._cadence is None:
            return
        painter = QPainter(self)
        painter.setFont(font(7.5))
        wide = self.width() / _FRAMES
        photos = [self._cadence.photo_at(frame) for frame in range(_FRAMES)]
        order = {photo: place for place, photo in enumerate(dict.fromkeys(photos))}
        for frame, photo in enumerate(photos):
            cell = QRectF(frame * wide, 0, wide - 1, _HEIGHT)
            painter.fillRect(cell, RAISED if order[photo] % 2 else GROUND)
            painter.setPen(LINE)
            painter.drawRect(cell.adjusted(0, 0, 0, -1))
            first = frame == 0 or photos[frame - 1] != photo
            painter.setPen(TEXT if first else DIM)
            painter.drawText(cell, Qt.AlignmentFlag.AlignCenter, str(photo + 1) if first else "·")
        del painter
