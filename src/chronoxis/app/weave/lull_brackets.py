"""Lulls as brackets over the recorded rail and its traces: drawn, and worked by hand."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from enum import Enum
from fractions import Fraction

import numpy as np
from PySide6.QtCore import QLineF, QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPen

from chronoxis.app.measuring.found_lulls import FoundLulls, ShotLull, exact
from chronoxis.app.theme.theme import DIM, LIVE, TEXT
from chronoxis.app.weave.grips import Edit, snapped
from chronoxis.app.weave.lettering import width_of, write
from chronoxis.app.weave.rails import GRIP, Rails
from chronoxis.core.model import lull_acts, lull_marks
from chronoxis.core.model.footage import Footage
from chronoxis.core.model.project import Project
from chronoxis.core.timing.lulls import Lull
from chronoxis.core.timing.timecode import format_time

_VEIL_COLOUR = QColor(22, 24, 27, 118)
_FOOT_WIDTH = 5.0  # pixels of a bracket's feet
_LEAST_BRACKET = 3.0  # pixels of a lull below which it is one line
_LEAST_FOR_TEXT, _ROOM_BESIDE_TEXT = 36.0, 12.0  # pixels


class LullGrip(Enum):
    """What of a lull is grasped; its value names the step of undo."""

    BEGIN = "Move begin of lull"
    END = "Move end of lull"
    NEW = "Draw lull"


@dataclass(frozen=True)
class HeldLull:
    """A lull that is grasped; of a new one, the moment where it was begun is both of its ends."""

    grip: LullGrip
    shot: int
    lull: Lull


def draw_brackets(painter: QPainter, rails: Rails, found: FoundLulls) -> None:
    """Draw what is a lull, and, dashed, what was refused."""
    row, every = _row(rails), found.all()
    painter.save()
    painter.setClipRect(row)
    _draw_refused(painter, rails, found.refused())
    shots = np.array([each.shot for each in every], np.int64)
    spans = np.array([each.lull for each in every], np.float64).reshape(-1, 2)
    lefts, rights = (rails.recorded_xs(shots, side) for side in spans.T)
    seen = np.flatnonzero((rights >= row.left()) & (lefts <= row.right()))
    ends = list(zip(lefts[seen].tolist(), rights[seen].tolist(), strict=True))
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(_VEIL_COLOUR)
    painter.drawRects([QRectF(x, row.top(), max(end - x, 1.0), row.height()) for x, end in ends])
    painter.setPen(QPen(TEXT, 1.5))
    painter.drawLines([line for x, end in ends for line in _bracket(row, x, end)])
    chosen = found.at_playhead()
    if chosen is not None:
        painter.setPen(QPen(LIVE, 2))
        painter.drawLines(_bracket(row, *_places(rails, chosen)))
    for number in seen[(rights - lefts)[seen] > _LEAST_FOR_TEXT].tolist():
        _write_length(painter, rails, float(lefts[number]), float(rights[number]), every[number].lull)
    painter.restore()


def _bracket(row: QRectF, left: float, right: float) -> list[QLineF]:
    top, bottom = row.top() + 1, row.bottom() - 1
    if right - left < _LEAST_BRACKET:
        return [QLineF(left, top, left, bottom)]
    foot, lines = min(_FOOT_WIDTH, (right - left) / 3), []
    for x, way in ((left, foot), (right, -foot)):
        lines += [QLineF(x, top, x, bottom), QLineF(x, top, x + way, top), QLineF(x, bottom, x + way, bottom)]
    return lines


def _write_length(painter: QPainter, rails: Rails, left: float, right: float, lull: Lull) -> None:
    text = format_time(lull.end - lull.begin)
    if right - left > width_of(text, 8) + _ROOM_BESIDE_TEXT:
        box = QRectF(left, rails.recorded.top(), right - left, rails.recorded.height())
        write(painter, box, text, TEXT, 8, align=Qt.AlignmentFlag.AlignHCenter)


def _draw_refused(painter: QPainter, rails: Rails, refused: Sequence[ShotLull]) -> None:
    row = _row(rails)
    painter.setPen(QPen(DIM, 1, Qt.PenStyle.DashLine))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    for each in refused:
        left, right = _places(rails, each)
        painter.drawRect(QRectF(left, row.top() + 1, right - left, row.height() - 2))


def _places(rails: Rails, each: ShotLull) -> tuple[float, float]:
    return rails.recorded_x(each.shot, each.lull.begin), rails.recorded_x(each.shot, each.lull.end)


def _row(rails: Rails) -> QRectF:
    return rails.recorded.united(rails.traces) if rails.trace_lane else rails.recorded


def lull_grip_at(rails: Rails, found: FoundLulls, at: QPointF, *, draws: bool) -> HeldLull | None:
    """The end of a lull at a point; where there is none and something is to be drawn, a new one.

    On the lane of traces one is drawn wherever there is no lull yet.
    """
    if not found.is_wanted or not _row(rails).contains(at):
        return None
    for each in found.all():
        ends = zip((LullGrip.BEGIN, LullGrip.END), _places(rails, each), strict=True)
        for grip, x in sorted(ends, key=lambda end: abs(end[1] - at.x())):
            if abs(x - at.x()) <= GRIP:
                return HeldLull(grip, each.shot, each.lull)
    number = rails.shot_at(at.x())
    second = float(rails.recorded_time(number, at.x()))
    in_lane = rails.trace_lane and rails.traces.contains(at)
    if not (draws or (in_lane and lull_at(rails, found, at) is None)) or not found.takes(number):
        return None
    return HeldLull(LullGrip.NEW, number, Lull(second, second))


def lull_at(rails: Rails, found: FoundLulls, at: QPointF) -> ShotLull | None:
    """The lull at a point of the lane of traces."""
    if not found.is_wanted or not rails.trace_lane or not rails.traces.contains(at):
        return None
    return next((e for e in found.all() if _places(rails, e)[0] <= at.x() < _places(rails, e)[1]), None)


@dataclass(frozen=True)
class LullDrag:
    """A drag under way.

    Attributes:
        held: what is dragged.
        project: the value at its beginning.
        rails: the geometry at its beginning.
        playhead: the shot and the recorded second at the playhead, if that is a selected one.
        on_frame: gives when the frame begins that is nearest to a recorded second of footage.
    """

    held: HeldLull
    project: Project
    rails: Rails
    playhead: tuple[int, float] | None
    on_frame: Callable[[Footage, Fraction], Fraction]

    @property
    def label(self) -> str:
        """The label of its step of undo."""
        return self.held.grip.value

    def edit(self, at: QPointF, *, exact: bool) -> Edit:
        """The edit that the drag amounts to; ``exact`` defeats snapping."""
        footage = self.project.footage_of(self.project.shots[self.held.shot])
        before, to = self._before(), self._to(at, exact=exact)
        if self.held.grip is LullGrip.NEW and to[0] == to[1]:
            return lambda project: project
        return lambda project: lull_marks.stretch(project, footage.key, before, to)

    def outcome(self, now: Project) -> str:
        """Where the lull lies now, for the label at the pointer."""
        begin, end = self._now(now)
        return f"{format_time(begin, 2)} – {format_time(end, 2)} · {format_time(end - begin, 2)}"

    def _before(self) -> tuple[Fraction, Fraction]:
        return exact(self.held.lull)

    def _to(self, at: QPointF, *, exact: bool) -> tuple[Fraction, Fraction]:
        footage = self.project.footage_of(self.project.shots[self.held.shot])
        least = lull_acts.LEAST_FRAMES / footage.rate
        begin, end = self._before()
        moment = self._moment(at, exact=exact)
        match self.held.grip:
            case LullGrip.BEGIN:
                return min(moment, end - least), end
            case LullGrip.END:
                return begin, max(moment, begin + least)
        first = self.on_frame(footage, begin)
        return min(first, moment), max(first, moment)

    def _moment(self, at: QPointF, *, exact: bool) -> Fraction:
        number = self.held.shot
        shot = self.project.shots[number]
        moment = self.rails.recorded_time(number, at.x())
        if exact:
            return moment
        others = [shot.in_point, shot.out_point]
        if self.playhead is not None and self.playhead[0] == number:
            others.append(Fraction(self.playhead[1]))
        footage = self.project.footage_of(shot)
        near = GRIP / self.rails.recorded_scale
        return snapped(moment, others, near, lambda moment: self.on_frame(footage, moment))

    def _now(self, now: Project) -> tuple[Fraction, Fraction]:
        """The lull that was made of what is dragged."""
        before = self._before()
        judged = now.footage_of(now.shots[self.held.shot]).judged
        spans = [span for each in judged for span in each.lulls]
        kept = {LullGrip.BEGIN: 1, LullGrip.END: 0}.get(self.held.grip)
        if kept is not None:
            return next((span for span in spans if span[kept] == before[kept]), before)
        return min(spans, key=lambda span: min(abs(edge - before[0]) for edge in span), default=before)
