"""What the making of frames costs here: measured by making a few of them."""

import time
from collections.abc import Callable
from contextlib import closing
from dataclasses import dataclass

from PySide6.QtCore import QObject, QTimer, Signal

from chronoxis.app.document.document import Document
from chronoxis.app.workers import NewestWorker
from chronoxis.core.errors import Cancelled
from chronoxis.core.model.project import Passage, Place
from chronoxis.core.render.chain import result_frames
from chronoxis.core.render.plan import Plan
from chronoxis.core.render.target import export_target
from chronoxis.core.timing.frame_making import FrameMaking
from chronoxis.core.timing.timecode import format_time

_SETTLE_MS = 900  # milliseconds at rest before anything is measured
_MOST_FRAMES, _MOST_SECONDS = 12, 1.5  # that a measurement takes
_MOST_KEPT = 200


@dataclass(frozen=True, eq=False)
class CostWish:
    """A passage of a plan whose making is to be measured.

    Attributes:
        first: number of its first result frame.
        stop: of the one behind the last.
    """

    plan: Plan
    place: Place
    first: int
    stop: int


def measured_rate(wish: CostWish, still_wanted: Callable[[], bool]) -> float:
    """Result frames a second, made for an export and not encoded. Raises Cancelled, FootageError."""
    began = opened = 0.0
    made = 0

    def check() -> None:
        if not still_wanted():
            raise Cancelled

    middle = (wish.first + wish.stop) // 2
    first = max(wish.first, min(middle, wish.stop - _MOST_FRAMES))
    began = time.perf_counter()
    with closing(result_frames(wish.plan, export_target(wish.plan), first, wish.stop, check)) as frames:
        for _ in frames:
            made += 1
            if made == 1:
                opened = time.perf_counter()
            if made == _MOST_FRAMES or time.perf_counter() - began > _MOST_SECONDS:
                break
    ended = time.perf_counter()
    # The first frame waits for what is opened and read up to it.
    return (made - 1) / (ended - opened) if made > 1 else 1 / max(ended - began, 1e-6)


class MakingCost(QObject):
    """Says how many result frames a second are made with the choices of a passage, and how long it takes.

    Attributes:
        text: what it says.

    Signals:
        changed: it says something else.
    """

    changed = Signal()

    def __init__(self, document: Document, is_shown: Callable[[], bool]) -> None:
        """Nothing is measured while it is not shown."""
        super().__init__()
        self._document, self._is_shown = document, is_shown
        self.text = ""
        self._place = Place(0, 0)
        self._means = ""
        self._rates: dict[tuple[FrameMaking, object], float] = {}
        self._work = NewestWorker(measured_rate, "cost")
        self._work.answered.connect(self._take)
        self._settle = QTimer(self, singleShot=True, interval=_SETTLE_MS)
        self._settle.timeout.connect(self._ask)
        document.planned.connect(self._soon)

    def close(self) -> None:
        """Stop measuring."""
        self._document.planned.disconnect(self._soon)
        self._settle.stop()
        self._work.close()

    def show_passage(self, place: Place, means: str) -> None:
        """Say what a passage's choices come to, and what they cost as soon as that is known."""
        self._place, self._means = place, "" if means == "several" else means
        self._tell()
        self._soon()

    def _soon(self) -> None:
        self._settle.start()

    def _key(self, passage: Passage, place: Place) -> tuple[FrameMaking, object]:
        shot = self._document.project.shots[place.shot]
        corrected = shot.even_out.strength > 0, shot.passers_by, self._document.project.settings.size
        return passage.making, (shot.footage, passage.speed, corrected)

    def _ask(self) -> None:
        plan, place = self._document.plan, self._place
        if not self._is_shown() or plan is None or not plan.is_whole or not self._document.planner.is_current:
            return
        if not plan.project.has(place) or self._key(plan.project.passage(place), place) in self._rates:
            return
        row = plan.project.places().index(place)
        starts = plan.project.rows
        first = int(float(starts.begins[row]) * float(plan.project.rate) + 0.999999)
        stop = min(int(float(starts.ends[row]) * float(plan.project.rate) + 0.999999), len(plan.schedule))
        if stop > first:
            self._work.ask(CostWish(plan, place, first, stop))

    def _take(self, wish: CostWish, rate: float) -> None:
        if len(self._rates) >= _MOST_KEPT:
            self._rates.pop(next(iter(self._rates)))
        self._rates[self._key(wish.plan.project.passage(wish.place), wish.place)] = rate
        self._tell()

    def _tell(self) -> None:
        project, place = self._document.project, self._place
        if not project.has(place):
            return
        rate = self._rates.get(self._key(project.passage(place), place))
        said = self._means
        if rate is not None:
            frames = float(project.passage_result_length(place)) * float(project.rate)
            lasting = format_time(frames / rate, 0)
            said += f" {rate:.3g} a second here: {lasting} of the export"
            plain = self._plain_rate(project.passage(place), place)
            said += f" ({format_time(frames / plain, 0)} as single frames)." if plain is not None else "."
        self.text = said.strip()
        self.changed.emit()

    def _plain_rate(self, passage: Passage, place: Place) -> float | None:
        """The rate at which its frames would be made as they were recorded, if that is known."""
        making, rest = self._key(passage, place)
        return None if making == FrameMaking() else self._rates.get((FrameMaking(), rest))
