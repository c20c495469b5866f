"""The pace curve: speed over result time, on a log axis."""

from collections.abc import Sequence
from fractions import Fraction
from functools import cache
from math import exp2

import numpy as np
from PySide6.QtCore import QLineF, QPointF, QRectF, Qt
from PySide6.QtGui import QBrush, QColor, QLinearGradient, QPainter, QPen, QPolygonF

from chronoxis.app.measuring.proposed_pace import ProposedLine
from chronoxis.app.theme.theme import DIM, GROUND, LINE, LIVE, PANEL, TEXT, scaled, speed_colour
from chronoxis.app.weave.laid import Laid
from chronoxis.app.weave.lettering import width_of, write, written_speed
from chronoxis.app.weave.rails import Rails, SpeedAxis
from chronoxis.core.model.amounts import placed_accents, strongest_at
from chronoxis.core.model.project import Place, Project
from chronoxis.core.timing.pace import Seconds

_SAMPLE_WIDTH = 3.0  # pixels
_AXIS_MARGIN = 4  # pixels above and below the axis
_NUMBER_HEIGHT = 12  # pixels that the number of a line is high
_JOINT_RADIUS = 4.5  # pixels from the middle of a joint to its rim
_ROOF_HEIGHT = 4  # pixels that each roof of a peak is high, and stands above the other
_GRADIENT_STOPS = 32  # stops of the gradient from the slowest speed to the fastest
_AMOUNT_SHARE = 0.5  # of the row that a full accent stands high
_PROPOSED_POINTS = 2  # of a proposed pace, for each pixel at most
_LEAST_JOINT = 4.0  # pixels a passage must have for the joint at its end to be drawn


def draw_curve(painter: QPainter, rails: Rails, project: Project, laid: Laid) -> None:
    """Draw the curve, the joints on it and the ends of their ramps."""
    row = rails.curve
    painter.fillRect(row, PANEL)
    _draw_lines(painter, rails)
    painter.save()
    painter.setClipRect(row)
    _draw_selection(painter, row, laid)
    _draw_accents(painter, rails, project)
    _draw_line(painter, rails, project)
    _draw_joints(painter, rails, project, laid)
    _draw_runs(painter, rails, project)
    painter.restore()
    _draw_numbers(painter, rails)


def draw_proposed(painter: QPainter, rails: Rails, lines: Sequence[ProposedLine]) -> None:
    """Draw a pace that is proposed and not taken yet, over the curve."""
    row = rails.curve
    painter.save()
    painter.setClipRect(row)
    painter.setPen(QPen(LIVE, 1.5, Qt.PenStyle.DashLine))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    for line in lines:
        xs = rails.result_xs(line.times)
        seen = np.flatnonzero((xs > row.left() - row.width()) & (xs < row.right() + row.width()))
        if not len(seen):
            continue
        seen = seen[:: max(1, int(len(seen) / (_PROPOSED_POINTS * row.width())))]
        ys = _heights(rails, line.speeds[seen])
        points = zip(xs[seen].tolist(), ys.tolist(), strict=True)
        painter.drawPolyline(QPolygonF([QPointF(x, y) for x, y in points]))
    painter.restore()


def _draw_lines(painter: QPainter, rails: Rails) -> None:
    """Lines at a few speeds; that of real time is the clearest."""
    row = rails.curve
    for speed in rails.speeds.lines:
        y = curve_y(rails, speed)
        painter.setPen(QPen(DIM if speed == 1 else LINE, 1, Qt.PenStyle.DashLine))
        painter.drawLine(QPointF(row.left(), y), QPointF(row.right(), y))


def _draw_numbers(painter: QPainter, rails: Rails) -> None:
    """The speed of each line, over the curve; that of real time above all where not all have room."""
    row, height = rails.curve, float(scaled(_NUMBER_HEIGHT))
    drawn: list[QRectF] = []
    for speed in sorted(rails.speeds.lines, key=lambda speed: speed != 1):
        text, y = written_speed(Fraction(speed)), curve_y(rails, speed)
        top = min(max(y - height / 2, row.top()), row.bottom() - height)
        box = QRectF(row.left(), top, width_of(text, 7.5) + 6, height)
        if any(box.intersects(other) for other in drawn):
            continue
        drawn.append(box.adjusted(0, height / 8, 0, -height / 8))  # which leaves what figures need
        painter.fillRect(box, PANEL)
        write(painter, box.adjusted(2, 0, 0, 0), text, DIM, 7.5)


def _draw_selection(painter: QPainter, row: QRectF, laid: Laid) -> None:
    chosen = QColor(LIVE)
    chosen.setAlpha(26)
    shown = laid.shown & laid.selected & (laid.widths > _LEAST_JOINT)
    steps = np.diff(shown.astype(np.int8), prepend=0, append=0)  # of what is selected side by side, the ends
    ends = zip(laid.left[steps[:-1] > 0].tolist(), laid.right[steps[1:] < 0].tolist(), strict=True)
    for left, right in ends:
        painter.fillRect(QRectF(left, row.top(), right - left, row.height()), chosen)


def _draw_line(painter: QPainter, rails: Rails, project: Project) -> None:
    """The speeds, broken at cuts."""
    row = rails.curve
    low, high = float(rails.result_time(row.left())), float(rails.result_time(row.right()))
    high = min(high, float(project.result_length))
    if high <= low:
        return
    times = np.linspace(low, high - (high - low) * 1e-9, max(2, int(row.width() / _SAMPLE_WIDTH)))
    surging = [number for number, shot in enumerate(project.shots[:-1]) if shot.join.surge]
    cuts = project.shot_rows.begins[1:][surging]
    cuts = cuts[(cuts > low) & (cuts < high)]
    # A peak is as sharp as its cut, however far apart the samples are.
    times = np.sort(np.concatenate((times, cuts, np.nextafter(cuts, -np.inf))))
    speeds = project.pace.speed_at(times)
    shots = np.searchsorted(project.shot_rows.begins, times, "right")
    broken = np.diff(shots) != 0
    # Where speed stays, one line will do: of three equal neighbours, the middle one is left out.
    even = np.append(np.insert((np.diff(speeds, 2) == 0) & (np.diff(speeds)[1:] == 0), 0, False), False)
    even[:-1] &= ~broken
    even[1:] &= ~broken
    kept = np.flatnonzero(~even)
    xs, ys = rails.result_xs(times[kept]), _heights(rails, speeds[kept])
    ends = np.stack([xs[:-1], ys[:-1], xs[1:], ys[1:]], axis=1)[np.diff(shots[kept]) == 0]
    pen = QPen(_speed_gradient(row.top(), row.bottom(), rails.speeds), 2)
    pen.setCapStyle(Qt.PenCapStyle.FlatCap)
    painter.setPen(pen)
    painter.drawLines([QLineF(*line) for line in ends.tolist()])


@cache
def _speed_gradient(top: float, bottom: float, axis: SpeedAxis) -> QBrush:
    """The colours of the speeds at their heights in a row."""
    gradient = QLinearGradient(0, bottom - _AXIS_MARGIN, 0, top + _AXIS_MARGIN)
    for step in range(_GRADIENT_STOPS + 1):
        share = step / _GRADIENT_STOPS
        gradient.setColorAt(share, speed_colour(exp2(axis.low + share * (axis.high - axis.low))))
    return QBrush(gradient)


def _draw_joints(painter: QPainter, rails: Rails, project: Project, laid: Laid) -> None:
    """Each joint as a knot, the ends of its ramp as ticks."""
    row, halves = rails.curve, laid.rows.ramps / 2 * rails.result_scale
    for number in np.flatnonzero(laid.shown & laid.inner & (laid.widths >= _LEAST_JOINT)).tolist():
        x, y = float(laid.right[number]), curve_y(rails, joint_speed(project, project.place(number)))
        half = float(halves[number])
        painter.setPen(QPen(DIM, 1))
        if half > 3:
            for end in (x - half, x + half):
                painter.drawLine(QPointF(end, row.top() + 3), QPointF(end, row.bottom() - 3))
        painter.setPen(QPen(TEXT, 1.3))
        painter.setBrush(GROUND)
        painter.drawEllipse(QPointF(x, y), _JOINT_RADIUS, _JOINT_RADIUS)


def _draw_accents(painter: QPainter, rails: Rails, project: Project) -> None:
    """How much there is of the strongest accent, from the bottom of the row up."""
    row = rails.curve
    if not any(True for _ in placed_accents(project)):
        return
    low, high = float(rails.result_time(row.left())), float(rails.result_time(row.right()))
    times = np.linspace(
        low, min(high, float(project.result_length)), max(2, int(row.width() / _SAMPLE_WIDTH))
    )
    heights = strongest_at(project, times) * (row.height() * _AMOUNT_SHARE)
    places = zip(rails.result_xs(times).tolist(), (row.bottom() - heights).tolist(), strict=True)
    outline = [QPointF(x, y) for x, y in places]
    ends = (QPointF(side.x(), row.bottom()) for side in (outline[-1], outline[0]))
    painter.setPen(Qt.PenStyle.NoPen)
    filled = QColor(TEXT)
    filled.setAlpha(34)
    painter.setBrush(filled)
    painter.drawPolygon(QPolygonF([*outline, *ends]))
    painter.setPen(QPen(DIM, 1, Qt.PenStyle.DotLine))
    painter.drawPolyline(QPolygonF(outline))


def _draw_runs(painter: QPainter, rails: Rails, project: Project) -> None:
    """The peak of each Surge as two roofs, one over the other, the ends of its runs as ticks."""
    row = rails.curve
    for join, shot in enumerate(project.shots[:-1]):
        surge = shot.join.surge
        if surge is None:
            continue
        x = rails.result_x(float(project.shot_rows.begins[join + 1]))
        before = shot.pace.run_lengths[1] * rails.result_scale
        after = project.shots[join + 1].pace.run_lengths[0] * rails.result_scale
        if x + after < row.left() or x - before > row.right():
            continue
        painter.setPen(QPen(DIM, 1))
        for end in (x - before, x + after):
            painter.drawLine(QPointF(end, row.top() + 3), QPointF(end, row.bottom() - 3))
        y, reach = curve_y(rails, float(surge.peak)), _JOINT_RADIUS + 1
        painter.setPen(QPen(TEXT, 1.3))
        for above in (0.0, _ROOF_HEIGHT):
            low, high = y - above + _ROOF_HEIGHT, y - above
            painter.drawPolyline([QPointF(x - reach, low), QPointF(x, high), QPointF(x + reach, low)])


def curve_y(rails: Rails, speed: float) -> float:
    """Height of a speed in the pace curve."""
    return float(_heights(rails, np.array(speed)))


def _heights(rails: Rails, speeds: Seconds) -> Seconds:
    row = rails.curve
    return np.asarray(
        row.bottom() - _AXIS_MARGIN - rails.speeds.share(speeds) * (row.height() - 2 * _AXIS_MARGIN)
    )


def dragged_speed(rails: Rails, begun: float, down: float) -> float:
    """What a speed becomes when its level is dragged so many pixels down."""
    return begun * float(exp2(-rails.speeds.doublings(down, rails.curve.height() - 2 * _AXIS_MARGIN)))


def joint_speed(project: Project, place: Place) -> float:
    """The speed at the joint behind a passage: in a ramp's middle, else between the two."""
    passages = project.shots[place.shot].passages
    before, after = passages[place.passage], passages[place.passage + 1]
    share = before.ramp.shape.half_way
    return float(before.piece.rounded[1] ** (1 - share) * after.piece.rounded[1] ** share)
