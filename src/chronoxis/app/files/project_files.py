"""Opening, saving and looking after the project's file."""

from collections.abc import Callable
from enum import Enum, auto
from pathlib import Path
from typing import NamedTuple

from PySide6.QtCore import QObject, QTimer, Signal

from chronoxis.app.document.document import Document
from chronoxis.app.files.recent_projects import remember_project
from chronoxis.app.workers import NewestWorker, QueueWorker
from chronoxis.core.errors import AlteredError, ChronoxisError
from chronoxis.core.files import endings
from chronoxis.core.files.autosave import Autosave, LeftBehind, autosave_folder, left_behind, sweep
from chronoxis.core.files.interchange import export_timeline
from chronoxis.core.files.project_file import read_project, save_beside, save_project
from chronoxis.core.files.timeline_reading import read_timeline
from chronoxis.core.files.timeline_writing import remark_on
from chronoxis.core.model.project import Project, warm

_SETTLE_MS = 1500  # milliseconds without a change before unsaved work is kept
_PATIENCE = 0.5  # seconds after which a disk that does not answer keeps no other file waiting
_OLDEST_MS = 4000  # milliseconds that a change waits at most: written, it is on the disk within five seconds

Then = Callable[[], object]


class _OpenWish(NamedTuple):
    """A file to be opened in place of the project that was begun then."""

    path: Path
    begun: int


class Found(NamedTuple):
    """What a file that was opened holds.

    Attributes:
        project: the project.
        path: its own file; None for a timeline, which is another's.
        notes: what could not be carried over, a line each.
    """

    project: Project
    path: Path | None
    notes: list[str]


class _SaveWish(NamedTuple):
    """A project to be written; ``begun`` is its number among those of this window."""

    project: Project
    path: Path
    begun: int
    then: Then
    overwrite: bool = False
    beside: bool = False

    @property
    def is_timeline(self) -> bool:
        return self.path.suffix.lower() == endings.TIMELINE


class _KeepWish(NamedTuple):
    """A project to keep, perhaps in the place of one that was left behind."""

    project: Project
    saved_as: Path | None
    instead_of: LeftBehind | None = None


class _Kept(Enum):
    """What becomes of what is kept, once all of it is saved or given up."""

    IS_EMPTY = auto()
    GOES = auto()


class ProjectFiles(QObject):
    """The document's file, and what is kept against accidents.

    Reading and writing happen beside the interface thread. What ends after another project was begun
    says nothing of that one: neither its name, nor whether it is saved.

    Signals:
        changed: the file, or whether there is something to save, is another.
        failed: a message for the person.
        found: what a file that was to be opened holds (`Found`).
        altered: somebody else wrote the file since it was read: which one, what to say of it, and what to
            do once it is saved after all.
        saved: the file was written.
        noted: something a person should know, such as what a timeline could not carry over.
    """

    changed = Signal()
    failed = Signal(str)
    found = Signal(object)
    altered = Signal(object, str, object)
    saved = Signal()
    noted = Signal(str)

    def __init__(self, document: Document) -> None:
        super().__init__()
        self._document = document
        self.path: Path | None = None
        self.begun = 0
        self._known: dict[Path, str] = {}  # fingerprints of files as they were read or written here last
        self._autosave: Autosave | None = None
        self._writer = QueueWorker(self._write, "saving")
        self._writer.done.connect(self._written)
        self._writer.failed.connect(lambda _, message: self.failed.emit(message))
        self._keeper = QueueWorker(self._keep, "autosave")
        self._keeper.failed.connect(lambda _, message: self.failed.emit(message))
        self._reader = NewestWorker(
            lambda wish, _wanted: self._read(wish), "opening files", patience=_PATIENCE
        )
        self._reader.answered.connect(self._take)
        self._reader.failed.connect(self.failed)
        self._settle = QTimer(self, singleShot=True, interval=_SETTLE_MS)
        self._oldest = QTimer(self, singleShot=True, interval=_OLDEST_MS)
        for timer in (self._settle, self._oldest):
            timer.timeout.connect(self._ask_keep)
        document.changed.connect(self._note_change)

    def left_behind(self) -> list[LeftBehind]:
        """What earlier windows could not save; also removes locks that nobody holds."""
        sweep(autosave_folder())
        return left_behind(autosave_folder())

    def recover(self, found: LeftBehind) -> None:
        """Go on with what was left behind; it is unsaved until a person saves it.

        What was left behind goes only once this window has kept it in its own place.
        """
        self._begin(found.project, found.saved_as, saved=Project())
        self._keeper.ask(_KeepWish(found.project, found.saved_as, found))

    def new(self) -> None:
        """Begin with an empty project."""
        self._begin(Project(), None)

    def open(self, path: Path) -> None:
        """Read a project or a timeline; `found` has it, unless another is begun or opened before."""
        self._reader.ask(_OpenWish(path.absolute(), self.begun))

    def take(self, found: Found) -> None:
        """Begin with what was found."""
        self._begin(found.project, found.path, saved=None if found.path else Project())
        if found.notes:
            self.noted.emit(" ".join(found.notes))

    def save(self, path: Path, then: Then = lambda: None, *, overwrite: bool = False) -> None:
        """Write the project, or its timeline, under a name; and ``then``, once it is on the disk, go on.

        What somebody else wrote there since it was read is replaced only to ``overwrite``.
        """
        self._writer.ask(_SaveWish(self._document.project, path.absolute(), self.begun, then, overwrite))

    def save_beside(self, path: Path, then: Then = lambda: None) -> None:
        """Write the project under a free name beside another, and ``then`` go on."""
        self._writer.ask(_SaveWish(self._document.project, path.absolute(), self.begun, then, beside=True))

    def close(self) -> None:
        """Stop; what is unsaved and still wanted stays for the next start."""
        self._ask_keep()
        if not self._document.is_modified:
            self._keeper.ask(_Kept.GOES)
        for worker in (self._reader, self._writer, self._keeper):
            worker.close()

    def discard_changes(self) -> None:
        """Throw away what is not saved."""
        self._document.history.saved = self._document.project
        self._clear_autosave()

    def _begin(self, project: Project, path: Path | None, saved: Project | None = None) -> None:
        self._clear_autosave()
        self.begun += 1
        self.path = path
        self._document.show_project(project)
        if saved is not None:
            self._document.history.saved = saved
        self.changed.emit()

    def _read(self, wish: _OpenWish) -> Found:
        if wish.path.suffix.lower() == endings.TIMELINE:
            imported = read_timeline(wish.path)
            warm(imported.project)
            return Found(imported.project, None, imported.notes)
        project, self._known[wish.path] = read_project(wish.path)
        warm(project)
        self._remember(wish.path)
        return Found(project, wish.path, [])

    def _take(self, wish: _OpenWish, found: Found) -> None:
        if wish.begun == self.begun:
            self.found.emit(found)

    def _write(self, wish: _SaveWish) -> Path | AlteredError:
        """Where it was written, or that somebody else has written there."""
        path = wish.path
        if wish.is_timeline:
            export_timeline(wish.project, path)
            return path
        try:
            if wish.beside:
                path, fingerprint = save_beside(wish.project, path)
                self._known[path] = fingerprint
            else:
                known = None if wish.overwrite else self._known.get(path)
                self._known[path] = save_project(wish.project, path, known)
        except AlteredError as error:
            return error
        self._remember(path)
        return path

    def _written(self, wish: _SaveWish, outcome: Path | AlteredError) -> None:
        ours = wish.begun == self.begun
        if isinstance(outcome, AlteredError):
            if ours:
                self.altered.emit(wish.path, str(outcome), wish.then)
            else:  # nobody can be asked any more
                self._writer.ask(wish._replace(beside=True))
            return
        if wish.is_timeline and (remark := remark_on(wish.project)):
            self.noted.emit(remark)
        if wish.beside:
            self.noted.emit(f"Saved as {outcome.name}.")
        if ours and not wish.is_timeline:
            self.path = outcome
            self._document.history.saved = wish.project
            if not self._document.is_modified:
                self._clear_autosave()
        self.changed.emit()
        self.saved.emit()
        if ours:
            wish.then()

    def _note_change(self) -> None:
        self._settle.start()
        if not self._oldest.isActive():
            self._oldest.start()
        self.changed.emit()

    def _ask_keep(self) -> None:
        self._settle.stop()
        self._oldest.stop()
        if self._document.is_modified:
            self._keeper.ask(_KeepWish(self._document.project, self.path))

    def _clear_autosave(self) -> None:
        """In its turn, so that nothing that is still being kept comes after it."""
        self._settle.stop()
        self._oldest.stop()
        self._keeper.ask(_Kept.IS_EMPTY)

    def _keep(self, wish: _KeepWish | _Kept) -> None:
        if isinstance(wish, _Kept):
            if self._autosave is not None:
                (self._autosave.clear if wish is _Kept.IS_EMPTY else self._autosave.close)()
            return
        if self._autosave is None:
            self._autosave = Autosave(autosave_folder())
        self._autosave.keep(wish.project, wish.saved_as)
        if wish.instead_of is not None:
            wish.instead_of.discard()

    def _remember(self, path: Path) -> None:
        try:
            remember_project(path)
        except (OSError, ChronoxisError) as error:
            self.noted.emit(f"The list of recent projects was not kept: {error}")
