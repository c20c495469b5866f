"""Drawing the Weave from the document's values."""

from math import ceil, exp2, log2

import numpy as np
from PySide6.QtCore import QLineF, QPointF, QRect, QRectF, Qt
from PySide6.QtGui import QBrush, QColor, QPainter, QPainterPath, QPen, QPixmap

from chronoxis.app.theme.theme import DIM, GROUND, LINE, LIVE, PANEL, TEXT, font, speed_colour
from chronoxis.app.weave.filmstrips import Filmstrips
from chronoxis.app.weave.laid import lay
from chronoxis.app.weave.pace_curve import draw_curve
from chronoxis.app.weave.rails import Rails
from chronoxis.app.weave.rulers import draw_recorded_ruler, draw_result_ruler
from chronoxis.app.weave.tiles import TILE, PlacedTile
from chronoxis.core.model.playing import played_at
from chronoxis.core.model.project import Place, Project
from chronoxis.core.render.export import Plan
from chronoxis.core.timing.speed import format_speed
from chronoxis.core.timing.timecode import format_time

_THREAD_SPACING = 9.0
_THREAD_COLOURS = 8  # of threads in each doubling of speed
_BADGE_ROOM = 30.0
_LEAST_BADGE = 6.0  # pixels of a passage below which no badge finds room
_SHADE = QColor(22, 24, 27, 196)
_SINGLE_FRAMES = 7.0  # pixels a result frame must have for its own threads to be drawn
_RECORDED_FRAMES = 5.0  # pixels a recorded frame must have for its edges to be drawn
_MOST_THREADS = 400  # at about which a result frame's threads are thinned out
_FRAME_TICK = 7.0
_HANDLE_TEXT = 46.0
_LEAST_SHOT = 3.0  # pixels below which a shot is drawn without a cut of its own
_LEAST_SHEET = 4.0  # pixels on either rail below which a passage has no ground of its own
_LEAST_FRAME = 8.0  # pixels below which a shot is drawn without a frame
_LEAST_HANDLE = 6.0  # pixels of a passage below which the joint at its end has no handle
_GRIP_ROOM = 16.0  # pixels between two edges below which their grips are left out


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
        self._laid = lay(project, rails, selection)
        self._selected_shots = {place.shot for place in selection}
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)

    def draw(
        self,
        plan: Plan | None,
        recorded: list[PlacedTile],
        result: list[PlacedTile],
        counting: float | None,
    ) -> None:
        """Draw all of it, with these tiles on the rails; without a plan, without single threads."""
        rails = self._rails
        draw_recorded_ruler(self._painter, rails, self._project)
        self._draw_recorded(recorded, counting)
        self._painter.save()
        self._painter.setClipRect(rails.threads)
        self._draw_sheets()
        self._draw_threads(plan)
        self._draw_badges()
        self._painter.restore()
        self._draw_result(result)
        draw_result_ruler(self._painter, rails, self._project)
        draw_curve(self._painter, rails, self._project, self._laid)

    def _draw_recorded(self, tiles: list[PlacedTile], counting: float | None) -> None:
        rails, painter, row = self._rails, self._painter, self._rails.recorded
        painter.fillRect(row, GROUND)
        painter.save()
        painter.setClipRect(row)
        self._draw_tiles(tiles, row)
        for number in rails.stretches_shown(_LEAST_SHOT):
            self._draw_shot(number)
        self._draw_recorded_frames()
        painter.restore()
        self._draw_joints_above()
        if counting is not None:
            self._draw_text(row.adjusted(14, 0, -8, 0), f"counting frames… {counting:.0%}", TEXT, 9)

    def _draw_shot(self, number: int) -> None:
        """What lies beyond a shot's points dimmed, and its frame."""
        rails, painter, row = self._rails, self._painter, self._rails.recorded
        shot, stretch = self._project.shots[number], rails.stretches[number]
        left, right = rails.recorded_x(number, stretch.first), rails.recorded_x(number, stretch.last)
        begin, end = (rails.recorded_x(number, point) for point in shot.span)
        if right - left > end - begin + 2:
            painter.fillRect(QRectF(left, row.top(), begin - left, row.height()), _SHADE)
            painter.fillRect(QRectF(end, row.top(), right - end, row.height()), _SHADE)
        if shot.backwards:
            self._hatch(QRectF(begin, row.top(), end - begin, row.height()))
        if end - begin > _HANDLE_TEXT:
            self._draw_room(number, begin, end)
        if end - begin > _LEAST_FRAME:
            self._draw_shot_frame(number, begin, end)

    def _draw_shot_frame(self, number: int, begin: float, end: float) -> None:
        painter, row = self._painter, self._rails.recorded
        passages = self._project.shots[number].passages
        first, last = (passages[0].speed, passages[-1].speed)
        if self._project.shots[number].backwards:
            first, last = last, first
        chosen = number in self._selected_shots
        painter.setPen(QPen(LIVE if chosen else DIM, 1.5 if chosen else 1))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRect(QRectF(begin, row.top() + 1, end - begin, row.height() - 2))
        if end - begin < _GRIP_ROOM:
            return
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
        laid, painter, row = self._laid, self._painter, self._rails.recorded
        there = laid.inner & (laid.leave >= row.left()) & (laid.leave <= row.right())
        wide = there & (np.abs(laid.leave - laid.enter) > _LEAST_SHOT)
        painter.setPen(QPen(TEXT, 1))
        painter.drawLines([QLineF(x, row.top(), x, row.bottom()) for x in laid.leave[wide].tolist()])
        for x in laid.leave[there & (np.abs(laid.leave - laid.enter) > _LEAST_HANDLE)].tolist():
            painter.fillRect(QRectF(x - 2, row.center().y() - 7, 4, 14), TEXT)

    def _draw_recorded_frames(self) -> None:
        """The edges of single recorded frames: ticks, or all of the way where frames are as wide as tiles."""
        rails, row = self._rails, self._rails.recorded
        self._painter.setPen(QPen(GROUND, 1))
        for number in rails.stretches_shown(_RECORDED_FRAMES):
            rate = float(self._project.footage_of(self._project.shots[number]).rate)
            width = rails.recorded_scale / rate
            if width < _RECORDED_FRAMES:
                continue
            low, high = rails.visible_part(number)
            top = row.top() if width >= TILE else row.bottom() - _FRAME_TICK
            for frame in range(ceil(low * rate - 1e-6), int(high * rate) + 1):
                x = rails.recorded_x(number, frame / rate)
                self._painter.drawLine(QPointF(x, top), QPointF(x, row.bottom()))

    def _draw_sheets(self) -> None:
        """The coloured ground of each passage."""
        laid = self._laid
        wide = (laid.widths >= _LEAST_SHEET) | (np.abs(laid.leave - laid.enter) >= _LEAST_SHEET)
        chosen = np.flatnonzero(laid.shown & wide)
        stand_out = laid.selected[chosen] & (len(laid.rows) > 1)
        columns = (laid.enter, laid.leave, laid.left, laid.right, laid.rows.speeds)
        for *corners, speed, selected in zip(*(c[chosen].tolist() for c in columns), stand_out, strict=True):
            ground = speed_colour(speed)
            ground.setAlpha(78 if selected else 46)
            self._painter.fillPath(self._sheet(*corners), ground)

    def _draw_threads(self, plan: Plan | None) -> None:
        """Threads from result frames up to the recorded frames they are made of."""
        rails, area, rate = self._rails, self._rails.threads, float(self._project.rate)
        self._painter.setBrush(Qt.BrushStyle.NoBrush)
        first = int(max(0.0, float(rails.result_time(area.left()))) * rate)
        end = min(float(rails.result_time(area.right())), float(self._project.result_length))
        if shows_single_threads(rails, rate):
            if plan is not None and len(plan.project.shots) == len(self._project.shots):
                self._draw_single_threads(plan, range(first, min(len(plan.schedule), int(end * rate) + 1)))
            return
        step = max(1, round(_THREAD_SPACING / (rails.result_scale / rate)))
        times = np.arange(first - first % step, end * rate, step) / rate
        self._draw_thread_lines(times)

    def _draw_thread_lines(self, times: np.ndarray) -> None:
        played = played_at(self._project, times)
        above = self._rails.recorded_xs(played.shots, played.recorded).tolist()
        below = self._rails.result_xs(times).tolist()
        of_colour: dict[int, QPainterPath] = {}
        for x, y, speed in zip(above, below, played.speeds.tolist(), strict=True):
            path = of_colour.setdefault(round(log2(speed) * _THREAD_COLOURS), QPainterPath())
            add_thread(path, self._rails, x, y)
        for step, path in of_colour.items():
            self._painter.setPen(QPen(speed_colour(exp2(step / _THREAD_COLOURS)), 1))
            self._painter.drawPath(path)

    def _draw_single_threads(self, plan: Plan, numbers: range) -> None:
        """Each thread of each result frame, as strong as its weight."""
        rails, schedule, rate = self._rails, plan.schedule, float(plan.schedule.rate)
        if not numbers:
            return
        most = max(2, _MOST_THREADS // len(numbers))
        opened = np.arange(numbers.start, numbers.stop) / rate
        below = rails.result_xs(opened + 0.5 / rate).tolist()
        colours = [speed_colour(speed) for speed in self._project.pace.speed_at(opened).tolist()]
        shots = schedule.shots[numbers.start : numbers.stop]
        for number, shot, x, colour in zip(numbers, shots.tolist(), below, colours, strict=True):
            frames, weights = schedule.sources(number)
            if len(frames) > most:
                kept = np.linspace(0, len(frames) - 1, most).astype(int)
                frames, weights = frames[kept], weights[kept]
            edges = plan.edges[shot]
            middles = (edges[frames] + edges[frames + 1]) / 2
            strengths = np.minimum(1.0, weights / weights.max())
            for middle, weight, strength in zip(
                middles.tolist(), weights.tolist(), strengths.tolist(), strict=True
            ):
                colour.setAlphaF(0.25 + 0.75 * strength)
                self._painter.setPen(QPen(colour, 1 + 1.5 * weight))
                self._painter.drawPath(thread(rails, rails.recorded_x(shot, middle), x))

    def _draw_badges(self) -> None:
        """Each passage's speed as a number, where there is room."""
        area, laid = self._rails.threads, self._laid
        begins, ends = np.maximum(laid.left, area.left()), np.minimum(laid.right, area.right())
        middles = 0.25 * (laid.enter + laid.leave) / 2 + 0.75 * (begins + ends) / 2
        for row in np.flatnonzero(laid.shown & (ends - begins >= _LEAST_BADGE)).tolist():
            place = self._project.place(row)
            speed = self._project.passage(place).speed
            text = format_speed(speed)
            text = f"◂ {text}" if self._project.shots[place.shot].backwards else text
            at = QPointF(middles[row], area.bottom() - 26)
            self._draw_badge(at, text, float(ends[row] - begins[row]), speed_colour(speed))

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

    def _draw_result(self, tiles: list[PlacedTile]) -> None:
        painter, row = self._painter, self._rails.result
        painter.fillRect(row, GROUND)
        painter.save()
        painter.setClipRect(row)
        self._draw_tiles(tiles, row)
        self._draw_cuts(row)
        laid = self._laid
        wide = laid.shown & (laid.widths > _LEAST_SHOT)
        for x in laid.right[wide & laid.inner].tolist():
            painter.fillRect(QRectF(x - 0.5, row.top(), 1, row.height()), TEXT)
            painter.fillRect(QRectF(x - 2, row.center().y() - 7, 4, 14), TEXT)
        for x in laid.right[wide & ~laid.inner & (laid.widths > _GRIP_ROOM / 2)].tolist():
            self._draw_grip(x - 1, row, -1, DIM)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(LIVE, 2))
        for left, right in self._selected_runs():
            painter.drawRect(QRectF(left + 1, row.top() + 1, right - left - 2, row.height() - 2))
        painter.restore()

    def _draw_cuts(self, row: QRectF) -> None:
        """Between shots a gap; over those that play backwards a hatch."""
        begins = self._project.shot_rows.begins
        edges = self._rails.result_xs(np.append(begins, float(self._project.result_length)))
        shown = (edges[1:] > row.left()) & (edges[:-1] < row.right()) & (np.diff(edges) > _LEAST_SHOT)
        cuts = [QRectF(x - 1, row.top(), 2, row.height()) for x in edges[1:][shown].tolist()]
        backwards = shown & (self._project.shot_rows.directions < 0)
        for left, right in zip(edges[:-1][backwards].tolist(), edges[1:][backwards].tolist(), strict=True):
            self._hatch(QRectF(left, row.top(), right - left, row.height()))
        self._painter.setPen(Qt.PenStyle.NoPen)
        self._painter.setBrush(GROUND)
        self._painter.drawRects(cuts)

    def _selected_runs(self) -> list[tuple[float, float]]:
        """The selected passages on the result rail, neighbours together."""
        edges = np.diff(self._laid.selected.astype(np.int8), prepend=0, append=0)
        firsts, lasts = np.flatnonzero(edges == 1), np.flatnonzero(edges == -1) - 1
        return list(zip(self._laid.left[firsts].tolist(), self._laid.right[lasts].tolist(), strict=True))

    def _draw_tiles(self, tiles: list[PlacedTile], row: QRectF) -> None:
        top, height = round(row.top()), round(row.height())
        for placed in tiles:
            left, right = round(placed.left), round(placed.right)
            cell = QRect(left, top, max(1, right - left - 1), height)
            image = self._strips.near(placed.tile.path, placed.tile.seconds)
            if image is None:
                self._painter.fillRect(cell, PANEL)
            else:
                self._draw_filling(image, cell)

    def _draw_filling(self, image: QPixmap, cell: QRect) -> None:
        # Pictures are kept as high as the row: where they are wide enough they need not be scaled.
        scale = max(1.0, cell.width() / image.width(), cell.height() / image.height())
        width, height = round(cell.width() / scale), round(cell.height() / scale)
        part = QRect((image.width() - width) // 2, (image.height() - height) // 2, width, height)
        self._painter.drawPixmap(cell, image, part)

    def _hatch(self, area: QRectF) -> None:
        colour = QColor(TEXT)
        colour.setAlpha(70)
        self._painter.fillRect(area, QBrush(colour, Qt.BrushStyle.BDiagPattern))

    def _draw_grip(self, x: float, row: QRectF, inward: int, colour: QColor) -> None:
        left = x if inward > 0 else x - 5
        self._painter.fillRect(QRectF(left, row.center().y() - 11, 5, 22), colour)
        self._painter.fillRect(QRectF(left + 2, row.center().y() - 6, 1, 12), GROUND)

    def _sheet(self, enter: float, leave: float, left: float, right: float) -> QPainterPath:
        """What lies between the threads at both ends of a passage."""
        area = self._rails.threads
        top, middle, bottom = area.top(), area.center().y(), area.bottom()
        sheet = QPainterPath()
        sheet.moveTo(enter, top)
        sheet.cubicTo(enter, middle, left, middle, left, bottom)
        sheet.lineTo(right, bottom)
        sheet.cubicTo(right, middle, leave, middle, leave, top)
        return sheet

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


def shows_single_threads(rails: Rails, rate: float) -> bool:
    """Whether the result frames are far enough apart for every thread of each to be drawn."""
    return rails.result_scale / rate >= _SINGLE_FRAMES


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
    path = QPainterPath()
    add_thread(path, rails, above, below)
    return path


def add_thread(path: QPainterPath, rails: Rails, above: float, below: float) -> None:
    """The same, as one more part of a path."""
    area = rails.threads
    middle = area.center().y()
    path.moveTo(above, area.top())
    path.cubicTo(above, middle, below, middle, below, area.bottom())
