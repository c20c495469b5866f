"""A thin bar that shows how much is done."""

from PySide6.QtCore import QRectF
from PySide6.QtGui import QPainter, QPaintEvent
from PySide6.QtWidgets import QWidget

from chronoxis.app.theme.theme import LIVE, RAISED

_HEIGHT = 6


class ShareBar(QWidget):
    """Drawn with all else: Qt's own bar has the whole window drawn at once with each step."""

    def __init__(self) -> None:
        super().__init__()
        self._share = 0.0
        self.setFixedHeight(_HEIGHT)
        self.setAccessibleName("Progress")

    def show_share(self, share: float) -> None:
        """Show a share, 0 to 1."""
        if share != self._share:
            self._share = share
            self.setAccessibleDescription(f"{share:.0%}")
            self.update()

    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        round_ = _HEIGHT / 2
        for colour, share in ((RAISED, 1.0), (LIVE, self._share)):
            painter.setBrush(colour)
            painter.setPen(colour)
            bar = QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5)
            bar.setWidth(bar.width() * share)
            if share > 0:
                painter.drawRoundedRect(bar, round_, round_)
