"""The Checks of the present plan, looked for beside the window once nothing was edited for a while."""

from collections.abc import Callable, Hashable
from dataclasses import dataclass, replace
from pathlib import Path

from PySide6.QtCore import QObject, QTimer, Signal

from chronoxis.app.document.document import Document
from chronoxis.app.measuring.camera_paths import CameraPaths
from chronoxis.app.workers import NewestWorker
from chronoxis.core.checks.check import Check, Known
from chronoxis.core.checks.checks import checks_of
from chronoxis.core.checks.glances import ShotGlance
from chronoxis.core.checks.looking import glance_of, with_place
from chronoxis.core.errors import Cancelled, FootageError
from chronoxis.core.footage.reader_pool import Readers
from chronoxis.core.model.project import Project
from chronoxis.core.model.put_aside import put_aside, take_up
from chronoxis.core.render.camera_at_joins import JoinCamera, measured_streaks
from chronoxis.core.render.measuring import by_key
from chronoxis.core.render.plan import Plan
from chronoxis.core.traces.trace_kinds import PICTURES, SOUND

_CALM_MS = 300  # milliseconds after the last plan in which nothing is looked for
_MOST_GLANCED = 40  # shots of a result that are looked at, the first ones
_TRIM_TOLERANCE = 2.0  # recorded seconds by which a shot may be trimmed before it is looked at anew


@dataclass(frozen=True, eq=False)
class _Wish:
    """A plan, what is known of it, and the bytes that an export of it is expected to have, in a folder."""

    plan: Plan
    known: Known
    expected: tuple[int, Path] | None


class FoundChecks(QObject):
    """Looks at each plan, and keeps what was found until the next one was looked at.

    Attributes:
        found: all findings, those that are put aside among them.

    Signals:
        changed: others were found, or were put aside.
    """

    changed = Signal()
    _told = Signal(object, object)

    def __init__(self, document: Document, cameras: CameraPaths, readers: Readers) -> None:
        super().__init__()
        self._document, self._camera_paths, self._readers = document, cameras, readers
        self.found: list[Check] = []
        self._glances: dict[Hashable, ShotGlance | None] = {}  # the worker's own
        self._loudness: float | None = None
        self._expected: tuple[int, Path] | None = None
        self._paused = False
        self._work = NewestWorker(self._answer, "Checks")
        self._told.connect(self._take)
        self._soon = QTimer(self, singleShot=True, interval=_CALM_MS)
        self._soon.timeout.connect(self._look)
        document.planned.connect(self._soon.start)
        cameras.changed.connect(self._soon.start)
        document.changed.connect(self.changed)
        document.replaced.connect(self._forget)

    @property
    def open(self) -> list[Check]:
        """The findings that are not put aside."""
        aside = self._document.project.aside
        return [check for check in self.found if check.key not in aside]

    @property
    def aside(self) -> list[Check]:
        """The findings that were put aside."""
        aside = self._document.project.aside
        return [check for check in self.found if check.key in aside]

    def look_again(self) -> None:
        """Something that is not in the plan is another."""
        self._soon.start()

    def hear(self, lufs: float) -> None:
        """Take in how loud the whole result is."""
        self._loudness = lufs
        self._soon.start()

    def expect(self, size: int, folder: Path) -> None:
        """Take in how many bytes an export is expected to have, and where it would be written."""
        self._expected = size, folder
        self._soon.start()

    def mend(self, check: Check) -> None:
        """Do what mends a finding; of what was edited since, it is looked for anew first."""
        if check.edit is not None and check in self.found and self._document.planner.is_current:
            self._document.apply(check.mend, check.edit)

    def put_aside(self, check: Check) -> None:
        """Show a finding no more in this project."""
        self._document.apply("Put a finding aside", lambda p: put_aside(p, check.key))

    def take_up(self, check: Check) -> None:
        """Show a finding again that was put aside."""
        self._document.apply("Take up a finding", lambda p: take_up(p, check.key))

    def pause(self, on: bool) -> None:
        """Look for nothing while something plays; go on afterwards."""
        self._paused = on
        if on:
            self._soon.stop()
            self._work.give_up()
        else:
            self._soon.start()

    def close_workers(self) -> None:
        """Stop the work in the background."""
        self._soon.stop()
        self._work.close()

    def _forget(self) -> None:
        self.found, self._loudness, self._expected = [], None, None
        self.changed.emit()

    def _look(self) -> None:
        document, plan = self._document, self._document.plan
        if self._paused:
            return
        if plan is None or not document.planner.is_current:
            if document.plan is None:
                self._forget()
            return
        project, known = document.project, document.known
        pictures, sounds = (by_key(project, known.measured[kind]) for kind in (PICTURES, SOUND))
        altered = frozenset(footage.key for footage in project.footage if known.altered(footage))
        loudness = self._loudness
        seen = Known(pictures, sounds, self._cameras(), {}, altered=altered, loudness=loudness)
        self._work.ask(_Wish(plan, seen, self._expected))

    def _cameras(self) -> dict[int, JoinCamera]:
        """At joins whose streaks go along with it; at others it is followed when somebody looks at them."""
        joins = measured_streaks(self._document.project)
        return {join: camera for join in joins if (camera := self._camera_paths.at_join(join)) is not None}

    def _answer(self, wish: _Wish, still_wanted: Callable[[], bool]) -> None:
        """What is known at once; then what has to be looked at."""

        def check() -> None:
            if not still_wanted():
                raise Cancelled

        check()
        wish = replace(wish, known=with_place(wish.known, wish.plan, wish.expected))
        self._told.emit(wish.plan, checks_of(wish.plan, self._seen(wish, look=False, check=check)))
        if len(self._lacking(wish.plan)):
            self._told.emit(wish.plan, checks_of(wish.plan, self._seen(wish, look=True, check=check)))

    def _lacking(self, plan: Plan) -> list[int]:
        """Numbers of the shots that were not looked at."""
        shots = range(min(len(plan.project.shots), _MOST_GLANCED))
        return [number for number in shots if _part_of(plan.project, number) not in self._glances]

    def _seen(self, wish: _Wish, *, look: bool, check: Callable[[], None]) -> Known:
        plan, seen = wish.plan, {}
        for number in range(min(len(plan.project.shots), _MOST_GLANCED)):
            part = _part_of(plan.project, number)
            if look and part not in self._glances:
                check()
                try:
                    self._glances[part] = glance_of(plan, number, self._readers, check)
                except FootageError:
                    self._glances[part] = None  # that it cannot be decoded is said elsewhere
            if (glance := self._glances.get(part)) is not None:
                seen[number] = glance
        return replace(wish.known, glances=seen)

    def _take(self, plan: Plan, found: list[Check]) -> None:
        if plan is self._document.plan:
            self.found = found
            self.changed.emit()


def _part_of(project: Project, number: int) -> Hashable:
    """What of which footage a shot shows, roughly."""
    shot = project.shots[number]
    return project.footage_of(shot).course, *(round(point / _TRIM_TOLERANCE) for point in shot.span)
