"""The recorded rail: ruler, filmstrip, shots and joints."""

from dataclasses import dataclass
from math import ceil

import numpy as np
from PySide6.QtCore import QLineF, QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPen, QPixmap

from chronoxis.app.document.known_footage import Pending
from chronoxis.app.theme.theme import CAUTION, DIM, GROUND, LIVE, TEXT, speed_colour
from chronoxis.app.weave.filmstrips import Filmstrips
from chronoxis.app.weave.laid import Laid
from chronoxis.app.weave.lettering import width_of, write
from chronoxis.app.weave.rails import Rails
from chronoxis.app.weave.rulers import draw_recorded_ruler
from chronoxis.app.weave.strip_painter import (
    GRIP_ROOM,
    boxes,
    draw_grip,
    draw_handle,
    draw_hatches,
    draw_tiles,
)
from chronoxis.app.weave.tiles import TILE, Tiles, recorded_tiles
from chronoxis.app.weave.trace_lane import Gains, draw_traces
from chronoxis.app.weave.traced import Traced
from chronoxis.core.model.project import Project
from chronoxis.core.timing.pace import Seconds
from chronoxis.core.timing.timecode import format_time
from chronoxis.core.traces.steady_course import SteadyCourse

_SHADE = QColor(22, 24, 27, 196)
_LEAST_FRAMES = 5.0  # pixels a recorded frame must have for its edges to be drawn
_FRAME_TICK = 7.0
_HANDLE_TEXT = 46.0
_LEAST_WAIT = 40.0  # pixels of a shot in which no words about what it waits for could stand
_LEAST_SHOT = 3.0  # pixels below which a shot is drawn without what lies beyond its points
_LEAST_OUTLINE = 8.0  # pixels below which a shot is drawn without a frame
_LEAST_FLAW, _FLAW_HEIGHT = 4.0, 5.0  # pixels of a mark where something is wrong
_LEAST_JOINT = 3.0  # pixels of a passage below which the joint at its end is not drawn
_LEAST_HANDLE = 6.0  # pixels of a passage below which it has no handle


@dataclass(frozen=True, eq=False)
class RecordedView:
    """What the recorded rail is drawn from.

    Attributes:
        laid: where the passages stand.
        chosen: numbers of the shots with a selected passage.
        waits: for each footage that its shots wait for, what that is and how far.
        flaws: for each footage, where something is wrong with it; recorded seconds, shape (flaws, 2).
        traced: what is known of the pictures of footage, by key.
        courses: for each shot, how the camera's path is steadied, as far as that is known.
        gains: for each shot, what its light is multiplied with, likewise.
        ratio: pixels of the screen per pixel.
    """

    project: Project
    rails: Rails
    laid: Laid
    strips: Filmstrips
    chosen: frozenset[int]
    waits: tuple[Pending | None, ...]
    flaws: tuple[Seconds, ...]
    traced: dict[str, Traced]
    courses: tuple[SteadyCourse | None, ...]
    gains: tuple[Gains | None, ...]
    ratio: float

    def looks(self) -> tuple[object, ...]:
        """What is equal for two views exactly if they look the same."""
        rows, rails = self.laid.rows, self.rails
        ends = np.append(np.flatnonzero(np.diff(rows.shots)), len(rows) - 1)
        speeds = rows.speeds[ends], rows.speeds[np.append(0, ends[:-1] + 1)]
        shots = self.project.shot_rows
        columns = (rows.shots, rows.enters, rows.leaves, shots.directions, shots.footage, *speeds)
        return (
            *(column.tobytes() for column in columns),
            (rails.width, rails.recorded_view, rails.stretches, self.project.footage),
            (self.strips.version, self.chosen, self.waits, self.ratio),
            tuple(places.tobytes() for places in self.flaws),
            (rails.trace_lane, tuple(id(traced.trace) for traced in self.traced.values())),
            (tuple(map(id, self.courses)), tuple(map(id, self.gains))),
            tuple((shot.passers_by, shot.passers_apart) for shot in self.project.shots),
        )


class RecordedRail:
    """The recorded rail as a picture that is kept: what changes speeds leaves it as it is."""

    def __init__(self) -> None:
        self._looks: tuple[object, ...] = ()
        self._drawn: tuple[QPixmap, Tiles] | None = None

    def drawn(self, view: RecordedView) -> tuple[QPixmap, Tiles]:
        """The picture and the tiles in it."""
        looks = view.looks()
        if self._drawn is None or looks != self._looks:
            tiles = recorded_tiles(view.project, view.rails)
            self._drawn, self._looks = (_picture(view, tiles), tiles), looks
        return self._drawn


def _picture(view: RecordedView, tiles: Tiles) -> QPixmap:
    rails = view.rails
    picture = QPixmap(round(rails.width * view.ratio), ceil(rails.threads.top() * view.ratio))
    picture.setDevicePixelRatio(view.ratio)
    picture.fill(GROUND)
    painter = QPainter(picture)
    try:
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        draw_recorded_ruler(painter, rails, view.project)
        _draw_strip(painter, view, tiles)
        draw_traces(painter, rails, view.project, view.traced, view.courses, view.gains)
    finally:
        painter.end()  # Qt ends the program if the picture goes before its painter does
    return picture


def _draw_strip(painter: QPainter, view: RecordedView, tiles: Tiles) -> None:
    row = view.rails.recorded
    painter.save()
    painter.setClipRect(row)
    draw_tiles(painter, view.strips, tiles, row)
    _draw_shots(painter, view)
    _draw_frames(painter, view)
    _draw_flaws(painter, view)
    painter.restore()
    _draw_joints(painter, view)
    if any(view.waits):
        _draw_waits(painter, view)


def _draw_flaws(painter: QPainter, view: RecordedView) -> None:
    """A mark at the foot of the rail wherever something is wrong with what was recorded there."""
    rails, row, footage = view.rails, view.rails.recorded, view.project.shot_rows.footage
    flawed = {number for number, places in enumerate(view.flaws) if len(places)}
    for shot, low, high in rails.parts_shown() if flawed else ():
        if int(footage[shot]) not in flawed:
            continue
        places = view.flaws[int(footage[shot])]
        there = places[(places[:, 1] >= low) & (places[:, 0] <= high)]
        shots = np.full(len(there), shot)
        lefts, rights = (rails.recorded_xs(shots, side) for side in there.T)
        for left, right in zip(lefts.tolist(), rights.tolist(), strict=True):
            wide = max(right - left, _LEAST_FLAW)
            mark = QRectF((left + right - wide) / 2, row.bottom() - _FLAW_HEIGHT, wide, _FLAW_HEIGHT)
            painter.fillRect(mark, CAUTION)


def _draw_waits(painter: QPainter, view: RecordedView) -> None:
    """On each shot whose footage waits for something, what that is, where there is room."""
    rails, row, footage = view.rails, view.rails.recorded, view.project.shot_rows.footage
    shots = rails.stretches_shown()
    lefts, rights = (rails.recorded_xs(shots, part) for part in rails.visible_parts(shots))
    wide = np.flatnonzero((rights - lefts > _LEAST_WAIT) | (len(shots) == 1))
    for shot, left, right in zip(*(part[wide].tolist() for part in (shots, lefts, rights)), strict=True):
        pending = view.waits[int(footage[shot])]
        if pending is None:
            continue
        text = f"{pending.doing} {pending.share:.0%}"
        box = QRectF(left + 10, row.center().y() - 11, width_of(text, 9) + 16, 22)
        if box.right() <= right or len(shots) == 1:
            painter.fillRect(box, GROUND)
            write(painter, box, text, TEXT, 9, align=Qt.AlignmentFlag.AlignHCenter)


def _draw_shots(painter: QPainter, view: RecordedView) -> None:
    """What lies beyond the shots' points dimmed, what plays backwards hatched, and their frames."""
    rails, row, rows = view.rails, view.rails.recorded, view.laid.rows
    shots = rails.stretches_shown(_LEAST_SHOT)
    lefts, rights = (rails.recorded_xs(shots, part) for part in rails.stretch_parts(shots))
    starts, stops = np.searchsorted(rows.shots, shots), np.searchsorted(rows.shots, shots, "right") - 1
    begins, ends = np.sort([view.laid.enter[starts], view.laid.leave[stops]], axis=0)
    beyond = rights - lefts > ends - begins + 2
    backwards = view.project.shot_rows.directions[shots] < 0
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(_SHADE)
    painter.drawRects(boxes(row, lefts[beyond], begins[beyond]) + boxes(row, ends[beyond], rights[beyond]))
    draw_hatches(painter, row, begins[backwards], ends[backwards])
    wide = np.flatnonzero(ends - begins > _LEAST_OUTLINE)
    for place in wide.tolist():
        number, begin, end = int(shots[place]), float(begins[place]), float(ends[place])
        if end - begin > _HANDLE_TEXT:
            _draw_room(painter, view, number, begin, end)
        _draw_outline(painter, row, begin, end, chosen=number in view.chosen)
        if end - begin >= GRIP_ROOM:
            first, last = rows.speeds[starts[place]], rows.speeds[stops[place]]
            if backwards[place]:
                first, last = last, first
            draw_grip(painter, begin, row, 1, speed_colour(float(first)))
            draw_grip(painter, end, row, -1, speed_colour(float(last)))


def _draw_outline(painter: QPainter, row: QRectF, begin: float, end: float, *, chosen: bool) -> None:
    painter.setPen(QPen(LIVE if chosen else DIM, 1.5 if chosen else 1))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.drawRect(QRectF(begin, row.top() + 1, end - begin, row.height() - 2))


def _draw_room(painter: QPainter, view: RecordedView, number: int, begin: float, end: float) -> None:
    """How much recorded material remains beyond the points."""
    shot, row = view.project.shots[number], view.rails.recorded
    left = float(shot.in_point)
    right = float(view.project.footage_of(shot).length - shot.out_point)
    stretch = view.rails.stretches[number]
    if left > 0.05 and begin - view.rails.recorded_x(number, stretch.first) > _HANDLE_TEXT:
        box = QRectF(begin - 64, row.top(), 58, row.height())
        write(painter, box, f"−{format_time(left)}", DIM, align=Qt.AlignmentFlag.AlignRight)
    if right > 0.05 and view.rails.recorded_x(number, stretch.last) - end > _HANDLE_TEXT:
        write(painter, QRectF(end + 6, row.top(), 58, row.height()), f"+{format_time(right)}", DIM)


def _draw_joints(painter: QPainter, view: RecordedView) -> None:
    laid, row = view.laid, view.rails.recorded
    there = laid.inner & (laid.leave >= row.left()) & (laid.leave <= row.right())
    widths = np.abs(laid.leave - laid.enter)
    lines = [
        QLineF(x, row.top(), x, row.bottom()) for x in laid.leave[there & (widths > _LEAST_JOINT)].tolist()
    ]
    painter.setPen(QPen(TEXT, 1))
    painter.drawLines(lines)
    for x in laid.leave[there & (widths > _LEAST_HANDLE)].tolist():
        draw_handle(painter, x, row)


def _draw_frames(painter: QPainter, view: RecordedView) -> None:
    """The edges of single recorded frames: ticks, or all of the way where frames are as wide as tiles."""
    rails, row = view.rails, view.rails.recorded
    widths = {f.key: rails.recorded_scale / float(f.rate) for f in view.project.footage}
    if max(widths.values()) < _LEAST_FRAMES:
        return
    painter.setPen(QPen(GROUND, 1))
    for number, low, high in rails.parts_shown():
        width = widths[view.project.shots[number].footage]
        if width < _LEAST_FRAMES:
            continue
        rate = rails.recorded_scale / width
        top = row.top() if width >= TILE else row.bottom() - _FRAME_TICK
        for frame in range(ceil(low * rate - 1e-6), int(high * rate) + 1):
            x = rails.recorded_x(number, frame / rate)
            painter.drawLine(QPointF(x, top), QPointF(x, row.bottom()))
