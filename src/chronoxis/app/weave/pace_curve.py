"""The pace curve: speed over result time, on a log axis."""

from functools import cache
from math import exp2, log2

import numpy as np
from PySide6.QtCore import QLineF, QPointF, QRectF, Qt
from PySide6.QtGui import QBrush, QColor, QLinearGradient, QPainter, QPen, QPolygonF

from chronoxis.app.theme.theme import DIM, GROUND, LINE, LIVE, PANEL, TEXT, speed_colour
from chronoxis.app.weave.laid import Laid
from chronoxis.app.weave.lettering import write
from chronoxis.app.weave.rails import Rails
from chronoxis.core.model.project import Place, Project

_RANGE = (log2(1 / 16), log2(4000))
_SAMPLE = 3.0  # pixels
_LOZENGE = 5.0
_COLOURS = 32  # stops of the gradient from the slowest speed to the fastest
_LEAST_JOINT = 4.0  # pixels a passage must have for the joint at its end to be drawn


def draw_curve(painter: QPainter, rails: Rails, project: Project, laid: Laid) -> None:
    """Draw the curve, the joints on it and the ends of their ramps."""
    row = rails.curve
    painter.fillRect(row, PANEL)
    painter.setPen(QPen(LINE, 1, Qt.PenStyle.DashLine))
    real_time = curve_y(row, 1.0)
    painter.drawLine(QPointF(row.left(), real_time), QPointF(row.right(), real_time))
    painter.save()
    painter.setClipRect(row)
    _draw_selection(painter, row, laid)
    _draw_line(painter, rails, project)
    _draw_joints(painter, rails, project, laid)
    painter.restore()
    _draw_real_time(painter, row, real_time)


def _draw_real_time(painter: QPainter, row: QRectF, y: float) -> None:
    """What the dashed line means, beside it and clear of the curve."""
    box = QRectF(row.left() + 2, min(y + 1, row.bottom() - 13), 18, 12)
    painter.fillRect(box, PANEL)
    write(painter, box, "1×", DIM, align=Qt.AlignmentFlag.AlignHCenter)


def _draw_selection(painter: QPainter, row: QRectF, laid: Laid) -> None:
    chosen = QColor(LIVE)
    chosen.setAlpha(26)
    for number in np.flatnonzero(laid.shown & laid.selected & (laid.widths > _LEAST_JOINT)).tolist():
        left, right = laid.left[number], laid.right[number]
        painter.fillRect(QRectF(left, row.top(), right - left, row.height()), chosen)


def _draw_line(painter: QPainter, rails: Rails, project: Project) -> None:
    """The speeds, broken at cuts."""
    row = rails.curve
    low, high = float(rails.result_time(row.left())), float(rails.result_time(row.right()))
    high = min(high, float(project.result_length))
    if high <= low:
        return
    times = np.linspace(low, high - (high - low) * 1e-9, max(2, int(row.width() / _SAMPLE)))
    speeds = project.pace.speed_at(times)
    shots = np.searchsorted(project.shot_rows.begins, times, "right")
    broken = np.diff(shots) != 0
    # Where speed stays, one line will do: of three equal neighbours, the middle one is left out.
    even = np.append(np.insert((np.diff(speeds, 2) == 0) & (np.diff(speeds)[1:] == 0), 0, False), False)
    even[:-1] &= ~broken
    even[1:] &= ~broken
    kept = np.flatnonzero(~even)
    xs, ys = rails.result_xs(times[kept]), _heights(row, speeds[kept])
    ends = np.stack([xs[:-1], ys[:-1], xs[1:], ys[1:]], axis=1)[np.diff(shots[kept]) == 0]
    pen = QPen(_speed_gradient(row.top(), row.bottom()), 2)
    pen.setCapStyle(Qt.PenCapStyle.FlatCap)
    painter.setPen(pen)
    painter.drawLines([QLineF(*line) for line in ends.tolist()])


@cache
def _speed_gradient(top: float, bottom: float) -> QBrush:
    """The colours of the speeds at their heights in a row."""
    row, (low, high) = QRectF(0, top, 1, bottom - top), _RANGE
    gradient = QLinearGradient(0, curve_y(row, exp2(low)), 0, curve_y(row, exp2(high)))
    for step in range(_COLOURS + 1):
        share = step / _COLOURS
        gradient.setColorAt(share, speed_colour(exp2(low + share * (high - low))))
    return QBrush(gradient)


def _draw_joints(painter: QPainter, rails: Rails, project: Project, laid: Laid) -> None:
    """Each joint as a lozenge, the ends of its ramp as ticks."""
    row, halves = rails.curve, laid.rows.ramps / 2 * rails.result_scale
    for number in np.flatnonzero(laid.shown & laid.inner & (laid.widths >= _LEAST_JOINT)).tolist():
        x, y = float(laid.right[number]), curve_y(row, joint_speed(project, project.place(number)))
        half = float(halves[number])
        painter.setPen(QPen(DIM, 1))
        if half > 3:
            for end in (x - half, x + half):
                painter.drawLine(QPointF(end, row.top() + 3), QPointF(end, row.bottom() - 3))
        painter.setPen(QPen(TEXT, 1.3))
        painter.setBrush(GROUND)
        corners = ((0, -_LOZENGE), (_LOZENGE, 0), (0, _LOZENGE), (-_LOZENGE, 0))
        painter.drawPolygon(QPolygonF([QPointF(x + dx, y + dy) for dx, dy in corners]))


def curve_y(row: QRectF, speed: float) -> float:
    """Height of a speed in the pace curve."""
    return float(_heights(row, np.array(speed)))


def _heights(row: QRectF, speeds: np.ndarray) -> np.ndarray:
    low, high = _RANGE
    share = (np.clip(np.log2(speeds), low, high) - low) / (high - low)
    return np.asarray(row.bottom() - 4 - share * (row.height() - 8))


def curve_speed(row: QRectF, y: float) -> float:
    """The speed at a height in the pace curve."""
    low, high = _RANGE
    share = (row.bottom() - 4 - y) / (row.height() - 8)
    return float(exp2(low + share * (high - low)))


def joint_speed(project: Project, place: Place) -> float:
    """The speed at the joint behind a passage: in a ramp's middle, else between the two."""
    passages = project.shots[place.shot].passages
    before, after = passages[place.passage], passages[place.passage + 1]
    share = before.ramp.shape.half_way
    return float(before.piece.rounded[1] ** (1 - share) * after.piece.rounded[1] ** share)
