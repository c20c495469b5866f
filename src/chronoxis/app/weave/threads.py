"""The threads between the rails, the coloured grounds of the passages and their speeds."""

from collections import defaultdict
from math import exp2

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPainterPath, QPen

from chronoxis.app.theme.theme import GROUND, mixed, speed_colour
from chronoxis.app.weave.laid import Laid
from chronoxis.app.weave.lettering import width_of, write, written_speed
from chronoxis.app.weave.rails import Rails
from chronoxis.core.model.playing import played_at
from chronoxis.core.model.project import Project
from chronoxis.core.render.plan import Plan

_THREAD_SPACING = 9.0
_THREAD_COLOURS = 8  # of threads in each doubling of speed
_BADGE_GAP = 4  # pixels between two
_BADGE_ROOM = 30.0
_BADGE_HEIGHT = 22.0
_LEAST_BADGE = 6.0  # pixels of a passage below which no badge finds room
_SINGLE_FRAMES = 7.0  # pixels a result frame must have for its own threads to be drawn
_MOST_THREADS = 400  # at about which a result frame's threads are thinned out
_LEAST_SHEET = 4.0  # pixels on either rail below which a passage has no ground of its own
_SHEET, _CHOSEN_SHEET = 0.18, 0.31  # how much of a passage's colour its ground has


def draw_threads(painter: QPainter, rails: Rails, project: Project, laid: Laid, plan: Plan | None) -> None:
    """Draw what lies between the rails; without a plan, without single threads."""
    painter.save()
    painter.setClipRect(rails.threads)
    _ThreadPainter(painter, rails, project, laid).draw(plan)
    painter.restore()


class _ThreadPainter:
    def __init__(self, painter: QPainter, rails: Rails, project: Project, laid: Laid) -> None:
        self._painter, self._rails, self._project, self._laid = painter, rails, project, laid

    def draw(self, plan: Plan | None) -> None:
        self._draw_sheets()
        self._draw_threads(plan)
        self._draw_badges()

    def _draw_sheets(self) -> None:
        """The coloured ground of each passage, selected ones on top.

        They cover each other where they cross, which is drawn in a third of the time that it takes to let
        them shine through; the threads over them tell which is which.
        """
        laid = self._laid
        wide = (laid.widths >= _LEAST_SHEET) | (np.abs(laid.leave - laid.enter) >= _LEAST_SHEET)
        shown = np.flatnonzero(laid.shown & wide)
        stand_out = laid.selected[shown] & (len(laid.rows) > 1)
        for chosen, strength in ((shown[~stand_out], _SHEET), (shown[stand_out], _CHOSEN_SHEET)):
            columns = (laid.enter, laid.leave, laid.left, laid.right, laid.rows.speeds)
            for *corners, speed in zip(*(column[chosen].tolist() for column in columns), strict=True):
                self._painter.fillPath(self._sheet(*corners), mixed(GROUND, speed_colour(speed), strength))

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
        top, middle, bottom = _heights(self._rails)
        steps = np.rint(np.log2(played.speeds) * _THREAD_COLOURS).tolist()
        of_colour: defaultdict[float, QPainterPath] = defaultdict(QPainterPath)
        for x, y, step in zip(above, below, steps, strict=True):
            path = of_colour[step]
            path.moveTo(x, top)
            path.cubicTo(x, middle, y, middle, y, bottom)
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
        height = max(area.bottom() - 26, area.top() + _BADGE_HEIGHT / 2 + 1)
        taken = 0.0  # up to where there are badges already
        for row in np.flatnonzero(laid.shown & (ends - begins >= _LEAST_BADGE)).tolist():
            place = self._project.place(row)
            speed = self._project.passage(place).speed
            text = written_speed(speed)
            text = f"◂ {text}" if self._project.shots[place.shot].backwards else text
            at = QPointF(middles[row], height)
            room = float(ends[row] - begins[row])
            taken = max(taken, self._draw_badge(at, text, room, taken, speed_colour(speed)))

    def _draw_badge(self, at: QPointF, text: str, room: float, taken: float, colour: QColor) -> float:
        """Draw it unless there is no room, and return where it ends."""
        painter = self._painter
        width = width_of(text, 10, 600) + 18
        left = min(at.x() - width / 2, self._rails.threads.right() - width - 1)  # whole, at the end too
        if width > room + _BADGE_ROOM or left < taken:
            return 0.0
        box = QRectF(left, at.y() - _BADGE_HEIGHT / 2, width, _BADGE_HEIGHT)
        painter.setPen(QPen(colour, 1.2))
        painter.setBrush(GROUND)
        painter.drawRoundedRect(box, _BADGE_HEIGHT / 2, _BADGE_HEIGHT / 2)
        write(painter, box, text, colour, 10, 600, Qt.AlignmentFlag.AlignHCenter)
        return box.right() + _BADGE_GAP

    def _sheet(self, enter: float, leave: float, left: float, right: float) -> QPainterPath:
        """What lies between the threads at both ends of a passage."""
        top, middle, bottom = _heights(self._rails)
        sheet = QPainterPath()
        sheet.moveTo(enter, top)
        sheet.cubicTo(enter, middle, left, middle, left, bottom)
        sheet.lineTo(right, bottom)
        sheet.cubicTo(right, middle, leave, middle, leave, top)
        return sheet


def shows_single_threads(rails: Rails, rate: float) -> bool:
    """Whether the result frames are far enough apart for every thread of each to be drawn."""
    return rails.result_scale / rate >= _SINGLE_FRAMES


def thread(rails: Rails, above: float, below: float) -> QPainterPath:
    """A thread from a place on the recorded rail to one on the result rail."""
    top, middle, bottom = _heights(rails)
    path = QPainterPath(QPointF(above, top))
    path.cubicTo(above, middle, below, middle, below, bottom)
    return path


def _heights(rails: Rails) -> tuple[float, float, float]:
    """Where threads begin, bend and end."""
    return rails.threads.top(), rails.threads.center().y(), rails.threads.bottom()
