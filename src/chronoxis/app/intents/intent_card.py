"""An intention as a picture of what comes of it, with a name and a line."""

from PySide6.QtCore import QRect, QRectF, QSize, Qt
from PySide6.QtGui import QFont, QFontMetrics, QImage, QPainter, QPainterPath, QPaintEvent, QPen
from PySide6.QtWidgets import QPushButton, QSizePolicy

from chronoxis.app.bench.picture_chip import covering
from chronoxis.app.theme.theme import DIM, GROUND, LINE, LIVE, PANEL, TEXT, font, scaled
from chronoxis.core.model.preset import Preset

_LEAST_WIDTH, _MOST_WIDTH = 150, 240  # pixels; the former grows with the text
_SHAPE = 9 / 16  # of a picture: height by width
_MARGIN = 8  # pixels around the words
_NAME_LINES, _ABOUT_LINES = 2, 3
_ROUND = 4


class IntentCard(QPushButton):
    """A press begins with a preset."""

    def __init__(self, preset: Preset) -> None:
        super().__init__()
        self.preset = preset
        self._image = QImage.fromData(preset.picture) if preset.picture else QImage()
        self.setAccessibleName(preset.name)
        self.setAccessibleDescription(preset.about)
        self.setToolTip(f"Bring in footage and have all of this done with it: {preset.about.lower()}")
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setMaximumWidth(max(_MOST_WIDTH, scaled(_LEAST_WIDTH)))
        self.setCursor(Qt.CursorShape.PointingHandCursor)

    def sizeHint(self) -> QSize:
        wide = scaled(_LEAST_WIDTH)
        return QSize(wide, self.heightForWidth(wide))

    def minimumSizeHint(self) -> QSize:
        return QSize(scaled(_LEAST_WIDTH), self.sizeHint().height())

    def hasHeightForWidth(self) -> bool:
        return True

    def heightForWidth(self, width: int) -> int:
        """Pixels of a picture of a width, and of the words below it."""
        name, about = QFontMetrics(_name_font()), QFontMetrics(_about_font())
        words = _NAME_LINES * name.lineSpacing() + _ABOUT_LINES * about.lineSpacing()
        return round(width * _SHAPE) + words + 2 * _MARGIN + 2

    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        clear = self.hasFocus() or self.underMouse() or self.isDown()
        box = QRectF(self.rect()).adjusted(1, 1, -1, -1)
        shape = QPainterPath()
        shape.addRoundedRect(box, _ROUND, _ROUND)
        painter.setClipPath(shape)
        painter.fillRect(box, PANEL)
        picture = QRectF(0, 0, self.width(), round(self.width() * _SHAPE))
        painter.fillRect(picture, GROUND)
        if not self._image.isNull():
            painter.drawImage(picture, self._image, covering(self._image, picture))
        painter.setClipping(False)
        self._draw_words(painter, round(picture.bottom()) + _MARGIN)
        painter.setPen(QPen(LIVE if clear else LINE, 2 if clear else 1))
        painter.drawPath(shape)

    def _draw_words(self, painter: QPainter, top: int) -> None:
        wrap = int(Qt.TextFlag.TextWordWrap)
        for text, words, colour, lines in (
            (self.preset.name, _name_font(), TEXT, _NAME_LINES),
            (self.preset.about, _about_font(), DIM, _ABOUT_LINES),
        ):
            high = lines * QFontMetrics(words).lineSpacing()
            room = QRect(_MARGIN, top, self.width() - 2 * _MARGIN, high)
            painter.setFont(words)
            painter.setPen(colour)
            used = painter.boundingRect(room, wrap, text)
            painter.drawText(room, wrap, text)
            top += min(used.height(), high) + 2


def _name_font() -> QFont:
    return font(9.5, 600)


def _about_font() -> QFont:
    return font(8.5)
