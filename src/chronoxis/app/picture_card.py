"""A card in a list: a small picture, a name and facts in brief, and what is wrong."""

from PySide6.QtCore import QSize, Qt
from PySide6.QtGui import QImage, QPainter, QPaintEvent
from PySide6.QtWidgets import QFrame, QHBoxLayout, QVBoxLayout, QWidget

from chronoxis.app.elided_label import ElidedLabel
from chronoxis.app.text_label import TextLabel
from chronoxis.app.theme.theme import GROUND, font

_PICTURE = QSize(60, 36)


class PictureCard(QFrame):
    """What such cards have in common; whoever is one lays out the rest below its `head`.

    Attributes:
        head: the picture, and beside it name and facts.
        caution: what is wrong, in words.
    """

    def __init__(self) -> None:
        super().__init__()
        self._picture = Thumbnail(_PICTURE)
        self._name, self._facts, self.caution = ElidedLabel(), ElidedLabel(), TextLabel()
        self._name.setFont(font(9, 600))
        self._facts.setProperty("dim", True)
        self._facts.setFont(font(8.5))
        self.caution.setProperty("caution", True)
        self.caution.setWordWrap(True)
        self.setProperty("card", True)
        words = QVBoxLayout()
        words.setSpacing(1)
        words.addWidget(self._name)
        words.addWidget(self._facts)
        self.head = QHBoxLayout()
        self.head.setSpacing(8)
        self.head.addWidget(self._picture, 0, Qt.AlignmentFlag.AlignTop)
        self.head.addLayout(words, 1)

    @property
    def facts_text(self) -> str:
        """What it says in brief."""
        return self._facts.whole


class Thumbnail(QWidget):
    """A small picture of a fixed size."""

    def __init__(self, size: QSize) -> None:
        super().__init__()
        self._image: QImage | None = None
        self.setFixedSize(size)

    def show_image(self, image: QImage | None) -> None:
        """Show an image, or none."""
        if image is not self._image:
            self._image = image
            self.update()

    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), GROUND)
        if self._image is not None:
            ratio = self.devicePixelRatioF()
            mode = Qt.TransformationMode.SmoothTransformation
            small = self._image.scaled(self.size() * ratio, Qt.AspectRatioMode.KeepAspectRatio, mode)
            small.setDevicePixelRatio(ratio)
            shown = small.deviceIndependentSize().toSize()
            left, top = (self.width() - shown.width()) // 2, (self.height() - shown.height()) // 2
            painter.drawImage(left, top, small)
