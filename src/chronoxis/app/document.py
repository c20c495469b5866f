"""The document: the current project value, what was before it, and what it was made from."""

import time
from collections.abc import Callable, Hashable, Iterable
from dataclasses import dataclass
from fractions import Fraction
from typing import Any, NamedTuple

from PySide6.QtCore import QObject, QTimer, Signal

from chronoxis.app.background import note_activity
from chronoxis.app.workers import NewestWorker
from chronoxis.core.errors import ChronoxisError
from chronoxis.core.footage.absent import AbsentSource
from chronoxis.core.footage.kinds import as_chosen, footage_of, settled
from chronoxis.core.footage.source import Facts, Source
from chronoxis.core.model import arranging, composing
from chronoxis.core.model.footage import Footage
from chronoxis.core.model.nesting import outermost
from chronoxis.core.model.project import Place, Project, cold_shots, warm
from chronoxis.core.render.measuring import by_key, wishes_of
from chronoxis.core.render.nested import nested_inside
from chronoxis.core.render.plan import Plan, changed_on_disk
from chronoxis.core.render.planning import make_plan
from chronoxis.core.timing.schedule import result_frame_count
from chronoxis.core.traces.camera_path import CameraPath
from chronoxis.core.traces.kinds import CAMERA, PICTURES, TRACES, TraceKind
from chronoxis.core.traces.picture_trace import PictureTrace

Edit = Callable[[Project], Project]

_BRING_IN = "Bring in"  # what undo says of it
_MOST_COLD = 24  # shots whose lengths are worked out at once, on the interface thread
_EASE = 60  # milliseconds between what is said of a gesture beside the Weave
_DRAWN = 20  # milliseconds in which an edit is drawn; planning starts no sooner
_PLANNING_SHARE = 9  # how many times as long as a plan takes is left between two plans


@dataclass(frozen=True, eq=False)
class PlanWish:
    """What a plan is made from; ``known`` counts what became known of the footage before."""

    project: Project
    sources: dict[str, Source]
    known: int
    traces: dict[str, PictureTrace]
    cameras: dict[str, CameraPath]

    def made(self, _still_wanted: Callable[[], bool]) -> Plan | str:
        """The plan, or why there is none."""
        try:
            return make_plan(self.project, self.sources, self.traces, self.cameras)
        except ChronoxisError as error:
            return str(error)


class Pending(NamedTuple):
    """What footage waits for, and how far that is, 0 to 1."""

    doing: str
    share: float


class Document(QObject):
    """Holds the project; everything the window shows is read from here.

    Attributes:
        plan: the newest there is; None while there is none.
        plan_refusal: why there cannot be one, or nothing.
        stopped: footage whose frames are not counted since a person did not want to wait for that.

    Signals:
        changed: the project is another value.
        eased: the same, but in the course of a gesture only some times a second: for what is read rather
            than dragged.
        refused: an edit cannot be had; the text says why. Empty once one was had.
        playhead_moved: result seconds.
        selection_changed: other passages are selected.
        footage_chosen: other footage is chosen, or none.
        footage_changed: facts, frames or whereabouts of footage are new.
        pending_changed: footage waits for something else, or it is further on.
        planned: the plan is another one, or there is none any more.
        replaced: another project was begun with.
    """

    changed = Signal()
    eased = Signal()
    refused = Signal(str)
    playhead_moved = Signal(float)
    selection_changed = Signal()
    footage_chosen = Signal()
    footage_changed = Signal()
    pending_changed = Signal()
    planned = Signal()
    replaced = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.project = Project()
        self.saved = self.project
        self.facts: dict[Hashable, Facts] = {}
        self.sources: dict[Hashable, Source] = {}
        self.missing: dict[Hashable, str] = {}
        self.measured: dict[TraceKind[Any], dict[Hashable, Any]] = {kind: {} for kind in TRACES}
        self.pending: dict[Hashable, Pending] = {}
        self.stopped: set[Hashable] = set()
        self._absent: dict[str, AbsentSource] = {}
        self.selection: frozenset[Place] = frozenset()
        self._in_order: tuple[frozenset[Place], list[Place]] = self.selection, []
        self.chosen_footage: str | None = None
        self.chosen_music: int | None = None
        self.playhead = Fraction(0)
        self._undo: list[tuple[str, Project]] = []
        self._redo: list[tuple[str, Project]] = []
        self._gesture: tuple[str, Project] | None = None
        self.plan: Plan | None = None
        self._planned_from: tuple[Project, int] | None = None
        self.plan_refusal = ""
        self._known = 0
        self._planner = NewestWorker(PlanWish.made, "plan", urgent=True)
        self._planner.answered.connect(self._answer_plan)
        self._warmer = NewestWorker(
            lambda project, _wanted: warm(project), "working out lengths", urgent=True
        )
        self._warmer.answered.connect(lambda project, _: self._warmed(project))
        self._warming: Project | None = None
        self._asked = 0.0
        # Once the edit is drawn: the two would share the interpreter's lock.
        self._plan_soon = QTimer(self, singleShot=True)
        self._between_plans = _DRAWN
        self._plan_soon.timeout.connect(self._ask_plan)
        self._ease = QTimer(self, singleShot=True, interval=_EASE)
        self._ease.timeout.connect(self.eased)

    def close_workers(self) -> None:
        """Stop the work in the background."""
        self._planner.close()
        self._warmer.close()

    @property
    def is_modified(self) -> bool:
        """Whether there is something to save."""
        if self.project is self.saved:
            return False
        return self.project != self.saved and outermost(self.project) != outermost(self.saved)

    def show_project(self, project: Project) -> None:
        """Begin with another project; what was known of footage is forgotten."""
        self.facts, self.sources, self.missing, self.pending = {}, {}, {}, {}
        self.measured, self.stopped = {kind: {} for kind in TRACES}, set()
        self._known += 1
        self._undo.clear()
        self._redo.clear()
        self.project = self.saved = project
        self.selection = frozenset([Place(0, 0)]) if project.shots else frozenset()
        self.playhead = Fraction(0)
        self.chosen_footage = None
        self._replan()
        self.footage_changed.emit()
        self._announce()
        self.selection_changed.emit()
        self.footage_chosen.emit()
        self.replaced.emit()

    def meet(self, facts: Facts) -> None:
        """Take in what the header of footage says; what is new to the project becomes a shot."""
        origin = facts.origin
        self.facts[origin] = facts
        self.missing.pop(origin, None)
        if not self.uses(origin):
            self._apply(_BRING_IN, lambda p: _with_canvas(arranging.begin_with(p, footage_of(facts)), facts))
            if len(self.project.shots) == 1:
                self.select([Place(0, 0)])
        elif self.project.canvas is None and self._shows_first(origin):
            self._correct(lambda p: _with_canvas(p, facts))
        self.footage_changed.emit()

    def _shows_first(self, origin: Hashable) -> bool:
        """Whether the first shot, or without one the first footage, is of that origin."""
        shots = self.project.shots
        seen = [footage for footage in self.project.footage if footage.is_seen]
        first = self.project.footage_of(shots[0]) if shots else seen[0] if seen else None
        return first is not None and first.origin == origin

    def uses(self, origin: Hashable) -> bool:
        """Whether any footage of the project is opened from there."""
        return any(footage.origin == origin for footage in self.project.footage)

    def count(self, source: Source) -> None:
        """Take in footage whose frames were counted. Earlier values are corrected along with this one.

        If the project knows the footage with another rate or length, it keeps that, and `altered`
        says so.
        """
        origin = source.facts.origin
        self.facts[origin] = source.facts
        self.sources[origin] = source
        self._forget_measured(origin)  # of the file as it was before
        self.stopped.discard(origin)
        self._known += 1

        def measured(project: Project) -> Project:
            for footage in project.footage:
                if footage.origin == origin and not footage.counted:
                    project = settled(project, footage, source)
            return project

        self._correct(measured)
        self._select_what_is_there()
        self._replan()
        self.footage_changed.emit()
        self._announce()

    def know(self, kind: TraceKind[Any], origin: Hashable, trace: object) -> None:
        """Take in what was measured of footage."""
        if self.measured[kind].get(origin) is trace:
            return
        self.measured[kind][origin] = trace
        opened = {footage.key: self.opened(footage) for footage in self.project.footage}
        sources = {key: source for key, source in opened.items() if source is not None}
        if any((wish.kind, wish.origin) == (kind, origin) for wish in wishes_of(self.project, sources)):
            self._known += 1
            self._replan()

    def _forget_measured(self, origin: Hashable) -> None:
        for known in self.measured.values():
            known.pop(origin, None)

    def _correct(self, edit: Edit) -> None:
        """Take in what files say, in this value and in earlier ones along with it: nobody edited anything."""
        for steps in (self._undo, self._redo):
            steps[:] = [(label, edit(project)) for label, project in steps]
        if self._gesture is not None:
            self._gesture = (self._gesture[0], edit(self._gesture[1]))
        was_saved = self.project is self.saved
        self.project = edit(self.project)
        if was_saved:
            self.saved = self.project

    def wait_for(self, origin: Hashable, doing: str, share: float | None) -> None:
        """Take in what footage waits for and how far that is; None once that is over."""
        if share is None:
            self.pending.pop(origin, None)
        else:
            self.pending[origin] = Pending(doing, share)
        self.pending_changed.emit()

    def miss(self, origin: Hashable, why: str) -> None:
        """Take in that footage cannot be opened."""
        self.missing[origin] = why
        self.sources.pop(origin, None)
        self.stopped.discard(origin)
        self._known += 1
        self._replan()
        self.footage_changed.emit()

    def forget(self, origin: Hashable) -> None:
        """Believe no more what was read of footage: its files are not what they were."""
        for known in (self.sources, self.missing):
            known.pop(origin, None)
        self._forget_measured(origin)
        self._known += 1
        self._replan()
        self.footage_changed.emit()

    def stop_waiting(self, origin: Hashable) -> None:
        """Take in that a person does not want to wait for the frames of footage.

        What was only just brought in is gone, as if it had never been met. Where anything was done or saved
        since, the footage and all that was done stay; its frames can be counted later.
        """
        self.pending.pop(origin, None)
        keys = [footage.key for footage in self.project.footage if footage.origin == origin]
        if len(keys) == 1 and self._is_just_brought_in(keys[0]):
            self.facts.pop(origin, None)
            self._become(self._undo.pop()[1])
        elif keys:
            self.stopped.add(origin)
        self.footage_changed.emit()
        self.pending_changed.emit()

    def _is_just_brought_in(self, key: str) -> bool:
        """Whether the last thing that was done is to bring in that footage, and it is not saved."""
        kept = any(footage.key == key for footage in self.saved.footage)
        if kept or not self._undo or self._gesture is not None:
            return False
        label, before = self._undo[-1]
        return label == _BRING_IN and all(footage.key != key for footage in before.footage)

    def recorded_inside(self, run: Footage) -> list[Footage]:
        """The footage that a nested run is made of, however deep."""
        parts = (self.project.footage_named(key) for key in self.project.with_parts([run.key]))
        return [part for part in parts if not part.made_of]

    def opened(self, footage: Footage) -> Source | None:
        """Footage whose frames were counted, as the project has it; None if it is not there yet."""
        source = self.sources.get(footage.origin)
        return as_chosen(source, footage) if source is not None else None

    def frame_time(self, footage: Footage, moment: float) -> Fraction:
        """When the frame on display at a recorded second begins: by the file, once its frames are counted."""
        source = self.opened(footage)
        if source is None:
            return Fraction(int(moment * float(footage.rate) + 1e-6)) / footage.rate
        return source.begins(source.frame_at(moment / float(footage.scale))) * footage.scale

    def nearest_frame_time(self, footage: Footage, moment: Fraction) -> Fraction:
        """When the frame whose beginning is nearest to a recorded second begins, or the last one ends."""
        begin = self.frame_time(footage, float(moment))
        source = self.opened(footage)
        if source is None:
            return round(moment * footage.rate) / footage.rate
        after = source.begins(source.frame_at(float(begin / footage.scale)) + 1) * footage.scale
        return begin if moment - begin <= after - moment else after

    def altered(self, footage: Footage) -> str:
        """What to say of footage that is not what it was when the project was made, or nothing."""
        source = self.opened(footage)
        if source is None or not footage.counted or footage.made_of:
            return ""
        now = source.rate, source.length
        return "" if footage.agrees_with(*now) else changed_on_disk(footage, *now)

    @property
    def is_planned(self) -> bool:
        """Whether the plan is of the present project: after an edit it is made beside this thread."""
        made_from = (self.project, self._known)
        return self.plan is not None and self._planned_from == made_from

    def planned_now(self) -> Plan | None:
        """The plan of the present project, waited for; None while there is none to be had."""
        wish = self.plan_wish(self.project)
        if wish is not None and not self.is_planned:
            self._take_plan(wish, wish.made(lambda: True))
        return self.plan

    @property
    def frame_count(self) -> int:
        """How many frames the result has."""
        return result_frame_count(self.project.result_length, self.project.rate)

    def plan_wish(self, project: Project) -> PlanWish | None:
        """What a plan of a project over the footage of this one is made from; None while some is counted."""
        used = {key for key in project.needed if not project.footage_named(key).made_of}
        laid = {piece.footage for piece in project.music} - used
        known = {f.key: self._source_of(f) for f in project.footage if f.key in used}
        # Pictures do not wait for music; until it is there, it is silent.
        known |= {f.key: self._source_of(f) or self._stand_in(f) for f in project.footage if f.key in laid}
        sources = {key: source for key, source in known.items() if source is not None}
        if not project.shots or len(sources) < len(known):
            return None
        traces, cameras = (by_key(project, self.measured[kind]) for kind in (PICTURES, CAMERA))
        return PlanWish(project, sources, self._known, traces, cameras)

    def _source_of(self, footage: Footage) -> Source | None:
        """Opened footage; a stand-in, if it is missing or not made yet; None while it is being counted."""
        source, origin = self.sources.get(footage.origin), footage.origin
        if source is not None or not footage.counted or (origin in self.facts and origin not in self.missing):
            return source
        return self._stand_in(footage)

    def _stand_in(self, footage: Footage) -> AbsentSource:
        absent = self._absent.get(footage.key)
        if absent is None or (absent.footage, absent.canvas) != (footage, self.project.canvas):
            absent = self._absent[footage.key] = AbsentSource(footage, self.project.canvas)
        return absent

    def _replan(self) -> None:
        if self.plan_wish(self.project) is not None:
            if not self._plan_soon.isActive():
                self._plan_soon.start(_DRAWN if self._gesture is None else self._between_plans)
            return
        self.plan_refusal = ""
        if self.plan is not None:
            self.plan = None
            self.planned.emit()

    def _ask_plan(self) -> None:
        wish = self.plan_wish(self.project)
        if wish is not None:
            self._asked = time.monotonic()
            self._planner.ask(wish)

    def _answer_plan(self, wish: PlanWish, made: Plan | str) -> None:
        # While somebody drags through a large project, planning must leave time for drawing.
        took = 1000 * (time.monotonic() - self._asked)
        self._between_plans = round(min(max(_DRAWN, _PLANNING_SHARE * took), 500))
        self._take_plan(wish, made)

    def _take_plan(self, wish: PlanWish, made: Plan | str) -> None:
        if wish.known != self._known or self.plan_wish(self.project) is None or self.is_planned:
            return
        self.plan = made if isinstance(made, Plan) else None
        self._planned_from = wish.project, wish.known
        self._meet_nested()
        refusal = made if isinstance(made, str) else ""
        if refusal != self.plan_refusal:
            self.plan_refusal = refusal
            self.refused.emit(refusal)
        self.planned.emit()

    def _meet_nested(self) -> None:
        """Know the nested runs of the plan as other footage is known."""
        runs = nested_inside(self.plan) if self.plan is not None else []
        other = False
        for source in runs:
            before = self.facts.get(source.origin)
            other |= before is None or before.caution != source.caution
            self.facts[source.origin] = source
            if source.is_seen:
                self.sources[source.origin] = source
        if other:
            self.footage_changed.emit()

    def apply(self, label: str, edit: Edit) -> bool:
        """Make an edit that can be undone; say so if it cannot be had.

        During a gesture every edit starts from the value at the gesture's beginning.
        """
        note_activity()
        return self._apply(label, edit)

    def _apply(self, label: str, edit: Edit) -> bool:
        try:
            after = edit(self._gesture[1] if self._gesture else self.project)
        except ChronoxisError as error:
            self.refused.emit(str(error))
            return False
        self.refused.emit("")
        if after is not self.project and after != self.project:
            if self._gesture is None:
                self._undo.append((label, self.project))
                self._redo.clear()
            self._become(after)
        return True

    def begin_gesture(self, label: str) -> None:
        """Take the edits until `end_gesture` for one step of undo."""
        self._gesture = (label, self.project)

    def end_gesture(self) -> None:
        """Close the step."""
        if self._gesture and self._gesture[1] != self.project:
            self._undo.append(self._gesture)
            self._redo.clear()
        self._gesture = None
        self._announce()

    def abandon_gesture(self) -> None:
        """Return to the value at the gesture's beginning."""
        if self._gesture:
            (_, before), self._gesture = self._gesture, None
            self._become(before)

    @property
    def undo_label(self) -> str | None:
        """What undo would undo."""
        return self._undo[-1][0] if self._undo else None

    @property
    def redo_label(self) -> str | None:
        """What redo would do again."""
        return self._redo[-1][0] if self._redo else None

    def undo(self) -> None:
        """Return to the previous value."""
        self._swap(self._undo, self._redo)

    def redo(self) -> None:
        """Return to the value that was undone."""
        self._swap(self._redo, self._undo)

    def _swap(self, source: list[tuple[str, Project]], other: list[tuple[str, Project]]) -> None:
        if source and self._gesture is None:
            label, value = source.pop()
            other.append((label, self.project))
            self.refused.emit("")
            self._become(value)

    def _announce(self) -> None:
        """Tell that the project is another; of an edit of very much, once its lengths are worked out."""
        if self._gesture is None and cold_shots(self.project) > _MOST_COLD:
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
        if self._gesture is None:
            self._ease.stop()
            self.eased.emit()
        elif not self._ease.isActive():
            self._ease.start()

    def _become(self, project: Project) -> None:
        self.project = project
        self._select_what_is_there()
        if all(footage.key != self.chosen_footage for footage in project.footage):
            self.choose_footage(None)
        elif self.chosen_music is None or not self._is_laid(self.chosen_music):
            self.choose_footage(self.chosen_footage)
        self._replan()
        self._announce()

    def _is_laid(self, number: int) -> bool:
        """Whether the chosen music still has that number."""
        music = self.project.music
        return number < len(music) and music[number].footage == self.chosen_footage

    def _select_what_is_there(self) -> None:
        """Let go of passages that the project has no more."""
        there = [place for place in self.selection if self.project.has(place)]
        if len(there) < len(self.selection):
            self.select(there or ([Place(0, 0)] if self.project.shots else []))

    def select(self, places: Iterable[Place]) -> None:
        """Select passages; footage is no longer chosen then."""
        chosen = frozenset(places)
        changed, self.selection = chosen != self.selection, chosen
        self.choose_footage(None)
        if changed:
            self.selection_changed.emit()

    def choose_footage(self, key: str | None, music: int | None = None) -> None:
        """Choose footage, to look at what it is; of music perhaps one place where it lies, by its number."""
        if music is None:
            pieces = enumerate(self.project.music)
            music = next((number for number, piece in pieces if piece.footage == key), None)
        if (key, music) != (self.chosen_footage, self.chosen_music):
            self.chosen_footage, self.chosen_music = key, music
            self.footage_chosen.emit()

    @property
    def selected_places(self) -> list[Place]:
        """The selected passages in playing order."""
        if self._in_order[0] is not self.selection:
            self._in_order = self.selection, sorted(self.selection)
        return self._in_order[1]

    @property
    def selected_shots(self) -> list[int]:
        """Numbers of the shots that have a selected passage."""
        return list(dict.fromkeys(place.shot for place in self.selected_places))

    @property
    def selected_joins(self) -> list[int]:
        """Numbers of the joins between selected shots; of one shot that behind it, of the last one before."""
        shots, last = self.selected_shots, len(self.project.shots) - 1
        chosen = set(shots)
        between = [number for number in shots if number + 1 in chosen]
        if between or len(shots) != 1 or last < 1:
            return between
        return [shots[0] if shots[0] < last else last - 1]

    def select_join(self, number: int) -> None:
        """Select the passages on both sides of a join."""
        before = self.project.shots[number]
        self.select([Place(number, len(before.passages) - 1), Place(number + 1, 0)])

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
    if project.canvas or not footage.is_seen:
        return project
    return composing.set_canvas(project, canvas.within(footage.most_side) if footage.most_side else canvas)
