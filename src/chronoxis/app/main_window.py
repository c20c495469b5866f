"""The window: the Weave on top, footage, pictures and Bench below."""

from pathlib import Path

from PySide6.QtGui import QCloseEvent, QDragEnterEvent, QDropEvent, QImage
from PySide6.QtWidgets import (
    QHBoxLayout,
    QMainWindow,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from chronoxis.app.bench.bench import Bench
from chronoxis.app.bench.page import Page
from chronoxis.app.bench_place import BenchPlace
from chronoxis.app.checks.checks_panel import ChecksPanel
from chronoxis.app.checks.found_checks import FoundChecks
from chronoxis.app.commands import Commands
from chronoxis.app.document.document import Document
from chronoxis.app.ends import wait_for_ends
from chronoxis.app.export.export_panel import ExportPanel
from chronoxis.app.export.exports import Exports
from chronoxis.app.export.notifications import DesktopNotifications, Notifications, end_in_words
from chronoxis.app.files.disk_questions import DiskQuestions
from chronoxis.app.files.file_actions import FileActions
from chronoxis.app.files.project_files import ProjectFiles
from chronoxis.app.files.recent_pictures import RecentPictures
from chronoxis.app.first_notes import FirstNotes, notes
from chronoxis.app.focus_keys import FocusKeys
from chronoxis.app.followed_plan import FollowedPlan
from chronoxis.app.footage.loading import Loading
from chronoxis.app.footage.run_pictures import RunPictures
from chronoxis.app.footage.shelf import Shelf
from chronoxis.app.guide import CHAPTERS, open_chapter
from chronoxis.app.halves import Halves
from chronoxis.app.head_line import HeadLine
from chronoxis.app.help_page import HelpPage
from chronoxis.app.intents.empty_page import EmptyPage
from chronoxis.app.intents.intent_panel import IntentPanel
from chronoxis.app.intents.intents import Intents
from chronoxis.app.join_commands import JoinCommands
from chronoxis.app.lull_commands import LullCommands
from chronoxis.app.measuring.added_courses import AddedCourses
from chronoxis.app.measuring.camera_paths import CameraPaths
from chronoxis.app.measuring.found_lulls import FoundLulls
from chronoxis.app.measuring.picture_traces import PictureTraces
from chronoxis.app.measuring.proposed_pace import ProposedPace
from chronoxis.app.measuring.proxies import Proxies
from chronoxis.app.measuring.service import MeasuringService
from chronoxis.app.measuring.sound_traces import SoundTraces
from chronoxis.app.menus import Menus
from chronoxis.app.message_line import MessageLine
from chronoxis.app.pictures.compared import Compared
from chronoxis.app.pictures.pictures import Pictures
from chronoxis.app.pictures.preview import Preview
from chronoxis.app.pictures.stage import Mode
from chronoxis.app.pictures.transport import Transport
from chronoxis.app.presets.preset_acts import PresetActs
from chronoxis.app.presets.preset_panel import PresetPanel
from chronoxis.app.question_bar import QuestionBar
from chronoxis.app.shortcuts_page import ShortcutsPage
from chronoxis.app.sound.devices import open_device
from chronoxis.app.sound.player import Player
from chronoxis.app.sound.sound_ahead import SoundAhead
from chronoxis.app.sound.waveform import waveform_image
from chronoxis.app.theme.theme import built_plainly, icon, scaled
from chronoxis.app.trials.trials_panel import TrialsPanel
from chronoxis.app.weave.weave import Weave
from chronoxis.core.footage.reader_pool import ReaderPool
from chronoxis.core.footage.source import Facts
from chronoxis.core.model.preset import Preset
from chronoxis.core.model.project import Trial
from chronoxis.core.queue.jobs import Job, JobState
from chronoxis.core.sound.effects import sample_of
from chronoxis.core.sound.mixing import as_int16

_SHELF_WIDTH, _SHELF_AT_MOST = 206, 240  # the former grows with the text
_BELOW_MARGINS = (14, 4, 14, 12)  # left, top, right, bottom of the lower half


class MainWindow(QMainWindow):
    """Brings the document, its views and the work in the background together."""

    def __init__(self) -> None:
        super().__init__()
        with built_plainly():
            self._build()
            self._build_panels()
            self._lay_out()
            self.menus = Menus(self)
            self._focus_keys = FocusKeys(self)
        self._connect()
        self._show()
        self._follow_plan()
        self._say("")

    def _build(self) -> None:
        self.document = Document()
        self.files = ProjectFiles(self.document)
        self.disk = DiskQuestions()
        self.readers = ReaderPool()
        self.preview = Preview(self.readers)
        self.commands = Commands(self.document)
        self.sound = SoundAhead()
        self.player = Player(self.sound, open_device)
        self.measuring = MeasuringService(self.document)
        self.sound_traces = SoundTraces(self.document, self.measuring)
        self.proxies = Proxies(self.document, self.measuring)
        self.compared = Compared(self.document, self.readers, self.proxies)
        self.transport = Transport(self.document, self.preview, self.compared, self.sound, self.player)
        self.picture_traces = PictureTraces(self.document, self.measuring)
        self.camera_paths = CameraPaths(self.document, self.measuring)
        self.added_courses = AddedCourses(self.document, self.measuring)
        self.lulls = FoundLulls(self.document, self.sound_traces, self.picture_traces)
        traces = self.sound_traces, self.picture_traces
        self.proposed = ProposedPace()
        self.weave = Weave(self.document, self.preview.made, *traces, self.lulls, self.proposed)
        self.shelf = Shelf(self.document, self.proxies)
        self.loading = Loading(self.document, self.disk, self.shelf, self.weave)
        self.run_pictures = RunPictures(self.document, self.shelf)
        self.sound_traces.changed.connect(self._show_waveforms)
        self.found_checks = FoundChecks(self.document, self.camera_paths, self.readers)
        self.pictures = Pictures(
            self.document,
            self.preview,
            self.compared,
            self.transport,
            self.found_checks,
            self.readers,
            self.weave.strips.picture_near,
            self.proxies.serves,
        )
        self.bench = Bench(
            self.document,
            self.shelf,
            self.sound_traces,
            self.picture_traces,
            self.camera_paths,
            self.lulls,
            self.added_courses,
            self.proposed,
            self.readers,
        )
        self.lull_commands = LullCommands(
            self.document, self.lulls, self.transport, lambda: self.show_page(self.bench.lulls)
        )
        self._message = MessageLine()
        self.followed = FollowedPlan(
            self.document, self.preview, self.compared, self.sound, self.proxies, self.readers
        )
        self._asks = True
        self.left_running: list[str] = []  # what did not end along with the window
        self.setWindowTitle("Chronoxis")
        self.setWindowIcon(icon("chronoxis", size=64))
        self.setAcceptDrops(True)
        self.resize(1280, 800)

    def _build_panels(self) -> None:
        """What a person does with files, exports, joins and presets."""
        self.question = QuestionBar()
        self.exports = Exports()
        self.export_panel = ExportPanel(self.document, self.files, self.disk, self.question, self.exports)
        self.preset_acts = PresetActs(self.document, self.lulls)
        self.trials = TrialsPanel(self.document, self.compared, self.question, self.readers)
        self.checks = ChecksPanel(self.document, self.found_checks)
        self.presets = PresetPanel(
            self.document,
            self.preset_acts,
            self.question,
            lambda: self.preview.image(self.document.result_frame),
        )
        self.joins = JoinCommands(self.document, self.question)
        self.notifications: Notifications = DesktopNotifications()
        self.head = HeadLine(self.document, self.files)
        self.file_actions = FileActions(
            self, self.document, self.files, self.disk, self.loading, self.question
        )
        self._recent_pictures = RecentPictures(
            self.document, self.files, self.loading, self.preview, self.disk
        )
        self.intents = Intents(self.document, self.file_actions, self.loading, self.preset_acts)
        self.intent_panel = IntentPanel(self.intents)
        self.first_notes = FirstNotes(self.document, notes(self.weave, self.pictures.checks), self)
        self.shelf.show_below(self.first_notes)
        self._panels: dict[str, ExportPanel | PresetPanel | TrialsPanel | ChecksPanel | IntentPanel] = {
            "Export": self.export_panel,
            "Presets": self.presets,
            "Trials": self.trials,
            "Checks": self.checks,
            "Intent": self.intent_panel,
        }
        self._right = BenchPlace(self.bench, self._panels)

    def show_export(self) -> None:
        """Show the export panel in the Bench's place."""
        if self._can_export:
            self._right.show_instead(self.export_panel)
            self.export_panel.show_choices()

    def show_exports(self) -> None:
        """Show how exports stand, in the Bench's place."""
        self._right.show_instead(self.export_panel)
        self.export_panel.show_list()

    def show_checks(self) -> None:
        """Show all findings, in the Bench's place."""
        self._right.show_instead(self.checks)
        self.checks.follow()

    def show_presets(self) -> None:
        """Show the presets, in the Bench's place."""
        self._right.show_instead(self.presets)
        self.presets.show_list()

    def show_trials(self) -> None:
        """Show the trials in the Bench's place, and those that were chosen beside the result."""
        if self.document.project.shots:
            self.pictures.show_mode(Mode.SIDE)
            self._right.show_instead(self.trials)
            self.trials.follow()

    def _export_trials(self, trials: list[Trial]) -> None:
        self.show_exports()
        self.export_panel.export_trials(trials)

    def _begin_intent(self, preset: Preset, with_demo: bool) -> None:
        begin = self.intents.begin_with_demo if with_demo else self.intents.begin
        begin(preset)

    def _show_intent(self) -> None:
        """Show what an intention leaves open, in the Bench's place."""
        self._right.show_instead(self.intent_panel)

    def _leave_intent(self) -> None:
        """Another project was begun: what was asked was about the one before."""
        self.intents.forget()
        if self._right.shows(self.intent_panel):
            self.show_bench()

    def _offer_to_go_on(self, many: int) -> None:
        """Exports were interrupted: the machine was restarted, or what worked at them was ended."""
        self.question.ask(
            f"{many} exports were interrupted." if many > 1 else "An export was interrupted.",
            [
                ("Go on with it" if many == 1 else "Go on with them", self._go_on_with_exports),
                ("Not now", lambda: None),
            ],
        )

    def _follow_exports(self) -> None:
        self.head.show_exports(self.exports.going_on)

    def _go_on_with_exports(self) -> None:
        self.exports.go_on_with_all()
        self.show_exports()

    def _tell_end(self, job: Job) -> None:
        """An export that was wished here is done, or has failed."""
        if job.state is JobState.DONE:
            self._say_in_passing(f"{job.output.name} is done.")
        else:
            self._say(job.why)
        self.notifications.tell(*end_in_words(job))

    @property
    def _can_export(self) -> bool:
        """Whether all footage is there, and no run is open: it is the whole that is exported."""
        plan = self.document.plan
        return plan is not None and plan.is_whole and self.document.project.outside is None

    def show_help(self) -> None:
        """Show what there is to know of the page that is shown."""
        self.help_page.show_about(self._shown_page)

    def show_guide(self) -> None:
        """Show the guide's chapter about the page that is shown."""
        if why := open_chapter(CHAPTERS[self._shown_page]):
            self._say(why)

    @property
    def _shown_page(self) -> str:
        """The name of what is to be read about."""
        if self._pages.currentIndex() == 0:
            return "Begin"
        return self._right.shown_name

    def show_bench(self) -> None:
        """Show the Bench."""
        self._right.show_bench()

    def show_bench_page(self, number: int) -> None:
        """Show a page of the Bench."""
        self.show_bench()
        self.bench.show_page(number)

    def show_page(self, page: Page) -> None:
        """Show a page of the Bench."""
        self.show_bench_page([each for _, each in self.bench.pages].index(page))

    def fold_bench(self) -> None:
        """Fold the Bench away, or open it."""
        self._right.fold()

    def fold_shelf(self) -> None:
        """Fold the Footage away, or open it."""
        self.shelf.setVisible(self.shelf.isHidden())

    def toggle_full_screen(self) -> None:
        """Show nothing but the pictures on all of the screen, or all of the window again."""
        on = not self.isFullScreen()
        if on:
            self._folded = self.shelf.isHidden(), self._right.isHidden()
            self._was_maximized = self.isMaximized()
        for part in (self.menuBar(), self.head, self.weave):
            part.setVisible(not on)
        self.shelf.setVisible(not (on or self._folded[0]))
        self._right.setVisible(not (on or self._folded[1]))
        self.pictures.show_bare(on)
        margins = (0, 0, 0, 0) if on else _BELOW_MARGINS
        self._below.setContentsMargins(*margins)
        if on:
            self.showFullScreen()
        elif self._was_maximized:
            self.showMaximized()
        else:
            self.showNormal()

    def step_back(self) -> None:
        """What Escape does: leave the full screen, else what stands in the Bench's place."""
        if self.isFullScreen():
            self.toggle_full_screen()
        elif self._right.shows(self.presets):
            self.presets.go_back()
        else:
            self.show_bench()

    def name_marker(self) -> None:
        """Ask for the name of the marker nearest to the playhead."""
        self.commands.ask_marker_name(self.question)

    @property
    def message_text(self) -> str:
        """What the window says at present, or nothing."""
        return self._message.words()

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if event.mimeData().hasUrls():
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        paths = [Path(url.toLocalFile()) for url in event.mimeData().urls() if url.isLocalFile()]
        if paths:
            self.file_actions.open_files(paths)

    def end(self) -> None:
        """Close without asking; what is not saved is kept for the next start."""
        self._asks = False
        self.close()

    def closeEvent(self, event: QCloseEvent) -> None:
        if self._asks and not self._may_close():
            event.ignore()
            return
        self._halves.remember()
        self.transport.set_shuttle(0)
        sounds, made = (self.player, self.sound), (self.run_pictures, self.preview, self.compared)
        for part in (self.files, self.disk, self.loading, self.measuring, *made, *sounds):
            part.close()
        panels = self.export_panel, self.exports, self.trials, self.found_checks
        for owner in (self.document, self.weave, self.pictures, self.bench, self.proxies, *panels):
            owner.close_workers()
        self.readers.close()
        self.left_running = wait_for_ends()
        super().closeEvent(event)

    def _may_close(self) -> bool:
        """Whether nothing has to be asked about first; if so, it is."""
        if self.document.is_modified:
            self.file_actions.settle_changes(self.close)
            return False
        return True

    def _lay_out(self) -> None:
        self.shelf.setFixedWidth(min(scaled(_SHELF_WIDTH), _SHELF_AT_MOST))
        below = QWidget()
        self._below = QHBoxLayout(below)
        self._below.setContentsMargins(*_BELOW_MARGINS)
        self._below.setSpacing(10)
        self._below.addWidget(self.shelf)
        self._below.addWidget(self.pictures, 1)
        self._below.addWidget(self._right)
        margins = _BELOW_MARGINS[1] + _BELOW_MARGINS[3]
        self._halves = Halves(self.weave, below, lambda: self.bench.need + margins)
        body = QWidget()
        rows = QVBoxLayout(body)
        rows.setContentsMargins(0, 0, 0, 0)
        rows.setSpacing(2)
        rows.addWidget(self.head)
        rows.addWidget(self._message)
        rows.addWidget(self._halves, 1)
        self.empty = EmptyPage(self.file_actions, self.disk)
        self._pages = QStackedWidget()
        self._pages.addWidget(self.empty)
        self._pages.addWidget(body)
        self.shortcuts_page = ShortcutsPage(self)
        self.help_page = HelpPage(self)
        self.help_page.failed.connect(self._say)
        self.help_page.keys_wanted.connect(self.shortcuts_page.show_beside)
        middle = QWidget()
        column = QVBoxLayout(middle)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self.question)
        column.addWidget(self._pages, 1)
        self.setCentralWidget(middle)

    def _connect(self) -> None:
        document = self.document
        document.eased.connect(self._show)
        document.replaced.connect(self._leave_intent)
        document.changed.connect(self.pictures.recorded.update)
        document.planned.connect(self._follow_plan)
        document.selection.footage_chosen.connect(self._show_chosen)
        self.loading.opened.connect(self._opened)
        self.loading.run_offered.connect(self.file_actions.offer_run)
        self.files.changed.connect(self._show_file)
        self.shelf.wanted.connect(self.file_actions.choose_footage)
        for owner in (self.shelf, self.bench.footage):
            owner.locate_wanted.connect(self.file_actions.locate)
        self.transport.changed.connect(lambda: self.proxies.pause(self.transport.playing))
        self.transport.changed.connect(lambda: self.bench.pause_pictures(self.transport.playing))
        self.preview.ready.connect(self.weave.show_made)
        self.sound.measured_loudness.connect(self.bench.sound.show_measured)
        self.empty.intent_wanted.connect(self._begin_intent)
        self.intents.begun.connect(self._show_intent)
        self.intent_panel.export_wanted.connect(self.show_export)
        self._connect_words()
        self._connect_exports()
        self._connect_weave()
        self._connect_pages()
        self._connect_panels()

    def _connect_words(self) -> None:
        """What is said, and by whom."""
        for said in (self.loading.said, self.preset_acts.said, self.intents.said, self.files.noted):
            said.connect(self._say)
        self.player.said.connect(self._say_in_passing)
        working = (self.preview, self.compared, self.sound, self.measuring, self.disk)
        for part in (*working, self.files, self.exports):
            part.failed.connect(self._say)

    def _connect_exports(self) -> None:
        self.head.export_wanted.connect(self.show_export)
        self.head.exports_wanted.connect(self.show_exports)
        self.exports.changed.connect(self._follow_exports)
        self.exports.interrupted.connect(self._offer_to_go_on)
        self.exports.ended.connect(self._tell_end)

    def _connect_weave(self) -> None:
        self.weave.scrubbed.connect(self.transport.scrub)
        self.weave.menu_wanted.connect(self.menus.show_at_pointer)
        self.weave.passer_pressed.connect(self.menus.offer_passer)
        self.weave.join_pressed.connect(self._show_join)

    def _connect_pages(self) -> None:
        """What the pages of the Bench wish for."""
        bench = self.bench
        bench.page_shown.connect(self._mark_pictures)
        bench.lulls.walk_wanted.connect(self.lull_commands.walk)
        bench.lulls.play_wanted.connect(self.lull_commands.play)
        bench.sound.hear_wanted.connect(lambda effect: self.player.let_hear(as_int16(sample_of(effect))))
        bench.picture.draw_wanted.connect(lambda: self.pictures.show_mode(Mode.RECORDED))
        bench.footage.open_wanted.connect(self.joins.open_run)
        self.head.back_wanted.connect(self.joins.come_back)
        bench.join.slide_wanted.connect(self.joins.slide_cut)
        for page in (bench.join, bench.accents):
            page.name_wanted.connect(self.question.ask_name)

    def _connect_panels(self) -> None:
        """What stands in the Bench's place, and what it wishes for."""
        for panel in self._panels.values():
            self.document.refused.connect(panel.say)
            panel.left.connect(self.show_bench)
        self.trials.line_wanted.connect(self.pictures.compare_by_line)
        self.trials.taken.connect(self.loading.load_lacking)
        self.trials.export_wanted.connect(self._export_trials)
        self.pictures.trials_wanted.connect(self.show_trials)
        self.pictures.checks.all_wanted.connect(self.show_checks)
        self.transport.changed.connect(lambda: self.found_checks.pause(self.transport.playing))
        self.sound.measured_loudness.connect(self.found_checks.hear)
        self.export_panel.estimated.connect(self.found_checks.expect)
        self.export_panel.limits_changed.connect(self.found_checks.look_again)
        self.transport.changed.connect(lambda: self.trials.pause(self.transport.playing))
        self.export_panel.busy.connect(lambda on: self.followed.hold_back(self.export_panel, on))
        self.trials.busy.connect(lambda on: self.followed.hold_back(self.trials, on))

    def _opened(self, _facts: Facts, picture: QImage) -> None:
        self.transport.set_shuttle(0)
        self.pictures.show_first(picture)
        self.export_panel.choices.output.clear()
        self._show_waveforms()

    def _show_join(self, number: int) -> None:
        self.show_bench()
        self.bench.show_join(number)

    def _show_waveforms(self) -> None:
        """Show music on the shelf by its waveform."""
        for footage in self.document.project.footage:
            trace = self.sound_traces.trace(footage.origin)
            if not footage.has_pictures and len(trace.levels):
                self.shelf.show_thumbnail(footage.origin, waveform_image(trace.levels))

    def _mark_pictures(self) -> None:
        """Draw framings on the recorded picture while their page is shown."""
        shown = self.bench.shown_page is self.bench.picture
        self.pictures.recorded.set_marks(self.bench.picture.marks if shown else None)
        self.pictures.compare(self.bench.shown_page in (self.bench.frames, self.bench.picture))

    def _show_chosen(self) -> None:
        if self.document.selection.footage is not None:
            self.show_bench()

    def _follow_plan(self) -> None:
        """Export is to be had once there is a whole plan."""
        for widget in (self.menus.export, self.head.export_button):
            widget.setEnabled(self._can_export)
        self.followed.follow_plan()

    def _show(self) -> None:
        page = 1 if self.document.project.footage else 0
        if page != self._pages.currentIndex():
            self._pages.setCurrentIndex(page)
            if page:
                self.weave.setFocus()  # its keys work at once
        self.menus.follow_document()

    def _show_file(self) -> None:
        there, modified = bool(self.document.project.footage), self.document.is_modified
        self.menus.save.setEnabled(modified or (self.files.path is None and there))
        name = self.head.title
        self.setWindowTitle(f"{name}{' •' if modified else ''} – Chronoxis" if there else "Chronoxis")

    def _say_in_passing(self, message: str) -> None:
        """Say what has happened, and does not have to be looked after."""
        self._message.say(message, passing=True)

    def _say(self, message: str) -> None:
        self._message.say(message)
        self.empty.message.say(message)
