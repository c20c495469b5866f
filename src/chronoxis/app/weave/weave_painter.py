"""Drawing the Weave from the document's values."""

from collections.abc import Callable
from functools import partial
from math import exp2, log2

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QBrush, QColor, QImage, QPainter, QPainterPath, QPen, QPolygonF

from chronoxis.app.theme.theme import DIM, GROUND, LINE, LIVE, PANEL, TEXT, font, speed_colour
from chronoxis.app.weave.filmstrips import Filmstrips
from chronoxis.app.weave.rails import Rails, ruler_step
from chronoxis.app.weave.tiles import PlacedTile, recorded_tiles, result_tiles
from chronoxis.core.model.playing import played_at
from chronoxis.core.model.project import Marker, Place, Project
from chronoxis.core.render.export import Plan
from chronoxis.core.timing.speed import format_speed
from chronoxis.core.timing.timecode import format_time

_THREAD_SPACING = 9.0
_BADGE_ROOM = 30.0
_CURVE_RANGE = (log2(1 / 16), log2(4000))
_SHADE = QColor(22, 24, 27, 196)
_SINGLE_FRAMES = 7.0  # pixels a result frame must have for its own threads to be drawn
_RECORDED_FRAMES = 5.0  # pixels a recorded frame must have for its edges to be drawn
_HANDLE_TEXT = 46.0


class WeavePainter:
    """One drawing of the Weave: everything but playheads and readout."""

    def __init__(
        self,
        painter: QPainter,
        rails: Rails,
        project: Project,
        strips: Filmstrips,
        selection: frozenset[Place],
    ) -> None:
        self._painter, self._rails, self._project = painter, rails, project
        self._strips, self._selection = strips, selection
        self._spans = _visible_passages(project, rails)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)

    def draw(self, plan: Plan | None, counting: float | None) -> None:
        """Draw all of it; without a plan, without threads."""
        rails = self._rails
        self._draw_recorded(counting)
        self._painter.save()
        self._painter.setClipRect(rails.threads)
        self._draw_sheets()
        if plan is not None:
            self._draw_threads(plan)
        self._draw_badges()
        self._painter.restore()
        self._draw_result()
        self._draw_curve()

    def _draw_recorded(self, counting: float | None) -> None:
        rails, painter, row = self._rails, self._painter, self._rails.recorded
        self._draw_recorded_ruler()
        painter.fillRect(row, GROUND)
        painter.save()
        painter.setClipRect(row)
        self._draw_tiles(recorded_tiles(self._project, rails, row), row)
        for number, shot in enumerate(self._project.shots):
            stretch = rails.stretches[number]
            left, right = rails.recorded_x(number, stretch.first), rails.recorded_x(number, stretch.last)
            if right < row.left() or left > row.right():
                continue
            begin = rails.recorded_x(number, float(shot.in_point))
            end = rails.recorded_x(number, float(shot.out_point))
            painter.fillRect(QRectF(left, row.top(), begin - left, row.height()), _SHADE)
            painter.fillRect(QRectF(end, row.top(), right - end, row.height()), _SHADE)
            if shot.backwards:
                self._hatch(QRectF(begin, row.top(), end - begin, row.height()))
            self._draw_room(number, begin, end)
            if end - begin > 2:
                self._draw_shot_frame(number, begin, end)
        self._draw_recorded_frames()
        painter.restore()
        self._draw_joints_above()
        if counting is not None:
            self._draw_text(row.adjusted(14, 0, -8, 0), f"counting frames… {counting:.0%}", TEXT, 9)

    def _draw_shot_frame(self, number: int, begin: float, end: float) -> None:
        painter, row = self._painter, self._rails.recorded
        passages = self._project.shots[number].passages
        first, last = (passages[0].speed, passages[-1].speed)
        if self._project.shots[number].backwards:
            first, last = last, first
        chosen = any(place.shot == number for place in self._selection)
        painter.setPen(QPen(LIVE if chosen else DIM, 1.5 if chosen else 1))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRect(QRectF(begin, row.top() + 1, end - begin, row.height() - 2))
        for x, inward, speed in ((begin, 1, first), (end, -1, last)):
            self._draw_grip(x, row, inward, speed_colour(speed))

    def _draw_room(self, number: int, begin: float, end: float) -> None:
        """How much recorded material remains beyond the points."""
        shot = self._project.shots[number]
        left = float(shot.in_point)
        right = float(self._project.footage_of(shot).length - shot.out_point)
        row, stretch = self._rails.recorded, self._rails.stretches[number]
        if left > 0.05 and begin - self._rails.recorded_x(number, stretch.first) > _HANDLE_TEXT:
            box = QRectF(begin - 64, row.top(), 58, row.height())
            self._draw_text(box, f"−{format_time(left)}", DIM, 8, align=Qt.AlignmentFlag.AlignRight)
        if right > 0.05 and self._rails.recorded_x(number, stretch.last) - end > _HANDLE_TEXT:
            self._draw_text(QRectF(end + 6, row.top(), 58, row.height()), f"+{format_time(right)}", DIM, 8)

    def _draw_joints_above(self) -> None:
        rails, painter, row = self._rails, self._painter, self._rails.recorded
        painter.setPen(QPen(TEXT, 1))
        for place, _, _ in self._spans:
            shot = self._project.shots[place.shot]
            if place.passage + 1 < len(shot.passages):
                joint = shot.recorded_time(shot.joints[place.passage + 1])
                x = rails.recorded_x(place.shot, float(joint))
                if row.left() <= x <= row.right():
                    painter.drawLine(QPointF(x, row.top()), QPointF(x, row.bottom()))
                    painter.fillRect(QRectF(x - 2, row.center().y() - 7, 4, 14), TEXT)

    def _draw_recorded_frames(self) -> None:
        rails, row = self._rails, self._rails.recorded
        self._painter.setPen(QPen(GROUND, 1))
        for number, shot in enumerate(self._project.shots):
            rate = float(self._project.footage_of(shot).rate)
            if rails.recorded_scale / rate < _RECORDED_FRAMES:
                continue
            stretch = rails.stretches[number]
            low = max(stretch.first, stretch.first + rails.recorded_along(row.left()) - stretch.at)
            high = min(stretch.last, stretch.first + rails.recorded_along(row.right()) - stretch.at)
            for frame in range(int(low * rate), int(high * rate) + 1):
                x = rails.recorded_x(number, frame / rate)
                self._painter.drawLine(QPointF(x, row.top()), QPointF(x, row.bottom()))

    def _draw_sheets(self) -> None:
        """The coloured ground of each passage."""
        rails, painter = self._rails, self._painter
        for place, left, right in self._spans:
            shot = self._project.shots[place.shot]
            ends = (shot.recorded_time(shot.joints[n]) for n in (place.passage, place.passage + 1))
            above = [rails.recorded_x(place.shot, float(end)) for end in ends]
            if right - left < 2 and abs(above[1] - above[0]) < 2:
                continue
            ground = speed_colour(shot.passages[place.passage].speed)
            ground.setAlpha(78 if place in self._selection and len(self._project.places()) > 1 else 46)
            sheet = self._thread(above[0], left)
            sheet.lineTo(right, rails.threads.bottom())
            sheet.connectPath(self._thread(above[1], right).toReversed())
            painter.fillPath(sheet, ground)

    def _draw_threads(self, plan: Plan) -> None:
        """Threads from result frames up to the recorded frames they are made of."""
        rails, area, rate = self._rails, self._rails.threads, float(plan.schedule.rate)
        self._painter.setBrush(Qt.BrushStyle.NoBrush)
        first = int(max(0.0, float(rails.result_time(area.left()))) * rate)
        last = min(len(plan.schedule) - 1, int(float(rails.result_time(area.right())) * rate) + 1)
        if last < first:
            return
        if rails.result_scale / rate >= _SINGLE_FRAMES:
            self._draw_single_threads(plan, range(first, last + 1))
            return
        step = max(1, round(_THREAD_SPACING / (rails.result_scale / rate)))
        numbers = np.arange(first - first % step, last + 1, step)
        self._draw_thread_lines(numbers / rate)

    def _draw_thread_lines(self, times: np.ndarray) -> None:
        played = played_at(self._project, times)
        above = self._rails.recorded_xs(played.shots, played.recorded).tolist()
        below = [self._rails.result_x(t) for t in times.tolist()]
        for x, y, speed in zip(above, below, played.speeds.tolist(), strict=True):
            self._painter.setPen(QPen(speed_colour(speed), 1))
            self._painter.drawPath(self._thread(x, y))

    def _draw_single_threads(self, plan: Plan, numbers: range) -> None:
        """Each thread of each result frame, as strong as its weight."""
        rails, schedule = self._rails, plan.schedule
        half = 0.5 / float(schedule.rate)
        most = 400 // max(1, len(numbers))
        for number in numbers:
            shot = int(schedule.shots[number])
            edges = plan.edges(shot)
            frames, weights = schedule.sources(number)
            keep = np.unique(np.linspace(0, len(frames) - 1, min(len(frames), max(most, 2))).astype(int))
            opened = number / float(schedule.rate)
            place = float(played_at(self._project, np.array([opened])).speeds[0])
            for frame, weight in zip(frames[keep].tolist(), weights[keep].tolist(), strict=True):
                colour = speed_colour(place)
                colour.setAlphaF(0.25 + 0.75 * min(1.0, weight / weights.max()))
                middle = float(edges[frame] + edges[frame + 1]) / 2
                width = 1 + 1.5 * weight
                self._painter.setPen(QPen(colour, width))
                self._painter.drawPath(
                    self._thread(rails.recorded_x(shot, middle), rails.result_x(opened + half))
                )

    def _draw_badges(self) -> None:
        """Each passage's speed as a number, where there is room."""
        area = self._rails.threads
        for place, left, right in self._spans:
            shot = self._project.shots[place.shot]
            ends = (shot.recorded_time(shot.joints[n]) for n in (place.passage, place.passage + 1))
            above = [self._rails.recorded_x(place.shot, float(end)) for end in ends]
            begin, end = max(left, area.left()), min(right, area.right())
            at = QPointF(0.25 * (above[0] + above[1]) / 2 + 0.75 * (begin + end) / 2, area.bottom() - 26)
            text = format_speed(shot.passages[place.passage].speed)
            text = f"◂ {text}" if shot.backwards else text
            self._draw_badge(at, text, end - begin, speed_colour(shot.passages[place.passage].speed))

    def _draw_badge(self, at: QPointF, text: str, room: float, colour: QColor) -> None:
        painter = self._painter
        painter.setFont(font(10, 600))
        width = painter.fontMetrics().horizontalAdvance(text) + 18
        if width > room + _BADGE_ROOM:
            return
        box = QRectF(at.x() - width / 2, at.y() - 11, width, 22)
        painter.setPen(QPen(colour, 1.2))
        painter.setBrush(GROUND)
        painter.drawRoundedRect(box, 11, 11)
        painter.setPen(colour)
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)

    def _draw_result(self) -> None:
        rails, painter, row = self._rails, self._painter, self._rails.result
        painter.fillRect(row, GROUND)
        painter.save()
        painter.setClipRect(row)
        self._draw_tiles(result_tiles(self._project, rails, row), row)
        for number, shot in enumerate(self._project.shots):
            left = rails.result_x(float(self._project.starts[number]))
            right = rails.result_x(float(self._project.starts[number + 1]))
            if shot.backwards and right > row.left() and left < row.right():
                self._hatch(QRectF(left, row.top(), right - left, row.height()))
            painter.fillRect(QRectF(right - 1, row.top(), 2, row.height()), GROUND)
        for place, left, right in self._spans:
            if place.passage + 1 < len(self._project.shots[place.shot].passages) and right - left > 3:
                painter.fillRect(QRectF(right - 0.5, row.top(), 1, row.height()), TEXT)
                painter.fillRect(QRectF(right - 2, row.center().y() - 7, 4, 14), TEXT)
            elif right - left > 8:
                self._draw_grip(right - 1, row, -1, DIM)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(LIVE, 2))
        for left, right in self._selected_runs():
            painter.drawRect(QRectF(left + 1, row.top() + 1, right - left - 2, row.height() - 2))
        painter.restore()
        self._draw_result_ruler()

    def _selected_runs(self) -> list[tuple[float, float]]:
        """The selected passages, neighbours together."""
        runs: list[tuple[float, float]] = []
        for place, left, right in self._spans:
            if place in self._selection:
                if runs and abs(runs[-1][1] - left) < 0.5:
                    runs[-1] = (runs[-1][0], right)
                else:
                    runs.append((left, right))
        return runs

    def draw_ready(self, made: list[int]) -> None:
        """A line under the result's frames that are ready to play."""
        if not made:
            return
        numbers = np.array(made)
        breaks = np.flatnonzero(np.diff(numbers) > 1)
        firsts, lasts = numbers[np.r_[0, breaks + 1]], numbers[np.r_[breaks, len(numbers) - 1]]
        row, frame = self._rails.result, 1 / float(self._project.rate)
        for first, last in zip(firsts.tolist(), lasts.tolist(), strict=True):
            left, right = self._rails.result_x(first * frame), self._rails.result_x((last + 1) * frame)
            left, right = max(left, row.left()), min(right, row.right())
            if right > left:
                self._painter.fillRect(QRectF(left, row.bottom() - 3, right - left, 2), TEXT)

    def _draw_curve(self) -> None:
        row, painter = self._rails.curve, self._painter
        painter.fillRect(row, PANEL)
        painter.setPen(QPen(LINE, 1, Qt.PenStyle.DashLine))
        real_time = curve_y(row, 1.0)
        painter.drawLine(QPointF(row.left(), real_time), QPointF(row.right(), real_time))
        self._draw_text(QRectF(row.left() + 4, real_time - 15, 30, 15), "1×", DIM, 8)
        painter.save()
        painter.setClipRect(row)
        self._draw_curve_line(row)
        self._draw_curve_joints(row)
        painter.restore()

    def _draw_curve_line(self, row: QRectF) -> None:
        """The speeds, in pieces of like colour, broken at abrupt changes."""
        low, high = float(self._rails.result_time(row.left())), float(self._rails.result_time(row.right()))
        high = min(high, float(self._project.result_length))
        if high <= low:
            return
        times = np.linspace(low, high - (high - low) * 1e-9, max(2, int(row.width() / 1.5)))
        played = played_at(self._project, times)
        ys = [curve_y(row, speed) for speed in played.speeds.tolist()]
        points = [QPointF(self._rails.result_x(t), y) for t, y in zip(times.tolist(), ys, strict=True)]
        bands = np.floor(np.log2(played.speeds) * 4).astype(int)
        breaks = np.flatnonzero((np.diff(bands) != 0) | (np.diff(played.shots) != 0)) + 1
        for begin, end in zip([0, *breaks.tolist()], [*breaks.tolist(), len(points)], strict=True):
            self._painter.setPen(QPen(speed_colour(float(exp2((bands[begin] + 0.5) / 4))), 2))
            self._painter.drawPolyline(QPolygonF(points[begin : end + 1]))

    def _draw_curve_joints(self, row: QRectF) -> None:
        """Each joint as a lozenge, the ends of its ramp as ticks."""
        painter = self._painter
        for place, left, right in self._spans:
            if place in self._selection and right - left > 6:
                chosen = QColor(LIVE)
                chosen.setAlpha(26)
                painter.fillRect(QRectF(left, row.top(), right - left, row.height()), chosen)
            shot = self._project.shots[place.shot]
            if place.passage + 1 >= len(shot.passages) or right - left < 4:
                continue
            y = curve_y(row, joint_speed(self._project, place))
            half = float(shot.pace.ramp_lengths[place.passage]) / 2 * self._rails.result_scale
            painter.setPen(QPen(DIM, 1))
            if half > 3:
                for x in (right - half, right + half):
                    painter.drawLine(QPointF(x, row.top() + 3), QPointF(x, row.bottom() - 3))
            painter.setPen(QPen(TEXT, 1.3))
            painter.setBrush(GROUND)
            painter.drawPolygon(
                QPolygonF(
                    [
                        QPointF(right, y - 5),
                        QPointF(right + 5, y),
                        QPointF(right, y + 5),
                        QPointF(right - 5, y),
                    ]
                )
            )

    def _draw_recorded_ruler(self) -> None:
        rails, row = self._rails, self._rails.recorded_ruler
        step = ruler_step(rails.recorded_view.length, row.width())
        left = row.left() + self._draw_name(row, "RECORDED")
        for number, stretch in enumerate(rails.stretches):
            begin = rails.recorded_x(number, stretch.first)
            if begin > row.right() or rails.recorded_x(number, stretch.last) < row.left():
                continue
            if len(rails.stretches) > 1:
                self._draw_line(max(begin, row.left()), row, height=row.height())
            low = max(stretch.first, stretch.first + rails.recorded_along(row.left()) - stretch.at)
            high = min(stretch.last, stretch.first + rails.recorded_along(row.right()) - stretch.at)
            stop = min(rails.recorded_x(number, stretch.last), row.right())
            place = partial(rails.recorded_x, number)
            footage = self._project.footage_of(self._project.shots[number])
            taken = self._draw_markers(footage.markers, row, place, low, high)
            self._draw_marks(row, low, high, step, place, [*taken, (0, max(left, begin)), (stop, 1e9)])

    def _draw_result_ruler(self) -> None:
        rails, row = self._rails, self._rails.result_ruler
        left = row.left() + self._draw_name(row, "RESULT")
        low = float(rails.result_time(row.left()))
        high = min(float(rails.result_time(row.right())), float(self._project.result_length))
        step = ruler_step(rails.result_view.length, row.width())
        taken = self._draw_markers(self._project.markers, row, rails.result_x, low, high)
        taken += [(0, left), (row.right(), 1e9)]
        self._draw_marks(row, low, high, step, rails.result_x, taken, below=True)

    def _draw_name(self, row: QRectF, name: str) -> float:
        self._draw_text(row.adjusted(2, 0, 0, 0), name, DIM, 8, 600)
        return self._painter.fontMetrics().horizontalAdvance(name) + 14.0

    def _draw_marks(
        self,
        row: QRectF,
        low: float,
        high: float,
        step: float,
        place: Callable[[float], float],
        taken: list[tuple[float, float]],
        *,
        below: bool = False,
    ) -> None:
        """Marks at every step; written where nothing else is."""
        painter = self._painter
        painter.setFont(font(8))
        decimals = 0 if step >= 1 else 3 if step < 0.01 else 2 if step < 0.1 else 1
        for number in range(int(np.ceil(low / step - 1e-9)), int(high / step + 1e-9) + 1):
            x = place(number * step)
            self._draw_line(x, row, below=below)
            text = format_time(number * step, decimals)
            width = painter.fontMetrics().horizontalAdvance(text)
            if all(x + 5 + width < begin or x > end for begin, end in taken):
                self._draw_text(QRectF(x + 5, row.top(), width + 4, row.height()), text, DIM, 8)

    def _draw_markers(
        self,
        markers: tuple[Marker, ...],
        row: QRectF,
        place: Callable[[float], float],
        low: float,
        high: float,
    ) -> list[tuple[float, float]]:
        """Draw markers and return where their names stand."""
        painter, taken = self._painter, []
        for marker in markers:
            if not low <= float(marker.at) <= high:
                continue
            x = place(float(marker.at))
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(LIVE)
            painter.drawPolygon(
                QPolygonF(
                    [
                        QPointF(x, row.bottom()),
                        QPointF(x - 4, row.bottom() - 8),
                        QPointF(x + 4, row.bottom() - 8),
                    ]
                )
            )
            painter.setFont(font(8, 500))
            width = painter.fontMetrics().horizontalAdvance(marker.name)
            box = QRectF(x + 5, row.top() + 1, width + 6, row.height() - 2)
            taken.append((x - 5, box.right()))
            self._draw_text(box.adjusted(3, 0, 0, 0), marker.name, LIVE, 8, 500)
        return taken

    def _draw_line(self, x: float, row: QRectF, *, below: bool = False, height: float = 5.0) -> None:
        self._painter.setPen(QPen(LINE, 1))
        edge = row.top() if below else row.bottom()
        self._painter.drawLine(QPointF(x, edge), QPointF(x, edge + (height if below else -height)))

    def _draw_tiles(self, tiles: list[PlacedTile], row: QRectF) -> None:
        for placed in tiles:
            cell = QRectF(placed.left, row.top(), max(1.0, placed.right - placed.left), row.height())
            self._painter.fillRect(cell, PANEL)
            image = self._strips.near(placed.tile.path, placed.tile.seconds)
            if image is not None:
                self._draw_filling(image, cell)
            self._painter.fillRect(QRectF(cell.right() - 0.5, row.top(), 1, row.height()), GROUND)

    def _draw_filling(self, image: QImage, cell: QRectF) -> None:
        scale = max(cell.width() / image.width(), cell.height() / image.height())
        width, height = cell.width() / scale, cell.height() / scale
        part = QRectF((image.width() - width) / 2, (image.height() - height) / 2, width, height)
        self._painter.drawImage(cell, image, part)

    def _hatch(self, area: QRectF) -> None:
        colour = QColor(TEXT)
        colour.setAlpha(70)
        self._painter.fillRect(area, QBrush(colour, Qt.BrushStyle.BDiagPattern))

    def _draw_grip(self, x: float, row: QRectF, inward: int, colour: QColor) -> None:
        left = x if inward > 0 else x - 5
        self._painter.fillRect(QRectF(left, row.center().y() - 11, 5, 22), colour)
        self._painter.fillRect(QRectF(left + 2, row.center().y() - 6, 1, 12), GROUND)

    def _thread(self, above: float, below: float) -> QPainterPath:
        return thread(self._rails, above, below)

    def _draw_text(
        self,
        box: QRectF,
        text: str,
        colour: QColor,
        size: float,
        weight: int = 400,
        align: Qt.AlignmentFlag = Qt.AlignmentFlag.AlignLeft,
    ) -> None:
        self._painter.setFont(font(size, weight))
        self._painter.setPen(colour)
        self._painter.drawText(box, Qt.AlignmentFlag.AlignVCenter | align, text)


def draw_playheads(painter: QPainter, rails: Rails, above: float, below: float) -> None:
    """The two linked playheads and the thread between them."""
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setPen(QPen(TEXT, 2))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    top, bottom = rails.recorded_ruler.top() + 8, rails.result_ruler.bottom() - 4
    painter.setClipRect(rails.recorded_ruler.united(rails.result_ruler).adjusted(-6, 0, 6, 2))
    painter.drawLine(QPointF(above, top), QPointF(above, rails.threads.top()))
    painter.drawPath(thread(rails, above, below))
    painter.drawLine(QPointF(below, rails.threads.bottom()), QPointF(below, bottom))
    painter.setBrush(TEXT)
    painter.drawEllipse(QPointF(above, top), 4, 4)
    painter.drawEllipse(QPointF(below, bottom), 4, 4)
    painter.setClipping(False)


def draw_readout(painter: QPainter, rails: Rails, at: QPointF, text: str) -> None:
    """The outcome of a drag, at the pointer."""
    painter.setFont(font(10, 500))
    width = painter.fontMetrics().horizontalAdvance(text) + 20
    left = min(max(at.x() - width / 2, 4), rails.width - width - 4)
    box = QRectF(left, max(at.y() - 36, 2), width, 26)
    painter.setPen(QPen(LINE, 1))
    painter.setBrush(GROUND)
    painter.drawRoundedRect(box, 5, 5)
    painter.setPen(TEXT)
    painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)


def thread(rails: Rails, above: float, below: float) -> QPainterPath:
    """A thread from a place on the recorded rail to one on the result rail."""
    area = rails.threads
    half = area.height() / 2
    path = QPainterPath(QPointF(above, area.top()))
    path.cubicTo(
        QPointF(above, area.top() + half), QPointF(below, area.bottom() - half), QPointF(below, area.bottom())
    )
    return path


def curve_y(row: QRectF, speed: float) -> float:
    """Height of a speed in the pace curve."""
    low, high = _CURVE_RANGE
    share = (min(max(log2(speed), low), high) - low) / (high - low)
    return float(row.bottom() - 4 - share * (row.height() - 8))


def curve_speed(row: QRectF, y: float) -> float:
    """The speed at a height in the pace curve."""
    low, high = _CURVE_RANGE
    share = (row.bottom() - 4 - y) / (row.height() - 8)
    return float(exp2(low + share * (high - low)))


def joint_speed(project: Project, place: Place) -> float:
    """The speed at the joint behind a passage: in a ramp's middle, else between the two."""
    passages = project.shots[place.shot].passages
    before, after = passages[place.passage], passages[place.passage + 1]
    share = float(before.ramp.shape.share(np.array(0.5)))
    return float(float(before.speed) ** (1 - share) * float(after.speed) ** share)


def _visible_passages(project: Project, rails: Rails) -> list[tuple[Place, float, float]]:
    """The passages that show on either rail, with where they begin and end on the result rail."""
    row, found = rails.result, []
    for number, shot in enumerate(project.shots):
        start = rails.result_x(float(project.starts[number]))
        end = rails.result_x(float(project.starts[number + 1]))
        stretch = rails.stretches[number]
        above = rails.recorded_x(number, stretch.first), rails.recorded_x(number, stretch.last)
        hidden_above = above[1] < row.left() or above[0] > row.right()
        if (end < row.left() or start > row.right()) and hidden_above:
            continue
        joints = (start + shot.pace.joints * rails.result_scale).tolist()
        found += [(Place(number, n), joints[n], joints[n + 1]) for n in range(len(shot.passages))]
    return found
