"""What both filmstrips are drawn with: tiles, hatches and grips."""

import numpy as np
from PySide6.QtCore import QRect, QRectF, Qt
from PySide6.QtGui import QBrush, QColor, QPainter, QPixmap

from chronoxis.app.theme.theme import GROUND, PANEL, TEXT
from chronoxis.app.weave.filmstrips import Filmstrips
from chronoxis.app.weave.tiles import Tiles
from chronoxis.core.timing.pace import Seconds

GRIP_ROOM = 16.0
"""Pixels between two edges below which their grips are left out."""

_HATCH = 70  # of 255: how strong
_LEAST_HATCH = 5.0  # pixels


def draw_tiles(painter: QPainter, strips: Filmstrips, tiles: Tiles, row: QRectF) -> None:
    """Draw each tile's picture, or an empty cell while there is none."""
    top, height = round(row.top()), round(row.height())
    lefts = np.rint(tiles.lefts).astype(int)
    widths = np.maximum(np.rint(tiles.rights).astype(int) - lefts - 1, 1)
    pictures = strips.nearest(tiles)
    for left, width, picture in zip(lefts.tolist(), widths.tolist(), pictures, strict=True):
        if picture is None:
            painter.fillRect(QRect(left, top, width, height), PANEL)
        else:
            _draw_filling(painter, picture, left, top, width, height)


def _draw_filling(painter: QPainter, picture: QPixmap, left: int, top: int, width: int, height: int) -> None:
    # Pictures are kept as high as the row: where they are wide enough they need not be scaled.
    whole, high = picture.width(), picture.height()
    if width <= whole and height == high:
        painter.drawPixmap(left, top, picture, (whole - width) // 2, 0, width, height)
        return
    scale = max(1.0, width / whole, height / high)
    inner, upper = max(1, round(width / scale)), max(1, round(height / scale))
    x, y = (whole - inner) // 2, (high - upper) // 2
    painter.drawPixmap(left, top, width, height, picture, x, y, inner, upper)


def draw_hatches(painter: QPainter, row: QRectF, lefts: Seconds, rights: Seconds) -> None:
    """Mark the parts of a row that play backwards, but for those that show too little of a hatch."""
    wide = rights - lefts >= _LEAST_HATCH
    colour = QColor(TEXT)
    colour.setAlpha(_HATCH)
    fill_crisply(painter, row, lefts[wide], rights[wide], QBrush(colour, Qt.BrushStyle.BDiagPattern))


def fill_crisply(painter: QPainter, row: QRectF, lefts: Seconds, rights: Seconds, brush: QBrush) -> None:
    """Fill parts of a row without smoothing, with which hatches above all take long."""
    painter.save()
    painter.setRenderHint(QPainter.RenderHint.Antialiasing, on=False)
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(brush)
    painter.drawRects(boxes(row, lefts, rights))
    painter.restore()


def boxes(row: QRectF, lefts: Seconds, rights: Seconds) -> list[QRectF]:
    """Rectangles of a row, from left edges to right ones."""
    pairs = zip(lefts.tolist(), rights.tolist(), strict=True)
    return [QRectF(left, row.top(), right - left, row.height()) for left, right in pairs]


def draw_handle(painter: QPainter, x: float, row: QRectF) -> None:
    """Draw where a joint can be grasped."""
    painter.fillRect(QRectF(x - 2, row.center().y() - 7, 4, 14), TEXT)


def draw_grip(painter: QPainter, x: float, row: QRectF, inward: int, colour: QColor) -> None:
    """Draw where the edge of a shot can be grasped, on its inner side."""
    left = x if inward > 0 else x - 5
    painter.fillRect(QRectF(left, row.center().y() - 11, 5, 22), colour)
    painter.fillRect(QRectF(left + 2, row.center().y() - 6, 1, 12), GROUND)
