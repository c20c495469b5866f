"""Short texts on the rails: the same few are drawn again and again, so they are kept."""

from functools import lru_cache

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QStaticText, QTransform

from chronoxis.app.theme.theme import font
from chronoxis.core.readable import readable
from chronoxis.core.timing.speed import format_speed
from chronoxis.core.timing.timecode import format_time

_MOST_KEPT = 2000
_ALIGN = Qt.AlignmentFlag

written_time = lru_cache(_MOST_KEPT)(format_time)
written_speed = lru_cache(_MOST_KEPT)(format_speed)


def write(
    painter: QPainter,
    box: QRectF,
    text: str,
    colour: QColor,
    size: float = 8,
    weight: int = 400,
    align: Qt.AlignmentFlag = _ALIGN.AlignLeft,
) -> None:
    """Write one line in the middle of a box's height, at its left, its right or its centre."""
    chosen = font(size, weight)
    laid, width, height = _laid_out(text, chosen.pointSizeF(), size, weight)
    share = 0 if align is _ALIGN.AlignLeft else 1 if align is _ALIGN.AlignRight else 0.5
    left = box.left() + share * (box.width() - width)
    painter.setFont(chosen)
    painter.setPen(colour)
    painter.drawStaticText(QPointF(left, box.center().y() - height / 2), laid)


def width_of(text: str, size: float = 8, weight: int = 400) -> float:
    """Pixels that a line takes."""
    return _laid_out(text, font(size, weight).pointSizeF(), size, weight)[1]


@lru_cache(_MOST_KEPT)
def _laid_out(text: str, _points: float, size: float, weight: int) -> tuple[QStaticText, float, float]:
    """The text, its width and its height. The points, which follow the text size, tell entries apart."""
    laid = QStaticText(readable(text))
    laid.setTextFormat(Qt.TextFormat.PlainText)
    laid.prepare(QTransform(), font(size, weight))
    return laid, laid.size().width(), laid.size().height()
