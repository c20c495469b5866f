"""Where the pictures stand: the one that is looked at as large as fits, the others beside it."""

from enum import StrEnum

from PySide6.QtCore import QRect, QSize, Qt
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import QWidget

from chronoxis.app.pictures.picture_views import GatherGrid, PictureView
from chronoxis.app.push_button import push_button
from chronoxis.app.text_label import TextLabel
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
    SIDE = "side by side"


class Stage(QWidget):
    """Holds the recorded and the result picture, another result beside it, and what the result frame gathers.

    The sizes follow from the room alone and not from what the pictures wish.

    Attributes:
        recorded: the recorded picture.
        result: the result's.
        other: that of another result.
        grid: what is gathered.
        beside: words on what is not the large picture.
        gathers: words on what is gathered.
        keep: to keep the result as it is, to compare with.
    """

    def __init__(self) -> None:
        super().__init__()
        self.mode = Mode.RESULT
        self.recorded = PictureView("Recorded picture")
        self.result = PictureView("Result picture")
        self.other = PictureView("Picture to compare with")
        self.keep = push_button(
            "Keep to compare",
            "Keep the result as it is now on the left, and compare what comes after with it",
        )
        self.keep.setCheckable(True)
        self.grid = GatherGrid()
        self.beside, self.gathers = TextLabel(), TextLabel()
        for widget in (
            self.recorded,
            self.result,
            self.other,
            self.grid,
            self.beside,
            self.gathers,
            self.keep,
        ):
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
        side = self.mode is Mode.SIDE
        self.beside.setVisible(self.mode is not Mode.BOTH)
        for widget, shown in (
            (self.other, side), (self.keep, side), (self.recorded, not side), (self.grid, not side),
            (self.gathers, not side),
        ):  # fmt: skip
            widget.setVisible(shown)
        if side:
            self._arrange_side_by_side()
        elif self.mode is Mode.BOTH:
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
        line = self.beside.heightForWidth(side)
        self.beside.setGeometry(QRect(left, top + 3, side, line))
        said = self.gathers.heightForWidth(side)
        self.gathers.setGeometry(QRect(left, top + line + 3, side, said))
        used = top + line + said + 8
        self.grid.setGeometry(QRect(left, used, side, max(0, height - used)))

    def _arrange_side_by_side(self) -> None:
        line = self.keep.sizeHint().height()
        width = (self.width() - _GAP) // 2
        highest = max(round(width / min(self.other.aspect, self.result.aspect)), 1)
        high = min(highest, self.height() - line - 4)
        for view, left in ((self.other, 0), (self.result, width + _GAP)):
            view.setGeometry(QRect(left, 0, width, high))
        button = self.keep.sizeHint().width()
        self.beside.setGeometry(QRect(0, high + 4, self.width() - button - _GAP, line))
        self.keep.setGeometry(QRect(self.width() - button, high + 4, button, line))

    def _arrange_both(self) -> None:
        width, line = (self.width() - _GAP) // 2, self.gathers.fontMetrics().height() + 4
        highest = max(round(width / min(self.recorded.aspect, self.result.aspect)), 1)
        high = min(highest, max(self.height() - _STRIP - line, self.height() // 2))
        for view, left in ((self.recorded, 0), (self.result, width + _GAP)):
            view.setGeometry(QRect(left, 0, width, high))
        self.gathers.setGeometry(QRect(0, high + 3, self.width(), line))
        used = high + line + 4
        self.grid.setGeometry(QRect(0, used, self.width(), max(0, self.height() - used)))
