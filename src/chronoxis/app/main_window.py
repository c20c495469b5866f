"""The window: the Weave on top, footage, pictures and Bench below."""

from collections.abc import Callable
from datetime import datetime
from fractions import Fraction
from pathlib import Path

from PySide6.QtGui import QCloseEvent, QDragEnterEvent, QDropEvent, QImage
from PySide6.QtWidgets import (
    QFileDialog,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QMainWindow,
    QPushButton,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from chronoxis.app.bench.bench import Bench
from chronoxis.app.commands import Commands
from chronoxis.app.document import Document
from chronoxis.app.empty_page import EmptyPage
from chronoxis.app.export.export_panel import ExportPanel
from chronoxis.app.loader import Loader
from chronoxis.app.menus import Menus
from chronoxis.app.pictures.pictures import Pictures
from chronoxis.app.pictures.preview import Preview
from chronoxis.app.pictures.transport import Transport
from chronoxis.app.project_files import ProjectFiles
from chronoxis.app.question_bar import QuestionBar
from chronoxis.app.shelf.shelf import Shelf
from chronoxis.app.shortcuts_page import ShortcutsPage
from chronoxis.app.theme.theme import font, icon, scaled
from chronoxis.app.weave.rails import STRIP
from chronoxis.app.weave.weave import Weave
from chronoxis.core.errors import PlanError
from chronoxis.core.files import endings
from chronoxis.core.footage.facts import Facts
from chronoxis.core.footage.frame_index import FrameIndex
from chronoxis.core.model import arranging, pacing
from chronoxis.core.model.project import Project
from chronoxis.core.render.export import Plan
from chronoxis.core.timing.rates import format_rate
from chronoxis.core.timing.speed import format_speed
from chronoxis.core.timing.timecode import format_time, parse_time

_BENCH_WIDTH = 380
_SHELF_WIDTH = 222


class MainWindow(QMainWindow):
    """Brings the document, its views and the work in the background together."""

    def __init__(self) -> None:
        super().__init__()
        self.document = Document()
        self.files = ProjectFiles(self.document)
        self.preview = Preview()
        self.loader = Loader()
        self.commands = Commands(self.document)
        self.transport = Transport(self.document, self.preview)
        self.weave = Weave(self.document, self.preview.made)
        self.shelf = Shelf(self.document)
        self.pictures = Pictures(self.document, self.preview, self.transport)
        self.bench = Bench(self.document)
        self.export_panel = ExportPanel(self.document, self.files)
        self.question = QuestionBar()
        self._right = QStackedWidget()
        self._message = QLabel()
        self._followed: Plan | None = None
        self.setWindowTitle("Chronoxis")
        self.setWindowIcon(icon("chronoxis", size=64))
        self.setAcceptDrops(True)
        self.resize(1280, 800)
        self._lay_out()
        self.menus = Menus(self)
        self._connect()
        self._show()
        self._follow_plan()
        self._say("")

    def open_file(self, path: Path) -> None:
        """Open a project or a timeline, or bring in a recording."""
        if path.suffix.lower() in (endings.PROJECT, endings.TIMELINE):
            self.open_project(path)
        else:
            self.open_recording(path)

    def open_recording(self, path: Path) -> None:
        """Bring in a recording; the window stays usable meanwhile."""
        self._say("")
        self.loader.load(path.absolute())

    def open_project(self, path: Path) -> None:
        """Open a project or a timeline in place of what is open; unsaved work is asked about first."""
        self._settle_changes(lambda: self._open_project(path))

    def _open_project(self, path: Path) -> None:
        self._say("")
        self.loader.cancel_all()
        if self.files.open(path):
            for footage in self.document.project.footage:
                self.loader.load(footage.path)

    def new_project(self) -> None:
        """Begin with an empty project; unsaved work is asked about first."""
        self._settle_changes(self.files.new)

    def offer_recovery(self) -> None:
        """Ask about what an earlier window could not save, if there is any."""
        found = self.files.left_behind()
        if not found:
            return
        newest = found[0]
        name = newest.saved_as.name if newest.saved_as else "a project without a file"
        when = f"{datetime.fromtimestamp(newest.at):%Y-%m-%d %H:%M}"

        def recover() -> None:
            self.files.recover(newest)
            for footage in self.document.project.footage:
                self.loader.load(footage.path)

        def discard() -> None:
            newest.discard()
            self.offer_recovery()

        self.question.ask(
            f"Changes to {name} from {when} were not saved when Chronoxis ended.",
            [("&Go on with them", recover), ("&Throw them away", discard), ("&Later", lambda: None)],
        )

    def choose_recording(self) -> None:
        """Ask for a recording."""
        paths, _ = QFileDialog.getOpenFileNames(self, "Bring in recordings")
        for path in paths:
            self.open_file(Path(path))

    def choose_project(self) -> None:
        """Ask for a project."""
        kinds = "Projects and timelines (*.chronoxis *.otio);;All files (*)"
        path, _ = QFileDialog.getOpenFileName(self, "Open a project", "", kinds)
        if path:
            self.open_project(Path(path))

    def save(self, then: Callable[[], object] = lambda: None) -> None:
        """Save under the project's name, or ask for one; and ``then``, once it is saved, go on."""
        if self.files.path is not None:
            self.files.save(self.files.path, then)
        else:
            self.save_as(then)

    def save_as(self, then: Callable[[], object] = lambda: None) -> None:
        """Ask for a name and save under it."""
        first = self.files.path or self._first_folder() / f"Untitled{endings.PROJECT}"
        self._save_where("Save the project", first, "Projects (*.chronoxis)", then)

    def save_timeline(self) -> None:
        """Ask for a name and write the result as an open timeline."""
        first = (self.files.path or self._first_folder() / "Untitled").with_suffix(endings.TIMELINE)
        self._save_where("Write a timeline", first, "Timelines (*.otio)")

    def _save_where(
        self, title: str, first: Path, kinds: str, then: Callable[[], object] = lambda: None
    ) -> None:
        chosen, _ = QFileDialog.getSaveFileName(self, title, str(first), kinds)
        if not chosen:
            return
        path = Path(chosen)
        settled = path.suffix.lower() == first.suffix  # else the dialog has asked about a shorter name only
        if not settled:
            path = path.with_name(path.name + first.suffix)
        if settled or not path.exists():
            self.files.save(path, then)
            return
        self.question.ask(
            f"{path.name} is already there.",
            [("&Replace it", lambda: self.files.save(path, then)), ("&Keep it", lambda: None)],
        )

    def locate(self, key: str) -> None:
        """Ask where a missing recording is."""
        wanted = self.document.project.footage_named(key).path
        path, _ = QFileDialog.getOpenFileName(self, f"Where is {wanted.name}?", str(self._first_folder()))
        if path:
            self.found(key, Path(path))

    def found(self, key: str, path: Path) -> None:
        """Take a recording from where it is now, and others that lie beside it under their old names."""
        others = {
            footage.key: path.parent / footage.path.name
            for footage in self.document.project.footage
            if footage.path in self.document.missing and (path.parent / footage.path.name).exists()
        }
        located = {**others, key: path}

        def edit(project: Project) -> Project:
            for each, place in located.items():
                project = arranging.locate(project, each, place.absolute())
            return project

        if self.document.apply("Locate", edit):
            self._say("")
            for place in located.values():
                self.loader.load(place.absolute())

    def show_export(self) -> None:
        """Show the export panel in the Bench's place."""
        if self.document.plan is not None:
            self._right.setCurrentWidget(self.export_panel)
            self.export_panel.show_choices()

    @property
    def message_text(self) -> str:
        """What the window says at present, or nothing."""
        return self._message.text()

    def show_bench(self) -> None:
        """Show the Bench."""
        self._right.setCurrentWidget(self.bench)

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if event.mimeData().hasUrls():
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        for url in event.mimeData().urls():
            if url.isLocalFile():
                self.open_file(Path(url.toLocalFile()))

    def closeEvent(self, event: QCloseEvent) -> None:
        if self.document.is_modified:
            event.ignore()
            self._settle_changes(self.close)
            return
        self.transport.set_shuttle(0)
        for part in (self.loader, self.preview, self.files):
            part.close()
        for owner in (self.document, self.weave, self.pictures, self.export_panel):
            owner.close_workers()
        super().closeEvent(event)

    def _settle_changes(self, then: Callable[[], object]) -> None:
        """Go on once unsaved work is saved or given up."""
        if not self.document.is_modified:
            then()
            return

        def give_up() -> None:
            self.files.discard_changes()
            then()

        name = self.files.path.name if self.files.path else "This project"
        self.question.ask(
            f"{name} has changes that are not saved.",
            [
                ("&Save", lambda: self.save(then)),
                ("&Close without saving", give_up),
                ("&Keep working", lambda: None),
            ],
        )

    def _first_folder(self) -> Path:
        return self.document.project.footage[0].path.parent if self.document.project.footage else Path.home()

    def _lay_out(self) -> None:
        self._message.setProperty("caution", True)
        self._message.setWordWrap(True)
        for page in (self.bench, self.export_panel):
            self._right.addWidget(page)
        self._right.setFixedWidth(_BENCH_WIDTH)
        self.shelf.setFixedWidth(scaled(_SHELF_WIDTH))
        below = QHBoxLayout()
        below.setContentsMargins(14, 4, 14, 12)
        below.setSpacing(10)
        below.addWidget(self.shelf)
        below.addWidget(self.pictures, 1)
        below.addWidget(self._right)
        body = QWidget()
        rows = QVBoxLayout(body)
        rows.setContentsMargins(0, 0, 0, 0)
        rows.setSpacing(2)
        rows.addLayout(self._head())
        rows.addWidget(self._message)
        rows.addWidget(self.weave, 1)
        rows.addLayout(below, 1)
        self._empty = EmptyPage(self.choose_recording, self.choose_project)
        self._pages = QStackedWidget()
        self._pages.addWidget(self._empty)
        self._pages.addWidget(body)
        self.shortcuts_page = ShortcutsPage(self)
        middle = QWidget()
        column = QVBoxLayout(middle)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self.question)
        column.addWidget(self._pages, 1)
        self.setCentralWidget(middle)

    def _head(self) -> QHBoxLayout:
        self._title, self._state = QLabel("Chronoxis"), QLabel()
        self._length, self._summary = QLabel(), QLabel()
        self._title.setFont(font(12.5, 600))
        self._length.setFont(font(13, 600))
        for label in (self._state, self._summary):
            label.setProperty("dim", True)
        self.fit_field = QLineEdit()
        self.fit_field.setPlaceholderText("0:30")
        self.fit_field.setFixedWidth(scaled(72))
        self.fit_field.setAccessibleName("Wished result length")
        self.fit_field.setToolTip("The length that the whole result should have: 30, 0:30, 1m30s")
        self.fit_field.returnPressed.connect(self.fit_to_length)
        self.fit_button = QPushButton("Fit to &length")
        self.fit_button.setToolTip(
            "Give the whole result this length; passages whose speed is held stay (Ctrl+F)"
        )
        self.fit_button.clicked.connect(self.fit_to_length)
        self._export_button = QPushButton("&Export…")
        self._export_button.setProperty("main", True)
        self._export_button.setToolTip("Choose what the file should be like, and write it (Ctrl+E)")
        self._export_button.clicked.connect(self.show_export)
        head = QHBoxLayout()
        head.setContentsMargins(14, 6, 14, 2)
        head.addWidget(self._title)
        head.addSpacing(6)
        head.addWidget(self._state)
        head.addStretch()
        head.addWidget(self._length)
        head.addSpacing(8)
        head.addWidget(self._summary)
        head.addStretch()
        for widget in (self.fit_field, self.fit_button, self._export_button):
            head.addWidget(widget)
        return head

    def fit_to_length(self) -> None:
        """Give the whole result the length in the field."""
        project = self.document.project
        try:
            wish = parse_time(self.fit_field.text() or self.fit_field.placeholderText(), project.rate)
        except PlanError as error:
            self._refuse(str(error))
            return
        self.document.apply("Fit to length", lambda p: pacing.fit_to_length(p, wish))

    def _connect(self) -> None:
        document, loader = self.document, self.loader
        loader.opened.connect(self._opened)
        loader.progress.connect(self._show_counting)
        loader.counted.connect(self._counted)
        loader.failed.connect(self._failed)
        self.shelf.given_up.connect(self._stop_counting)
        self.shelf.wanted.connect(self.choose_recording)
        self.shelf.locate_wanted.connect(self.locate)
        document.eased.connect(self._show)
        document.planned.connect(self._follow_plan)
        document.refused.connect(self.export_panel.say)
        self.files.changed.connect(self._show_file)
        self.files.failed.connect(self._say)
        self.files.noted.connect(self._say)
        self.preview.ready.connect(lambda _: self.weave.update())
        self.preview.failed.connect(self._say)
        self.weave.scrubbed.connect(self._scrub)
        self.weave.menu_wanted.connect(self.menus.show_at_pointer)
        self.export_panel.left.connect(self.show_bench)
        self.export_panel.busy.connect(self.preview.hold_back)

    def _opened(self, facts: Facts, picture: QImage) -> None:
        self.transport.set_shuttle(0)
        first = self.pictures.recorded.image is None
        self.document.meet(facts)
        self.shelf.show_thumbnail(facts.path, picture)
        self.weave.strips.put(facts.path, 0.0, picture.scaledToHeight(STRIP))
        if first:
            self.pictures.recorded.show_image(picture)
        self._show_counting(facts.path, 0.0)
        self.export_panel.choices.output.clear()

    def _counted(self, path: Path, index: FrameIndex) -> None:
        self._show_counting(path, None)
        self.document.count(path, index)
        self.document.move_playhead(self.document.playhead)

    def _failed(self, path: Path, message: str) -> None:
        self._show_counting(path, None)
        if any(footage.path == path for footage in self.document.project.footage):
            self.document.miss(path, message)
        else:
            self._say(message)

    def _show_counting(self, path: Path, share: float | None) -> None:
        self.weave.show_counting(share)
        self.shelf.show_counting(path, share)

    def _stop_counting(self, path: Path) -> None:
        self.loader.cancel(path)
        self._show_counting(path, None)
        for footage in self.document.project.footage:
            if footage.path == path:
                self.document.drop_unsettled(footage.key)

    def _follow_plan(self) -> None:
        """Make the preview's frames anew when something changed that shows in them."""
        plan, before = self.document.plan, self._followed
        for widget in (self.menus.export, self._export_button):
            widget.setEnabled(plan is not None)
        if plan is before:
            return
        same = (
            plan is not None
            and before is not None
            and plan.project.shots == before.project.shots
            and (plan.project.rate, plan.size, plan.sources)
            == (before.project.rate, before.size, before.sources)
        )
        self._followed = plan
        if not same:
            self.preview.follow(plan)

    def _show(self) -> None:
        document, project = self.document, self.document.project
        page = 1 if project.footage else 0
        if page != self._pages.currentIndex():
            self._pages.setCurrentIndex(page)
            if page:
                self.weave.setFocus()  # its keys work at once
        self.menus.follow_document()
        self.fit_button.setEnabled(bool(project.shots))
        if not project.shots:
            self._length.setText("")
            self._summary.setText("no shot: add a recording from the left" if project.footage else "")
            return
        recorded, lasting = project.recorded_length, project.result_length
        self._length.setText(format_time(lasting))
        average = format_speed(float(recorded / lasting))
        single = len(project.rows) == 1
        self._summary.setText(
            f"from {format_time(recorded)} recorded  ·  {average}{'' if single else ' on average'}  ·  "
            f"{format_rate(project.rate)} fps  ·  {document.frame_count:,} frames"
        )

    def _show_file(self) -> None:
        path, project = self.files.path, self.document.project
        name = path.stem if path else project.footage[0].name if project.footage else "Chronoxis"
        self._title.setText(name)
        modified = self.document.is_modified
        self._state.setText("not saved" if modified else "saved" if path else "")
        self.menus.save.setEnabled(modified or (path is None and bool(project.footage)))
        self.setWindowTitle(
            f"{name}{' •' if modified else ''} – Chronoxis" if project.footage else "Chronoxis"
        )

    def _say(self, message: str) -> None:
        self._message.setText(message)
        self._message.setVisible(bool(message))
        self._empty.message.setText(message)
        self._empty.message.setVisible(bool(message))

    def _refuse(self, message: str) -> None:
        self.document.refused.emit(message)

    def enter_fit(self) -> None:
        """Go to the field of the wished length."""
        self.fit_field.setFocus()
        self.fit_field.selectAll()

    def name_marker(self) -> None:
        """Ask for the name of the marker nearest to the playhead."""
        found = self.commands.nearest_marker()
        if found is None:
            self._refuse("There is no mark yet: M marks the result at the playhead, Shift+M the recording.")
            return
        key, marker = found
        where = self.document.project.footage_named(key).name if key else "the result"
        self.question.ask_name(
            f"What happens at {format_time(marker.at, 2)} of {where}?",
            marker.name,
            lambda name: self.commands.rename_marker(key, marker.at, name),
        )

    def _scrub(self, seconds: Fraction) -> None:
        if self.transport.playing:
            self.transport.set_shuttle(0)
        self.document.move_playhead(seconds)

    def step_seconds(self, seconds: int) -> None:
        """Move the playhead by whole seconds of the result."""
        self.transport.step(round(seconds * self.document.project.rate))
