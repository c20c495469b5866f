"""Where things stand in the Weave: the geometry of the two time axes, without any drawing."""

from dataclasses import dataclass
from fractions import Fraction

from PySide6.QtCore import QPointF, QRectF

_MARGIN = 14
_RULER = 18
_STRIP = 50
_CURVE = 40
_GAP = 2
_MIN_THREADS = 40

GRIP = 7
"""How near in pixels an edge can be grasped."""


@dataclass(frozen=True)
class Rails:
    """The areas of the Weave and the mapping between times and places.

    Attributes:
        width: of the widget, pixels.
        height: of the widget, pixels.
        recorded_length: seconds along the recorded rail.
        result_length: seconds along the result rail.
    """

    width: int
    height: int
    recorded_length: float
    result_length: float

    @property
    def recorded_ruler(self) -> QRectF:
        """Marks of recorded time."""
        return self._row(0, _RULER)

    @property
    def recorded(self) -> QRectF:
        """The recorded filmstrip."""
        return self._row(_RULER, _STRIP)

    @property
    def threads(self) -> QRectF:
        """Where the threads run."""
        top = _RULER + _STRIP + _GAP
        below = _GAP + _STRIP + _CURVE + _RULER + _GAP
        return self._row(top, max(_MIN_THREADS, self.height - top - below))

    @property
    def result(self) -> QRectF:
        """The result filmstrip."""
        return self._row(self.threads.bottom() + _GAP, _STRIP)

    @property
    def curve(self) -> QRectF:
        """The pace curve."""
        return self._row(self.result.bottom() + _GAP, _CURVE)

    @property
    def result_ruler(self) -> QRectF:
        """Marks of result time."""
        return self._row(self.curve.bottom(), _RULER)

    def recorded_x(self, seconds: float) -> float:
        """Place of a recorded time."""
        return _MARGIN + seconds / self.recorded_length * self._span

    def result_x(self, seconds: float) -> float:
        """Place of a result time."""
        return _MARGIN + seconds / self.result_length * self._span

    def recorded_time(self, x: float) -> Fraction:
        """Recorded time at a place, within the recording."""
        return self._time(x, self.recorded_length)

    def result_time(self, x: float) -> Fraction:
        """Result time at a place, within the result."""
        return self._time(x, self.result_length)

    def is_in_recorded(self, point: QPointF) -> bool:
        """Whether a point belongs to the recorded rail."""
        return point.y() <= self.recorded.bottom() + _GAP

    def is_in_result(self, point: QPointF) -> bool:
        """Whether a point belongs to the result rail."""
        return point.y() >= self.result.top() - _GAP

    def _time(self, x: float, length: float) -> Fraction:
        share = min(max((x - _MARGIN) / self._span, 0.0), 1.0)
        return Fraction(share * length)

    @property
    def _span(self) -> float:
        return max(1, self.width - 2 * _MARGIN)

    def _row(self, top: float, height: float) -> QRectF:
        return QRectF(_MARGIN, top, self._span, height)


def ruler_step(length: float, width: float, least: float = 84.0) -> float:
    """Seconds between written marks that stand at least ``least`` pixels apart."""
    for step in (0.04, 0.1, 0.2, 0.5, 1, 2, 5, 10, 15, 30, 60, 120, 300, 600, 900, 1800, 3600, 7200, 21600):
        if step / length * width >= least:
            return float(step)
    return 86400.0
