"""Where things stand in the Weave: the geometry of the two time axes, without any drawing."""

from collections.abc import Sequence
from dataclasses import dataclass
from fractions import Fraction
from functools import cached_property
from math import ceil, exp2, floor
from typing import NamedTuple

import numpy as np
from PySide6.QtCore import QPointF, QRectF

from chronoxis.core.model.passage_rows import Numbers
from chronoxis.core.model.project import Project
from chronoxis.core.timing.pace import Seconds

_MARGIN = 14
_LEAST_CURVE, _MOST_CURVE = 58, 150
_CURVE_SHARE = 0.42  # of the height that rails and rulers leave: the pace curve's, at least
_GAP = 2
_BEATS_HEIGHT = 11  # pixels of the sound lane that its beats have
_MIN_THREADS = 32
_LEAST_CURVE_HEIGHT = 46  # pixels of the pace curve in the least height that the Weave can have
_HANDLE_SHARE = 0.12  # of an excerpt: how much of what lies beyond its points is shown, with several shots
_SPACING_SHARE = 0.006  # of all recorded time, between two shots
_LEAST_VIEW = 1 / 500  # seconds: the deepest zoom

RULER = 18
"""Height of a ruler in pixels, with text of the usual size."""

STRIP = 50
"""Height of a filmstrip in pixels."""

GRIP = 7
"""How near in pixels an edge can be grasped."""

JOIN_RADIUS = 8
"""Pixels from the middle of a join's handle to its rim."""


class View(NamedTuple):
    """The visible part of a rail, in seconds along it."""

    start: float
    length: float

    def zoomed(self, factor: float, about: float, whole: float) -> "View":
        """A longer or shorter part in which ``about`` stays where it is on the screen."""
        length = min(max(self.length * factor, _LEAST_VIEW), whole)
        share = (about - self.start) / self.length
        return View(about - share * length, length).within(whole)

    def moved(self, by: float, whole: float) -> "View":
        """The part ``by`` seconds further on."""
        return View(self.start + by, self.length).within(whole)

    def within(self, whole: float) -> "View":
        """The part, moved so that it shows nothing outside."""
        return View(min(max(self.start, 0.0), max(0.0, whole - self.length)), min(self.length, whole))


class Stretch(NamedTuple):
    """A shot on the recorded rail: where on the rail, and which recorded seconds are shown there."""

    at: float
    first: float
    last: float

    @property
    def end(self) -> float:
        """Where on the rail it ends."""
        return self.at + self.last - self.first


_LEAST_DOUBLINGS = 4.0
_MARGIN_DOUBLINGS = 0.8
_MOST_PER_PIXEL = 0.15  # doublings: 20 pixels are eight times the speed


class SpeedAxis(NamedTuple):
    """The speeds from the bottom of the pace curve to its top, as powers of two."""

    low: float
    high: float

    @classmethod
    def of(cls, project: Project, others: Sequence[Seconds] = ()) -> "SpeedAxis":
        """An axis that spans the speeds in use, and others, with a margin, and at least some doublings."""
        peaks = [float(run.peak) for shot in project.shots for run in shot.runs if run is not None]
        speeds = np.log2(np.concatenate([project.rows.speeds, peaks, *others]))
        low, high = float(speeds.min()) - _MARGIN_DOUBLINGS, float(speeds.max()) + _MARGIN_DOUBLINGS
        lacking = max(0.0, _LEAST_DOUBLINGS - (high - low)) / 2
        return cls(low - lacking, high + lacking)

    @property
    def lines(self) -> list[float]:
        """The speeds of three to five lines across it."""
        choices = (range(ceil(self.low / step) * step, floor(self.high) + 1, step) for step in range(1, 99))
        return [exp2(power) for power in next(powers for powers in choices if len(powers) <= 5)]

    def share(self, speeds: Seconds) -> Seconds:
        """How high speeds stand, from 0 at the bottom to 1 at the top, or beyond."""
        return np.asarray((np.log2(speeds) - self.low) / (self.high - self.low))

    def doublings(self, pixels: float, height: float) -> float:
        """By how many doublings a drag over so many pixels of a height changes a speed.

        The level keeps to the pointer, unless the axis is so long that a hand's tremor would change a
        speed by a multiple.
        """
        per_pixel = min((self.high - self.low) / height, _MOST_PER_PIXEL)
        return pixels * per_pixel


def stretches_of(project: Project) -> tuple[Stretch, ...]:
    """The shots in the order of the result, each with some of what lies beyond its points.

    A single shot is shown with all of its recording.
    """
    spacing = float(project.recorded_length) * _SPACING_SHARE
    lengths = {footage.key: float(footage.length) for footage in project.footage}
    at, made = 0.0, []
    for shot in project.shots:
        begin, end = shot.span
        length = lengths[shot.footage]
        room = length if len(project.shots) == 1 else (end - begin) * _HANDLE_SHARE
        made.append(Stretch(at, max(0.0, begin - room), max(end, min(length, end + room))))
        at = made[-1].end + spacing
    return tuple(made)


@dataclass(frozen=True)
class Rails:
    """The areas of the Weave and the mapping between times and places.

    Attributes:
        width: of the widget, pixels.
        height: of the widget, pixels.
        stretches: the shots on the recorded rail.
        recorded_view: what is visible of the recorded rail.
        result_view: what is visible of the result rail.
        speeds: the axis of the pace curve.
        lane: pixels that the sound lane is high; 0 where there is none.
        trace_lane: pixels that the lane of traces is high, likewise.
        ruler: pixels that each ruler is high.
    """

    width: int
    height: int
    stretches: tuple[Stretch, ...]
    recorded_view: View
    result_view: View
    speeds: SpeedAxis
    lane: int = 0
    trace_lane: int = 0
    ruler: int = RULER

    @cached_property
    def recorded_ruler(self) -> QRectF:
        """Marks of recorded time."""
        return self._row(0, self.ruler)

    @cached_property
    def recorded(self) -> QRectF:
        """The recorded filmstrip."""
        return self._row(self.ruler, STRIP)

    @cached_property
    def traces(self) -> QRectF:
        """What was measured along the recorded rail."""
        return self._row(self.recorded.bottom(), self.trace_lane)

    @cached_property
    def threads(self) -> QRectF:
        """Where the threads run."""
        top = self.ruler + STRIP + self.trace_lane + _GAP
        below = _GAP + STRIP + self._curve_height + self.lane + self.ruler + _GAP
        return self._row(top, max(_MIN_THREADS, self.height - top - below))

    @cached_property
    def _curve_height(self) -> float:
        free = self.height - 2 * (self.ruler + STRIP) - 3 * _GAP - self.lane - self.trace_lane
        return min(
            max(_LEAST_CURVE, free * _CURVE_SHARE), _MOST_CURVE, max(_LEAST_CURVE_HEIGHT, free - _MIN_THREADS)
        )

    @cached_property
    def result(self) -> QRectF:
        """The result filmstrip."""
        return self._row(self.threads.bottom() + _GAP, STRIP)

    @cached_property
    def curve(self) -> QRectF:
        """The pace curve."""
        return self._row(self.result.bottom() + _GAP, self._curve_height)

    @cached_property
    def result_ruler(self) -> QRectF:
        """Marks of result time."""
        return self._row(self.sound.bottom(), self.ruler)

    @cached_property
    def sound(self) -> QRectF:
        """The sound lane."""
        return self._row(self.curve.bottom(), self.lane)

    @cached_property
    def beats(self) -> QRectF:
        """Where beats stand on the sound lane."""
        return QRectF(self.sound.left(), self.sound.top(), self.sound.width(), min(_BEATS_HEIGHT, self.lane))

    @cached_property
    def recorded_scale(self) -> float:
        """Pixels per recorded second."""
        return self._span / self.recorded_view.length

    @cached_property
    def result_scale(self) -> float:
        """Pixels per result second."""
        return self._span / self.result_view.length

    def recorded_x(self, shot: int, seconds: float) -> float:
        """Place of a recorded time of a shot."""
        stretch = self.stretches[shot]
        return self._rail_x(stretch.at + seconds - stretch.first)

    def recorded_xs(self, shots: Numbers, seconds: Seconds) -> Seconds:
        """Places of recorded times of shots."""
        along = self._offsets[shots] + seconds - self.recorded_view.start
        return np.asarray(_MARGIN + along * self.recorded_scale)

    def result_x(self, seconds: float) -> float:
        """Place of a result time."""
        return _MARGIN + (seconds - self.result_view.start) * self.result_scale

    def result_xs(self, seconds: Seconds) -> Seconds:
        """Places of result times."""
        return np.asarray(_MARGIN + (seconds - self.result_view.start) * self.result_scale)

    def shot_at(self, x: float) -> int:
        """The shot whose stretch of the recorded rail is at a place, or the nearest."""
        along = self.recorded_along(x)
        return int(np.argmin(np.maximum(self._ats - along, along - self._ends)))

    def stretches_shown(self, least: float = 0.0) -> Numbers:
        """Numbers of the shots that are visible on the recorded rail, at least so many pixels wide."""
        view = self.recorded_view
        wide = (self._ends - self._ats) * self.recorded_scale >= least
        shown = wide & (self._ends >= view.start) & (self._ats <= view.start + view.length)
        return np.flatnonzero(shown)

    def stretch_parts(self, shots: Numbers) -> tuple[Seconds, Seconds]:
        """The recorded seconds of some shots between which their stretches lie."""
        firsts = self._ats[shots] - self._offsets[shots]
        return firsts, firsts + self._ends[shots] - self._ats[shots]

    def visible_parts(self, shots: Numbers) -> tuple[Seconds, Seconds]:
        """The recorded seconds of some shots' stretches that are visible."""
        (firsts, lasts), view = self.stretch_parts(shots), self.recorded_view
        lows = view.start - self._offsets[shots]
        return np.maximum(firsts, lows), np.minimum(lasts, lows + view.length)

    def parts_shown(self, least: float = 0.0) -> list[tuple[int, float, float]]:
        """Visible shots, at least so many pixels wide, each with its recorded seconds that are visible."""
        shots = self.stretches_shown(least)
        columns = (shots, *self.visible_parts(shots))
        return list(zip(*(column.tolist() for column in columns), strict=True))

    def recorded_time(self, shot: int, x: float) -> Fraction:
        """Recorded time of a shot at a place, within what its stretch shows."""
        stretch = self.stretches[shot]
        seconds = stretch.first + self.recorded_along(x) - stretch.at
        return Fraction(min(max(seconds, stretch.first), stretch.last))

    def result_time(self, x: float) -> Fraction:
        """Result time at a place, not before the beginning."""
        return Fraction(max(0.0, self.result_view.start + (x - _MARGIN) / self.result_scale))

    def recorded_along(self, x: float) -> float:
        """Seconds along the recorded rail at a place."""
        return self.recorded_view.start + (x - _MARGIN) / self.recorded_scale

    def is_in_recorded(self, point: QPointF) -> bool:
        """Whether a point belongs to the recorded rail."""
        return point.y() <= self.traces.bottom() + _GAP

    def is_in_result(self, point: QPointF) -> bool:
        """Whether a point belongs to the result rail."""
        return point.y() >= self.result.top() - _GAP

    @cached_property
    def _ats(self) -> Seconds:
        return np.array([stretch.at for stretch in self.stretches])

    @cached_property
    def _ends(self) -> Seconds:
        return np.array([stretch.end for stretch in self.stretches])

    @cached_property
    def _offsets(self) -> Seconds:
        return np.array([stretch.at - stretch.first for stretch in self.stretches])

    def _rail_x(self, along: float) -> float:
        return _MARGIN + (along - self.recorded_view.start) * self.recorded_scale

    @cached_property
    def _span(self) -> float:
        return max(1, self.width - 2 * _MARGIN)

    def _row(self, top: float, height: float) -> QRectF:
        return QRectF(_MARGIN, top, self._span, height)


_RULER_STEPS = (
    0.001, 0.002, 0.005, 0.01, 0.02, 0.04, 0.1, 0.2, 0.5, 1, 2,
    5, 10, 15, 30, 60, 120, 300, 600, 900,
)  # fmt: skip
_LONG_STEPS = (1800, 3600, 7200, 21600)


def ruler_step(length: float, width: float, least: float = 84.0) -> float:
    """Seconds between written marks that stand at least ``least`` pixels apart."""
    for step in (*_RULER_STEPS, *_LONG_STEPS):
        if step / length * width >= least:
            return float(step)
    return 86400.0
