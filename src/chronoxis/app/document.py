"""The document: the current project value, what was before it, and what it was made from."""

from collections.abc import Callable
from dataclasses import replace
from fractions import Fraction

from PySide6.QtCore import QObject, Signal

from chronoxis.core.errors import ChronoxisError
from chronoxis.core.footage.facts import Facts
from chronoxis.core.footage.frame_index import FrameIndex
from chronoxis.core.model import edits
from chronoxis.core.model.project import Footage, Project
from chronoxis.core.render.export import Plan, make_plan
from chronoxis.core.render.frames import Recording

Edit = Callable[[Project], Project]


class Document(QObject):
    """Holds the project; everything the window shows is read from here.

    Signals:
        changed: the project is another value.
        refused: an edit cannot be had; the text says why.
        playhead_moved: result seconds.
        recording_changed: facts or index of the recording are new.
    """

    changed = Signal()
    refused = Signal(str)
    playhead_moved = Signal(float)
    recording_changed = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.project = Project()
        self.facts: Facts | None = None
        self.index: FrameIndex | None = None
        self.playhead = Fraction(0)
        self._undo: list[tuple[str, Project]] = []
        self._redo: list[tuple[str, Project]] = []
        self._gesture: tuple[str, Project] | None = None
        self._plan: tuple[Project, FrameIndex, Plan | None] | None = None

    def open(self, facts: Facts) -> None:
        """Begin with a recording whose frames are not counted yet."""
        self.facts, self.index = facts, None
        footage = Footage(facts.path, facts.rate, max(facts.length, 1 / facts.rate))
        self.project = edits.open_footage(Project(settings=self.project.settings), footage)
        self._undo.clear()
        self._redo.clear()
        self.playhead = Fraction(0)
        self.recording_changed.emit()
        self.changed.emit()

    def close(self) -> None:
        """Let go of the recording; the project is empty again."""
        self.facts = self.index = None
        self.project = Project(settings=self.project.settings)
        self._undo.clear()
        self._redo.clear()
        self.recording_changed.emit()
        self.changed.emit()

    def count(self, index: FrameIndex) -> None:
        """Take in the frame index of the recording. Earlier values are corrected along with this one."""
        assert self.facts is not None
        self.facts, self.index = self.facts.counted(index), index
        measured = [
            [(label, edits.measure_footage(project, index.rate, index.length)) for label, project in steps]
            for steps in (self._undo, self._redo)
        ]
        self._undo[:], self._redo[:] = measured
        self.project = edits.measure_footage(self.project, index.rate, index.length)
        self.recording_changed.emit()
        self.changed.emit()

    @property
    def plan(self) -> Plan | None:
        """The plan of the current project, or None while there is none to be had."""
        if self.index is None or self.facts is None or self.project.shot is None:
            return None
        if self._plan is None or self._plan[:2] != (self.project, self.index):
            try:
                silent = replace(self.project, settings=replace(self.project.settings, sound=False))
                made = make_plan(silent, Recording(self.facts, self.index))
            except ChronoxisError as error:
                made = None
                self.refused.emit(str(error))
            self._plan = (self.project, self.index, made)
        return self._plan[2]

    def apply(self, label: str, edit: Edit) -> bool:
        """Make an edit that can be undone; say so if it cannot be had."""
        try:
            after = edit(self.project)
        except ChronoxisError as error:
            self.refused.emit(str(error))
            return False
        self.refused.emit("")
        if after != self.project:
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
        self.changed.emit()

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
        if source:
            label, value = source.pop()
            other.append((label, self.project))
            self.refused.emit("")
            self._become(value)

    def _become(self, project: Project) -> None:
        self.project = project
        self.changed.emit()
        self.move_playhead(self.playhead)

    def move_playhead(self, result_seconds: Fraction) -> None:
        """Put the playhead on the result frame that is on display at a result time."""
        self.playhead = Fraction(0)
        if plan := self.plan:
            frame = int(max(result_seconds, Fraction(0)) * plan.schedule.rate + Fraction(1, 10**6))
            self.playhead = min(frame, len(plan.schedule) - 1) / plan.schedule.rate
        self.playhead_moved.emit(float(self.playhead))

    @property
    def result_frame(self) -> int:
        """Number of the result frame under the playhead."""
        return int(self.playhead * self.project.rate)
