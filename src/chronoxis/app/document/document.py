"""The document: the project that the window shows and edits, and what goes along with it."""

from collections.abc import Hashable
from fractions import Fraction
from typing import Any

from PySide6.QtCore import QObject, QTimer, Signal

from chronoxis.app.background import note_activity
from chronoxis.app.document.history import Edit, History
from chronoxis.app.document.known_footage import KnownFootage
from chronoxis.app.document.planner import Planner
from chronoxis.app.document.selection import Selection
from chronoxis.app.workers import NewestWorker
from chronoxis.core.errors import ChronoxisError
from chronoxis.core.footage.kinds import footage_of, settled
from chronoxis.core.footage.source import Facts, Source
from chronoxis.core.model import arranging, composing
from chronoxis.core.model.footage import Footage
from chronoxis.core.model.nesting import outermost
from chronoxis.core.model.project import Place, Project, cold_shots, warm
from chronoxis.core.render.measuring import wishes_of
from chronoxis.core.render.plan import Plan
from chronoxis.core.timing.schedule import result_frame_count
from chronoxis.core.traces.trace_kinds import TraceKind

_BRING_IN = "Bring in"  # what undo says of it
_MOST_COLD = 24  # shots whose lengths are worked out at once, on the interface thread
_EASE_MS = 60  # milliseconds between what is said of a gesture beside the Weave


class Document(QObject):
    """Holds the project; everything the window shows is read from here.

    Attributes:
        history: the values that the project has and had.
        known: what is known of its footage.
        planner: makes its plan.
        selection: what is selected.
        playhead: result seconds.

    Signals:
        changed: the project is another value.
        eased: the same, but in the course of a gesture only some times a second: for what is read rather
            than dragged.
        refused: an edit cannot be had; the text says why. Empty once one was had.
        playhead_moved: result seconds.
        footage_changed: facts, frames or whereabouts of footage are new.
        pending_changed: footage waits for something else, or it is further on.
        planned: the plan is another one, or there is none any more.
        replaced: another project was begun with.
    """

    changed = Signal()
    eased = Signal()
    refused = Signal(str)
    playhead_moved = Signal(float)
    footage_changed = Signal()
    pending_changed = Signal()
    planned = Signal()
    replaced = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.history, self.known = History(), KnownFootage()
        self.selection = Selection(lambda: self.project)
        self.planner = Planner(self.history, self.known)
        self.planner.met.connect(self._meet_nested)
        self.planner.refused.connect(self.refused)
        self.planner.planned.connect(self.planned)
        self.playhead = Fraction(0)
        self._warmer = NewestWorker(
            lambda project, _wanted: warm(project), "working out lengths", urgent=True
        )
        self._warmer.answered.connect(lambda project, _: self._warmed(project))
        self._warming: Project | None = None
        self._ease = QTimer(self, singleShot=True, interval=_EASE_MS)
        self._ease.timeout.connect(self.eased)

    def close_workers(self) -> None:
        """Stop the work in the background."""
        self.planner.close()
        self._warmer.close()

    @property
    def project(self) -> Project:
        """The project as it is now."""
        return self.history.project

    @property
    def plan(self) -> Plan | None:
        """The newest plan there is."""
        return self.planner.plan

    @property
    def is_modified(self) -> bool:
        """Whether there is something to save."""
        project, saved = self.project, self.history.saved
        return project is not saved and project != saved and outermost(project) != outermost(saved)

    def show_project(self, project: Project) -> None:
        """Begin with another project; what was known of footage is forgotten."""
        self.known.clear()
        self.history.begin(project)
        self.selection.begin()
        self.playhead = Fraction(0)
        self.planner.replan()
        self.footage_changed.emit()
        self._announce()
        self.selection.tell()
        self.replaced.emit()

    def meet(self, facts: Facts) -> None:
        """Take in what the header of footage says; what is new to the project becomes a shot."""
        origin = facts.origin
        self.known.meet(facts)
        if not self.uses(origin):
            self._apply(_BRING_IN, lambda p: _with_canvas(arranging.begin_with(p, footage_of(facts)), facts))
            if len(self.project.shots) == 1:
                self.selection.select([Place(0, 0)])
        elif self.project.canvas is None and self._shows_first(origin):
            self.history.correct(lambda p: _with_canvas(p, facts))
        self.footage_changed.emit()

    def _shows_first(self, origin: Hashable) -> bool:
        """Whether the first shot, or without one the first footage, is of that origin."""
        shots = self.project.shots
        seen = [footage for footage in self.project.footage if footage.has_pictures]
        first = self.project.footage_of(shots[0]) if shots else seen[0] if seen else None
        return first is not None and first.origin == origin

    def uses(self, origin: Hashable) -> bool:
        """Whether any footage of the project is opened from there."""
        return any(footage.origin == origin for footage in self.project.footage)

    def count(self, source: Source) -> None:
        """Take in footage whose frames were counted. Earlier values are corrected along with this one.

        If the project knows the footage with another rate or length, it keeps that, and
        `KnownFootage.altered` says so.
        """
        self.known.count(source)

        def measured(project: Project) -> Project:
            for footage in project.footage:
                if footage.origin == source.facts.origin and not footage.counted:
                    project = settled(project, footage, source)
            return project

        self.history.correct(measured)
        self.selection.select_what_is_there()
        self.planner.replan()
        self.footage_changed.emit()
        self._announce()

    def know(self, kind: TraceKind[Any], origin: Hashable, trace: object) -> None:
        """Take in what was measured of footage."""
        if self.known.measured[kind].get(origin) is trace:
            return
        self.known.measured[kind][origin] = trace
        wishes = wishes_of(self.project, self.known.all_opened(self.project))
        if any((wish.kind, wish.origin) == (kind, origin) for wish in wishes):
            self.known.version += 1
            self.planner.replan()

    def wait_for(self, origin: Hashable, doing: str, share: float | None) -> None:
        """Take in what footage waits for and how far that is; None once that is over."""
        self.known.wait_for(origin, doing, share)
        self.pending_changed.emit()

    def miss(self, origin: Hashable, why: str) -> None:
        """Take in that footage cannot be opened."""
        self.known.miss(origin, why)
        self.planner.replan()
        self.footage_changed.emit()

    def forget(self, origin: Hashable) -> None:
        """Believe no more what was read of footage: its files are not what they were."""
        self.known.forget(origin)
        self.planner.replan()
        self.footage_changed.emit()

    def stop_waiting(self, origin: Hashable) -> None:
        """Take in that a person does not want to wait for the frames of footage.

        What was only just brought in is gone, as if it had never been met. Where anything was done or saved
        since, the footage and all that was done stay; its frames can be counted later.
        """
        self.known.pending.pop(origin, None)
        keys = [footage.key for footage in self.project.footage if footage.origin == origin]
        if len(keys) == 1 and self._is_just_brought_in(keys[0]):
            self.known.facts.pop(origin, None)
            self._become(self.history.take_back())
        elif keys:
            self.known.stopped.add(origin)
        self.footage_changed.emit()
        self.pending_changed.emit()

    def _is_just_brought_in(self, key: str) -> bool:
        """Whether the last thing that was done is to bring in that footage, and it is not saved."""
        history = self.history
        kept = any(footage.key == key for footage in history.saved.footage)
        if kept or history.before is None or history.in_gesture:
            return False
        before = history.before.footage
        return history.undo_label == _BRING_IN and all(footage.key != key for footage in before)

    def recorded_inside(self, run: Footage) -> list[Footage]:
        """The footage that a nested run is made of, however deep."""
        parts = (self.project.footage_named(key) for key in self.project.with_parts([run.key]))
        return [part for part in parts if not part.made_of]

    @property
    def frame_count(self) -> int:
        """How many frames the result has."""
        return result_frame_count(self.project.result_length, self.project.rate)

    def apply(self, label: str, edit: Edit) -> bool:
        """Make an edit that can be undone; say so if it cannot be had.

        During a gesture every edit starts from the value at the gesture's beginning.
        """
        note_activity()
        return self._apply(label, edit)

    def _apply(self, label: str, edit: Edit) -> bool:
        try:
            after = edit(self.history.basis)
        except ChronoxisError as error:
            self.refused.emit(str(error))
            return False
        self.refused.emit("")
        if after is not self.project and after != self.project:
            self.history.record(label)
            self._become(after)
        return True

    def begin_gesture(self, label: str) -> None:
        """Take the edits until `end_gesture` for one step of undo."""
        self.history.begin_gesture(label)

    def end_gesture(self) -> None:
        """End a gesture: what it changed is one step of undo."""
        self.history.end_gesture()
        self._announce()

    def abandon_gesture(self) -> None:
        """Return to the value at the gesture's beginning."""
        before = self.history.abandon_gesture()
        if before is not None:
            self._become(before)

    def undo(self) -> None:
        """Return to the previous value."""
        self._return(self.history.back())

    def redo(self) -> None:
        """Return to the value that was undone."""
        self._return(self.history.forth())

    def _return(self, project: Project | None) -> None:
        if project is not None:
            self.refused.emit("")
            self._become(project)

    def _become(self, project: Project) -> None:
        self.history.project = project
        self.selection.select_what_is_there()
        self.selection.choose_what_is_there()
        self.planner.replan()
        self._announce()

    def _announce(self) -> None:
        """Tell that the project is another; of an edit of very much, once its lengths are worked out."""
        if not self.history.in_gesture and cold_shots(self.project) > _MOST_COLD:
            self._warming = self.project
            self._warmer.ask(self.project)
            return
        self._tell()

    @property
    def is_warming(self) -> bool:
        """Whether the lengths of the project are still being worked out; it is told of after that."""
        return self._warming is self.project

    def warm_now(self) -> None:
        """Wait for that: somebody points at what is drawn."""
        if self.is_warming:
            warm(self.project)
            self._warmed(self.project)

    def _warmed(self, project: Project) -> None:
        if project is self.project and self.is_warming:
            self._warming = None
            self._tell()

    def _tell(self) -> None:
        if self._on_frame(self.playhead) != self.playhead:
            self.move_playhead(self.playhead)
        self.changed.emit()
        if not self.history.in_gesture:
            self._ease.stop()
            self.eased.emit()
        elif not self._ease.isActive():
            self._ease.start()

    def _meet_nested(self) -> None:
        if self.known.meet_nested(self.plan):
            self.footage_changed.emit()

    def move_playhead(self, result_seconds: Fraction) -> None:
        """Put the playhead on the result frame that is on display at a result time."""
        self.playhead = self._on_frame(result_seconds)
        self.playhead_moved.emit(float(self.playhead))

    def _on_frame(self, result_seconds: Fraction) -> Fraction:
        """When the result frame on display at a result time opens, or the last one there is."""
        frame = int(max(result_seconds, Fraction(0)) * self.project.rate + Fraction(1, 10**6))
        return max(0, min(frame, self.frame_count - 1)) / self.project.rate

    @property
    def result_frame(self) -> int:
        """Number of the result frame under the playhead."""
        return int(self.playhead * self.project.rate + Fraction(1, 10**6))


def _with_canvas(project: Project, facts: Facts) -> Project:
    """A project that has no canvas yet, with that of some footage."""
    footage, canvas = footage_of(facts), facts.picture.canvas
    if project.canvas or not footage.has_pictures:
        return project
    return composing.set_canvas(project, canvas.within(footage.most_side) if footage.most_side else canvas)
