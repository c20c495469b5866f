"""The Weave: recorded rail above, result rail below, threads between them, worked by hand."""

import time
from collections.abc import Callable
from fractions import Fraction

from PySide6.QtCore import QEvent, QPointF, QRectF, QSize, Qt, QTimer, Signal
from PySide6.QtGui import (
    QContextMenuEvent,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPixmap,
    QResizeEvent,
    QWheelEvent,
)
from PySide6.QtWidgets import QSizePolicy, QWidget

from chronoxis.app.document.document import Document
from chronoxis.app.measuring.found_lulls import FoundLulls
from chronoxis.app.measuring.picture_traces import PictureTraces
from chronoxis.app.measuring.proposed_pace import ProposedPace
from chronoxis.app.measuring.sound_traces import SoundTraces
from chronoxis.app.theme.theme import DIM, GROUND, font, scaled
from chronoxis.app.weave.filmstrips import Filmstrips
from chronoxis.app.weave.grasping import AnyDrag, Graspable, cursor_of
from chronoxis.app.weave.grips import Drag, Grip, recorded_moment
from chronoxis.app.weave.join_grips import JoinDrag
from chronoxis.app.weave.laid import lay
from chronoxis.app.weave.lull_brackets import LullDrag, draw_brackets, lull_at
from chronoxis.app.weave.pace_curve import draw_curve, draw_proposed
from chronoxis.app.weave.picking import passage_at, pick
from chronoxis.app.weave.playheads import draw_playheads, draw_readout
from chronoxis.app.weave.rail_views import RailViews
from chronoxis.app.weave.rails import RULER, Rails, SpeedAxis, Stretch, stretches_of
from chronoxis.app.weave.recorded_rail import RecordedRail, RecordedView
from chronoxis.app.weave.result_rail import draw_ready, draw_result
from chronoxis.app.weave.rulers import draw_result_ruler
from chronoxis.app.weave.sound_grips import SoundDrag
from chronoxis.app.weave.sound_lane import draw_sound, lane_height
from chronoxis.app.weave.threads import draw_threads, shows_single_threads
from chronoxis.app.weave.tiles import Tiles, result_tiles
from chronoxis.app.weave.trace_lane import LEAST_TRACES, moment_at
from chronoxis.app.weave.trace_lane import lane_height as trace_lane_height
from chronoxis.app.weave.traced import Traced, all_traced, flaws_of
from chronoxis.core.model.playing import played_at, result_time_of
from chronoxis.core.model.project import Project

_WHEEL_STEP = 1.25
_WISH_MS = 20  # milliseconds after a drawing in which its lacking pictures are asked for
_SOON_MS = 80  # milliseconds in which what comes in from the background is gathered before it is drawn
_SOON_RATIO = (
    5  # times as long as a drawing took, that it is gathered at least: a busy machine draws less often
)
_LEAST_HEIGHT = 220  # pixels of height
_RULER_FOR_TEXT = 15  # pixels of a ruler's height that grow with the text
_WITHOUT_LANE = 222  # pixels that all but the sound lane needs before that has any


class Weave(QWidget):
    """Shows the plan as two time axes and lets both be dragged.

    On the recorded rail a drag of an edge or joint changes which footage is used; on the result rail it
    changes how long a passage lasts, so its speed follows; on the pace curve it changes the speed.

    Signals:
        scrubbed: result seconds that a person pointed at.
        menu_wanted: a person wants to know what can be done here; global position.
        join_pressed: the handle of a join, by its number.
        passer_pressed: the mark of a passer-by: number of the shot, its recorded seconds, global position.
    """

    scrubbed = Signal(object)
    menu_wanted = Signal(object)
    passer_pressed = Signal(int, object, object)
    join_pressed = Signal(int)

    def __init__(
        self,
        document: Document,
        ready_frames: Callable[[], list[int]],
        sounds: SoundTraces,
        traces: PictureTraces,
        lulls: FoundLulls,
        proposed: ProposedPace,
    ) -> None:
        super().__init__()
        self._proposed = proposed
        self._document = document
        self._sounds, self._traces, self._lulls = sounds, traces, lulls
        self.lane_is_folded = False
        self._ready_frames = ready_frames
        self.strips = Filmstrips()
        self._drag: AnyDrag | None = None
        self._scrubs: str | None = None
        self._readout: tuple[QPointF, str] | None = None
        self.views = RailViews(document, self.rails, lambda rails: self._playhead_places(rails)[0])
        self._picture = QPixmap()
        self._stale = True
        self._drawing_seconds = 0.0  # that the last drawing took
        self._recorded = RecordedRail()
        self._latest: Rails | None = None
        self._stretches: tuple[Project, tuple[Stretch, ...], SpeedAxis] | None = None
        self._here: tuple[Project, float, int, float] | None = None  # what plays at the playhead
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName("Weave")
        self.setAccessibleDescription(
            "Recorded time above, result time below. I and O set the points at the playhead, D divides a "
            "passage there; Page Up and Page Down select passages; left and right step one result frame."
        )
        self.setToolTip(
            "Drag above to change which footage is used, below to change how long it lasts, the curve to "
            "change speed. Ctrl and the wheel zoom; Alt defeats snapping."
        )
        # Pictures come in quick succession, and drawing each by itself would hold up the next ones.
        self._soon = QTimer(self, singleShot=True)
        self._soon.timeout.connect(self.redraw)
        self.strips.added.connect(self._redraw_soon)
        self._tiles: tuple[Tiles, ...] = ()
        self._wish = QTimer(self, singleShot=True, interval=_WISH_MS)
        self._wish.timeout.connect(self._wish_pictures)
        self.views.changed.connect(self.redraw)
        for signal in (document.changed, document.selection.changed, document.footage_changed):
            signal.connect(self.redraw)
        document.selection.footage_chosen.connect(self.redraw)
        sounds.changed.connect(self._redraw_soon)
        traces.changed.connect(self._redraw_soon)
        lulls.changed.connect(self.update)
        proposed.changed.connect(self._show_proposed)
        document.playhead_moved.connect(lambda _: self.update())
        document.pending_changed.connect(self._redraw_soon)
        document.planned.connect(self._show_plan)

    def redraw(self) -> None:
        """Draw everything anew when next there is time."""
        self._stale = True
        self.update()

    def _show_proposed(self) -> None:
        """The axis of speeds spans what is proposed as well."""
        self._stretches = None
        self.redraw()

    def _redraw_soon(self) -> None:
        if not self._soon.isActive():
            self._soon.start(max(_SOON_MS, round(1000 * _SOON_RATIO * self._drawing_seconds)))

    def _show_plan(self) -> None:
        rails = self.rails()
        if rails is None:
            return
        plan = self._document.plan
        steadied = plan is not None and any(plan.steadied)
        if steadied or shows_single_threads(rails, float(self._document.project.rate)):
            self.redraw()

    @property
    def readout_text(self) -> str:
        """What the label at the pointer says, or nothing."""
        return self._readout[1] if self._readout else ""

    def close_workers(self) -> None:
        """Stop the work in the background."""
        self.strips.close()

    def sizeHint(self) -> QSize:
        return QSize(1280, 330)

    def minimumSizeHint(self) -> QSize:
        return QSize(600, _LEAST_HEIGHT + 2 * (_ruler() - RULER))

    def rails(self) -> Rails | None:
        """The present geometry, or None while there is nothing to show."""
        project = self._document.project
        if not project.shots:
            return None
        if self._drag is not None:
            return self._drag.rails
        if self._document.is_warming and self._latest is not None:
            return self._latest  # what is drawn still; its lengths are not known yet
        if self._stretches is None or self._stretches[0] is not project:
            proposed = [line.speeds for line in self._proposed.lines(project)]
            self._stretches = project, stretches_of(project), SpeedAxis.of(project, proposed)
        stretches = self._stretches[1]
        recorded, result = self.views.of(stretches[-1].end, float(project.result_length))
        lane = traces = 0
        if not self.lane_is_folded:
            room = self.height() - _WITHOUT_LANE
            traced = self._all_traced()
            least = trace_lane_height(traced, project, LEAST_TRACES)  # the sound gives way to that, if it can
            lane = lane_height(project, self._sounds, room - least) or lane_height(
                project, self._sounds, room
            )
            traces = trace_lane_height(traced, project, room - lane)
        axis = self._stretches[2]
        size = self.width(), self.height()
        self._latest = Rails(*size, stretches, recorded, result, axis, lane, traces, _ruler())
        return self._latest

    def paintEvent(self, _event: QPaintEvent) -> None:
        rails = self.rails()
        if rails is not None and self._stale and not self._document.is_warming:
            begun = time.monotonic()
            self._draw(rails)
            self._drawing_seconds = time.monotonic() - begun
            self._stale = False
        painter = QPainter(self)
        if rails is None:
            painter.fillRect(self.rect(), GROUND)
            painter.setPen(DIM)
            painter.setFont(font(11))
            text = "Recorded time above, result time below: both appear when a recording is open."
            painter.drawText(QRectF(self.rect()), Qt.AlignmentFlag.AlignCenter, text)
            return
        painter.drawPixmap(0, 0, self._picture)
        if self._lulls.is_wanted and not self._document.is_warming:
            draw_brackets(painter, rails, self._lulls)
        draw_ready(painter, rails, float(self._document.project.rate), self._ready_frames())
        draw_playheads(painter, rails, *self._playhead_places(rails))
        if self._readout:
            draw_readout(painter, rails, *self._readout)

    def _draw(self, rails: Rails) -> None:
        ratio = self.devicePixelRatioF()
        if self._picture.size() != self.size() * ratio:
            self._picture = QPixmap(self.size() * ratio)
            self._picture.setDevicePixelRatio(ratio)
        self._picture.fill(GROUND)
        document = self._document
        project, chosen = document.project, frozenset(place.shot for place in document.selection.places)
        laid = lay(project, rails, document.selection.places)
        waits = tuple(document.known.pending.get(footage.origin) for footage in project.footage)
        traced = self._all_traced()
        plan = document.plan
        unknown = (None,) * len(project.shots)
        known = plan if plan is not None and len(plan.steadied) == len(project.shots) else None
        courses, gains = (known.steadied, known.gains) if known is not None else (unknown, unknown)
        strips, flaws = self.strips, flaws_of(document)
        view = RecordedView(project, rails, laid, strips, chosen, waits, flaws, traced, courses, gains, ratio)
        (rail, above), below = self._recorded.drawn(view), result_tiles(project, rails)
        painter = QPainter(self._picture)
        try:
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
            painter.drawPixmap(0, 0, rail)
            draw_threads(painter, rails, project, laid, document.plan)
            draw_result(painter, rails, project, laid, self.strips, below)
            draw_result_ruler(painter, rails, project)
            draw_curve(painter, rails, project, laid)
            draw_proposed(painter, rails, self._proposed.lines(project))
            draw_sound(painter, rails, project, self._sounds, self._document.selection.music)
        finally:
            painter.end()  # Qt ends the program if the picture goes before its painter does
        self._tiles = above, below
        if not self._wish.isActive():
            self._wish.start()

    def fold_lane(self) -> None:
        """Fold the lanes of sound and traces away, or open them."""
        self.lane_is_folded = not self.lane_is_folded
        self.redraw()

    def passer_at_playhead(self) -> tuple[int, tuple[float, float]] | None:
        """The shot and the recorded seconds of the passer-by at the playhead, if there is one."""
        project = self._document.project
        if not project.shots:
            return None
        played = played_at(project, [float(self._document.playhead)])
        number, seconds = int(played.shots[0]), float(played.recorded[0])
        of = self._all_traced().get(project.shots[number].footage)
        moments = of.moments() if of is not None else []
        return next(((number, span) for span in moments if span[0] <= seconds < span[1]), None)

    def show_made(self, _result_frame: int) -> None:
        """Show that another frame of the preview is made."""
        self.update()

    def _all_traced(self) -> dict[str, Traced]:
        return all_traced(self._document, self._traces, self._sounds)

    def _wish_pictures(self) -> None:
        document = self._document
        met = (footage for footage in document.project.footage if footage.origin in document.known.facts)
        # A nested run has no pictures before all that it is made of is there.
        shown = (
            footage for footage in met if not footage.made_of or footage.origin in document.known.sources
        )
        known = [(footage, document.known.facts[footage.origin]) for footage in shown]
        opened = [(f.course, document.known.opened(f)) for f, _ in known]
        sources = {course: source for course, source in opened if source is not None}
        self.strips.want(self._tiles, {f.course: facts for f, facts in known}, sources)

    def _playhead_places(self, rails: Rails) -> tuple[float, float]:
        project, seconds = self._document.project, float(self._document.playhead)
        if self._document.is_warming and self._here is not None:
            return rails.recorded_x(*self._here[2:]), rails.result_x(self._here[1])
        if self._here is None or self._here[0] is not project or self._here[1] != seconds:
            played = played_at(project, [seconds])
            self._here = project, seconds, int(played.shots[0]), float(played.recorded[0])
        return rails.recorded_x(*self._here[2:]), rails.result_x(seconds)

    def resizeEvent(self, event: QResizeEvent) -> None:
        self._stale = True
        super().resizeEvent(event)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self._document.warm_now()
        rails, project, at = self.rails(), self._document.project, event.position()
        if rails is None or event.button() is not Qt.MouseButton.LeftButton:
            return
        draws = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        self._drag = self._graspable(rails).drag_at(at, draws=draws)
        if self._drag is not None:
            self._begin_drag(self._drag, event.modifiers())
            return
        if (lull := lull_at(rails, self._lulls, at)) is not None:
            self.scrubbed.emit(Fraction(result_time_of(project, lull.shot, lull.lull.begin)))
            return
        passer = None if self._lulls.is_wanted else moment_at(rails, project, self._all_traced(), at)
        if passer is not None:
            self.passer_pressed.emit(*passer, event.globalPosition().toPoint())
            return
        self._scrubs = "recorded" if rails.is_in_recorded(at) else "result"
        place = passage_at(self._document.project, rails, at)
        if (
            place is not None
            and not rails.recorded_ruler.contains(at)
            and not rails.result_ruler.contains(at)
        ):
            pick(self._document.selection, project, place, event.modifiers())
        if not rails.threads.contains(at):
            self._scrub(at, self._scrubs)

    def _graspable(self, rails: Rails) -> Graspable:
        return Graspable(self._document, rails, self._sounds.beats.times, self._lulls)

    def _begin_drag(self, drag: AnyDrag, modifiers: Qt.KeyboardModifier) -> None:
        """What is grasped is chosen; all that is done with it until it is let go of is one step of undo."""
        self._document.begin_gesture(drag.label)
        if isinstance(drag, SoundDrag):
            music = drag.held.music
            self._document.selection.choose_footage(self._document.project.music[music].footage, music)
        elif isinstance(drag, JoinDrag):
            self.join_pressed.emit(drag.held.join)
        elif isinstance(drag, Drag) and drag.held.grip is Grip.LEVEL:
            pick(self._document.selection, self._document.project, drag.held.place, modifiers)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        rails, at = self.rails(), event.position()
        if self._drag is not None:
            exact = bool(event.modifiers() & Qt.KeyboardModifier.AltModifier)
            self._document.apply(self._drag.label, self._drag.edit(at, exact=exact))
            self._readout = (at, self._drag.outcome(self._document.project))
            self.redraw()
        elif self._scrubs:
            self._scrub(at, self._scrubs)
        elif rails is not None:
            draws = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
            self.setCursor(cursor_of(self._graspable(rails).drag_at(at, draws=draws)))

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        drag, self._drag, self._readout, self._scrubs = self._drag, None, None, None
        if drag is not None:
            self._document.end_gesture()
            stayed = self._document.project is drag.project
            if stayed and isinstance(drag, Drag) and drag.held.mark is not None:
                self._scrub(event.position(), "recorded" if drag.held.mark[0] else "result")
            elif stayed and isinstance(drag, LullDrag):
                self._scrub(event.position(), "recorded")
        self.redraw()

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        self.mousePressEvent(event)
        if self._drag is None and self._document.selection.places:
            self.views.zoom_to_selection()

    def wheelEvent(self, event: QWheelEvent) -> None:
        rails = self.rails()
        if rails is None or self._drag is not None:
            return
        turned = (event.angleDelta().y() or event.angleDelta().x()) / 120
        at = event.position()
        if event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            both = not (rails.is_in_recorded(at) or rails.is_in_result(at))
            self.views.zoom(_WHEEL_STEP**-turned, None if both else at)
        else:
            self.views.move(turned, at)

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        rails, at = self.rails(), QPointF(event.pos())
        if rails is None:
            return
        place = passage_at(self._document.project, rails, at)
        if place is not None and place not in self._document.selection.places:
            self._document.selection.select([place])
        self.menu_wanted.emit(event.globalPos())

    def event(self, event: QEvent) -> bool:
        # During a drag, Escape is ours before it is the window's.
        if event.type() is QEvent.Type.ShortcutOverride and self._drag:
            event.accept()
            return True
        return super().event(event)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if self._drag and event.key() == Qt.Key.Key_Escape:
            self._drag, self._readout = None, None
            self._document.abandon_gesture()
            self.redraw()
            return
        super().keyPressEvent(event)

    def _scrub(self, at: QPointF, rail: str) -> None:
        rails = self.rails()
        if rails is None:
            return
        if rail == "recorded":
            self.scrubbed.emit(recorded_moment(self._document.project, rails, at.x()))
        else:
            self.scrubbed.emit(rails.result_time(at.x()))


def _ruler() -> int:
    return max(RULER, scaled(_RULER_FOR_TEXT))
