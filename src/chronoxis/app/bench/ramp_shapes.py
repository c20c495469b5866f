"""A list of ramps' shapes, each with its curve."""

from collections.abc import Mapping

import numpy as np
from PySide6.QtCore import QPointF, QSize, Qt
from PySide6.QtGui import QIcon, QPainter, QPen, QPixmap, QPolygonF
from PySide6.QtWidgets import QComboBox

from chronoxis.app.theme.theme import LIVE
from chronoxis.core.timing.ramps import RampShape

_WIDTH, _HEIGHT, _EDGE = 22, 14, 2  # pixels of a curve, and around it
_POINTS = 24


def ramp_shapes(name: str, tip: str, about: Mapping[RampShape, str]) -> QComboBox:
    """A list of shapes to choose from.

    Args:
        name: for a screen reader.
        tip: of the list.
        about: what each shape is like, in the order of the list.
    """
    shapes = QComboBox()
    shapes.setAccessibleName(name)
    shapes.setToolTip(tip)
    shapes.setIconSize(QSize(_WIDTH, _HEIGHT))
    for number, (shape, words) in enumerate(about.items()):
        shapes.addItem(_curve(shape), str(shape), shape)
        shapes.setItemData(number, words, Qt.ItemDataRole.ToolTipRole)
    return shapes


def _curve(shape: RampShape) -> QIcon:
    """How the speed changes over a ramp, from the left to the right."""
    scale = 2  # for screens with fine pixels
    picture = QPixmap(_WIDTH * scale, _HEIGHT * scale)
    picture.fill(Qt.GlobalColor.transparent)
    places = np.linspace(0, 1, _POINTS)
    xs = _EDGE + places * (_WIDTH - 2 * _EDGE)
    ys = _HEIGHT - _EDGE - np.asarray(shape.share(places)) * (_HEIGHT - 2 * _EDGE)
    painter = QPainter(picture)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.scale(scale, scale)
    painter.setPen(QPen(LIVE, 1.5))
    painter.drawPolyline(QPolygonF([QPointF(x, y) for x, y in zip(xs.tolist(), ys.tolist(), strict=True)]))
    painter.end()
    picture.setDevicePixelRatio(scale)
    return QIcon(picture)
