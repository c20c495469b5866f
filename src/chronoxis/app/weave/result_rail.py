"""The result rail: filmstrip, cuts, joints and what is ready to play."""

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QBrush, QPainter, QPen

from chronoxis.app.theme.theme import DIM, GROUND, LIVE, TEXT
from chronoxis.app.weave.filmstrips import Filmstrips
from chronoxis.app.weave.laid import Laid
from chronoxis.app.weave.rails import JOIN_RADIUS, Rails
from chronoxis.app.weave.strip_painter import (
    GRIP_ROOM,
    draw_grip,
    draw_handle,
    draw_hatches,
    draw_tiles,
    fill_crisply,
)
from chronoxis.app.weave.tiles import Tiles
from chronoxis.core.model.project import Project

_LEAST_JOINT = 3.0  # pixels of a passage below which the joint at its end is not drawn
_LEAST_FOR_JOIN = 26.0  # pixels of both shots at a cut below which its handle would hide too much of them
_LEAST_CUT = 6.0  # pixels of a shot below which the gap of a cut would hide too much of it


def draw_result(
    painter: QPainter, rails: Rails, project: Project, laid: Laid, strips: Filmstrips, tiles: Tiles
) -> None:
    """Draw the rail but for its ruler."""
    row = rails.result
    painter.fillRect(row, GROUND)
    painter.save()
    painter.setClipRect(row)
    draw_tiles(painter, strips, tiles, row)
    _draw_shots(painter, rails, project)
    wide = laid.shown & (laid.widths > _LEAST_JOINT)
    for x in laid.right[wide & laid.inner].tolist():
        painter.fillRect(QRectF(x - 0.5, row.top(), 1, row.height()), TEXT)
        draw_handle(painter, x, row)
    for x in laid.right[wide & ~laid.inner & (laid.widths > GRIP_ROOM / 2)].tolist():
        draw_grip(painter, x - 1, row, -1, DIM)
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.setPen(QPen(LIVE, 2))
    for left, right in _selected_runs(laid):
        painter.drawRect(QRectF(left + 1, row.top() + 1, right - left - 2, row.height() - 2))
    _draw_joins(painter, rails, project, laid)
    painter.restore()


def _draw_shots(painter: QPainter, rails: Rails, project: Project) -> None:
    """Between shots a gap; over those that play backwards a hatch."""
    row = rails.result
    edges = rails.result_xs(np.append(project.shot_rows.begins, float(project.result_length)))
    lefts, rights = edges[:-1], edges[1:]
    shown = (rights > row.left()) & (lefts < row.right())
    backwards = shown & (project.shot_rows.directions < 0)
    draw_hatches(painter, row, lefts[backwards], rights[backwards])
    cuts = np.rint(rights[shown & (rights - lefts > _LEAST_CUT)])
    fill_crisply(painter, row, cuts - 1, cuts + 1, QBrush(GROUND))


def _draw_joins(painter: QPainter, rails: Rails, project: Project, laid: Laid) -> None:
    """A handle on each cut that has room for it; what it says is whether the pace carries through."""
    if len(project.shots) < 2:
        return
    row, edges = (
        rails.result,
        rails.result_xs(np.append(project.shot_rows.begins, float(project.result_length))),
    )
    widths, xs = np.diff(edges), edges[1:-1]
    roomy = np.minimum(widths[:-1], widths[1:]) > _LEAST_FOR_JOIN
    shown = np.flatnonzero(roomy & (xs > row.left()) & (xs < row.right()))
    chosen = set(laid.rows.shots[laid.selected].tolist())
    for join in shown.tolist():
        at = QPointF(float(xs[join]), row.center().y())
        live = join in chosen and join + 1 in chosen
        painter.setPen(QPen(LIVE if live else TEXT, 1.6))
        painter.setBrush(GROUND)
        painter.drawEllipse(at, JOIN_RADIUS, JOIN_RADIUS)
        if project.shots[join].join.surge is None:
            for side in (-2.0, 2.0):
                painter.drawLine(at + QPointF(side, -3.5), at + QPointF(side, 3.5))
        else:
            steps = ((-5.0, 3.0), (-1.6, 1.4), (0.0, -4.2), (1.6, 1.4), (5.0, 3.0))
            painter.drawPolyline([at + QPointF(*step) for step in steps])


def _selected_runs(laid: Laid) -> list[tuple[float, float]]:
    """The selected passages on the result rail, neighbours together."""
    edges = np.diff(laid.selected.astype(np.int8), prepend=0, append=0)
    firsts, lasts = np.flatnonzero(edges == 1), np.flatnonzero(edges == -1) - 1
    return list(zip(laid.left[firsts].tolist(), laid.right[lasts].tolist(), strict=True))


def draw_ready(painter: QPainter, rails: Rails, rate: float, made: list[int]) -> None:
    """A line under the result's frames that are ready to play."""
    if not made:
        return
    numbers = np.array(made)
    breaks = np.flatnonzero(np.diff(numbers) > 1)
    firsts, lasts = numbers[np.r_[0, breaks + 1]], numbers[np.r_[breaks, len(numbers) - 1]]
    row = rails.result
    for first, last in zip(firsts.tolist(), lasts.tolist(), strict=True):
        left, right = rails.result_x(first / rate), rails.result_x((last + 1) / rate)
        left, right = max(left, row.left()), min(right, row.right())
        if right > left:
            painter.fillRect(QRectF(left, row.bottom() - 3, right - left, 2), TEXT)
