"""The lane of traces under the recorded rail: motion, change, light, who speaks, and who passes by."""

from bisect import bisect_left
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt
from PySide6.QtCore import QLineF, QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPen, QPolygonF

from chronoxis.app.theme.theme import CAUTION, DIM, LIVE, PANEL, SOUND, SOUND_GROUND, TEXT
from chronoxis.app.weave.lettering import width_of, write
from chronoxis.app.weave.rails import Rails
from chronoxis.app.weave.traced import Traced
from chronoxis.core.model.project import Project
from chronoxis.core.timing.frame_making import PassersBy
from chronoxis.core.timing.pace import Seconds
from chronoxis.core.traces.picture_trace import PictureTrace
from chronoxis.core.traces.speech import WINDOW_SECONDS
from chronoxis.core.traces.steady_course import SteadyCourse

_WISHED_HEIGHT = 26  # pixels
_COLUMN_WIDTH = 2  # pixels of each place at which something is drawn
_MOST_MOTION = 0.06  # mean difference of codes that fills the lane
_MOST_CHANGE = 0.35  # change of a part of the picture that fills the lane
_SPOKEN_PROBABILITY = 0.2  # probability from which on somebody speaks
_SPEECH_STRIP = 2  # pixels of the strip that says so
_CHANGE_COLOUR = QColor("#8FA6BE")
_LIGHT_COLOUR = QColor("#E9DDB8")
_RAW_LIGHT_COLOUR = QColor("#8B846C")
_RAW_PATH_COLOUR = QColor("#6F8F88")
_FITTING_SHARE = 0.98  # of a path, that fits the lane
_PASSER_MARK = 4  # pixels of a passer-by's mark
_HANDLED_COLOURS = {PassersBy.SKIP: QColor("#7F7052"), PassersBy.CLEAR: QColor("#7AD3BE")}

Gains = npt.NDArray[np.float32]
"""What the light of a source's frames is multiplied with, shape (frames, 3)."""

LEAST_TRACES = 16
"""Pixels of the lane below which it says nothing."""


def lane_height(traced: dict[str, Traced], project: Project, room: int) -> int:
    """Pixels that the lane has, where there is so much room for it."""
    if not any(shot.footage in traced for shot in project.shots):
        return 0
    given = min(_WISHED_HEIGHT, room)
    return given if given >= LEAST_TRACES else 0


def draw_traces(
    painter: QPainter,
    rails: Rails,
    project: Project,
    traced: dict[str, Traced],
    courses: Sequence[SteadyCourse | None],
    gains: Sequence[Gains | None],
) -> None:
    """Draw the lane; where a shot is steadied or evened out, as it was and as it will be.

    ``courses`` and ``gains`` are those of each shot, as far as they are known.
    """
    if not rails.trace_lane:
        return
    row = rails.traces
    painter.fillRect(row, PANEL)
    painter.save()
    painter.setClipRect(row)
    shown = [
        (number, low, high)
        for number, low, high in rails.parts_shown(_COLUMN_WIDTH)
        if project.shots[number].footage in traced
    ]
    if shown:
        for key, columns in _columns(rails, project, shown).items():
            of = traced[key]
            if of.trace is not None:
                _draw_footage(painter, rails, project, columns, of, of.trace, gains)
        for number, low, high in shown:
            if (course := courses[number]) is not None:
                of = traced[project.shots[number].footage]
                _draw_path(painter, rails, number, (low, high), of, course)
    speaks = any(len(of.sound.speech) for of in traced.values())
    _draw_names(painter, row, speech=speaks, path=any(courses))
    painter.restore()


@dataclass(frozen=True, eq=False)
class _Columns:
    """Places at which something is drawn of one footage; every array has their shape.

    Attributes:
        xs: pixels.
        seconds: recorded seconds there.
        shots: numbers of the shots that they are of, ascending.
        parts: each of these shots, with the recorded seconds of it that are to be seen.
    """

    xs: Seconds
    seconds: Seconds
    shots: npt.NDArray[np.int64]
    parts: list[tuple[int, float, float]]


def _columns(rails: Rails, project: Project, shown: list[tuple[int, float, float]]) -> dict[str, _Columns]:
    """The places of all shots that are shown, by the key of their footage."""
    row, parts = rails.traces, dict[str, list[tuple[int, float, float]]]()
    for part in shown:
        parts.setdefault(project.shots[part[0]].footage, []).append(part)
    columns = {}
    for key, of_footage in parts.items():
        numbers, lows, highs = (np.array(column) for column in zip(*of_footage, strict=True))
        lefts, rights = rails.recorded_xs(numbers, lows), rails.recorded_xs(numbers, highs)
        firsts, lasts = np.maximum(lefts, row.left()), np.minimum(rights, row.right())
        counts = np.maximum(np.ceil((lasts - firsts) / _COLUMN_WIDTH), 0).astype(np.int64)
        counts[counts < 2] = 0
        places = np.arange(counts.sum()) - np.repeat(np.cumsum(counts) - counts, counts)
        xs = np.repeat(firsts, counts) + _COLUMN_WIDTH * places
        seconds = np.repeat(lows, counts) + (xs - np.repeat(lefts, counts)) / rails.recorded_scale
        columns[key] = _Columns(xs, seconds, np.repeat(numbers, counts), of_footage)
    return columns


def _draw_footage(
    painter: QPainter,
    rails: Rails,
    project: Project,
    columns: _Columns,
    of: Traced,
    trace: PictureTrace,
    gains: Sequence[Gains | None],
) -> None:
    """Motion as bars, change and light as lines, a strip where somebody speaks, marks where one passes."""
    row, xs = rails.traces, columns.xs
    if len(xs):
        frames = of.frames_at(columns.seconds)
        known = trace.known[frames]
        bottom, height = row.bottom(), row.height() - _PASSER_MARK - 1
        motion = np.minimum(_most(trace.motion, frames, columns.shots) / _MOST_MOTION, 1) ** 0.7
        bars = [
            QLineF(x, bottom, x, bottom - height * m)
            for x, m in zip(xs[known].tolist(), motion[known].tolist(), strict=True)
        ]
        painter.setPen(QPen(SOUND_GROUND, _COLUMN_WIDTH))
        painter.drawLines(bars)
        change = _most(trace.change, frames, columns.shots) / _MOST_CHANGE
        _draw_line(painter, row, columns, change, known, _CHANGE_COLOUR)
        _draw_speech(painter, row, columns, of)
        _draw_light(painter, row, columns, of, trace, gains)
    _draw_passers(painter, rails, project, columns.parts, of)


def _draw_light(
    painter: QPainter,
    row: QRectF,
    columns: _Columns,
    of: Traced,
    trace: PictureTrace,
    gains: Sequence[Gains | None],
) -> None:
    """As recorded, and where it is evened out, as it will be."""
    frames, displayed = of.frames_at(columns.seconds), of.displayed_at(columns.seconds)
    light = trace.light[frames].astype(np.float64)
    evened, is_even = np.ones(len(frames)), np.zeros(len(frames), np.bool_)
    for number, _, _ in columns.parts:
        factors = gains[number]
        if factors is not None and len(factors) > displayed.max(initial=0):
            own = columns.shots == number
            evened[own], is_even[own] = factors[displayed[own], 1], True
    top = max(float(trace.light.max()), 1e-3)
    known = trace.known[frames]
    for shares, wanted, colour in (
        (light / top, known & ~is_even, _LIGHT_COLOUR),
        (light / top, known & is_even, _RAW_LIGHT_COLOUR),
        (light * evened / top, known & is_even, _LIGHT_COLOUR),
    ):
        _draw_line(painter, row, columns, shares, wanted, colour)


def _draw_speech(painter: QPainter, row: QRectF, columns: _Columns, of: Traced) -> None:
    """Where somebody speaks."""
    speech = np.asarray(of.sound.speech, np.float32)
    if not len(speech):
        return
    windows = columns.seconds / float(WINDOW_SECONDS * of.footage.scale)
    places = np.clip(windows.astype(np.int64), 0, len(speech) - 1)
    heard = columns.xs[
        (_most(speech, places, columns.shots) >= _SPOKEN_PROBABILITY) & (windows < len(speech))
    ]
    painter.setPen(QPen(SOUND, _COLUMN_WIDTH))
    painter.drawLines([QLineF(x, row.bottom() - _SPEECH_STRIP, x, row.bottom()) for x in heard.tolist()])


def _draw_passers(
    painter: QPainter, rails: Rails, project: Project, parts: list[tuple[int, float, float]], of: Traced
) -> None:
    moments = of.moments()
    ends = [end for _, end in moments]
    for number, low, high in parts:
        for begin, end in moments[bisect_left(ends, low) :]:
            if begin > high:
                break
            wish = project.shots[number].handles_passer_by(begin, end)
            lefts, rights = rails.recorded_x(number, begin), rails.recorded_x(number, end)
            mark = QRectF(lefts, rails.traces.top(), max(rights - lefts, 3.0), _PASSER_MARK)
            painter.fillRect(mark, _HANDLED_COLOURS.get(wish, CAUTION))


def _draw_path(
    painter: QPainter, rails: Rails, number: int, part: tuple[float, float], of: Traced, course: SteadyCourse
) -> None:
    """How far the camera is off a smooth way, about the middle of the lane: as filmed, and steadied.

    Where it could not be followed, the middle is marked.
    """
    row = rails.traces
    left, right = rails.recorded_x(number, part[0]), rails.recorded_x(number, part[1])
    xs = np.arange(max(left, row.left()), min(right, row.right()), 1.0)
    if len(xs) < 2:
        return
    places = of.frames_at(part[0] + (xs - left) / rails.recorded_scale) - course.first
    inside = (places >= 0) & (places < len(course.sway))
    xs, places = xs[inside], places[inside]
    most = max(float(np.quantile(np.abs(course.sway[:, 1]), _FITTING_SHARE)), 1e-6)
    middle, reach = row.center().y() + _PASSER_MARK / 2, (row.height() - _PASSER_MARK) / 2 - 1
    painter.setBrush(Qt.BrushStyle.NoBrush)
    for off, colour in ((course.sway, _RAW_PATH_COLOUR), (course.sway - course.moves, LIVE)):
        ys = middle + reach * np.clip(off[places, 1] / most, -1, 1)
        painter.setPen(QPen(colour, 1))
        points = zip(xs.tolist(), ys.tolist(), strict=True)
        painter.drawPolyline(QPolygonF([QPointF(x, y) for x, y in points]))
    for x in xs[course.lost[places]].tolist():
        painter.fillRect(QRectF(x, middle - 1, 1.0, 2.0), CAUTION)


def _most(
    column: npt.NDArray[np.float32], frames: npt.NDArray[np.int64], shots: npt.NDArray[np.int64]
) -> npt.NDArray[np.float64]:
    """The greatest number between each frame and the next one that is drawn of its shot."""
    follows = np.append(shots[1:] == shots[:-1], False)
    ends = np.where(follows, np.append(frames[1:], 0), frames + 1)
    runs = np.stack([frames, np.maximum(ends, frames + 1)], axis=1).ravel()
    padded = np.append(column, np.float32(0))
    return np.maximum.reduceat(padded, np.minimum(runs, len(column)))[::2].astype(np.float64)


def _draw_line(
    painter: QPainter,
    row: QRectF,
    columns: _Columns,
    shares: Seconds,
    wanted: npt.NDArray[np.bool_],
    colour: QColor,
) -> None:
    """A line through what is wanted, shot by shot; light is drawn as the eye takes it, not as it adds."""
    high = row.height() - _PASSER_MARK - 3
    ys = row.bottom() - 1 - high * np.clip(shares[wanted], 0, 1) ** 0.45
    xs, shots = columns.xs[wanted], columns.shots[wanted]
    steps = np.flatnonzero(shots[1:] == shots[:-1])
    painter.setPen(QPen(colour, 1))
    ends = np.stack([xs[steps], ys[steps], xs[steps + 1], ys[steps + 1]], axis=1)
    painter.drawLines([QLineF(*end) for end in ends.tolist()])


def _draw_names(painter: QPainter, row: QRectF, *, speech: bool, path: bool) -> None:
    left = row.left() + 4
    names = [("motion", DIM), ("change", _CHANGE_COLOUR), ("light", _LIGHT_COLOUR), ("passers-by", CAUTION)]
    names += [("speech", SOUND)] * speech + [("camera", LIVE)] * path
    for text, colour in names:
        wide = width_of(text, 7.5)
        box = QRectF(left - 2, row.top() + _PASSER_MARK, wide + 4, row.height() - _PASSER_MARK - 2)
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
