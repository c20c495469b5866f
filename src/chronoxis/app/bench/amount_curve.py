"""A curve of its own for an amount: points that can be dragged, made and taken away."""

from fractions import Fraction

from PySide6.QtCore import QEvent, QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QSizePolicy, QWidget

from chronoxis.app.theme.theme import DIM, GROUND, LINE, LIVE, TEXT, scaled
from chronoxis.core.model.accent import ByPoints, Point

_EDGE = 7  # pixels around the curve
_GRASP_PIXELS = 9
_HEIGHT = 44
_KEY_STEP = 0.05  # of an arrow key
_KEY = Qt.Key
_OWN_KEYS = (
    _KEY.Key_Left, _KEY.Key_Right, _KEY.Key_Up, _KEY.Key_Down,
    _KEY.Key_PageUp, _KEY.Key_PageDown, _KEY.Key_Delete, _KEY.Key_Backspace,
)  # fmt: skip


class AmountCurve(QWidget):
    """Shows points from left to right over the stretch that an accent is on.

    Signals:
        begun: a drag begins.
        changed: other points.
        ended: the drag ends.
    """

    begun = Signal()
    changed = Signal(object)
    ended = Signal()

    def __init__(self) -> None:
        super().__init__()
        self._points: tuple[Point, ...] = (Point(Fraction(0), 1.0),)
        self._held: int | None = None
        self._chosen = 0
        self.setFixedHeight(scaled(_HEIGHT))
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Curve of the amount")
        self.setToolTip(
            "Drag points; a click makes one, Delete takes the chosen one away, "
            "the arrow keys move it, Page Up and Page Down choose another"
        )

    def sizeHint(self) -> QSize:
        return QSize(200, scaled(_HEIGHT))

    def show_curve(self, curve: ByPoints) -> None:
        """Show points that the document has."""
        if curve.points != self._points:
            self._points = curve.points
            self._chosen = min(self._chosen, len(self._points) - 1)
            self.update()

    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        area = self._area()
        painter.fillRect(self.rect(), GROUND)
        painter.setPen(QPen(LINE, 1))
        for share in (0.0, 0.5, 1.0):
            y = area.bottom() - share * area.height()
            painter.drawLine(QPointF(area.left(), y), QPointF(area.right(), y))
        places = [self._place(point) for point in self._points]
        first, last = QPointF(area.left(), places[0].y()), QPointF(area.right(), places[-1].y())
        painter.setPen(QPen(TEXT, 1.6))
        painter.drawPolyline(QPolygonF([first, *places, last]))
        for number, place in enumerate(places):
            chosen = number == self._chosen and self.hasFocus()
            painter.setPen(QPen(LIVE if chosen else DIM, 1.6))
            painter.setBrush(GROUND)
            painter.drawEllipse(place, 4.5, 4.5)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        at = event.position()
        near = [
            (abs(place.x() - at.x()) + abs(place.y() - at.y()), number)
            for number, place in enumerate(map(self._place, self._points))
        ]
        apart, number = min(near)
        self.begun.emit()
        if apart > _GRASP_PIXELS * 2:
            point = self._point(at)
            kept = [other for other in self._points if other.at != point.at]
            points = tuple(sorted([*kept, point], key=lambda p: p.at))
            number = points.index(point)
            self._become(points)
        self._held = self._chosen = number
        self.update()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._held is not None:
            self._move(self._held, self._point(event.position()))

    def mouseReleaseEvent(self, _event: QMouseEvent) -> None:
        self._held = None
        self.ended.emit()

    def event(self, event: QEvent) -> bool:
        # While it has the keyboard, its keys are its own before they are the window's.
        if (
            event.type() is QEvent.Type.ShortcutOverride
            and isinstance(event, QKeyEvent)
            and event.key() in _OWN_KEYS
            and not event.modifiers() & Qt.KeyboardModifier.ControlModifier
        ):
            event.accept()
            return True
        return super().event(event)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        keys = Qt.Key
        steps = {keys.Key_Left: (-1, 0), keys.Key_Right: (1, 0), keys.Key_Up: (0, 1), keys.Key_Down: (0, -1)}
        key = keys(event.key())
        if key in steps:
            across, up = steps[key]
            old = self._points[self._chosen]
            self._move(
                self._chosen,
                Point(old.at + across * Fraction(1, 50), min(max(old.amount + up * _KEY_STEP, 0.0), 1.0)),
            )
        elif key in (keys.Key_PageUp, keys.Key_PageDown):
            step = 1 if key is keys.Key_PageDown else -1
            self._chosen = (self._chosen + step) % len(self._points)
            self.update()
        elif key in (keys.Key_Delete, keys.Key_Backspace) and len(self._points) > 1:
            kept = self._points[: self._chosen] + self._points[self._chosen + 1 :]
            self._chosen = max(0, self._chosen - 1)
            self._become(kept)
        else:
            super().keyPressEvent(event)

    def _move(self, number: int, to: Point) -> None:
        """Move a point, no farther than its neighbours."""
        gap = Fraction(1, 200)
        low = self._points[number - 1].at + gap if number else Fraction(0)
        high = self._points[number + 1].at - gap if number + 1 < len(self._points) else Fraction(1)
        if low > high:
            return
        moved = Point(min(max(to.at, low), high), to.amount)
        self._become((*self._points[:number], moved, *self._points[number + 1 :]))

    def _become(self, points: tuple[Point, ...]) -> None:
        self._points = points
        self.update()
        self.changed.emit(ByPoints(points))

    def _area(self) -> QRectF:
        return QRectF(self.rect()).adjusted(_EDGE, _EDGE, -_EDGE, -_EDGE)

    def _place(self, point: Point) -> QPointF:
        area = self._area()
        return QPointF(
            area.left() + float(point.at) * area.width(), area.bottom() - point.amount * area.height()
        )

    def _point(self, at: QPointF) -> Point:
        area = self._area()
        share = min(max((at.x() - area.left()) / area.width(), 0.0), 1.0)
        amount = min(max((area.bottom() - at.y()) / area.height(), 0.0), 1.0)
        return Point(Fraction(round(share * 200), 200), round(amount, 2))
