"""Where the pictures stand: the one that is looked at as large as fits, the others beside it."""

from enum import StrEnum

from PySide6.QtCore import QRect, QSize, Qt
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import QLabel, QWidget

from chronoxis.app.pictures.picture_views import GatherGrid, PictureView
from chronoxis.app.theme.theme import font

_GAP = 8
_LEAST_SIDE, _MOST_SIDE = 128, 340  # pixels of the column beside a large picture
_SIDE_SHARE = 0.2
_STRIP = 46  # pixels below two pictures, for what is gathered


class Mode(StrEnum):
    """What is shown large."""

    RECORDED = "recorded"
    RESULT = "result"
    BOTH = "both"


class Stage(QWidget):
    """Holds the recorded and the result picture and what the result frame gathers.

    The sizes follow from the room alone and not from what the pictures wish.
    """

    def __init__(self) -> None:
        super().__init__()
        self.mode = Mode.RESULT
        self.recorded = PictureView("Recorded picture")
        self.result = PictureView("Result picture")
        self.grid = GatherGrid()
        self.beside, self.gathers = QLabel(), QLabel()
        for widget in (self.recorded, self.result, self.grid, self.beside, self.gathers):
            widget.setParent(self)
        self.beside.setProperty("dim", True)
        for label in (self.beside, self.gathers):
            label.setFont(font(8.5))
            label.setWordWrap(True)
            label.setAlignment(Qt.AlignmentFlag.AlignTop)

    def show_mode(self, mode: Mode) -> None:
        """Show one picture large, or both."""
        self.mode = mode
        self.arrange()

    def sizeHint(self) -> QSize:
        return QSize(640, 280)

    def minimumSizeHint(self) -> QSize:
        return QSize(300, 120)

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self.arrange()

    def arrange(self) -> None:
        """Give every part its place."""
        self.beside.setVisible(self.mode is not Mode.BOTH)
        if self.mode is Mode.BOTH:
            self._arrange_both()
        elif self.mode is Mode.RESULT:
            self._arrange_one(self.result, self.recorded)
        else:
            self._arrange_one(self.recorded, self.result)

    def _arrange_one(self, large: PictureView, small: PictureView) -> None:
        width, height = self.width(), self.height()
        wished = min(max(round(width * _SIDE_SHARE), _LEAST_SIDE), _MOST_SIDE)
        # Where the height is what limits the picture, what it leaves goes to the column beside it.
        side = min(max(wished, width - _GAP - round(height * large.aspect)), max(wished, width // 2))
        left = width - side
        large.setGeometry(QRect(0, 0, left - _GAP, height))
        top = min(round(side / small.aspect), height // 2)
        small.setGeometry(QRect(left, 0, min(side, round(top * small.aspect)), top))
        line = self.beside.fontMetrics().height() + 4
        self.beside.setGeometry(QRect(left, top + 3, side, line))
        said = self.gathers.heightForWidth(side)
        self.gathers.setGeometry(QRect(left, top + line + 3, side, said))
        used = top + line + said + 8
        self.grid.setGeometry(QRect(left, used, side, max(0, height - used)))

    def _arrange_both(self) -> None:
        width, line = (self.width() - _GAP) // 2, self.gathers.fontMetrics().height() + 4
        highest = max(round(width / min(self.recorded.aspect, self.result.aspect)), 1)
        high = min(highest, max(self.height() - _STRIP - line, self.height() // 2))
        for view, left in ((self.recorded, 0), (self.result, width + _GAP)):
            view.setGeometry(QRect(left, 0, width, high))
        self.gathers.setGeometry(QRect(0, high + 3, self.width(), line))
        used = high + line + 4
        self.grid.setGeometry(QRect(0, used, self.width(), max(0, self.height() - used)))
