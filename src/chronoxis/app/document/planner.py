"""The plan of the present project, made beside the interface thread."""

import time
from collections.abc import Callable
from dataclasses import dataclass, replace

from PySide6.QtCore import QObject, QTimer, Signal

from chronoxis.app.document.history import History
from chronoxis.app.document.known_footage import KnownFootage
from chronoxis.app.workers import NewestWorker
from chronoxis.core.errors import ChronoxisError
from chronoxis.core.footage.source import Source
from chronoxis.core.model.project import Project
from chronoxis.core.render.measuring import by_key
from chronoxis.core.render.plan import Plan
from chronoxis.core.render.planning import make_plan
from chronoxis.core.traces.camera_path import CameraPath
from chronoxis.core.traces.picture_trace import PictureTrace
from chronoxis.core.traces.trace_kinds import CAMERA, PICTURES

_DRAWN_MS = 20  # milliseconds in which an edit is drawn; planning starts no sooner
_PLANNING_SHARE = 9  # how many times as long as a plan takes is left between two plans
_LONGEST_PAUSE_MS = 500  # milliseconds between two plans, at most


@dataclass(frozen=True, eq=False)
class PlanWish:
    """What a plan is made from; ``version`` is that of what was known of the footage."""

    project: Project
    sources: dict[str, Source]
    version: int
    traces: dict[str, PictureTrace]
    cameras: dict[str, CameraPath]

    def of(self, project: Project) -> "PlanWish":
        """The same of another project over the same footage."""
        return replace(self, project=project)

    def made(self, _still_wanted: Callable[[], bool]) -> Plan | str:
        """The plan, or why there is none."""
        try:
            return make_plan(self.project, self.sources, self.traces, self.cameras)
        except ChronoxisError as error:
            return str(error)


class Planner(QObject):
    """Makes plans.

    Attributes:
        plan: the newest there is, for a moment perhaps of an earlier value; None while there is none.
        refusal: why there cannot be one, or nothing.

    Signals:
        refused: the refusal is another one.
        met: a plan was made; what it tells of nested runs can be taken in before anybody reads it.
        planned: the plan is another one, or there is none any more.
    """

    refused = Signal(str)
    met = Signal()
    planned = Signal()

    def __init__(self, history: History, known: KnownFootage) -> None:
        super().__init__()
        self._history, self._known = history, known
        self.plan: Plan | None = None
        self.refusal = ""
        self._made_from: tuple[Project, int] | None = None
        self._worker = NewestWorker(PlanWish.made, "plan", urgent=True)
        self._worker.answered.connect(self._answer)
        self._asked = 0.0
        # Once the edit is drawn: the two would share the interpreter's lock.
        self._soon = QTimer(self, singleShot=True)
        self._pause = _DRAWN_MS
        self._soon.timeout.connect(self._ask)

    @property
    def is_current(self) -> bool:
        """Whether the plan is of the present project, and of what is known by now."""
        return self.plan is not None and self._made_from == (self._history.project, self._known.version)

    def wish(self, project: Project) -> PlanWish | None:
        """What a plan of a project over this footage is made from; None while some of it is counted."""
        sources = self._known.to_plan_with(project)
        if sources is None:
            return None
        traces, cameras = (by_key(project, self._known.measured[kind]) for kind in (PICTURES, CAMERA))
        return PlanWish(project, sources, self._known.version, traces, cameras)

    def replan(self) -> None:
        """What plans are made from is another."""
        if self.wish(self._history.project) is not None:
            if not self._soon.isActive():
                self._soon.start(self._pause if self._history.in_gesture else _DRAWN_MS)
            return
        self.refusal = ""
        if self.plan is not None:
            self.plan = None
            self.planned.emit()

    def made_now(self) -> Plan | None:
        """The plan of the present project, waited for; None while there is none to be had."""
        wish = self.wish(self._history.project)
        if wish is not None and not self.is_current:
            self._take(wish, wish.made(lambda: True))
        return self.plan

    def close(self) -> None:
        """Plan no more."""
        self._worker.close()

    def _ask(self) -> None:
        wish = self.wish(self._history.project)
        if wish is not None:
            self._asked = time.monotonic()
            self._worker.ask(wish)

    def _answer(self, wish: PlanWish, made: Plan | str) -> None:
        # While somebody drags through a large project, planning must leave time for drawing.
        took = 1000 * (time.monotonic() - self._asked)
        self._pause = round(min(max(_DRAWN_MS, _PLANNING_SHARE * took), _LONGEST_PAUSE_MS))
        self._take(wish, made)

    def _take(self, wish: PlanWish, made: Plan | str) -> None:
        outdated = wish.version != self._known.version or self.wish(self._history.project) is None
        if outdated or self.is_current:
            return
        self.plan = made if isinstance(made, Plan) else None
        self._made_from = wish.project, wish.version
        self.met.emit()
        refusal = made if isinstance(made, str) else ""
        if refusal != self.refusal:
            self.refusal = refusal
            self.refused.emit(refusal)
        self.planned.emit()
