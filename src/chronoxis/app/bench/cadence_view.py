"""Which result frames show which photo, and the even choices nearby."""

from fractions import Fraction
from functools import partial

from PySide6.QtCore import QRectF, QSize, Qt, Signal
from PySide6.QtGui import QPainter, QPaintEvent
from PySide6.QtWidgets import QHBoxLayout, QMenu, QSizePolicy, QVBoxLayout, QWidget

from chronoxis.app.push_button import push_button
from chronoxis.app.text_label import TextLabel
from chronoxis.app.theme.theme import DIM, GROUND, LINE, RAISED, TEXT, font
from chronoxis.core.timing.cadence import Cadence
from chronoxis.core.timing.rates import format_rate
from chronoxis.core.timing.timecode import format_time

_DRAWN_FRAMES = 16  # result frames that are drawn
_HEIGHT = 30


class CadenceView(QWidget):
    """A strip of result frames with the photos that they show, in words, and a menu of what is even.

    Attributes:
        even: the button of the menu.
        words: the cadence in words.

    Signals:
        photo_rate_chosen: photos per result second.
        rate_chosen: result frames per second.
    """

    photo_rate_chosen = Signal(object)
    rate_chosen = Signal(object)

    def __init__(self) -> None:
        super().__init__()
        self._strip, self.words = _Strip(), TextLabel()
        self.words.setProperty("dim", True)
        self.even = push_button(
            "Ma&ke it even…", "Speeds and frame rates near these with which photos stand evenly"
        )
        self._offers = QMenu(self.even)
        self.even.setMenu(self._offers)
        top, rows = QHBoxLayout(), QVBoxLayout(self)
        top.setSpacing(6)
        top.addWidget(self._strip, 1)
        top.addWidget(self.even)
        rows.setContentsMargins(0, 0, 0, 0)
        rows.setSpacing(6)
        rows.addLayout(top)
        rows.addWidget(self.words)
        self._shown: tuple[Cadence, Fraction] | None = None

    def show_cadence(self, cadence: Cadence, photos: Fraction) -> None:
        """Show a cadence, of so many photos."""
        if self._shown == (cadence, photos):
            return
        self._shown = cadence, photos
        self._strip.show_cadence(cadence)
        self.words.setText(cadence.in_words())
        self.even.setVisible(not cadence.is_even)
        self._offers.clear()
        for rate in cadence.even_photo_rates():
            text = f"{format_rate(rate)} photos a second: lasts {format_time(photos / rate, 2)}"
            self._offers.addAction(text, partial(self.photo_rate_chosen.emit, rate))
        for rate in cadence.even_rates():
            text = f"result at {format_rate(rate)} fps: lasts as long as now"
            self._offers.addAction(text, partial(self.rate_chosen.emit, rate))


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
        wide = self.width() / _DRAWN_FRAMES
        photos = [self._cadence.photo_at(frame) for frame in range(_DRAWN_FRAMES)]
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
