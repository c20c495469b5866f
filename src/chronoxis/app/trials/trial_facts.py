"""What a trial looks like, and what to expect of its export; found out beside the window."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
from PySide6.QtCore import QObject, Signal
from PySide6.QtGui import QImage

from chronoxis.app.bench.live_pictures import pictures_of
from chronoxis.app.document.document import Document
from chronoxis.app.document.planner import PlanWish
from chronoxis.app.workers import NewestWorker
from chronoxis.core.errors import Cancelled, ChronoxisError
from chronoxis.core.footage.reader_pool import Readers
from chronoxis.core.model.project import Project
from chronoxis.core.render.estimate import Estimate, estimate

_PICTURE_HEIGHT = 96  # pixels of the picture
_PICTURED_SHARE = 0.5  # share of the result at which it is pictured

_Wish = tuple[tuple[Project, PlanWish], ...]


@dataclass(frozen=True, eq=False)
class TrialFacts:
    """What is known of a state of the project.

    Attributes:
        picture: of the middle of its result; None where it cannot be made.
        expected: size and time of an export; None until that is known.
        refusal: why there is nothing to be known, or nothing.
    """

    picture: QImage | None = None
    expected: Estimate | None = None
    refusal: str = ""


class FactsOfTrials(QObject):
    """Finds out what is asked for, one state after the other; that lasts as long as it is asked for.

    Signals:
        found: more is known.
        busy: whether it is tried out how long exports take; what else is made would make that longer.
    """

    found = Signal()
    busy = Signal(bool)
    _told = Signal(object, object)

    def __init__(self, document: Document, readers: Readers) -> None:
        super().__init__()
        self._document, self._readers = document, readers
        self._known: dict[int, tuple[Project, TrialFacts]] = {}  # by the state's identity
        self._work = NewestWorker(self._answer, "facts of trials")
        self._told.connect(self._take)

    def of(self, state: Project) -> TrialFacts:
        """What is known of a state by now."""
        known = self._known.get(id(state))
        return known[1] if known is not None else TrialFacts()

    def ask(self, states: Sequence[Project]) -> None:
        """Find out about some states, and forget all others."""
        kept = {id(state) for state in states}
        self._known = {key: known for key, known in self._known.items() if key in kept}
        lacking = [state for state in states if self.of(state).expected is None]
        wishes = ((state, self._document.planner.wish(state)) for state in lacking)
        wish: _Wish = tuple((state, plan_wish) for state, plan_wish in wishes if plan_wish is not None)
        if wish:
            self._work.ask(wish)
        else:
            self._work.give_up()

    def rest(self) -> None:
        """Find out nothing more until it is asked for again."""
        self._work.give_up()

    def close(self) -> None:
        """Stop the work in the background."""
        self._work.close()

    def _answer(self, wish: _Wish, still_wanted: Callable[[], bool]) -> None:
        """Pictures of all first: they are there soon."""

        def check() -> None:
            if not still_wanted():
                raise Cancelled

        pictured: list[tuple[Project, PlanWish, QImage | None]] = []
        for state, plan_wish in wish:
            check()
            picture = self._picture(state, plan_wish, check)
            pictured.append((state, plan_wish, picture))
            self._told.emit(state, TrialFacts(picture))
        self.busy.emit(True)
        try:
            self._estimate(pictured, still_wanted, check)
        finally:
            self.busy.emit(False)

    def _estimate(
        self,
        pictured: list[tuple[Project, PlanWish, QImage | None]],
        still_wanted: Callable[[], bool],
        check: Callable[[], None],
    ) -> None:
        for state, plan_wish, picture in pictured:
            check()
            plan = plan_wish.made(still_wanted)
            if isinstance(plan, str):
                self._told.emit(state, TrialFacts(picture, None, plan))
                continue
            try:
                expected = estimate(plan, still_wanted)
            except ChronoxisError as error:
                self._told.emit(state, TrialFacts(picture, None, str(error)))
            else:
                check()
                self._told.emit(state, TrialFacts(picture, expected))

    def _picture(self, state: Project, plan_wish: PlanWish, check: Callable[[], None]) -> QImage | None:
        known = self.of(state).picture
        if known is not None:
            return known
        try:
            plan = plan_wish.made(lambda: True)
            if isinstance(plan, str):
                return None
            number = int(len(plan.schedule) * _PICTURED_SHARE)
            return pictures_of(plan, np.array([number]), _PICTURE_HEIGHT, self._readers, check)[0]
        except ChronoxisError:
            return None  # what cannot be made says so in the place of the figures

    def _take(self, state: Project, facts: TrialFacts) -> None:
        self._known[id(state)] = state, facts
        self.found.emit()
