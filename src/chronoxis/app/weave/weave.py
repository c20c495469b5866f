"""The Weave: recorded rail above, result rail below, threads between them, worked by hand."""

from collections.abc import Callable
from fractions import Fraction

from PySide6.QtCore import QEvent, QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent
from PySide6.QtWidgets import QSizePolicy, QWidget

from chronoxis.app.document import Document
from chronoxis.app.theme.theme import DIM, GROUND, font
from chronoxis.app.weave.filmstrips import Filmstrips
from chronoxis.app.weave.rails import GRIP, Rails
from chronoxis.app.weave.weave_painter import WeavePainter
from chronoxis.core.model import edits
from chronoxis.core.timing.speed import format_speed
from chronoxis.core.timing.timecode import format_time

_STRIP_PLACES = 48


class Weave(QWidget):
    """Shows the plan as two time axes and lets both be dragged.

    On the recorded rail a drag of an edge changes which footage is used; on the result rail it changes
    how long the result lasts, so the speed follows.

    Signals:
        scrubbed: result seconds that a person pointed at.
    """

    scrubbed = Signal(object)

    def __init__(self, document: Document, ready_frames: Callable[[], list[int]]) -> None:
        super().__init__()
        self._document = document
        self._ready_frames = ready_frames
        self._strips = Filmstrips()
        self._strips.added.connect(self.update)
        self._drag: str | None = None
        self._start: tuple[Fraction, Fraction, Fraction, Fraction] | None = None
        self._readout: tuple[QPointF, str] | None = None
        self._counting: float | None = None
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName("Weave")
        self.setAccessibleDescription(
            "Recorded time above, result time below. I and O set the points at the playhead; "
            "left and right step one result frame."
        )
        self.setToolTip(
            "Drag an edge above to change which footage is used, the edge below to change how long it lasts"
        )
        document.changed.connect(self.update)
        document.playhead_moved.connect(lambda _: self.update())

    def follow_recording(self) -> None:
        """Make the filmstrip of the document's recording."""
        if self._document.facts:
            self._strips.follow(self._document.facts, _STRIP_PLACES)

    def show_counting(self, share: float | None) -> None:
        """Say how far the counting of frames is; None once it is over."""
        self._counting = share
        self.update()

    def close_workers(self) -> None:
        """Stop the work in the background."""
        self._strips.close()

    def sizeHint(self) -> QSize:
        return QSize(1280, 330)

    def minimumSizeHint(self) -> QSize:
        return QSize(600, 230)

    def rails(self) -> Rails | None:
        """The present geometry, or None while there is nothing to show."""
        project = self._document.project
        if project.shot is None:
            return None
        length = (
            self._start[3] if self._drag == "result-end" and self._start else project.reckoner.result_length
        )
        return Rails(self.width(), self.height(), float(project.shot.footage.length), float(length))

    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), GROUND)
        rails, shot = self.rails(), self._document.project.shot
        if rails is None or shot is None:
            painter.setPen(DIM)
            painter.setFont(font(11))
            text = "Recorded time above, result time below: both appear when a recording is open."
            painter.drawText(QRectF(self.rect()), Qt.AlignmentFlag.AlignCenter, text)
            return
        weave = WeavePainter(painter, rails, shot, self._strips)
        plan = self._document.plan
        weave.draw_recorded(self._counting)
        weave.draw_threads(plan)
        weave.draw_result(self._ready_frames(), self._document.project.rate)
        recorded = float(shot.in_point) + float(shot.pace.recorded_at(float(self._document.playhead)))
        weave.draw_playheads(recorded, float(self._document.playhead))
        weave.draw_speed(float(self._document.playhead))
        if self._readout:
            weave.draw_readout(*self._readout)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        rails, shot = self.rails(), self._document.project.shot
        if rails is None or shot is None or event.button() is not Qt.MouseButton.LeftButton:
            return
        state = self._document.project.reckoner
        self._start = (shot.in_point, shot.out_point, state.speed, state.result_length)
        self._drag = self._edge_at(event.position()) or self._rail_at(event.position())
        labels = {"in": "Move in point", "out": "Move out point", "result-end": "Change result length"}
        if self._drag in labels:
            self._document.begin_gesture(labels[self._drag])
        else:
            self._scrub(event.position())

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        at = event.position()
        if self._drag is None:
            edge = self._edge_at(at)
            self.setCursor(Qt.CursorShape.SizeHorCursor if edge else Qt.CursorShape.ArrowCursor)
        elif self._drag in ("in", "out"):
            self._move_point(at, exact=bool(event.modifiers() & Qt.KeyboardModifier.AltModifier))
        elif self._drag == "result-end":
            self._stretch(at)
        else:
            self._scrub(at)

    def mouseReleaseEvent(self, _event: QMouseEvent) -> None:
        drag, self._drag, self._readout = self._drag, None, None
        if drag in ("in", "out", "result-end"):
            self._document.end_gesture()
        self.update()

    def event(self, event: QEvent) -> bool:
        # During a drag, Escape is ours before it is the window's.
        if event.type() is QEvent.Type.ShortcutOverride and self._drag:
            event.accept()
            return True
        return super().event(event)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if self._drag and event.key() == Qt.Key.Key_Escape:
            drag, self._drag, self._readout = self._drag, None, None
            if drag in ("in", "out", "result-end"):
                self._document.end_gesture()
                self._document.undo()
            return
        super().keyPressEvent(event)

    def _edge_at(self, at: QPointF) -> str | None:
        rails, shot = self.rails(), self._document.project.shot
        if rails is None or shot is None:
            return None
        if rails.recorded.contains(at):
            places = {
                "in": rails.recorded_x(float(shot.in_point)),
                "out": rails.recorded_x(float(shot.out_point)),
            }
            name = min(places, key=lambda edge: abs(places[edge] - at.x()))
            return name if abs(places[name] - at.x()) <= GRIP else None
        near_end = abs(rails.result.right() - at.x()) <= GRIP
        return "result-end" if near_end and rails.result.top() <= at.y() <= rails.result.bottom() else None

    def _rail_at(self, at: QPointF) -> str | None:
        rails = self.rails()
        if rails is None:
            return None
        return "recorded" if rails.is_in_recorded(at) else "result" if rails.is_in_result(at) else None

    def _move_point(self, at: QPointF, *, exact: bool) -> None:
        rails, shot = self.rails(), self._document.project.shot
        assert rails and shot and self._start
        time = self._snapped(rails.recorded_time(at.x()), exact=exact)
        frame = 1 / shot.footage.rate
        if self._drag == "in":
            points = min(time, shot.out_point - frame), shot.out_point
        else:
            points = shot.in_point, max(time, shot.in_point + frame)
        self._document.apply("Move point", lambda project: edits.set_points(project, *points))
        self._say(at, points[0] if self._drag == "in" else points[1])

    def _snapped(self, time: Fraction, *, exact: bool) -> Fraction:
        """To the playhead's or a recorded frame's beginning; not at all with Alt held."""
        index, shot = self._document.index, self._document.project.shot
        if exact or shot is None or index is None:
            return time
        if time >= shot.footage.length - 1 / shot.footage.rate / 2:
            return shot.footage.length
        edge = float(index.edges[index.frame_at(float(time))])
        return (
            Fraction(round(edge * shot.footage.rate)) / shot.footage.rate
            if not index.variable
            else Fraction(edge)
        )

    def _stretch(self, at: QPointF) -> None:
        rails = self.rails()
        assert rails and self._start
        share = (at.x() - rails.result.left()) / rails.result.width()
        rate = self._document.project.rate
        wished = max(Fraction(round(Fraction(max(share, 0.0)) * self._start[3] * rate)), Fraction(1)) / rate
        self._document.apply(
            "Change length", lambda project: edits.set_result_length_by_drag(project, wished)
        )
        self._say(at, None)

    def _say(self, at: QPointF, point: Fraction | None) -> None:
        """Old → new, at the pointer."""
        assert self._start
        state = self._document.project.reckoner
        _, _, speed, result_length = self._start
        head = f"{format_time(point, 2)}  ·  " if point is not None else ""
        lengths = f"{format_time(result_length)} → {format_time(state.result_length)}"
        speeds = f"{format_speed(speed)} → {format_speed(state.speed)}" if state.speed != speed else ""
        self._readout = (at, f"{head}{lengths}" + (f"  ·  {speeds}" if speeds else ""))
        self.update()

    def _scrub(self, at: QPointF) -> None:
        rails, shot = self.rails(), self._document.project.shot
        assert rails and shot
        if self._drag == "recorded":
            recorded = rails.recorded_time(at.x()) - shot.in_point
            self.scrubbed.emit(Fraction(max(0.0, float(shot.pace.result_at(float(recorded))))))
        elif self._drag == "result":
            self.scrubbed.emit(rails.result_time(at.x()))
