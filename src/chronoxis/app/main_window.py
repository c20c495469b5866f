"""The window: the Weave on top, footage, pictures and Bench below."""

from collections.abc import Callable
from fractions import Fraction
from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtGui import QAction, QCloseEvent, QDragEnterEvent, QDropEvent, QImage, QKeySequence
from PySide6.QtWidgets import (
    QFileDialog,
    QHBoxLayout,
    QLabel,
    QMainWindow,
    QPushButton,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from chronoxis.app.bench.bench import Bench
from chronoxis.app.document import Document
from chronoxis.app.export.export_panel import ExportPanel
from chronoxis.app.loader import Loader
from chronoxis.app.pictures.pictures import Pictures
from chronoxis.app.pictures.preview import Preview
from chronoxis.app.pictures.transport import Transport
from chronoxis.app.shelf.shelf import Shelf
from chronoxis.app.shortcuts_page import ShortcutsPage
from chronoxis.app.theme.theme import font, icon
from chronoxis.app.weave.weave import Weave
from chronoxis.core.footage.facts import Facts
from chronoxis.core.footage.frame_index import FrameIndex
from chronoxis.core.model import edits
from chronoxis.core.timing.rates import format_rate
from chronoxis.core.timing.speed import format_speed
from chronoxis.core.timing.timecode import format_time

_BENCH_WIDTH = 380
_SHELF_WIDTH = 216


class MainWindow(QMainWindow):
    """Brings the document, its views and the work in the background together."""

    def __init__(self) -> None:
        super().__init__()
        self.document = Document()
        self.preview = Preview()
        self.loader = Loader()
        self.transport = Transport(self.document, self.preview)
        self.weave = Weave(self.document, self.preview.made)
        self.shelf = Shelf(self.document)
        self.pictures = Pictures(self.document, self.preview, self.transport)
        self.bench = Bench(self.document)
        self.export_panel = ExportPanel(self.document)
        self._right = QStackedWidget()
        self._message = QLabel()
        self._summary, self._length = QLabel(), QLabel()
        self.setWindowTitle("Chronoxis")
        self.setWindowIcon(icon("chronoxis", size=64))
        self.setAcceptDrops(True)
        self.resize(1280, 800)
        self._lay_out()
        self._make_menus()
        self._connect()
        self._show()
        self._say("")

    def open_recording(self, path: Path) -> None:
        """Open a recording; the window stays usable meanwhile."""
        self._say("")
        self.loader.load(path)

    def choose_recording(self) -> None:
        """Ask for a recording."""
        path, _ = QFileDialog.getOpenFileName(self, "Open a recording")
        if path:
            self.open_recording(Path(path))

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
        files = [Path(url.toLocalFile()) for url in event.mimeData().urls() if url.isLocalFile()]
        if files:
            self.open_recording(files[0])
        if len(files) > 1:
            self._say(f"One recording at a time: {files[0].name} was opened, the others were not.")

    def closeEvent(self, event: QCloseEvent) -> None:
        self.transport.set_shuttle(0)
        for part in (self.loader, self.preview):
            part.close()
        for view in (self.weave, self.pictures, self.export_panel):
            view.close_workers()
        super().closeEvent(event)

    def _lay_out(self) -> None:
        self._title = QLabel("Chronoxis")
        self._title.setFont(font(12.5, 600))
        self._length.setFont(font(13, 600))
        self._summary.setProperty("dim", True)
        self._export_button = QPushButton("&Export…")
        self._export_button.setProperty("main", True)
        self._export_button.setToolTip("Choose what the file should be like, and write it (Ctrl+E)")
        self._export_button.clicked.connect(self.show_export)
        head = QHBoxLayout()
        head.setContentsMargins(14, 6, 14, 2)
        head.addWidget(self._title)
        head.addStretch()
        head.addWidget(self._length)
        head.addSpacing(8)
        head.addWidget(self._summary)
        head.addStretch()
        head.addWidget(self._export_button)
        self._message.setProperty("caution", True)
        self._message.setWordWrap(True)
        for page in (self.bench, self.export_panel):
            self._right.addWidget(page)
        self._right.setFixedWidth(_BENCH_WIDTH)
        self.shelf.setFixedWidth(_SHELF_WIDTH)
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
        rows.addLayout(head)
        rows.addWidget(self._message)
        rows.addWidget(self.weave, 1)
        rows.addLayout(below, 1)
        self._empty = _EmptyPage(self.choose_recording)
        self._pages = QStackedWidget()
        self._pages.addWidget(self._empty)
        self._pages.addWidget(body)
        self.shortcuts_page = ShortcutsPage(self)
        self.setCentralWidget(self._pages)

    def _make_menus(self) -> None:
        file, edit, shot = (self.menuBar().addMenu(name) for name in ("&File", "&Edit", "&Shot"))
        play, help_ = self.menuBar().addMenu("&Play"), self.menuBar().addMenu("&Help")
        keys = QKeySequence.StandardKey
        self._add(file, "&Open…", keys.Open, self.choose_recording)
        self.export_action = self._add(file, "&Export…", "Ctrl+E", self.show_export)
        file.addSeparator()
        self._add(file, "&Quit", keys.Quit, self.close)
        self.undo_action = self._add(edit, "&Undo", keys.Undo, self.document.undo)
        self.redo_action = self._add(edit, "&Redo", keys.Redo, self.document.redo)
        self._needs_shot = [
            self._add(shot, "Set &in point here", "I", lambda: self._set_point(begin=True)),
            self._add(shot, "Set &out point here", "O", lambda: self._set_point(begin=False)),
            self._add(shot, "Use &all of the recording", "Shift+A", self._use_all),
            self._add(play, "&Play or pause", "Space", self.transport.toggle),
            self._add(play, "Play &backwards", "J", lambda: self.transport.faster(-1)),
            self._add(play, "&Rest", "K", lambda: self.transport.set_shuttle(0)),
            self._add(play, "Play &forwards", "L", lambda: self.transport.faster(1)),
            self._add(play, "One frame bac&k", "Left", lambda: self.transport.step(-1)),
            self._add(play, "One frame &on", "Right", lambda: self.transport.step(1)),
            self._add(play, "One second ba&ck", "Shift+Left", lambda: self._step_seconds(-1)),
            self._add(play, "One secon&d on", "Shift+Right", lambda: self._step_seconds(1)),
            self._add(play, "To the b&eginning", "Home", lambda: self.document.move_playhead(Fraction(0))),
            self._add(play, "To the e&nd", "End", lambda: self.document.move_playhead(Fraction(10**9))),
            self._add(play, "&Loop", "Ctrl+L", self.pictures.loop_button.toggle),
        ]
        self._add(help_, "&Keys", "?", self.shortcuts_page.show_beside)
        escape = QAction(self, shortcut=QKeySequence("Esc"))
        escape.triggered.connect(self.show_bench)
        self.addAction(escape)

    def _add(
        self, menu: QWidget, text: str, keys: str | QKeySequence.StandardKey, act: Callable[[], object]
    ) -> QAction:
        action = QAction(text, self)
        action.setShortcut(QKeySequence(keys))
        action.triggered.connect(lambda _checked: act())
        menu.addAction(action)
        return action

    def _connect(self) -> None:
        document, loader = self.document, self.loader
        loader.opened.connect(self._opened)
        loader.progress.connect(self._show_counting)
        self.shelf.given_up.connect(self._stop_counting)
        loader.counted.connect(self._counted)
        loader.failed.connect(self._say)
        self.shelf.wanted.connect(self.choose_recording)
        document.changed.connect(self._show)
        document.changed.connect(self._follow_plan)
        document.refused.connect(self.export_panel.say)
        self.preview.ready.connect(lambda _: self.weave.update())
        self.preview.failed.connect(self._say)
        self.weave.scrubbed.connect(self._scrub)
        self.export_panel.left.connect(self.show_bench)
        self.export_panel.busy.connect(self.preview.hold_back)

    def _opened(self, facts: Facts, picture: QImage) -> None:
        self.transport.set_shuttle(0)
        self.document.open(facts)
        self.pictures.recorded.show_image(picture)
        self._show_counting(0.0)
        self.weave.follow_recording()
        self.export_panel.choices.output.clear()

    def _counted(self, _facts: Facts, index: FrameIndex) -> None:
        self._show_counting(None)
        self.document.count(index)
        self.document.move_playhead(Fraction(0))

    def _show_counting(self, share: float | None) -> None:
        self.weave.show_counting(share)
        self.shelf.show_counting(share)

    def _stop_counting(self) -> None:
        self.loader.cancel()
        self._show_counting(None)
        self.document.close()

    def _follow_plan(self) -> None:
        plan = self.document.plan
        timing = plan and (self.document.project.shot, self.document.project.rate, plan.size, plan.recording)
        if timing != getattr(self, "_timing", None):
            self._timing = timing
            self.preview.follow(plan)

    def _show(self) -> None:
        document, project = self.document, self.document.project
        self._pages.setCurrentIndex(0 if project.shot is None else 1)
        for action in (self.export_action, *self._needs_shot):
            action.setEnabled(document.plan is not None)
        self._export_button.setEnabled(document.plan is not None)
        for action, verb, label in (
            (self.undo_action, "&Undo", document.undo_label),
            (self.redo_action, "&Redo", document.redo_label),
        ):
            action.setEnabled(label is not None)
            action.setText(f"{verb} {label.lower()}" if label else verb)
        if project.shot is None:
            return
        state = project.reckoner
        self._title.setText(project.shot.footage.name)
        self._length.setText(format_time(state.result_length))
        self._summary.setText(
            f"from {format_time(state.recorded_length)} recorded  ·  {format_speed(state.speed)}  ·  "
            f"{format_rate(state.rate)} fps  ·  {state.count:,} frames"
        )

    def _say(self, message: str) -> None:
        self._message.setText(message)
        self._message.setVisible(bool(message))
        self._empty.message.setText(message)
        self._empty.message.setVisible(bool(message))

    def _scrub(self, seconds: Fraction) -> None:
        if self.transport.playing:
            self.transport.set_shuttle(0)
        self.document.move_playhead(seconds)

    def _step_seconds(self, seconds: int) -> None:
        self.transport.step(round(seconds * self.document.project.rate))

    def _set_point(self, *, begin: bool) -> None:
        plan, shot = self.document.plan, self.document.project.shot
        if plan is None or shot is None:
            return
        frames, _ = plan.schedule.sources(self.document.result_frame)
        index = plan.recording.index
        if begin:
            points = _frame_time(index, int(frames[0])), shot.out_point
        else:
            points = shot.in_point, _frame_time(index, int(frames[-1]) + 1)
        label = "Set in point" if begin else "Set out point"
        if self.document.apply(label, lambda project: edits.set_points(project, *points)):
            self.document.move_playhead(Fraction(0) if begin else Fraction(10**9))

    def _use_all(self) -> None:
        length = self.document.project.expect_shot().footage.length
        self.document.apply("Use all", lambda project: edits.set_points(project, Fraction(0), length))


def _frame_time(index: FrameIndex, frame: int) -> Fraction:
    """When a recorded frame begins, exactly where the rate is steady."""
    return Fraction(float(index.edges[frame])) if index.variable else frame / index.rate


class _EmptyPage(QWidget):
    """What to do next, while nothing is open."""

    def __init__(self, choose: Callable[[], None]) -> None:
        super().__init__()
        heading = QLabel("Open a recording to condense it")
        heading.setFont(font(17, 600))
        text = QLabel(
            "Drop a video file anywhere on this window, or choose one.\n"
            "Then pick the stretch worth showing, and say how fast it should run or how long it should last."
        )
        text.setProperty("dim", True)
        text.setAlignment(Qt.AlignmentFlag.AlignCenter)
        button = QPushButton("&Open a recording…")
        button.setProperty("main", True)
        button.setToolTip("Choose a video file (Ctrl+O)")
        button.clicked.connect(choose)
        self.message = QLabel()
        self.message.setProperty("caution", True)
        self.message.setWordWrap(True)
        self.message.setMinimumWidth(560)
        self.message.hide()
        rows = QVBoxLayout(self)
        rows.setSpacing(14)
        rows.addStretch()
        for widget in (heading, text, button, self.message):
            rows.addWidget(widget, 0, Qt.AlignmentFlag.AlignHCenter)
        rows.addStretch()
