"""What moves over the Weave: the linked playheads, and the readout of a drag."""

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QPainter, QPen

from chronoxis.app.theme.theme import GROUND, LINE, TEXT
from chronoxis.app.weave.lettering import width_of, write
from chronoxis.app.weave.rails import Rails
from chronoxis.app.weave.threads import thread


def draw_playheads(painter: QPainter, rails: Rails, above: float, below: float) -> None:
    """The two linked playheads and the thread between them."""
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setPen(QPen(TEXT, 2))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    top, bottom = rails.recorded_ruler.top() + 8, rails.result_ruler.bottom() - 4
    painter.setClipRect(rails.recorded_ruler.united(rails.result_ruler).adjusted(-6, 0, 6, 2))
    painter.drawLine(QPointF(above, top), QPointF(above, rails.threads.top()))
    painter.drawPath(thread(rails, above, below))
    painter.drawLine(QPointF(below, rails.threads.bottom()), QPointF(below, bottom))
    painter.setPen(Qt.PenStyle.NoPen)  # else it would reach into the name of a marker close by
    painter.setBrush(TEXT)
    painter.drawEllipse(QPointF(above, top), 4, 4)
    painter.drawEllipse(QPointF(below, bottom), 4, 4)
    painter.setClipping(False)


def draw_readout(painter: QPainter, rails: Rails, at: QPointF, text: str) -> None:
    """The outcome of a drag, at the pointer."""
    width = width_of(text, 10, 500) + 20
    left = min(max(at.x() - width / 2, 4), rails.width - width - 4)
    box = QRectF(left, max(at.y() - 36, 2), width, 26)
    painter.setPen(QPen(LINE, 1))
    painter.setBrush(GROUND)
    painter.drawRoundedRect(box, 5, 5)
    write(painter, box, text, TEXT, 10, 500, Qt.AlignmentFlag.AlignHCenter)
