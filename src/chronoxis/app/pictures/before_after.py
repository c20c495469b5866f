"""A line across the result's picture: left of it another frame, such as that before light is evened out."""

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QImage, QPainter, QPen

from chronoxis.app.theme.theme import GROUND, TEXT, font

_GRASP_PIXELS = 10.0  # pixels from the line at which it can be grasped
_HANDLE = 7.0
_MARGIN = 0.02  # of the picture, within which the line stays


class BeforeAfter:
    """Draws one frame over another up to a line that can be dragged.

    Attributes:
        before: the frame as it is without; nothing is drawn while there is none.
        names: of what is left of the line, and right of it.
    """

    def __init__(self) -> None:
        self.before: QImage | None = None
        self.names = ("as recorded", "corrected")
        self._at = 0.5

    def draw(self, painter: QPainter, shown: QRectF) -> None:
        """Draw over the picture that is shown in a rectangle."""
        if self.before is None or self.before.isNull():
            return
        x = shown.left() + self._at * shown.width()
        painter.save()
        painter.setClipRect(QRectF(shown.left(), shown.top(), x - shown.left(), shown.height()))
        painter.drawImage(shown, self.before)
        painter.restore()
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(GROUND, 3))
        painter.drawLine(QPointF(x, shown.top()), QPointF(x, shown.bottom()))
        painter.setPen(QPen(TEXT, 1.4))
        painter.drawLine(QPointF(x, shown.top()), QPointF(x, shown.bottom()))
        painter.setBrush(GROUND)
        painter.drawEllipse(QPointF(x, shown.center().y()), _HANDLE, _HANDLE)
        painter.setFont(font(8.5, 500))
        high = painter.fontMetrics().height() + 4
        wide = max(painter.fontMetrics().horizontalAdvance(name) for name in self.names) + 4
        for text, box, side in (
            (self.names[0], QRectF(x - 8 - wide, shown.top() + 6, wide, high), Qt.AlignmentFlag.AlignRight),
            (self.names[1], QRectF(x + 8, shown.top() + 6, wide, high), Qt.AlignmentFlag.AlignLeft),
        ):
            painter.setPen(GROUND)
            painter.drawText(box.translated(1, 1), side, text)
            painter.setPen(TEXT)
            painter.drawText(box, side, text)
        painter.restore()

    def press(self, at: QPointF, shown: QRectF) -> bool:
        """Grasp the line."""
        there = self.before is not None and shown.contains(at)
        return there and abs(at.x() - shown.left() - self._at * shown.width()) <= _GRASP_PIXELS

    def drag(self, at: QPointF, shown: QRectF) -> None:
        """Move the line to a point."""
        share = (at.x() - shown.left()) / max(shown.width(), 1.0)
        self._at = min(max(share, _MARGIN), 1 - _MARGIN)

    def release(self) -> None:
        """Let go of the line: it stays where it is."""
