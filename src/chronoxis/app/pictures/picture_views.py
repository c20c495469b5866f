"""Widgets that show images."""

from PySide6.QtCore import QRectF, QSize, Qt
from PySide6.QtGui import QImage, QPainter, QPaintEvent
from PySide6.QtWidgets import QSizePolicy, QWidget

from chronoxis.app.theme.theme import DIM, GROUND, PANEL, font


class PictureView(QWidget):
    """One picture, as large as fits, its aspect kept."""

    def __init__(self, name: str) -> None:
        super().__init__()
        self._image: QImage | None = None
        self._note = ""
        self.setAccessibleName(name)
        self.setToolTip(name)
        policy = QSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Preferred)
        policy.setHeightForWidth(True)
        self.setSizePolicy(policy)

    def sizeHint(self) -> QSize:
        return QSize(316, 178)

    def heightForWidth(self, width: int) -> int:
        """No higher than the picture needs; what is left goes to the strip below."""
        image = self._image
        return round(width * (image.height() / image.width() if image and image.width() else 9 / 16))

    def minimumSizeHint(self) -> QSize:
        return QSize(160, 90)

    def show_image(self, image: QImage | None, note: str = "") -> None:
        """Show an image, or none with a note in its place."""
        before = self.heightForWidth(100)
        self._image, self._note = image, note
        self.setAccessibleDescription(note)
        if self.heightForWidth(100) != before:
            self.updateGeometry()
        self.update()

    @property
    def image(self) -> QImage | None:
        """What is shown."""
        return self._image

    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        area = QRectF(self.rect())
        if self._image is None or self._image.isNull():
            painter.fillRect(area, PANEL)
            painter.setPen(DIM)
            painter.setFont(font(9.5))
            flags = Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap
            painter.drawText(area.adjusted(14, 0, -14, 0), flags, self._note)
            return
        scale = min(area.width() / self._image.width(), area.height() / self._image.height())
        size = QSize(round(self._image.width() * scale), round(self._image.height() * scale))
        left = (area.width() - size.width()) / 2
        painter.drawImage(QRectF(left, 0, size.width(), size.height()), self._image)


class GatherStrip(QWidget):
    """The recorded frames of one result frame, side by side, heavier ones higher."""

    def __init__(self) -> None:
        super().__init__()
        self._images: list[tuple[QImage | None, float]] = []
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumHeight(40)
        self.setMaximumHeight(110)
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
        painter.fillRect(self.rect(), GROUND)
        if not self._images:
            return
        step = min(self.width() / len(self._images), self.height() * 1.7)
        for number, (image, weight) in enumerate(self._images):
            cell = QRectF(number * step, 0, step - 1, self.height() - 4)
            painter.fillRect(cell, PANEL)
            if image is not None:
                scale = max(cell.width() / image.width(), cell.height() / image.height())
                part = QSize(max(1, int(cell.width() / scale)), max(1, int(cell.height() / scale)))
                source = QRectF((image.width() - part.width()) / 2, 0, part.width(), part.height())
                painter.drawImage(cell, image, source)
            painter.fillRect(QRectF(cell.left(), self.height() - 3, cell.width() * weight, 2), DIM)
