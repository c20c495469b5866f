"""Widgets that show images."""

from math import ceil
from typing import Protocol

from PySide6.QtCore import QPointF, QRectF, QSizeF, Qt, Signal
from PySide6.QtGui import QImage, QMouseEvent, QPainter, QPaintEvent
from PySide6.QtWidgets import QApplication, QSizePolicy, QWidget

from chronoxis.app.theme.theme import DIM, GROUND, PANEL, font

_NEAR_WORDS = "from near here …"
_ASPECT = 16 / 9  # of a picture that is not there yet


class Marks(Protocol):
    """What is drawn on a picture and can be dragged there."""

    def draw(self, painter: QPainter, shown: QRectF) -> None:
        """Draw on a picture that is shown in a rectangle."""

    def press(self, at: QPointF, shown: QRectF) -> bool:
        """Grasp what is at a point; whether there is anything."""

    def drag(self, at: QPointF, shown: QRectF) -> None:
        """Move what is grasped to a point."""

    def release(self) -> None:
        """End the drag that is under way."""


class PictureView(QWidget):
    """One picture, as large as fits; a click shows it at its own pixels, and dragging moves it then.

    Signals:
        exact_toggled: it is now shown at its own pixels, or no longer.
        drawn: the image came onto the screen.
    """

    exact_toggled = Signal(bool)
    drawn = Signal()

    def __init__(self, name: str) -> None:
        super().__init__()
        self._image: QImage | None = None
        self._is_near = False
        self._note = ""
        self._full = QSizeF()
        self._middle = QPointF(0.5, 0.5)  # what is in the middle at 1:1, as shares of the picture
        self._pressed: QPointF | None = None
        self._dragged = False
        self.exact = False
        self._marks: Marks | None = None
        self._marking = False
        self.setAccessibleName(name)
        self.setToolTip(f"{name}: a click shows its own pixels, dragging moves it; again, it fits (0)")
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)

    @property
    def image(self) -> QImage | None:
        """What is shown."""
        return self._image

    @property
    def is_near(self) -> bool:
        """Whether what is shown is only from near the place, until the very picture is there."""
        return self._is_near

    @property
    def aspect(self) -> float:
        """Width by height of what is shown."""
        image = self._image
        return image.width() / image.height() if image is not None and image.height() else _ASPECT

    def show_image(
        self,
        image: QImage | None,
        note: str = "",
        full: tuple[int, int] | None = None,
        *,
        near: bool = False,
    ) -> None:
        """Show an image, or none with a note in its place.

        ``full`` is its size if it is a smaller copy; ``near`` marks one that is only from near the place.
        """
        self._image, self._note, self._is_near = image, note, near
        if image is not None:
            self._full = QSizeF(*full) if full else QSizeF(image.size())
        self.setAccessibleDescription(note)
        self.update()

    def toggle_exact(self, about: QPointF | None = None) -> None:
        """Show the picture at its own pixels about a point, or let it fit again."""
        if self._image is None or self._image.isNull():
            return
        if not self.exact and about is not None:
            shown = self._fitted()
            self._middle = QPointF(
                (about.x() - shown.left()) / shown.width(), (about.y() - shown.top()) / shown.height()
            )
        self.exact = not self.exact
        self.setCursor(Qt.CursorShape.OpenHandCursor if self.exact else Qt.CursorShape.ArrowCursor)
        self._move_middle(QPointF())
        self.update()
        self.exact_toggled.emit(self.exact)

    def set_marks(self, marks: Marks | None) -> None:
        """Draw something on the picture that can be dragged there, or nothing any more."""
        self._marks = marks
        self.update()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() is Qt.MouseButton.LeftButton:
            there = self._marks is not None and self._image is not None and not self._image.isNull()
            if there and self._marks is not None and self._marks.press(event.position(), self._shown()):
                self._marking = True
                return
            self._pressed, self._dragged = event.position(), False

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._marking and self._marks is not None:
            self._marks.drag(event.position(), self._shown())
            self.update()
            return
        if self._pressed is None:
            return
        way = event.position() - self._pressed
        far = way.manhattanLength() >= QApplication.startDragDistance()
        if self.exact and (self._dragged or far):
            self._dragged, self._pressed = True, event.position()
            self._move_middle(way)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._marking:
            self._marking = False
            if self._marks is not None:
                self._marks.release()
            return
        if self._pressed is not None and not self._dragged:
            self.toggle_exact(event.position())
        self._pressed = None

    def _move_middle(self, by: QPointF) -> None:
        """Move the picture by so many pixels of the screen, but not off the view."""
        size = self._exact_size()
        room = [max(0.0, (1 - own / full) / 2) if full else 0.0 for own, full in (
            (self.width(), size.width()), (self.height(), size.height()))]  # fmt: skip
        self._middle = QPointF(
            min(max(self._middle.x() - by.x() / max(size.width(), 1), 0.5 - room[0]), 0.5 + room[0]),
            min(max(self._middle.y() - by.y() / max(size.height(), 1), 0.5 - room[1]), 0.5 + room[1]),
        )
        self.update()

    def _exact_size(self) -> QSizeF:
        return self._full / self.devicePixelRatioF()

    def _fitted(self) -> QRectF:
        assert self._image is not None
        area = QRectF(self.rect())
        size = QSizeF(self._image.size()).scaled(area.size(), Qt.AspectRatioMode.KeepAspectRatio)
        return QRectF((area.width() - size.width()) / 2, 0, size.width(), size.height())

    def _shown(self) -> QRectF:
        if not self.exact:
            return self._fitted()
        size = self._exact_size()
        left = self.width() / 2 - self._middle.x() * size.width()
        top = self.height() / 2 - self._middle.y() * size.height()
        return QRectF(round(left), round(top), size.width(), size.height())

    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        area = QRectF(self.rect())
        if self._image is None or self._image.isNull():
            painter.fillRect(area, PANEL)
            painter.setPen(DIM)
            painter.setFont(font(9.5))
            flags = Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap
            painter.drawText(area.adjusted(14, 0, -14, 0), flags, self._note)
            return
        shown = self._shown()
        exactly = shown.size() * self.devicePixelRatioF() == QSizeF(self._image.size())
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, not exactly)
        painter.fillRect(area, GROUND)
        painter.drawImage(shown, self._image)
        if self._marks is not None:
            self._marks.draw(painter, shown)
        if self._is_near:
            self._draw_near(painter, shown)
        self.drawn.emit()

    def _draw_near(self, painter: QPainter, shown: QRectF) -> None:
        """Say that the very picture is still to come."""
        painter.setFont(font(8.5))
        wide = painter.fontMetrics().horizontalAdvance(_NEAR_WORDS) + 12
        if wide > shown.width():
            return
        box = QRectF(shown.left() + 6, shown.top() + 6, wide, painter.fontMetrics().height() + 4)
        painter.fillRect(box, GROUND)
        painter.setPen(DIM)
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, _NEAR_WORDS)


class GatherGrid(QWidget):
    """The recorded frames of one result frame, row by row; a bar below each tells its weight."""

    def __init__(self) -> None:
        super().__init__()
        self._images: list[tuple[QImage | None, float]] = []
        self.setAccessibleName("Recorded frames that this result frame gathers")
        self.setToolTip(
            "The recorded frames that this result frame gathers; the bar below each is its weight"
        )

    def show_images(self, images: list[tuple[QImage | None, float]]) -> None:
        """Show images with their weights, relative to the heaviest."""
        self._images = images
        self.update()

    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        if not self._images:
            return
        columns, wide, high = self._cells()
        for number, (image, weight) in enumerate(self._images):
            row, column = divmod(number, columns)
            cell = QRectF(column * wide, row * high, wide - 3, high - 6)
            painter.fillRect(cell, PANEL)
            if image is not None and not image.isNull():
                painter.drawImage(cell, image, _middle_part(image, cell))
            painter.fillRect(QRectF(cell.left(), cell.bottom() + 1, cell.width() * weight, 2), DIM)

    def _cells(self) -> tuple[int, float, float]:
        """Columns, and the room of a cell: as large as lets all of them be seen."""
        count = len(self._images)
        columns = max(1, ceil(self.width() / 64))
        while True:
            wide = self.width() / columns
            high = (wide - 3) / _ASPECT + 6
            if ceil(count / columns) * high <= self.height() or wide < 16:
                return columns, wide, high
            columns += 1


def _middle_part(image: QImage, cell: QRectF) -> QRectF:
    """The part of an image that fills a cell of another aspect."""
    scale = max(cell.width() / image.width(), cell.height() / image.height())
    width, height = cell.width() / scale, cell.height() / scale
    return QRectF((image.width() - width) / 2, (image.height() - height) / 2, width, height)
