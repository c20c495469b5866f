"""Small pictures of the demo's footage while it is being drawn, wherever it is to be seen."""

from collections.abc import Hashable
from typing import NamedTuple

from PySide6.QtCore import QObject, Signal
from PySide6.QtGui import QImage

from chronoxis.app.document.document import Document
from chronoxis.app.pictures.frame_images import image_from
from chronoxis.app.workers import QueueWorker
from chronoxis.core.model.footage import Footage
from chronoxis.demo.larkfield import PARTS
from chronoxis.demo.moments import MOMENTS, Moment

_ON_RAILS = 24  # pictures of each footage
_HEIGHT = 54  # pixels


class _Wish(NamedTuple):
    """A moment of footage that is being drawn."""

    footage: Footage
    moment: Moment
    number: int


class DrawnMoments(QObject):
    """Draws moments of footage that its own process has not come to.

    Signals:
        drawn: footage, a stored second of it, and a small picture from there.
    """

    drawn = Signal(object, float, object)

    def __init__(self, document: Document) -> None:
        super().__init__()
        self._document = document
        self._work = QueueWorker(_drawn, "moments of the demo", drops=True)
        self._work.done.connect(self._take)

    def begin(self, footage: Footage) -> None:
        """Let footage be seen that is being drawn now; nothing, if it has no pictures."""
        part = next((part for part in PARTS if part.name in _names(footage)), None)
        moment = MOMENTS.get(part.name) if part is not None else None
        if moment is None or not footage.counted:
            return
        self._document.known.drawn[footage.origin] = moment
        self._document.planner.replan()
        last = max(0, round(footage.stored_length * footage.stored_rate) - 1)
        for number in _spread(last):
            self._work.ask(_Wish(footage, moment, number))

    def end(self, origin: Hashable) -> None:
        """The footage itself is there, or will never be."""
        self._document.known.drawn.pop(origin, None)

    def close(self) -> None:
        """Draw nothing more."""
        self._work.close()

    def _take(self, wish: _Wish, image: QImage) -> None:
        if wish.footage.origin in self._document.known.drawn:
            self.drawn.emit(wish.footage, wish.number / float(wish.footage.stored_rate), image)


def _drawn(wish: _Wish) -> QImage:
    return image_from(wish.moment(wish.number, (_HEIGHT * 16 // 9, _HEIGHT)))


def _names(footage: Footage) -> set[str]:
    return {path.name for file in footage.files[:1] for path in (file, file.parent)}


def _spread(last: int) -> list[int]:
    """Numbers from 0 to ``last``: the first, then ever more between those that are there."""
    places = [0]
    parts = 2
    while len(places) < _ON_RAILS:
        places += [round(last * part / parts) for part in range(1, parts, 2)]
        parts *= 2
    return list(dict.fromkeys(places))[:_ON_RAILS]
