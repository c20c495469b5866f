"""The framing of a shot, drawn on its recorded picture and dragged there."""

from dataclasses import replace
from fractions import Fraction

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPainterPath, QPen

from chronoxis.app.document.document import Document
from chronoxis.app.theme.theme import DIM, LIVE, TEXT, font
from chronoxis.core.model.composing import set_framings
from chronoxis.core.model.export_format import Size
from chronoxis.core.model.framing import LEAST_SIDE, Framing, View
from chronoxis.core.timing.timecode import format_time

_SHADE = QColor(22, 24, 27, 150)
_CORNER = 12.0  # pixels of the screen within which a corner is grasped
_KNOB = 4.0
_FINEST = 1000  # parts of a pixel


class FramingMarks:
    """Draws the views of the shot at the playhead, and turns drags into edits of its framing.

    A drag inside a view moves it, at a corner it grows or shrinks about the opposite one. With two or
    more steps, the one at the playhead is changed, or one is made there.
    """

    def __init__(self, document: Document) -> None:
        self._document = document
        self._grasp: tuple[View, QPointF, int] | None = None  # the view, where, and its corner or -1

    @property
    def shot(self) -> tuple[int, Size] | None:
        """Number of the shot at the playhead and the size of its pictures, if it can be framed."""
        plan = self._document.plan
        if plan is None or not self._document.planner.is_current:
            return None
        frame = min(self._document.result_frame, len(plan.schedule) - 1)
        number = int(plan.schedule.shots[frame])
        source = plan.sources[number]
        return (number, source.facts.picture.size) if source.has_pictures else None

    @property
    def share(self) -> Fraction:
        """How far the playhead is into the shot, from its first frame to its last."""
        plan, shot = self._document.plan, self.shot
        if plan is None or shot is None:
            return Fraction(0)
        first, stop = plan.frames_of(shot[0])
        return min(
            Fraction(max(0, self._document.result_frame - first), max(1, stop - first - 1)), Fraction(1)
        )

    def draw(self, painter: QPainter, shown: QRectF) -> None:
        """Draw on a picture that is shown in a rectangle of the screen."""
        shot = self.shot
        if shot is None:
            return
        number, size = shot
        framing = self._document.project.shots[number].framing
        view = framing.view(size, self.share)
        here = _on_screen(view, size, shown)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        outside = QPainterPath()
        outside.addRect(shown)
        outside.addRect(here)
        painter.fillPath(outside, _SHADE)
        painter.setFont(font(8))
        for place, step in enumerate(framing.steps if len(framing.steps) > 1 else ()):
            self._outline(painter, _on_screen(step.view, size, shown), place, len(framing.steps))
        painter.setPen(QPen(LIVE, 1.6))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRect(here)
        painter.setBrush(LIVE)
        for corner in _corners(here):
            painter.drawEllipse(corner, _KNOB, _KNOB)
        self._draw_budget(painter, shown, number)

    def _draw_budget(self, painter: QPainter, shown: QRectF, number: int) -> None:
        """What steadying leaves of the picture at least, if it is on."""
        steady = self._document.project.shots[number].steady
        if not steady.is_on:
            return
        aside, down = (steady.crop / 2 * side for side in (shown.width(), shown.height()))
        left = shown.adjusted(aside, down, -aside, -down)
        painter.setPen(QPen(TEXT, 1, Qt.PenStyle.DashLine))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRect(left)
        words = f"crop budget {steady.crop:.0%}"
        painter.drawText(left.adjusted(5, 2, 0, -3), Qt.AlignmentFlag.AlignBottom, words)

    @staticmethod
    def _outline(painter: QPainter, rect: QRectF, place: int, count: int) -> None:
        style = Qt.PenStyle.SolidLine if place == 0 else Qt.PenStyle.DashLine
        painter.setPen(QPen(DIM, 1, style))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRect(rect)
        name = "start" if place == 0 else "end" if place == count - 1 else f"step {place + 1}"
        painter.setPen(TEXT)
        painter.drawText(rect.adjusted(5, 2, 0, 0), Qt.AlignmentFlag.AlignLeft, name)

    def press(self, at: QPointF, shown: QRectF) -> bool:
        """Grasp what is there; whether there is anything."""
        shot = self.shot
        if shot is None or not shown.contains(at):
            return False
        number, size = shot
        view = self._document.project.shots[number].framing.view(size, self.share)
        here = _on_screen(view, size, shown)
        near = [(corner - at).manhattanLength() for corner in _corners(here)]
        corner = near.index(min(near)) if min(near) < _CORNER else -1
        if corner < 0 and not here.contains(at):
            return False
        self._grasp = view, at, corner
        self._document.begin_gesture("Framing")
        return True

    def drag(self, at: QPointF, shown: QRectF) -> None:
        """Move what is grasped to a point."""
        shot = self.shot
        if self._grasp is None or shot is None:
            return
        number, size = shot
        view, begin, corner = self._grasp
        way = (at - begin) * (size[0] / shown.width())
        across, down = _fraction(way.x()), _fraction(way.y())
        if corner < 0:
            moved = replace(view, left=view.left + across, top=view.top + down).within(size)
        else:
            moved = _grown(view, corner, across, down, size)
        self._place(number, moved)

    def release(self) -> None:
        """End the drag that is under way."""
        if self._grasp is not None:
            self._grasp = None
            self._document.end_gesture()

    def _place(self, number: int, view: View) -> None:
        framing, share = self._document.project.shots[number].framing, self.share
        at = share if len(framing.steps) > 1 else Fraction(0)
        placed = replace(framing, steps=()) if len(framing.steps) < 2 else framing
        self._document.apply("Framing", lambda p: set_framings(p, {number: placed.with_step(at, view)}))


def step_name(framing: Framing, place: int, length: Fraction) -> str:
    """What a step of a framing is called, in a shot that lasts so long."""
    if place == 0:
        return "start"
    return "end" if place == len(framing.steps) - 1 else format_time(framing.steps[place].at * length, 1)


def _grown(view: View, corner: int, across: Fraction, down: Fraction, size: Size) -> View:
    """A view of the same shape whose corner was dragged, the opposite one staying."""
    right, bottom = corner in (1, 2), corner in (2, 3)
    by = (across if right else -across) / view.width + (down if bottom else -down) / view.height
    fixed = (view.left if right else view.left + view.width), (view.top if bottom else view.top + view.height)
    room = (size[0] - fixed[0] if right else fixed[0]), (size[1] - fixed[1] if bottom else fixed[1])
    most = min(room[0] / view.width, room[1] / view.height)
    least = max(LEAST_SIDE / view.width, LEAST_SIDE / view.height)
    scale = max(min(1 + by / 2, most), min(least, most))
    width, height = view.width * scale, view.height * scale
    return View(
        fixed[0] if right else fixed[0] - width, fixed[1] if bottom else fixed[1] - height, width, height
    )


def _fraction(pixels: float) -> Fraction:
    return Fraction(round(pixels * _FINEST), _FINEST)


def _on_screen(view: View, size: Size, shown: QRectF) -> QRectF:
    across, down = shown.width() / size[0], shown.height() / size[1]
    return QRectF(
        shown.left() + float(view.left) * across,
        shown.top() + float(view.top) * down,
        float(view.width) * across,
        float(view.height) * down,
    )


def _corners(rect: QRectF) -> list[QPointF]:
    """Clockwise from the top left."""
    return [rect.topLeft(), rect.topRight(), rect.bottomRight(), rect.bottomLeft()]
