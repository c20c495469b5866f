"""A line of text that is cut short with an ellipsis where there is no room for it."""

from PySide6.QtCore import QSize, Qt
from PySide6.QtGui import QResizeEvent

from chronoxis.app.text_label import TextLabel, plain_tip
from chronoxis.core.readable import readable


class ElidedLabel(TextLabel):
    """Takes as much width as there is; the whole text is in the tooltip when it does not fit."""

    def __init__(self, mode: Qt.TextElideMode = Qt.TextElideMode.ElideRight) -> None:
        super().__init__()
        self._mode = mode
        self._whole = ""

    def show_text(self, text: str) -> None:
        """Show lines of text."""
        self._whole = readable(text)
        self.updateGeometry()
        self._cut()

    @property
    def whole(self) -> str:
        """What it says, were there room for all of it."""
        return self._whole

    def sizeHint(self) -> QSize:
        wide = max(self.fontMetrics().horizontalAdvance(line) for line in self._whole.split("\n"))
        return QSize(wide + 2, super().sizeHint().height())

    def minimumSizeHint(self) -> QSize:
        return QSize(20, super().minimumSizeHint().height())

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._cut()

    def _cut(self) -> None:
        metrics, room = self.fontMetrics(), self.width()
        cut = "\n".join(metrics.elidedText(line, self._mode, room) for line in self._whole.split("\n"))
        if cut != self.text():
            self.setText(cut)
        self.setToolTip(plain_tip(self._whole) if cut != self._whole else "")
