"""Drawing the Weave from the document's values."""

from collections.abc import Callable
from fractions import Fraction
from math import log2

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QImage, QPainter, QPainterPath, QPen

from chronoxis.app.theme.theme import DIM, GROUND, LINE, LIVE, PANEL, TEXT, font, speed_colour
from chronoxis.app.weave.filmstrips import Filmstrips
from chronoxis.app.weave.rails import Rails, ruler_step
from chronoxis.core.model.project import Shot
from chronoxis.core.render.export import Plan
from chronoxis.core.timing.speed import format_speed
from chronoxis.core.timing.timecode import format_time

_THREAD_SPACING = 12.0
_BADGE_ROOM = 56.0
_CURVE_RANGE = (log2(1 / 8), log2(1000))
_SHADE = QColor(22, 24, 27, 196)


class WeavePainter:
    """One drawing of the Weave."""

    def __init__(self, painter: QPainter, rails: Rails, shot: Shot, strips: Filmstrips) -> None:
        self._painter = painter
        self._rails = rails
        self._shot = shot
        self._strips = strips
        self._colour = speed_colour(shot.speed)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)

    def draw_recorded(self, counting: float | None) -> None:
        """The recorded rail: ruler, filmstrip, what is outside the points dimmed, the points themselves."""
        rails, painter, shot = self._rails, self._painter, self._shot
        self._draw_ruler(rails.recorded_ruler, "RECORDED", rails.recorded_length, rails.recorded_x)
        self._draw_strip(rails.recorded, lambda share: share)
        begin, end = rails.recorded_x(float(shot.in_point)), rails.recorded_x(float(shot.out_point))
        row = rails.recorded
        painter.fillRect(QRectF(row.left(), row.top(), begin - row.left(), row.height()), _SHADE)
        painter.fillRect(QRectF(end, row.top(), row.right() - end, row.height()), _SHADE)
        painter.setPen(QPen(self._colour, 2))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRect(QRectF(begin, row.top() + 1, end - begin, row.height() - 2))
        for x, inward in ((begin, 1), (end, -1)):
            self._draw_grip(x, row, inward)
        if counting is not None:
            self._draw_text(row.adjusted(8, 0, -8, 0), f"counting frames… {counting:.0%}", TEXT, 9)

    def draw_threads(self, plan: Plan | None) -> None:
        """Threads from result frames up to the recorded frames they are made of."""
        rails, painter, shot = self._rails, self._painter, self._shot
        area = rails.threads
        begin, end = rails.recorded_x(float(shot.in_point)), rails.recorded_x(float(shot.out_point))
        ground = QColor(self._colour)
        ground.setAlpha(46)
        sheet = self._thread(begin, area.left())
        sheet.lineTo(area.right(), area.bottom())
        sheet.connectPath(self._thread(end, area.right()).toReversed())
        painter.fillPath(sheet, ground)
        if plan is None:
            return
        count = len(plan.schedule)
        wished = max(2, int(area.width() / _THREAD_SPACING))
        numbers = np.unique(np.linspace(0, count - 1, min(count, wished)).astype(int))
        edges, rate = plan.recording.index.edges, float(plan.schedule.rate)
        painter.setPen(QPen(self._colour, 1))
        for number in numbers.tolist():
            first = plan.schedule.frames[plan.schedule.offsets[number]]
            painter.drawPath(
                self._thread(rails.recorded_x(float(edges[first])), rails.result_x(number / rate))
            )

    def draw_speed(self, playhead: float) -> None:
        """The speed as a number, beside the playhead's thread where that runs through the middle."""
        middle = self._rails.threads.center()
        near = abs(self._rails.result_x(playhead) - middle.x()) < _BADGE_ROOM
        at = middle + QPointF(_BADGE_ROOM, 0) if near else middle
        self._draw_badge(at, format_speed(self._shot.speed))

    def draw_result(self, made: list[int], rate: Fraction) -> None:
        """The result rail: filmstrip, what is ready to play, pace curve, ruler."""
        rails, painter, shot = self._rails, self._painter, self._shot
        whole = rails.recorded_length
        begin, length = float(shot.in_point) / whole, float(shot.recorded_length) / whole
        self._draw_strip(rails.result, lambda share: begin + share * length)
        row = rails.result
        painter.setPen(QPen(LIVE, 2))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRect(row.adjusted(1, 1, -1, -1))
        self._draw_grip(row.right(), row, -1, LIVE)
        self._draw_ready(made, rate)
        self._draw_curve()
        self._draw_ruler(rails.result_ruler, "RESULT", rails.result_length, rails.result_x, below=True)

    def draw_playheads(self, recorded: float, result: float) -> None:
        """The two linked playheads and the thread between them."""
        rails, painter = self._rails, self._painter
        above, below = rails.recorded_x(recorded), rails.result_x(result)
        painter.setPen(QPen(TEXT, 2))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        top, bottom = rails.recorded_ruler.top() + 8, rails.result_ruler.bottom() - 4
        painter.drawLine(QPointF(above, top), QPointF(above, rails.threads.top()))
        painter.drawPath(self._thread(above, below))
        painter.drawLine(QPointF(below, rails.threads.bottom()), QPointF(below, bottom))
        painter.setBrush(TEXT)
        painter.drawEllipse(QPointF(above, top), 4, 4)
        painter.drawEllipse(QPointF(below, bottom), 4, 4)

    def draw_readout(self, at: QPointF, text: str) -> None:
        """The outcome of a drag, at the pointer."""
        painter = self._painter
        painter.setFont(font(10, 500))
        width = painter.fontMetrics().horizontalAdvance(text) + 20
        left = min(max(at.x() - width / 2, 4), self._rails.width - width - 4)
        box = QRectF(left, max(at.y() - 36, 2), width, 26)
        painter.setPen(QPen(LINE, 1))
        painter.setBrush(GROUND)
        painter.drawRoundedRect(box, 5, 5)
        painter.setPen(TEXT)
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)

    def _thread(self, above: float, below: float) -> QPainterPath:
        area = self._rails.threads
        half = area.height() / 2
        path = QPainterPath(QPointF(above, area.top()))
        path.cubicTo(
            QPointF(above, area.top() + half),
            QPointF(below, area.bottom() - half),
            QPointF(below, area.bottom()),
        )
        return path

    def _draw_strip(self, row: QRectF, share_of: Callable[[float], float]) -> None:
        painter = self._painter
        painter.fillRect(row, PANEL)
        image = self._strips.image_near(share_of(0.5))
        if image is None:
            return
        wide = row.height() * image.width() / image.height()
        count = max(1, round(row.width() / wide))
        step = row.width() / count
        for number in range(count):
            cell = QRectF(row.left() + number * step, row.top(), step - 1, row.height())
            self._draw_filling(cell, self._strips.image_near(share_of((number + 0.5) / count)))

    def _draw_filling(self, cell: QRectF, image: QImage | None) -> None:
        if image is None:
            return
        scale = max(cell.width() / image.width(), cell.height() / image.height())
        width, height = cell.width() / scale, cell.height() / scale
        source = QRectF((image.width() - width) / 2, (image.height() - height) / 2, width, height)
        self._painter.drawImage(cell, image, source)

    def _draw_grip(self, x: float, row: QRectF, inward: int, colour: QColor | None = None) -> None:
        bar = QRectF(x if inward > 0 else x - 6, row.top(), 6, row.height())
        self._painter.fillRect(bar, colour or self._colour)
        self._painter.setPen(QPen(GROUND, 1.4))
        middle = bar.center()
        self._painter.drawLine(QPointF(middle.x(), middle.y() - 7), QPointF(middle.x(), middle.y() + 7))

    def _draw_ready(self, made: list[int], rate: Fraction) -> None:
        """A thin line under the frames that will play without waiting."""
        if not made:
            return
        numbers = np.array(made)
        breaks = np.flatnonzero(np.diff(numbers) > 1)
        firsts, lasts = numbers[np.r_[0, breaks + 1]], numbers[np.r_[breaks, len(numbers) - 1]]
        row, frame = self._rails.result, 1 / float(rate)
        for first, last in zip(firsts.tolist(), lasts.tolist(), strict=True):
            left, right = self._rails.result_x(first * frame), self._rails.result_x((last + 1) * frame)
            self._painter.fillRect(QRectF(left, row.bottom() - 4, min(right, row.right()) - left, 2), TEXT)

    def _draw_curve(self) -> None:
        row, painter = self._rails.curve, self._painter
        painter.fillRect(row, PANEL)
        dashed = QPen(LINE, 1, Qt.PenStyle.DashLine)
        painter.setPen(dashed)
        real_time = self._curve_y(1.0)
        painter.drawLine(QPointF(row.left(), real_time), QPointF(row.right(), real_time))
        level = self._curve_y(float(self._shot.speed))
        painter.setPen(QPen(self._colour, 2))
        painter.drawLine(QPointF(row.left(), level), QPointF(row.right(), level))
        label = QRectF(row.left() + 4, real_time if level <= real_time else real_time - 15, 30, 15)
        self._draw_text(label, "1×", DIM, 8)

    def _curve_y(self, speed: float) -> float:
        low, high = _CURVE_RANGE
        share = (min(max(log2(speed), low), high) - low) / (high - low)
        row = self._rails.curve
        return row.bottom() - 4 - share * (row.height() - 8)

    def _draw_badge(self, at: QPointF, text: str) -> None:
        painter = self._painter
        painter.setFont(font(11, 600))
        width = painter.fontMetrics().horizontalAdvance(text) + 24
        box = QRectF(at.x() - width / 2, at.y() - 12, width, 24)
        painter.setPen(QPen(self._colour, 1.2))
        painter.setBrush(GROUND)
        painter.drawRoundedRect(box, 12, 12)
        painter.setPen(self._colour)
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)

    def _draw_ruler(
        self, row: QRectF, name: str, length: float, place: Callable[[float], float], below: bool = False
    ) -> None:
        painter = self._painter
        step = ruler_step(length, row.width())
        painter.setFont(font(8))
        name_width = painter.fontMetrics().horizontalAdvance(name) + 14
        decimals = 0 if step >= 1 else 2 if step < 0.1 else 1
        for number in range(int(length / step + 1e-9) + 1):
            x = place(number * step)
            painter.setPen(QPen(LINE, 1))
            edge = row.top() if below else row.bottom()
            painter.drawLine(QPointF(x, edge), QPointF(x, edge + (5 if below else -5)))
            text = format_time(number * step, decimals)
            width = painter.fontMetrics().horizontalAdvance(text)
            if x > row.left() + name_width and x + 5 + width < row.right():
                self._draw_text(QRectF(x + 5, row.top(), width + 4, row.height()), text, DIM, 8)
        self._draw_text(row.adjusted(2, 0, 0, 0), name, DIM, 8, 600)

    def _draw_text(self, box: QRectF, text: str, colour: QColor, size: float, weight: int = 400) -> None:
        self._painter.setFont(font(size, weight))
        self._painter.setPen(colour)
        self._painter.drawText(box, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft, text)
