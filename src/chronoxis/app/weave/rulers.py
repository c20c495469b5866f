"""The rulers of both rails, and the markers on them."""

from collections.abc import Callable
from functools import partial

import numpy as np
from PySide6.QtCore import QLineF, QPointF, QRectF, Qt
from PySide6.QtGui import QFontMetricsF, QPainter, QPen, QPolygonF

from chronoxis.app.theme.theme import DIM, LINE, LIVE, font
from chronoxis.app.weave.lettering import width_of, write, written_time
from chronoxis.app.weave.rails import Rails, ruler_step
from chronoxis.core.model.marker import Marker
from chronoxis.core.model.project import Project
from chronoxis.core.readable import readable

_LEAST_STRETCH = 8.0  # pixels a shot must have on the recorded rail for its marks to be drawn
_TICK = 5.0
_LEAST_NAME = 10  # pixels: less shows nothing of a name
_MARKER_GAP = 18.0  # pixels of a marker's own, and between its name and the next one

Place = Callable[[float], float]


def draw_recorded_ruler(painter: QPainter, rails: Rails, project: Project) -> None:
    """Marks of recorded time, shot by shot, and the markers of their footage."""
    row = rails.recorded_ruler
    step = ruler_step(rails.recorded_view.length, row.width())
    left = row.left() + _draw_name(painter, row, "RECORDED")
    for number, low, high in rails.parts_shown(_LEAST_STRETCH):
        stretch = rails.stretches[number]
        place: Place = partial(rails.recorded_x, number)
        begin, stop = place(stretch.first), min(place(stretch.last), row.right())
        if len(rails.stretches) > 1:
            painter.setPen(QPen(LINE, 1))
            x = max(begin, row.left())
            painter.drawLine(QPointF(x, row.top()), QPointF(x, row.bottom()))
        markers = project.footage_of(project.shots[number]).markers
        taken = _draw_markers(painter, markers, row, place, low, high)
        taken += [(0, max(left, begin)), (stop, 1e9)]
        _draw_marks(painter, row, low, high, step, place, taken)


def draw_result_ruler(painter: QPainter, rails: Rails, project: Project) -> None:
    """Marks of result time and the markers there."""
    row = rails.result_ruler
    left = row.left() + _draw_name(painter, row, "RESULT")
    low = float(rails.result_time(row.left()))
    high = min(float(rails.result_time(row.right())), float(project.result_length))
    step = ruler_step(rails.result_view.length, row.width())
    taken = _draw_markers(painter, project.markers, row, rails.result_x, low, high)
    taken += [(0, left), (row.right(), 1e9)]
    _draw_marks(painter, row, low, high, step, rails.result_x, taken, below=True)


def _draw_name(painter: QPainter, row: QRectF, name: str) -> float:
    write(painter, row.adjusted(2, 0, 0, 0), name, DIM, weight=600)
    return width_of(name, weight=600) + 14.0


def _draw_marks(
    painter: QPainter,
    row: QRectF,
    low: float,
    high: float,
    step: float,
    place: Place,
    taken: list[tuple[float, float]],
    *,
    below: bool = False,
) -> None:
    """Marks at every step; written where nothing else is."""
    decimals = 0 if step >= 1 else 3 if step < 0.01 else 2 if step < 0.1 else 1
    edge, tick = (row.top(), _TICK) if below else (row.bottom(), -_TICK)
    numbers = range(int(np.ceil(low / step - 1e-9)), int(high / step + 1e-9) + 1)
    places = [place(number * step) for number in numbers]
    painter.setPen(QPen(LINE, 1))
    painter.drawLines([QLineF(x, edge, x, edge + tick) for x in places])
    for number, x in zip(numbers, places, strict=True):
        text = written_time(number * step, decimals)
        width = width_of(text)
        if all(x + 5 + width < begin or x > end for begin, end in taken):
            write(painter, QRectF(x + 5, row.top(), width, row.height()), text, DIM)


def _draw_markers(
    painter: QPainter, markers: tuple[Marker, ...], row: QRectF, place: Place, low: float, high: float
) -> list[tuple[float, float]]:
    """Draw markers and return where their names stand."""
    taken = []
    shown = [marker for marker in markers if low <= marker.seconds <= high]
    places = [place(marker.seconds) for marker in shown]
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(LIVE)
    metrics, drawn = QFontMetricsF(font(8, 500)), -1.0
    for marker, x, following in zip(shown, places, [*places, 1e9][1:], strict=True):
        if x - drawn < 1:
            continue  # it would lie over the one before
        drawn = x
        corners = ((0, 0), (-4, -8), (4, -8))
        painter.setPen(Qt.PenStyle.NoPen)
        painter.drawPolygon(QPolygonF([QPointF(x + dx, row.bottom() + dy) for dx, dy in corners]))
        room = int(min(following - x - _MARKER_GAP, 1e6))
        if room < _LEAST_NAME:
            taken.append((x - 5, x + 5))
            continue
        name = metrics.elidedText(readable(marker.name), Qt.TextElideMode.ElideRight, room)
        box = QRectF(x + 8, row.top() + 1, width_of(name, weight=500) + 3, row.height() - 2)
        taken.append((x - 5, box.right()))
        write(painter, box, name, LIVE, weight=500)
    return taken
