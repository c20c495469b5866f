"""What the result is put beside: itself as it was recorded, or as it was when a person kept it."""

import numpy as np
import numpy.typing as npt
from PySide6.QtCore import QObject, Signal
from PySide6.QtGui import QImage

from chronoxis.app.document.document import Document
from chronoxis.app.document.planner import PlanWish
from chronoxis.app.measuring.proxies import Proxies
from chronoxis.app.pictures.preview import Preview
from chronoxis.app.workers import NewestWorker
from chronoxis.core.footage.reader_pool import Readers
from chronoxis.core.model.correcting import uncorrected
from chronoxis.core.model.project import Project
from chronoxis.core.render.plan import Plan
from chronoxis.core.timing.shot_columns import Frames


class Compared(QObject):
    """The other result, made ahead like the result itself while somebody looks at both.

    Attributes:
        plan: of the other result; None while it is not looked at, or there is none.
        refusal: why there is none, or nothing.
        kept: what was kept to compare with; None for the present project without corrections.

    Signals:
        changed: it is another one.
        ready: a frame's number.
        failed: a message for the person.
    """

    changed = Signal()
    ready = Signal(int)
    failed = Signal(str)

    def __init__(self, document: Document, readers: Readers, proxies: Proxies) -> None:
        super().__init__()
        self._document, self._proxies = document, proxies
        self._preview = Preview(readers)
        self._preview.ready.connect(self.ready)
        self._preview.failed.connect(self.failed)
        self._planner = NewestWorker(PlanWish.made, "compared plan")
        self._planner.answered.connect(self._take)
        self._is_shown = False
        self._wished: PlanWish | None = None
        self.plan: Plan | None = None
        self.refusal = ""
        self.kept: Project | None = None
        document.planned.connect(self._ask)
        document.replaced.connect(lambda: self.keep(False))  # what was kept is of another project

    def show(self, on: bool) -> None:
        """Begin to make it, or let go of it."""
        if on != self._is_shown:
            self._is_shown = on
            self._follow(None)
            self._ask()

    def keep(self, on: bool) -> None:
        """Compare with the project as it is now, or again with itself without corrections."""
        self.kept = self._document.project if on else None
        self._ask()
        self.changed.emit()

    def has(self, number: int) -> bool:
        """Whether nothing is to be waited for, to show a frame of this number."""
        return self.plan is None or self._preview.has(self._within(self.plan, number))

    def lacking(self, numbers: Frames) -> npt.NDArray[np.bool_]:
        """Of each of some frames, whether something is to be waited for, to show it."""
        if self.plan is None:
            return np.zeros(len(numbers), bool)
        return self._preview.lacking(np.minimum(numbers, len(self.plan.schedule) - 1))

    def want(self, number: int) -> None:
        """Make frames from this number on."""
        if self.plan is not None:
            self._preview.want(self._within(self.plan, number))

    def image(self, number: int) -> QImage | None:
        """The frame of this number, if it is made; the last one where this result is shorter."""
        return None if self.plan is None else self._preview.image(self._within(self.plan, number))

    def hold_back(self, on: bool) -> None:
        """While something heavier runs, make only what the playhead is about to need."""
        self._preview.hold_back(on)

    def close(self) -> None:
        """Give up making the other result; `wait_for_ends` waits for its threads."""
        self._planner.close()
        self._preview.close()

    @staticmethod
    def _within(plan: Plan, number: int) -> int:
        return min(number, len(plan.schedule) - 1)

    def _ask(self) -> None:
        if not self._is_shown:
            return
        wish = self._document.planner.wish(self.kept or uncorrected(self._document.project))
        self._wished = wish
        if wish is not None:
            self._planner.ask(wish)
        elif self.plan is not None:
            self._follow(None)

    def _take(self, wish: PlanWish, made: Plan | str) -> None:
        if self._is_shown and wish is self._wished:
            self.refusal = made if isinstance(made, str) else ""
            self._follow(made if isinstance(made, Plan) else None)

    def _follow(self, plan: Plan | None) -> None:
        same = plan is not None and self.plan is not None and plan.looks_like(self.plan)
        self.plan = plan
        if not same:
            self._preview.follow(plan and self._proxies.proxied_plan(plan))
            self.want(self._document.result_frame)
        self.changed.emit()
