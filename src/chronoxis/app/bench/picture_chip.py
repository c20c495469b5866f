"""A choice that is shown rather than said: a picture with its name under it."""

from collections.abc import Callable

from PySide6.QtCore import QRectF, QSize, Qt
from PySide6.QtGui import QImage, QPainter, QPainterPath, QPaintEvent, QPen
from PySide6.QtWidgets import QButtonGroup, QPushButton, QSizePolicy

from chronoxis.app.theme.theme import DIM, GROUND, LINE, LIVE, TEXT, font, scaled

_TEXT_SIZE = 8.5
_ROOM = 3  # pixels between picture and name
_PEN = 2  # pixels of the frame around what is chosen
_LEAST_WIDTH, _USUAL_WIDTH = 40, 68  # pixels of a picture
_SHAPE = 9 / 16  # of a picture: height by width
_SHAPE_WIDTH = 44  # pixels that a frame in a shape has
_ROUND = 3
_DIM = 0.4  # opacity


class PictureChip(QPushButton):
    """A button of a group, of which one at a time is down; without a group it is pressed, and up again."""

    def __init__(
        self,
        text: str,
        tip: str,
        group: QButtonGroup | None,
        choose: Callable[[], object],
        wide: int = _USUAL_WIDTH,
    ) -> None:
        """``wide`` is how many pixels a picture should have; that grows with the text."""
        super().__init__(text)
        self._wide = scaled(wide)
        self._image: QImage | None = None
        self._is_outdated = False
        self.setCheckable(group is not None)
        self.setToolTip(tip)
        self.setAccessibleName(text.replace("&", ""))
        self.setFont(font(_TEXT_SIZE))
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.clicked.connect(lambda _: choose())
        if group is not None:
            group.addButton(self)

    def show_picture(self, image: QImage | None) -> None:
        """Show a picture; None while there is none."""
        self._image, self._is_outdated = image, False
        self.update()

    def dim_picture(self) -> None:
        """Show that the picture is of another moment."""
        self._is_outdated = True
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(max(self._wide, self._text_width()), self.heightForWidth(self._wide))

    def minimumSizeHint(self) -> QSize:
        return QSize(max(_LEAST_WIDTH, self._text_width()), self.sizeHint().height())

    def heightForWidth(self, width: int) -> int:
        """Pixels of a picture of a width, and of the name."""
        return round(width * _SHAPE) + 2 * _PEN + self._below

    @property
    def _below(self) -> int:
        """Pixels below the picture, for the name if it has one."""
        return _ROOM + self.fontMetrics().height() if self.text() else 0

    def _text_width(self) -> int:
        return self.fontMetrics().horizontalAdvance(self.text().replace("&", "")) + 2

    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        box = QRectF(self.rect()).adjusted(_PEN / 2, _PEN / 2, -_PEN / 2, -_PEN / 2 - self._below)
        self._draw(painter, box)
        painter.setFont(font(_TEXT_SIZE, 600 if self.isChecked() else 400))
        painter.setPen(TEXT if self.isChecked() else DIM)
        name = self.fontMetrics().height()
        below = QRectF(0, self.height() - name, self.width(), name)
        painter.drawText(below, Qt.AlignmentFlag.AlignHCenter | Qt.TextFlag.TextShowMnemonic, self.text())

    @property
    def _pen(self) -> QPen:
        """Of the frame: clearer around what is chosen, or has the focus."""
        clear = self.isChecked() or self.hasFocus()
        return QPen(LIVE if clear else LINE, _PEN if clear else 1)

    def _draw(self, painter: QPainter, box: QRectF) -> None:
        """Draw what stands above the name."""
        shape = QPainterPath()
        shape.addRoundedRect(box, _ROUND, _ROUND)
        painter.save()
        painter.setClipPath(shape)
        painter.fillRect(box, GROUND)
        if self._image is not None:
            painter.setOpacity(_DIM if self._is_outdated or not self.isEnabled() else 1.0)
            painter.drawImage(box, self._image, covering(self._image, box))
        painter.restore()
        painter.setPen(self._pen)
        painter.drawPath(shape)


class ShapeChip(PictureChip):
    """Shows a shape by a frame in its proportion."""

    def __init__(self, text: str, tip: str, group: QButtonGroup, choose: Callable[[], object]) -> None:
        super().__init__(text, tip, group, choose, _SHAPE_WIDTH)
        self._shape = 1.0

    def show_shape(self, shape: float) -> None:
        """Show a shape, width by height."""
        self._shape = shape
        self.update()

    def _draw(self, painter: QPainter, box: QRectF) -> None:
        high = min(box.height() - 2, (box.width() - 2) / self._shape)
        frame = QRectF(0, 0, high * self._shape, high)
        frame.moveCenter(box.center())
        pen = self._pen
        pen.setColor(LIVE if pen.color() == LIVE else DIM)
        painter.setPen(pen)
        painter.drawRoundedRect(frame, 2, 2)


def covering(image: QImage, box: QRectF) -> QRectF:
    """The middle part of an image that has the shape of a box; in pixels of the image."""
    width, height = image.width(), image.height()
    shape = box.width() / max(box.height(), 1.0)
    wide, high = min(width, height * shape), min(height, width / shape)
    return QRectF((width - wide) / 2, (height - high) / 2, wide, high)
