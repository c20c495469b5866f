"""Small curves that stand before words."""

import numpy as np
import numpy.typing as npt
from PySide6.QtCore import QPointF, QSize, Qt
from PySide6.QtGui import QColor, QIcon, QPainter, QPen, QPixmap, QPolygonF

from chronoxis.app.theme.theme import LIVE

CURVE_SIZE = QSize(22, 14)
"""Of the picture of a curve, in pixels."""

_EDGE = 2  # pixels around a curve
_SCALE = 2  # for screens with fine pixels


def curve_icon(heights: npt.NDArray[np.float64], colour: QColor = LIVE) -> QIcon:
    """Heights from the left to the right, 0 at the bottom to 1 at the top, as a line."""
    picture = QPixmap(CURVE_SIZE * _SCALE)
    picture.fill(Qt.GlobalColor.transparent)
    wide, high = CURVE_SIZE.width(), CURVE_SIZE.height()
    xs = np.linspace(_EDGE, wide - _EDGE, len(heights))
    ys = high - _EDGE - heights * (high - 2 * _EDGE)
    painter = QPainter(picture)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.scale(_SCALE, _SCALE)
    painter.setPen(QPen(colour, 1.5))
    painter.drawPolyline(QPolygonF([QPointF(x, y) for x, y in zip(xs.tolist(), ys.tolist(), strict=True)]))
    painter.end()
    picture.setDevicePixelRatio(_SCALE)
    return QIcon(picture)
