"""What a person does with files: bring in, open, save, locate; asked about where work might be lost."""

from collections.abc import Callable, Sequence
from datetime import datetime
from pathlib import Path

from PySide6.QtWidgets import QFileDialog, QWidget

from chronoxis.app.document.document import Document
from chronoxis.app.files.disk_questions import DiskQuestions
from chronoxis.app.files.project_files import Found, ProjectFiles
from chronoxis.app.footage.loading import Loading
from chronoxis.app.question_bar import Answer, QuestionBar
from chronoxis.app.remembered import last_folder, remember_folder
from chronoxis.core.errors import ChronoxisError
from chronoxis.core.files import endings
from chronoxis.core.files.autosave import LeftBehind
from chronoxis.core.footage.kinds import KINDS
from chronoxis.core.model.photo_run import PhotoFiles
from chronoxis.demo.larkfield import demo_project

_PROJECTS = "Projects and timelines (*.chronoxis *.otio);;All files (*)"


class FileActions:
    """Asks for files with the desktop's own dialogs, and acts on the answers."""

    def __init__(
        self,
        window: QWidget,
        document: Document,
        files: ProjectFiles,
        disk: DiskQuestions,
        loading: Loading,
        question: QuestionBar,
    ) -> None:
        self._window, self._document = window, document
        self._files, self._disk, self._loading, self._question = files, disk, loading, question
        files.found.connect(self._take)
        files.altered.connect(self._ask_about_altered)

    def open_files(self, paths: Sequence[Path]) -> None:
        """Open a project among some files, or bring all of them in as footage."""
        for path in paths:
            if path.suffix.lower() in (endings.PROJECT, endings.TIMELINE):
                self.open_project(path)
                return
        self._loading.bring_in(*paths)

    def offer_run(self, alone: PhotoFiles, run: PhotoFiles) -> None:
        """Ask whether one photo was meant, or the run that it is of."""
        self._question.ask(
            f"{alone.names[0]} is one of {len(run.names)} photos, {run.names[0]} to {run.names[-1]}.",
            [
                (f"Bring in all {len(run.names)}", lambda: self._loading.loader.load(run)),
                ("Only this one", lambda: self._loading.loader.load(alone)),
                ("Neither", lambda: None),
            ],
        )

    def open_project(self, path: Path) -> None:
        """Open a project or a timeline in place of what is open; unsaved work is asked about first."""
        self.settle_changes(lambda: self._open_project(path))

    def _open_project(self, path: Path) -> None:
        self._loading.said.emit(f"Opening {path.name}…")
        self._files.open(path)

    def _take(self, found: Found) -> None:
        """Begin with what was read; what was changed meanwhile is asked about, too."""

        self._loading.said.emit("")

        def begin() -> None:
            self._files.take(found)
            self._loading.load_project()

        self.settle_changes(begin)

    def new_project(self) -> None:
        """Begin with an empty project; unsaved work is asked about first."""

        def begin() -> None:
            self._loading.loader.cancel_all()
            self._files.new()

        self.settle_changes(begin)

    def offer_recovery(self) -> None:
        """Ask about what an earlier window could not save, if there is any."""
        self._disk.ask(self._files.left_behind, self._ask_about_left_behind)

    def _ask_about_left_behind(self, found: list[LeftBehind]) -> None:
        if not found:
            return
        newest = found[0]
        name = newest.saved_as.name if newest.saved_as else "a project without a file"
        when = f"{datetime.fromtimestamp(newest.at):%Y-%m-%d %H:%M}"

        def recover() -> None:
            self._files.recover(newest)
            self._loading.load_project()

        def discard() -> None:
            self._disk.ask(newest.discard, lambda _: self.offer_recovery())

        self._question.ask(
            f"Changes to {name} from {when} were not saved when Chronoxis ended.",
            [
                ("Go on with them", lambda: self.settle_changes(recover)),
                ("Throw them away", discard),
                ("Later", lambda: None),
            ],
        )

    def choose_footage(self) -> None:
        """Ask for footage, and bring it in."""
        if paths := self.ask_for_footage():
            self.open_files(paths)

    def ask_for_footage(self) -> list[Path]:
        """Ask for files; none, if the person thinks better of it."""
        paths, _ = QFileDialog.getOpenFileNames(
            self._window, "Bring in recordings or photos", str(self._first_folder()), _footage_filter()
        )
        if paths:
            remember_folder(Path(paths[0]))
        return [Path(path) for path in paths]

    def open_demo(self, name: str) -> None:
        """Open a project of the demo; what it lacks is drawn beside the window."""
        try:
            folder = demo_project().parent
        except ChronoxisError as error:
            self._loading.said.emit(str(error))
            return
        self._loading.drawing.begin(folder)
        self.open_project(folder / name)

    def choose_folder(self) -> None:
        """Ask for a folder of photos, and bring it in."""
        if paths := self.ask_for_folder():
            self._loading.bring_in(*paths)

    def ask_for_folder(self) -> list[Path]:
        """Ask for a folder of photos; none, if the person thinks better of it."""
        folder = QFileDialog.getExistingDirectory(
            self._window, "Bring in a folder of photos", str(self._first_folder())
        )
        if not folder:
            return []
        remember_folder(Path(folder))
        return [Path(folder)]

    def choose_music(self) -> None:
        """Ask for files whose sound is laid under the result; it may be that of videos."""
        paths, _ = QFileDialog.getOpenFileNames(
            self._window, "Bring in music", str(self._first_folder()), "Sound and video (*)"
        )
        if paths:
            remember_folder(Path(paths[0]))
            self._loading.bring_in_music([Path(path) for path in paths])

    def choose_project(self) -> None:
        """Ask for a project."""
        path, _ = QFileDialog.getOpenFileName(
            self._window, "Open a project", str(self._first_folder()), _PROJECTS
        )
        if path:
            remember_folder(Path(path))
            self.open_project(Path(path))

    def save(self, then: Callable[[], object] = lambda: None) -> None:
        """Save under the project's name, or ask for one; and ``then``, once it is saved, go on."""
        if self._files.path is not None:
            self._files.save(self._files.path, then)
        else:
            self.save_as(then)

    def _ask_about_altered(self, path: Path, message: str, then: Callable[[], object]) -> None:
        """Somebody else wrote the project's file: nothing is written over it unasked."""
        self._question.ask(
            message,
            self._of_this_project(
                ("Save beside it", lambda: self._files.save_beside(path, then)),
                ("Replace it", lambda: self._files.save(path, then, overwrite=True)),
                ("Neither", lambda: None),
            ),
        )

    def _of_this_project(self, *answers: Answer) -> list[Answer]:
        """Answers that do nothing once another project is open."""
        return [(label, self._unless_over(act)) for label, act in answers]

    def _unless_over(self, act: Callable[[], object]) -> Callable[[], object]:
        """What does nothing once another project is open."""
        begun = self._files.begun
        return lambda: act() if self._files.begun == begun else None

    def save_as(self, then: Callable[[], object] = lambda: None) -> None:
        """Ask for a name and save under it."""
        first = self._files.path or self._first_folder() / f"Untitled{endings.PROJECT}"
        self._save_where("Save the project", first, "Projects (*.chronoxis)", then)

    def save_timeline(self) -> None:
        """Ask for a name and write the result as an open timeline."""
        first = (self._files.path or self._first_folder() / "Untitled").with_suffix(endings.TIMELINE)
        self._save_where("Write a timeline", first, "Timelines (*.otio)")

    def _save_where(
        self, title: str, first: Path, kinds: str, then: Callable[[], object] = lambda: None
    ) -> None:
        chosen, _ = QFileDialog.getSaveFileName(self._window, title, str(first), kinds)
        if not chosen:
            return
        path = Path(chosen)
        remember_folder(path)
        settled = path.suffix.lower() == first.suffix  # else the dialog has asked about a shorter name only
        if not settled:
            path = path.with_name(path.name + first.suffix)
        save = self._unless_over(lambda: self._files.save(path, then, overwrite=True))

        def ask_if(there: bool) -> None:
            if there:
                answers: list[Answer] = [("Replace it", save), ("Keep it", lambda: None)]
                self._question.ask(f"{path.name} is already there.", answers)
            else:
                save()

        if settled:
            save()
        else:
            self._disk.ask(path.exists, ask_if)

    def locate(self, key: str) -> None:
        """Ask where missing footage is."""
        wanted = self._document.project.footage_named(key)
        path, _ = QFileDialog.getOpenFileName(
            self._window, f"Where is {wanted.label}?", str(self._first_folder()), _footage_filter()
        )
        if path:
            remember_folder(Path(path))
            self._loading.found(key, Path(path))

    def settle_changes(self, then: Callable[[], object]) -> None:
        """Go on once unsaved work is saved or given up; what is changed while it is saved, too."""
        if not self._document.is_modified:
            then()
            return

        def give_up() -> None:
            self._files.discard_changes()
            then()

        name = self._files.path.name if self._files.path else "This project"
        self._question.ask(
            f"{name} has changes that are not saved.",
            self._of_this_project(
                ("Save", lambda: self.save(lambda: self.settle_changes(then))),
                ("Close without saving", give_up),
                ("Keep working", lambda: None),
            ),
        )

    def _first_folder(self) -> Path:
        """Where files were chosen last, else where the footage lies."""
        kept = last_folder()
        if kept is not None:
            return kept
        places = [file.parent for footage in self._document.project.footage for file in footage.files]
        return places[0] if places else Path.home()


def _footage_filter() -> str:
    endings_ = [f"*{each}" for kind in KINDS for ending in kind.endings for each in (ending, ending.upper())]
    return f"Footage ({' '.join(endings_)});;All files (*)"
