"""The shutter as a picture of the step: which recorded frames a result frame is made of."""

from PySide6.QtCore import QRectF, QSize
from PySide6.QtGui import QColor, QPainter, QPaintEvent
from PySide6.QtWidgets import QSizePolicy, QWidget

from chronoxis.app.theme.theme import LINE, RAISED, scaled, speed_colour
from chronoxis.core.render.plan import Plan

_HEIGHT = 11  # pixels; grows with the text
_MOST_CELLS = 60  # beyond which a cell stands for several frames
_STEPS = 2  # that are shown


class OpenFrames(QWidget):
    """Two steps of recorded frames from the one at the playhead on; those that are open are filled."""

    def __init__(self) -> None:
        super().__init__()
        self._shares: list[float] = []
        self._colour = QColor(LINE)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName("Recorded frames that are open")

    def sizeHint(self) -> QSize:
        return QSize(120, scaled(_HEIGHT))

    def show_frame(self, plan: Plan, number: int) -> None:
        """Show what result frame ``number`` is made of."""
        shot = int(plan.schedule.shots[number])
        frames, weights = plan.schedule.sources(number)
        speed = float(plan.project.pace.speed_at([(number + 0.5) / float(plan.project.rate)])[0])
        footage = plan.project.footage_of(plan.project.shots[shot])
        step = max(1, round(speed * float(footage.rate / plan.project.rate)))
        many = max(_STEPS * step, len(frames))
        each = -(-many // _MOST_CELLS)
        heaviest = float(weights.max()) or 1.0
        shares = [0.0] * -(-many // each)
        for frame, weight in zip((frames - frames.min()).tolist(), weights.tolist(), strict=True):
            place = min(frame // each, len(shares) - 1)
            shares[place] = max(shares[place], weight / heaviest)
        self._shares, self._colour = shares, speed_colour(speed)
        told = f"{len(frames)} of the {_STEPS * step} recorded frames of two steps are open"
        self.setToolTip(told)
        self.setAccessibleDescription(told)
        self.update()

    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        if not self._shares:
            return
        wide = min(self.width() / len(self._shares), 9.0)
        for place, share in enumerate(self._shares):
            cell = QRectF(place * wide, 0, max(wide - 1.5, 1.0), self.height())
            painter.fillRect(cell, RAISED)
            if share > 0:
                painter.setOpacity(0.25 + 0.75 * share)
                painter.fillRect(cell, self._colour)
                painter.setOpacity(1.0)
