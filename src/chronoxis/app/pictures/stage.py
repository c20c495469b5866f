"""Where the pictures stand: the one that is looked at as large as fits, the others beside it."""

from enum import StrEnum

from PySide6.QtCore import QEvent, QRect, QSize, Qt
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import QWidget

from chronoxis.app.elided_label import ElidedLabel
from chronoxis.app.pictures.compared import MOST_BESIDE
from chronoxis.app.pictures.picture_views import GatherGrid, PictureView
from chronoxis.app.push_button import push_button
from chronoxis.app.text_label import TextLabel
from chronoxis.app.theme.theme import font

_GAP = 8
_LEAST_SIDE, _MOST_SIDE = 128, 340  # pixels of the column beside a large picture
_SIDE_SHARE = 0.2
_COLUMNS = 2  # of tiles, where there are so many
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
        others: those of other results, in step with it.
        captions: what these are, and after them what the result's is.
        grid: what is gathered.
        beside: words on what is not the large picture.
        gathers: words on what is gathered.
        trials: to choose what stands beside it.
    """

    def __init__(self) -> None:
        super().__init__()
        self.mode = Mode.RESULT
        self.recorded = PictureView("Recorded picture")
        self.result = PictureView("Result picture")
        self.others = [PictureView(f"Picture to compare with {n + 1}") for n in range(MOST_BESIDE)]
        self.captions = [ElidedLabel() for _ in range(MOST_BESIDE + 1)]
        self.trials = push_button("Trials…", "Keep the result as it is now, and choose what stands beside it")
        self._beside, self._by_line = 0, False  # how many others are shown, and whether under the result
        self.grid = GatherGrid()
        self.beside, self.gathers = TextLabel(), TextLabel()
        for widget in (
            self.recorded,
            self.result,
            *self.others,
            self.grid,
            self.beside,
            self.gathers,
            *self.captions,
            self.trials,
        ):
            widget.setParent(self)
        self.beside.setProperty("dim", True)
        for caption in self.captions:
            caption.setProperty("dim", True)
            caption.setFont(font(8.5))
            caption.setAlignment(Qt.AlignmentFlag.AlignHCenter | Qt.AlignmentFlag.AlignVCenter)
        for label in (self.beside, self.gathers):
            label.setFont(font(8.5))
            label.setWordWrap(True)
            label.setAlignment(Qt.AlignmentFlag.AlignTop)

    def show_mode(self, mode: Mode) -> None:
        """Show one picture large, or both."""
        self.mode = mode
        self.arrange()

    def show_beside(self, count: int, *, by_line: bool) -> None:
        """Let so many other results stand beside the result, or lie under it up to a line."""
        if (count, by_line) != (self._beside, self._by_line):
            self._beside, self._by_line = count, by_line
            self.arrange()

    def _tiles(self) -> list[tuple[PictureView, ElidedLabel]]:
        """The pictures that stand beside each other, with their captions; the result's comes last."""
        others = 0 if self._by_line else self._beside
        own = self.result, self.captions[-1]
        return [*zip(self.others[:others], self.captions[:others], strict=True), own]

    def sizeHint(self) -> QSize:
        return QSize(640, 280)

    def minimumSizeHint(self) -> QSize:
        return QSize(300, 120)

    def event(self, event: QEvent) -> bool:
        if event.type() is QEvent.Type.LayoutRequest:  # something in it wishes another size
            self.arrange()
        return super().event(event)

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self.arrange()

    def arrange(self) -> None:
        """Give every part its place."""
        side = self.mode is Mode.SIDE
        self.beside.setVisible(self.mode in (Mode.RECORDED, Mode.RESULT))
        self.trials.setVisible(side)
        for widget in (self.recorded, self.grid, self.gathers):
            widget.setVisible(not side)
        tiles = self._tiles()
        for view, caption in zip((*self.others, self.result), self.captions, strict=True):
            view.setVisible(view is self.result or (side and (view, caption) in tiles))
            caption.setVisible(side and (view, caption) in tiles)
        if side:
            self._arrange_tiles(tiles)
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

    def _arrange_tiles(self, tiles: list[tuple[PictureView, ElidedLabel]]) -> None:
        columns = min(len(tiles), _COLUMNS)
        rows = -(-len(tiles) // columns)
        button, line = self.trials.sizeHint(), self.captions[0].fontMetrics().height() + 6
        width = (self.width() - _GAP * (columns - 1)) // columns
        highest = max(round(width / min(view.aspect for view, _ in tiles)), 1)
        high = max(1, min(highest, (self.height() - button.height() - _GAP) // rows - line))
        for place, (view, caption) in enumerate(tiles):
            row, column = divmod(place, columns)
            left, top = column * (width + _GAP), row * (high + line)
            view.setGeometry(QRect(left, top, width, high))
            caption.setGeometry(QRect(left, top + high, width, line))
        top = min(rows * (high + line) + 4, self.height() - button.height())
        self.trials.setGeometry(QRect(self.width() - button.width(), top, button.width(), button.height()))

    def _arrange_both(self) -> None:
        width, line = (self.width() - _GAP) // 2, self.gathers.fontMetrics().height() + 4
        highest = max(round(width / min(self.recorded.aspect, self.result.aspect)), 1)
        high = min(highest, max(self.height() - _STRIP - line, self.height() // 2))
        for view, left in ((self.recorded, 0), (self.result, width + _GAP)):
            view.setGeometry(QRect(left, 0, width, high))
        self.gathers.setGeometry(QRect(0, high + 3, self.width(), line))
        used = high + line + 4
        self.grid.setGeometry(QRect(0, used, self.width(), max(0, self.height() - used)))
