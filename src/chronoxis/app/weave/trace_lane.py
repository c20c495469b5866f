"""The lane of traces under the recorded rail: motion, light, and who passes by."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt
from PySide6.QtCore import QLineF, QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPen, QPolygonF

from chronoxis.app.theme.theme import CAUTION, DIM, LIVE, PANEL, SOUND_GROUND, TEXT
from chronoxis.app.weave.lettering import width_of, write
from chronoxis.app.weave.rails import Rails
from chronoxis.core.footage.source import Source
from chronoxis.core.model.footage import Footage
from chronoxis.core.model.project import Project
from chronoxis.core.render.corrections import gains_of, moment_of
from chronoxis.core.timing.frame_making import PassersBy
from chronoxis.core.timing.pace import Seconds
from chronoxis.core.traces.picture_trace import PictureTrace
from chronoxis.core.traces.steady_course import SteadyCourse

_WISH, _LEAST = 26, 16  # pixels
_COLUMN = 2  # pixels of each place at which something is drawn
_MOST_MOTION = 0.06  # mean difference of codes that fills the lane
_LIGHT = QColor("#E9DDB8")
_RAW_LIGHT = QColor("#8B846C")
_RAW_PATH = QColor("#6F8F88")
_NEARLY_ALL = 0.98  # of a path, that fits the lane
_MARK = 4  # pixels of a passer-by's mark
_DONE = {PassersBy.SKIP: QColor("#7F7052"), PassersBy.CLEAR: QColor("#7AD3BE")}


@dataclass(frozen=True, eq=False)
class Traced:
    """Footage with what is known of its pictures; there is no trace before they are looked at."""

    footage: Footage
    source: Source
    trace: PictureTrace | None

    def frames_at(self, seconds: Seconds) -> npt.NDArray[np.int64]:
        """Numbers of the recorded frames, or photos, on display at recorded seconds."""
        edges = self.source.edges * float(self.footage.scale)
        frames = np.clip(np.searchsorted(edges, seconds, "right") - 1, 0, len(edges) - 2)
        numbers = self.source.originals.numbers
        return frames if numbers is None else numbers[frames]

    def moments(self) -> list[tuple[float, float]]:
        """When somebody passes, recorded seconds."""
        spans = self.trace.passers.tolist() if self.trace is not None else []
        return [moment_of(self.footage, self.source, *span) for span in spans]


def lane_height(traced: dict[str, Traced], project: Project, room: int) -> int:
    """Pixels that the lane has, where there is so much room for it."""
    if not any(shot.footage in traced for shot in project.shots):
        return 0
    given = min(_WISH, room)
    return given if given >= _LEAST else 0


def draw_traces(
    painter: QPainter,
    rails: Rails,
    project: Project,
    traced: dict[str, Traced],
    courses: Sequence[SteadyCourse | None],
) -> None:
    """Draw the lane; where a shot is steadied, the camera's path as it was and as it will be."""
    if not rails.trace_lane:
        return
    row = rails.traces
    painter.fillRect(row, PANEL)
    painter.save()
    painter.setClipRect(row)
    for number, low, high in rails.parts_shown(_COLUMN):
        of = traced.get(project.shots[number].footage)
        if of is not None:
            if of.trace is not None:
                _draw_shot(painter, rails, project, number, (low, high), of, of.trace)
            if (course := courses[number]) is not None:
                _draw_path(painter, rails, number, (low, high), of, course)
    _draw_names(painter, row, path=any(courses))
    painter.restore()


def _draw_shot(
    painter: QPainter,
    rails: Rails,
    project: Project,
    number: int,
    part: tuple[float, float],
    of: Traced,
    trace: PictureTrace,
) -> None:
    row, shot = rails.traces, project.shots[number]
    left, right = rails.recorded_x(number, part[0]), rails.recorded_x(number, part[1])
    xs = np.arange(max(left, row.left()), min(right, row.right()), _COLUMN)
    if len(xs) < 2:
        return
    seconds = part[0] + (xs - left) / rails.recorded_scale
    frames = of.frames_at(seconds)
    known = trace.known[frames]
    bottom, height = row.bottom(), row.height() - _MARK - 1
    motion = np.minimum(_most(trace.motion, frames) / _MOST_MOTION, 1) ** 0.7
    bars = [
        QLineF(x, bottom, x, bottom - height * m)
        for x, m in zip(xs[known].tolist(), motion[known].tolist(), strict=True)
    ]
    painter.setPen(QPen(SOUND_GROUND, _COLUMN))
    painter.drawLines(bars)
    light = trace.light[frames].astype(np.float64)
    gains = None
    if shot.even_out.strength and trace.is_whole:
        gains = gains_of(shot, of.footage, trace)[frames, 1]
    top = max(float(trace.light.max()), 1e-3)
    _draw_line(painter, row, xs, light / top, known, _LIGHT if gains is None else _RAW_LIGHT)
    if gains is not None:
        _draw_line(painter, row, xs, light * gains / top, known, _LIGHT)
    for begin, end in of.moments():
        if end < part[0] or begin > part[1]:
            continue
        wish = shot.handles_passer_by(begin, end)
        lefts, rights = rails.recorded_x(number, begin), rails.recorded_x(number, end)
        mark = QRectF(lefts, row.top(), max(rights - lefts, 3.0), _MARK)
        painter.fillRect(mark, _DONE.get(wish, CAUTION))


def _draw_path(
    painter: QPainter, rails: Rails, number: int, part: tuple[float, float], of: Traced, course: SteadyCourse
) -> None:
    """How far the camera is off a smooth way, about the middle of the lane: as filmed, and steadied."""
    row = rails.traces
    left, right = rails.recorded_x(number, part[0]), rails.recorded_x(number, part[1])
    xs = np.arange(max(left, row.left()), min(right, row.right()), 1.0)
    if len(xs) < 2:
        return
    places = of.frames_at(part[0] + (xs - left) / rails.recorded_scale) - course.first
    inside = (places >= 0) & (places < len(course.sway))
    xs, places = xs[inside], places[inside]
    most = max(float(np.quantile(np.abs(course.sway[:, 1]), _NEARLY_ALL)), 1e-6)
    middle, reach = row.center().y() + _MARK / 2, (row.height() - _MARK) / 2 - 1
    painter.setBrush(Qt.BrushStyle.NoBrush)
    for off, colour in ((course.sway, _RAW_PATH), (course.sway - course.moves, LIVE)):
        ys = middle + reach * np.clip(off[places, 1] / most, -1, 1)
        painter.setPen(QPen(colour, 1))
        points = zip(xs.tolist(), ys.tolist(), strict=True)
        painter.drawPolyline(QPolygonF([QPointF(x, y) for x, y in points]))


def _most(column: npt.NDArray[np.float32], frames: npt.NDArray[np.int64]) -> npt.NDArray[np.float64]:
    """The greatest number between each frame and the next one that is drawn."""
    ends = np.append(frames[1:], frames[-1] + 1)
    runs = np.stack([frames, np.maximum(ends, frames + 1)], axis=1).ravel()
    padded = np.append(column, np.float32(0))
    ascending = bool(np.all(np.diff(frames) >= 0))
    if not ascending:
        return column[frames].astype(np.float64)
    return np.maximum.reduceat(padded, np.minimum(runs, len(column)))[::2].astype(np.float64)


def _draw_line(
    painter: QPainter,
    row: QRectF,
    xs: Seconds,
    shares: npt.NDArray[np.float64],
    known: npt.NDArray[np.bool_],
    colour: QColor,
) -> None:
    """A line through what is known; light is drawn as the eye takes it, not as it adds."""
    high = row.height() - _MARK - 3
    ys = row.bottom() - 1 - high * np.clip(shares, 0, 1) ** 0.45
    painter.setPen(QPen(colour, 1))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    points = zip(xs[known].tolist(), ys[known].tolist(), strict=True)
    painter.drawPolyline(QPolygonF([QPointF(x, y) for x, y in points]))


def _draw_names(painter: QPainter, row: QRectF, *, path: bool) -> None:
    left = row.left() + 4
    names = (("motion", DIM), ("light", _LIGHT), ("passers-by", CAUTION))
    for text, colour in (*names, *((("camera", LIVE),) if path else ())):
        wide = width_of(text, 7.5)
        box = QRectF(left - 2, row.top() + _MARK, wide + 4, row.height() - _MARK - 2)
        painter.fillRect(box, QColor(30, 33, 37, 225))
        write(painter, box.adjusted(2, 0, 0, 0), text, TEXT if colour is DIM else colour, 7.5)
        left += wide + 10


def moment_at(
    rails: Rails, project: Project, traced: dict[str, Traced], at: QPointF
) -> tuple[int, tuple[float, float]] | None:
    """The shot and the recorded seconds of a passer-by whose mark is at a point."""
    row = rails.traces
    if not rails.trace_lane or not row.contains(at):
        return None
    number = rails.shot_at(at.x())
    of = traced.get(project.shots[number].footage)
    if of is None:
        return None
    for begin, end in of.moments():
        if rails.recorded_x(number, begin) - 3 <= at.x() <= rails.recorded_x(number, end) + 3:
            return number, (begin, end)
    return None
