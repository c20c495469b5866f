"""What the result is put beside: trials that were kept, or itself as it was recorded."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt
from PySide6.QtCore import QObject, Signal
from PySide6.QtGui import QImage

from chronoxis.app.document.document import Document
from chronoxis.app.document.planner import PlanWish
from chronoxis.app.measuring.proxies import Proxies
from chronoxis.app.pictures.made_frames import BUDGET
from chronoxis.app.pictures.preview import Preview
from chronoxis.app.workers import NewestWorker
from chronoxis.core.footage.reader_pool import Readers
from chronoxis.core.model.correcting import uncorrected
from chronoxis.core.model.project import Trial
from chronoxis.core.render.in_step import Step, in_step
from chronoxis.core.render.plan import Plan
from chronoxis.core.timing.shot_columns import Frames

MOST_BESIDE = 3
"""Results beside the present one."""

_UNCORRECTED = "as recorded, at even steps: not steadied, lined up or evened out"


@dataclass(frozen=True, eq=False)
class _Wish:
    """Another result, in step with the present one; ``known`` is its plan, if that is made already."""

    plan_wish: PlanWish
    leader: Plan
    step: Step
    known: Plan | None

    def answered(self, still_wanted: Callable[[], bool]) -> tuple[Plan, Frames] | str:
        """Its plan, and its frames in step with the leader's; or why there is none."""
        plan = self.known or self.plan_wish.made(still_wanted)
        return plan if isinstance(plan, str) else (plan, in_step(self.leader, plan, self.step))


class Beside(QObject):
    """One result beside the present one, made ahead like that while somebody looks at both.

    Numbers that it is given are those of the present result's frames.

    Attributes:
        trial: what it shows; None for the present project without corrections.
        plan: of it; None while there is none.
        refusal: why there is none, or nothing.

    Signals:
        changed: it is another one.
        ready: more of its frames are made.
        failed: a message for the person.
    """

    changed = Signal()
    ready = Signal()
    failed = Signal(str)

    def __init__(self, document: Document, readers: Readers, proxies: Proxies) -> None:
        super().__init__()
        self._document, self._proxies = document, proxies
        self._preview = Preview(readers, budget=BUDGET // MOST_BESIDE)
        self._preview.ready.connect(lambda _: self.ready.emit())
        self._preview.failed.connect(self.failed)
        self._planner = NewestWorker(_Wish.answered, "compared plan")
        self._planner.answered.connect(self._take)
        self._is_shown = False
        self._wished: _Wish | None = None
        self._version = -1  # of what was known of footage when the plan was made
        self._frames: Frames = np.zeros(0, np.int64)
        self.trial: Trial | None = None
        self.plan: Plan | None = None
        self.refusal = ""

    def show(self, trial: Trial | None, step: Step) -> None:
        """Show a trial, or the present project without corrections, in step with the present result."""
        self.trial, self._is_shown = trial, True
        document, leader = self._document, self._document.plan
        state = trial.state if trial is not None else uncorrected(document.project)
        wish = document.planner.wish(state)
        if wish is None or leader is None:
            self._wished = None
            self.refusal = "Some of its footage is not there." if wish is None else ""
            self._follow(None, self._frames)
            return
        same = self.plan is not None and self.plan.project is state and wish.version == self._version
        self._wished = _Wish(wish, leader, step, self.plan if same else None)
        self._planner.ask(self._wished)

    def hide(self) -> None:
        """Show nothing beside the result any more."""
        if self._is_shown:
            self._is_shown, self._wished = False, None
            self._follow(None, self._frames)

    @property
    def words(self) -> str:
        """The name of what stands beside the result."""
        return self.trial.name if self.trial is not None else _UNCORRECTED

    def has(self, number: int) -> bool:
        """Whether nothing is to be waited for, to show what stands beside a frame."""
        return self.plan is None or self._preview.has(self.number_at(number))

    def lacking(self, numbers: Frames) -> npt.NDArray[np.bool_]:
        """Of each of some frames, whether something is to be waited for, to show what stands beside it."""
        if self.plan is None:
            return np.zeros(len(numbers), bool)
        return self._preview.lacking(self._frames[np.minimum(numbers, len(self._frames) - 1)])

    def want(self, number: int) -> None:
        """Make what stands beside this frame and those after it."""
        if self.plan is not None:
            self._preview.want(self.number_at(number))

    def image(self, number: int) -> QImage | None:
        """What stands beside a frame, if it is made."""
        return None if self.plan is None else self._preview.image(self.number_at(number))

    def hold_back(self, on: bool) -> None:
        """While something heavier runs, make only what the playhead is about to need."""
        self._preview.hold_back(on)

    def close(self) -> None:
        """Give up making it; `wait_for_ends` waits for its threads."""
        self._planner.close()
        self._preview.close()

    def number_at(self, number: int) -> int:
        """Its frame that stands beside one of the present result's."""
        return int(self._frames[min(number, len(self._frames) - 1)])

    def _take(self, wish: _Wish, found: tuple[Plan, Frames] | str) -> None:
        if self._is_shown and wish is self._wished:
            self._version = wish.plan_wish.version
            self.refusal = found if isinstance(found, str) else ""
            self._follow(*(found if not isinstance(found, str) else (None, self._frames)))

    def _follow(self, plan: Plan | None, frames: Frames) -> None:
        same = plan is not None and self.plan is not None and plan.looks_like(self.plan)
        self.plan, self._frames = plan, frames
        if not same:
            self._preview.follow(plan and self._proxies.proxied_plan(plan))
        self.want(self._document.result_frame)
        self.changed.emit()


class Compared(QObject):
    """The results beside the present one: of the trials that were chosen, else of it without corrections.

    Attributes:
        step: what is the same in all of them while they play.
        heard: the name of the trial whose sound is heard, where all show the same result time; else nothing.
        beside: those that are shown, in the order of the trials.

    Signals:
        changed: one of them, or which they are, is another.
        ready: more frames of them are made.
        failed: a message for the person.
    """

    changed = Signal()
    ready = Signal()
    failed = Signal(str)

    def __init__(self, document: Document, readers: Readers, proxies: Proxies) -> None:
        super().__init__()
        self._document, self._readers, self._proxies = document, readers, proxies
        self._all: list[Beside] = []
        self._chosen: list[str] = []  # names of trials, in the order in which they were chosen
        self._is_shown = self._held_back = False
        self.step = Step.RESULT_TIME
        self.heard = ""
        self.beside: list[Beside] = []
        document.planned.connect(self._follow)
        document.replaced.connect(lambda: self.choose(()))

    @property
    def chosen(self) -> list[Trial]:
        """The trials that were chosen, in their order."""
        return [trial for trial in self._document.project.trials if trial.name in self._chosen]

    def choose(self, names: Sequence[str]) -> None:
        """Compare with the trials of these names; of too many, with those that were chosen last."""
        self._chosen = list(names)[-MOST_BESIDE:]
        self._follow()

    def toggle(self, name: str) -> None:
        """Compare with a trial as well, or no longer."""
        others = [each for each in self._chosen if each != name]
        self.choose(others if name in self._chosen else [*others, name])

    def rename(self, before: str, after: str) -> None:
        """A trial goes by another name now."""
        self._chosen = [after if each == before else each for each in self._chosen]
        self.heard = after if self.heard == before else self.heard

    def hear(self, name: str) -> None:
        """Let the sound of a trial be heard, or with no name that of the present result."""
        self.heard = name
        self.changed.emit()

    @property
    def heard_plan(self) -> Plan | None:
        """What is heard in the present result's place; None mostly."""
        if self.step is not Step.RESULT_TIME or not self.heard:
            return None
        plans = (each.plan for each in self.beside if each.trial and each.trial.name == self.heard)
        return next(plans, None)

    def set_step(self, step: Step) -> None:
        """Let all play in step by something else."""
        self.step = step
        self._follow()

    def show(self, on: bool) -> None:
        """Begin to make them, or let go of them."""
        if on != self._is_shown:
            self._is_shown = on
            self._follow()

    def has(self, number: int) -> bool:
        """Whether nothing is to be waited for, to show all that stands beside a frame."""
        return all(each.has(number) for each in self.beside)

    def lacking(self, numbers: Frames) -> npt.NDArray[np.bool_]:
        """Of each of some frames, whether something is to be waited for, to show what stands beside it."""
        lacks = np.zeros(len(numbers), bool)
        for each in self.beside:
            lacks |= each.lacking(numbers)
        return lacks

    def want(self, number: int) -> None:
        """Make what stands beside this frame and those after it."""
        for each in self.beside:
            each.want(number)

    def hold_back(self, on: bool) -> None:
        """While something heavier runs, make only what the playhead is about to need."""
        self._held_back = on
        for each in self._all:
            each.hold_back(on)

    def close(self) -> None:
        """Give up making them; `wait_for_ends` waits for their threads."""
        for each in self._all:
            each.close()

    def _follow(self) -> None:
        """Show what is wished now."""
        wished: list[Trial | None] = [*self.chosen] or [None]
        shown = wished if self._is_shown else []
        while len(self._all) < len(shown):
            self._all.append(self._another())
        self.beside = self._all[: len(shown)]
        for each, trial in zip(self.beside, shown, strict=True):
            each.show(trial, self.step)
        for each in self._all[len(shown) :]:
            each.hide()
        self.changed.emit()

    def _another(self) -> Beside:
        made = Beside(self._document, self._readers, self._proxies)
        made.hold_back(self._held_back)
        made.changed.connect(self.changed)
        made.ready.connect(self.ready)
        made.failed.connect(self.failed)
        return made
