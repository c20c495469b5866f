"""Opening, saving and looking after the project's file."""

import json
from collections.abc import Callable
from pathlib import Path
from typing import NamedTuple

from platformdirs import user_state_path
from PySide6.QtCore import QObject, QTimer, Signal

from chronoxis.app.background import InTurn, Latest
from chronoxis.app.document import Document
from chronoxis.core.errors import ExportError, ProjectFileError
from chronoxis.core.files import endings
from chronoxis.core.files.atomic import write_whole
from chronoxis.core.files.autosave import Autosave, LeftBehind, autosave_folder, left_behind, sweep
from chronoxis.core.files.interchange import Imported, export_timeline
from chronoxis.core.files.project_file import load_project, save_project
from chronoxis.core.files.timeline_reading import read_timeline
from chronoxis.core.model.project import Project

_SETTLE = 1500  # milliseconds without a change before unsaved work is kept
_MOST_RECENT = 8


class _SaveWish(NamedTuple):
    path: Path
    project: Project
    then: Callable[[], object]

    @property
    def is_timeline(self) -> bool:
        return self.path.suffix.lower() == endings.TIMELINE


class _KeepWish(NamedTuple):
    """A project to keep, perhaps in the place of one that was left behind."""

    project: Project
    saved_as: Path | None
    instead_of: LeftBehind | None = None


class ProjectFiles(QObject):
    """The document's file, the files used lately, and what is kept against accidents.

    Writing happens beside the interface thread.

    Signals:
        changed: the file, or whether there is something to save, is another.
        failed: a message for the person.
        saved: the file was written.
        noted: something a person should know, such as what a timeline could not carry over.
    """

    changed = Signal()
    failed = Signal(str)
    saved = Signal()
    noted = Signal(str)

    def __init__(self, document: Document) -> None:
        super().__init__()
        self._document = document
        self.path: Path | None = None
        self._autosave: Autosave | None = None
        self._writer = InTurn(self._write, "saving")
        self._writer.done.connect(self._written)
        self._writer.failed.connect(lambda _, message: self.failed.emit(message))
        self._keeper = InTurn(self._keep, "autosave")
        self._keeper.failed.connect(lambda _, message: self.failed.emit(message))
        self._reader = Latest(lambda wish, _wanted: read_timeline(wish[0]), "timeline")
        self._reader.answered.connect(self._take_timeline)
        self._reader.failed.connect(self.failed)
        self._settle = QTimer(self, singleShot=True, interval=_SETTLE)
        self._settle.timeout.connect(self._ask_keep)
        document.changed.connect(self._note_change)

    def left_behind(self) -> list[LeftBehind]:
        """What earlier windows could not save; also removes locks that nobody holds."""
        sweep(autosave_folder())
        return left_behind(autosave_folder())

    def recover(self, found: LeftBehind) -> None:
        """Go on with what was left behind; it is unsaved until a person saves it.

        What was left behind goes only once this window has kept it in its own place.
        """
        self._become(found.project, found.saved_as)
        self._document.saved = Project()
        self._keeper.ask(_KeepWish(found.project, found.saved_as, found))
        self.changed.emit()

    def new(self) -> None:
        """Begin with an empty project."""
        self._become(Project(), None)

    def open(self, path: Path, then: Callable[[], object] = lambda: None) -> None:
        """Open a project or a timeline, and ``then`` go on; say so if it cannot be done."""
        if path.suffix.lower() == endings.TIMELINE:
            self._reader.ask((path, then))
            return
        try:
            project = load_project(path)
        except ProjectFileError as error:
            self.failed.emit(str(error))
            return
        self._become(project, path.absolute())
        self._remember(path.absolute())
        then()

    def _take_timeline(self, wish: tuple[Path, Callable[[], object]], imported: Imported) -> None:
        self._become(imported.project, None)
        self._document.saved = Project()
        self.changed.emit()
        if imported.notes:
            self.noted.emit(" ".join(imported.notes))
        wish[1]()

    def save(self, path: Path, then: Callable[[], object] = lambda: None) -> None:
        """Write the project, or its timeline, under a name; and ``then``, once it is on the disk, go on."""
        self._writer.ask(_SaveWish(path.absolute(), self._document.project, then))

    def close(self) -> None:
        """Stop; what is unsaved and still wanted stays for the next start."""
        self._settle.stop()
        for worker in (self._reader, self._writer, self._keeper):
            worker.close()
        if self._autosave is not None and not self._document.is_modified:
            self._autosave.close()

    def discard_changes(self) -> None:
        """Throw away what is not saved."""
        self._document.saved = self._document.project
        self._clear_autosave()

    @property
    def recent(self) -> list[Path]:
        """Projects opened or saved lately, newest first."""
        try:
            listed = json.loads(_recent_file().read_text())
            return [Path(entry) for entry in listed if Path(entry).exists()]
        except (OSError, ValueError, TypeError):
            return []

    def _become(self, project: Project, path: Path | None) -> None:
        self._clear_autosave()
        self.path = path
        self._document.show_project(project)
        self.changed.emit()

    def _write(self, wish: _SaveWish) -> None:
        if wish.is_timeline:
            export_timeline(wish.project, wish.path)
        else:
            save_project(wish.project, wish.path)

    def _written(self, wish: _SaveWish) -> None:
        if not wish.is_timeline:
            self.path = wish.path
            self._document.saved = wish.project
            self._remember(wish.path)
            if not self._document.is_modified:
                self._clear_autosave()
        self.changed.emit()
        self.saved.emit()
        wish.then()

    def _note_change(self) -> None:
        self._settle.start()
        self.changed.emit()

    def _ask_keep(self) -> None:
        if self._document.is_modified:
            self._keeper.ask(_KeepWish(self._document.project, self.path))

    def _keep(self, wish: _KeepWish) -> None:
        if self._autosave is None:
            self._autosave = Autosave(autosave_folder())
        self._autosave.keep(wish.project, wish.saved_as)
        if wish.instead_of is not None:
            wish.instead_of.discard()

    def _clear_autosave(self) -> None:
        self._settle.stop()
        if self._autosave is not None:
            self._autosave.clear()

    def _remember(self, path: Path) -> None:
        listed = [str(path), *(str(other) for other in self.recent if other != path)]
        try:
            _recent_file().parent.mkdir(parents=True, exist_ok=True)
            write_whole(_recent_file(), json.dumps(listed[:_MOST_RECENT]).encode())
        except (OSError, ExportError) as error:
            self.noted.emit(f"The list of recent projects was not kept: {error}")


def _recent_file() -> Path:
    return user_state_path("chronoxis") / "recent.json"
