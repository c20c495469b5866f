"""The values that a project had: for undo, for redo, and for a gesture that is under way."""

from collections.abc import Callable

from chronoxis.core.model.project import Project
from chronoxis.core.model.trials import with_trials

Edit = Callable[[Project], Project]


class History:
    """The present value of a project, and those before and after it.

    Attributes:
        project: the present value.
        saved: the value that is on the disk.
    """

    def __init__(self) -> None:
        self.project = self.saved = Project()
        self._undo: list[tuple[str, Project]] = []
        self._redo: list[tuple[str, Project]] = []
        self._gesture: tuple[str, Project] | None = None

    def begin(self, project: Project) -> None:
        """Begin with another project."""
        self._undo.clear()
        self._redo.clear()
        self._gesture = None
        self.project = self.saved = project

    @property
    def in_gesture(self) -> bool:
        """Whether edits are taken for one step just now."""
        return self._gesture is not None

    @property
    def basis(self) -> Project:
        """What an edit is made of: the present value, in a gesture that at its beginning."""
        return self._gesture[1] if self._gesture else self.project

    def record(self, label: str) -> None:
        """Keep the present value for undo, unless a gesture does so at its end."""
        if self._gesture is None:
            self._undo.append((label, self.project))
            self._redo.clear()

    def begin_gesture(self, label: str) -> None:
        """Take what is done until `end_gesture` for one step."""
        self._gesture = (label, self.project)

    def end_gesture(self) -> None:
        """End a gesture: what it changed is one step of undo."""
        if self._gesture and self._gesture[1] != self.project:
            self._undo.append(self._gesture)
            self._redo.clear()
        self._gesture = None

    def abandon_gesture(self) -> Project | None:
        """The value at the gesture's beginning, to return to; None without a gesture."""
        gesture, self._gesture = self._gesture, None
        return gesture[1] if gesture else None

    @property
    def undo_label(self) -> str | None:
        """What undo would undo."""
        return self._undo[-1][0] if self._undo else None

    @property
    def redo_label(self) -> str | None:
        """What redo would do again."""
        return self._redo[-1][0] if self._redo else None

    @property
    def before(self) -> Project | None:
        """The value that undo returns to."""
        return self._undo[-1][1] if self._undo else None

    def back(self) -> Project | None:
        """Step back, to the value that is returned; None if there is none."""
        return self._step(self._undo, self._redo)

    def forth(self) -> Project | None:
        """Step forth again, likewise."""
        return self._step(self._redo, self._undo)

    def take_back(self) -> Project:
        """The value before, as if what was done last had never been done. Raises IndexError."""
        return self._undo.pop()[1]

    def correct(self, edit: Edit) -> None:
        """Change this value, its trials, and all others along with it: nobody edited anything."""
        edit = with_trials(edit)
        for steps in (self._undo, self._redo):
            steps[:] = [(label, edit(project)) for label, project in steps]
        if self._gesture is not None:
            self._gesture = (self._gesture[0], edit(self._gesture[1]))
        was_saved = self.project is self.saved
        self.project = edit(self.project)
        if was_saved:
            self.saved = self.project

    def _step(self, source: list[tuple[str, Project]], other: list[tuple[str, Project]]) -> Project | None:
        if not source or self._gesture is not None:
            return None
        label, value = source.pop()
        other.append((label, self.project))
        return value
