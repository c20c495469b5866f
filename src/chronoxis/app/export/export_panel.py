"""The export panel: choices with their estimates, and the list of exports."""

from collections.abc import Sequence
from dataclasses import replace
from functools import partial
from pathlib import Path

from PySide6.QtCore import QTimer, Signal
from PySide6.QtGui import QDragEnterEvent, QDropEvent
from PySide6.QtWidgets import QFileDialog, QFrame, QStackedWidget, QVBoxLayout, QWidget

from chronoxis.app.caution_label import CautionLabel
from chronoxis.app.document.document import Document
from chronoxis.app.export.choice_form import ChoiceForm
from chronoxis.app.export.export_list import ExportList
from chronoxis.app.export.export_row import in_megabytes
from chronoxis.app.export.exports import Exports
from chronoxis.app.export.other_exports import OtherExports
from chronoxis.app.export.result_names import Found, free_name, looked_at, name_ending, with_ending
from chronoxis.app.files.disk_questions import DiskQuestions
from chronoxis.app.files.project_files import ProjectFiles
from chronoxis.app.question_bar import QuestionBar
from chronoxis.app.remembered import last_folder, remember_folder
from chronoxis.app.scroller import Scroller
from chronoxis.app.text_label import TextLabel
from chronoxis.app.theme.theme import font
from chronoxis.app.workers import NewestWorker
from chronoxis.core.cluster.machines import Machines
from chronoxis.core.errors import ExportError, PlanError
from chronoxis.core.files.kept_choices import keep_choices, kept_choices
from chronoxis.core.model import arranging
from chronoxis.core.model.project import Project, Trial
from chronoxis.core.model.settings import ResultSettings
from chronoxis.core.queue.jobs import JobState
from chronoxis.core.render.estimate import Estimate, estimate
from chronoxis.core.render.plan import Plan
from chronoxis.core.timing.rates import format_rate
from chronoxis.core.timing.timecode import format_time

_PATIENCE = 1.0  # seconds after which a disk that does not answer keeps no other name waiting
_SETTLE_MS = 500  # milliseconds of rest before the file size is estimated anew


class ExportPanel(QFrame):
    """Shown in the Bench's place while a person exports.

    Signals:
        left: the person goes back to adjust.
        busy: an export or an estimate begins, or has ended.
        estimated: bytes that an export is expected to have, and the folder that it would be written into.
        limits_changed: the places that results go to take something else.
    """

    left = Signal()
    busy = Signal(bool)
    estimated = Signal(object, object)
    limits_changed = Signal()

    def __init__(
        self,
        document: Document,
        files: ProjectFiles,
        disk: DiskQuestions,
        question: QuestionBar,
        exports: Exports,
    ) -> None:
        super().__init__()
        self._document, self._files, self._disk, self._question = document, files, disk, question
        self._suggested = ""  # the name in the field, as long as nobody chose another
        self.setProperty("panel", True)
        self.setAcceptDrops(True)
        self.exports = exports
        self.choices, self.list = ChoiceForm(), ExportList(exports)
        self._pages = QStackedWidget()
        page = QWidget()
        rows = QVBoxLayout(page)
        rows.setContentsMargins(0, 0, 0, 0)
        rows.addWidget(Scroller(self.choices), 1)
        rows.addWidget(self.choices.foot)
        self._pages.addWidget(page)
        self._pages.addWidget(self.list)
        self._message = CautionLabel()
        self._title = TextLabel("Export")
        self._title.setFont(font(10.5, 600))
        layout = QVBoxLayout(self)
        layout.setContentsMargins(12, 10, 12, 12)
        layout.addWidget(self._title)
        layout.addWidget(self._pages, 1)
        layout.addWidget(self._message)
        self._estimates = NewestWorker(estimate, "estimate")
        self._estimates.answered.connect(self._show_estimate)
        self._estimates.failed.connect(self._show_no_estimate)
        self._others = OtherExports()
        self._others.ready.connect(self._add_other)
        self._others.said.connect(self.say)
        self._names = NewestWorker(lambda wish, _wanted: free_name(*wish), "free names", patience=_PATIENCE)
        self._names.answered.connect(self._take_name)
        self._settle = QTimer(self, singleShot=True, interval=_SETTLE_MS)
        self._settle.timeout.connect(self._ask_estimate)
        self._expected: tuple[Plan, float] | None = None  # seconds that an export of a plan takes
        self._connect()

    def _connect(self) -> None:
        choices, exports = self.choices, self.exports
        choices.changed.connect(self._take_choices)
        choices.kept_box.activated.connect(self._use_kept)
        choices.keep.clicked.connect(self._keep)
        choices.browse.clicked.connect(self._browse)
        choices.start.clicked.connect(self.start)
        choices.back.clicked.connect(self.left)
        choices.place.chosen.connect(self._send_to)
        choices.place.changed.connect(self.limits_changed)
        choices.place.refused.connect(self.say)
        choices.place.name_wanted.connect(self._question.ask_name)
        choices.all_exports.clicked.connect(self.show_list)
        self.list.another.clicked.connect(self.show_choices)
        self.list.others.clicked.connect(self.choose_others)
        self.list.back.clicked.connect(self.left)
        self.list.again.connect(exports.tell_project)
        self.list.failed.connect(self.say)
        exports.project_told.connect(self._choose_again)
        exports.missing_told.connect(self._locate)
        exports.changed.connect(self._follow_exports)
        exports.failed.connect(self.say)
        self._document.planned.connect(self._show_project)

    def close_workers(self) -> None:
        """Stop the work in the background; exports go on."""
        self._estimates.close()
        self._names.close()
        self._others.close()

    def show_choices(self) -> None:
        """Show the choices of a new export."""
        self.say("")
        self.choices.show_kept(kept_choices())
        self._title.setText("Export")
        self._pages.setCurrentIndex(0)
        self._show_project()

    def show_list(self) -> None:
        """Show all exports."""
        self.say("")
        self._title.setText("Exports")
        self._pages.setCurrentIndex(1)

    def choose_others(self) -> None:
        """Ask for recordings that are to be condensed as this project is."""
        names, _ = QFileDialog.getOpenFileNames(self, "Recordings to condense the same way")
        self.condense_alike([Path(name) for name in names])

    def condense_alike(self, paths: Sequence[Path]) -> None:
        """Let other recordings, or folders of photos, be exported with the choices of this project."""
        project = self._document.project
        if paths and project.shots:
            self.show_list()
            self._others.condense_alike(paths, project, self._folder)

    def export_trials(self, trials: Sequence[Trial]) -> None:
        """Let trials be exported as each of them says, with their names in the files'."""
        self.show_list()
        self._others.export_trials(trials, self._folder, self._stem())

    @property
    def _folder(self) -> Path:
        """Where results are written."""
        chosen = self.choices.output.text()
        return Path(chosen).expanduser().parent if chosen else self._beside().parent

    def _beside(self) -> Path:
        """What results are written beside: the project, or the first recording that it shows."""
        project = self._document.project
        shown = (project.footage_of(shot) for shot in project.shots)
        return self._files.path or next((f.beside for f in shown if f.files), Path.home() / "result")

    def _stem(self) -> str:
        """What the names of results begin with."""
        return self._beside().stem if self._files.path else f"{self._beside().stem}-condensed"

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if event.mimeData().hasUrls() and self._document.project.shots:
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        urls = event.mimeData().urls()
        self.condense_alike([Path(url.toLocalFile()) for url in urls if url.isLocalFile()])

    def _add_other(self, project: Project, output: Path) -> None:
        machines = self.choices.made.machines
        self.exports.add(project, output, overwrite=False, expected=None, machines=machines)

    def _follow_exports(self) -> None:
        """Leave them the cores, but for what is about to be looked at."""
        going_on = self.exports.going_on
        self.busy.emit(any(job.state is JobState.UNDER_WAY for job in going_on))
        self.choices.all_exports.setText(f"&All exports ({len(going_on)})" if going_on else "&All exports")

    def start(self) -> None:
        """Export to the chosen file."""
        plan = self._document.plan
        if plan is None or not plan.is_whole:
            return
        project, output = self._document.project, Path(self.choices.output.text()).expanduser()
        self.say(f"Looking at {output.parent}…")
        machines = self.choices.made.machines
        self._disk.ask(
            partial(looked_at, project, output, machines), partial(self._begin, project, output, machines)
        )

    def _begin(self, project: Project, output: Path, machines: Machines | None, found: Found) -> None:
        """Let it be exported, unless something speaks against it, or something else was chosen meanwhile."""
        if project is not self._document.project:
            self.say("")
            return
        if found.refusal:
            self.say(found.refusal)
            return
        replaces = self.choices.replace_it.isChecked()
        if found.there and not replaces:
            self.choices.replace_it.show()
            self.say(f"{found.there} is already there; choose another name, or tick “Replace it”.")
            return
        plan, expected = self._document.plan, self._expected
        seconds = expected[1] if expected is not None and expected[0] is plan else None
        if machines is not None:
            self.choices.made.keep(machines)
        self.exports.add(project, output, overwrite=replaces, expected=seconds, machines=machines)
        self.choices.replace_it.setChecked(False)
        self.choices.replace_it.hide()
        self.show_list()

    def _show_project(self) -> None:
        project, plan = self._document.project, self._document.plan
        for widget in (self.choices, self.choices.start):
            widget.setEnabled(plan is not None and plan.is_whole)
        if plan is None:
            return
        self.choices.show_settings(project.settings)
        self.choices.credits.setVisible(bool(project.music))
        self._suggest_name()
        (width, height), aspect = plan.stored
        shape = f" of {aspect.numerator}:{aspect.denominator}" if aspect != 1 else ""
        self.choices.facts.setText(
            f"{width}×{height}{shape}  ·  {format_time(plan.schedule.length, 2)}  ·  "
            f"{len(plan.schedule):,} frames at {format_rate(plan.schedule.rate)} fps"
            f"{_sound_in_words(plan) if self.isVisible() else ''}"
            + (f"\n{plan.remark}" if plan.remark else "")
        )
        self.choices.expected.setText("Expected size and time: working them out…")
        self._settle.start()

    def _suggest_name(self) -> None:
        """A name that nothing has yet: the project's, or one beside the recording."""
        field = self.choices.output
        if field.text() not in ("", self._suggested):
            return
        taken = frozenset(job.output for job in self.exports.jobs if job.is_open)
        ending = name_ending(self._document.project.settings.format)
        self._names.ask((self._beside().parent, self._stem(), ending, taken))

    def _take_name(self, _wish: object, name: Path) -> None:
        field = self.choices.output
        if field.text() in ("", self._suggested):
            self._suggested = str(name)
            field.setText(self._suggested)

    def _ask_estimate(self) -> None:
        if self.isVisible() and self._document.plan:
            self.busy.emit(True)  # what else is made meanwhile would make it look slow
            self._estimates.ask(self._document.plan)

    def _show_no_estimate(self, why: str) -> None:
        self._follow_exports()
        self.choices.expected.setText(f"Expected size and time are not known: {why}")

    def _show_estimate(self, plan: Plan, found: Estimate | None) -> None:
        self._follow_exports()
        if found is not None and plan is self._document.plan:
            self._expected = plan, found.seconds
            self.estimated.emit(found.size, self._folder)
            lasts = format_time(max(found.seconds, 1), 0)
            self.choices.expected.setText(
                f"Expected: about {in_megabytes(found.size)}, ready in about {lasts}"
            )

    def _take_choices(self) -> None:
        try:
            settings = self.choices.settings()
        except PlanError as error:
            self.say(str(error))
            return
        self.say("")
        self._suggest_anew(settings)
        self._document.apply("Export settings", lambda project: arranging.set_settings(project, settings))

    def _send_to(self, place: str) -> None:
        self._document.apply(
            "Goes to", lambda p: arranging.set_settings(p, replace(p.settings, goes_to=place))
        )

    def _keep(self) -> None:
        """Keep the choices under a name that the person gives."""
        settings = self._document.project.settings
        taken = kept_choices()
        names = (f"{settings.format.name} {number}" for number in range(1, len(taken) + 2))
        first = next(name for name in names if name not in taken)

        def keep(name: str) -> None:
            try:
                keep_choices(name, settings)
            except (PlanError, ExportError) as error:
                self.say(str(error))
                return
            self.choices.show_kept(kept_choices())

        self._question.ask_name("Keep these choices of an export under a name:", first, keep)

    def _use_kept(self, place: int) -> None:
        """Take over what was kept under a name."""
        settings = kept_choices().get(self.choices.kept_box.itemText(place))
        self.choices.kept_box.setCurrentIndex(0)
        if settings is not None:
            self._document.apply("Export settings", lambda p: arranging.set_settings(p, settings))
            self._suggest_anew(settings)

    def _suggest_anew(self, settings: ResultSettings) -> None:
        if (chosen := self.choices.output.text()) != self._suggested:
            self.choices.output.setText(with_ending(chosen, name_ending(settings.format)))

    def _browse(self) -> None:
        chosen, _ = QFileDialog.getSaveFileName(
            self, "Where to write the result", self.choices.output.text(), options=_NO_OVERWRITE_QUESTION
        )
        if chosen:
            ending = name_ending(self._document.project.settings.format)
            self.choices.output.setText(with_ending(chosen, ending))

    def _choose_again(self, project: Project) -> None:
        """Choose anew what a file should be like, from what an export was wished with."""
        settings = project.settings
        self._document.apply("Export settings", lambda p: arranging.set_settings(p, settings))
        self._suggest_anew(settings)
        self.show_choices()

    def _locate(self, number: int, missing: Sequence[Path]) -> None:
        """Ask where footage of an export was moved to."""
        if not missing:
            self.say("All of its footage is there.")
            return
        first = last_folder() or missing[0].parent
        name, _ = QFileDialog.getOpenFileName(self, f"Where is {missing[0].name}?", str(first))
        if name:
            remember_folder(Path(name))
            self.exports.locate(number, missing[0], Path(name))

    @property
    def message_text(self) -> str:
        """What the panel says at present, or nothing."""
        return self._message.words()

    def say(self, message: str) -> None:
        """Show a message, or none."""
        self._message.say(message)


_NO_OVERWRITE_QUESTION = QFileDialog.Option.DontConfirmOverwrite  # the panel asks, in its own place


def _sound_in_words(plan: Plan) -> str:
    """What is heard of a result."""
    if not plan.settings.sound or not plan.settings.format.sound_codec:
        return "  ·  no sound"
    sound = plan.sound
    parts = {
        "recorded sound": any(True for _ in sound.heard()),
        "music": bool(sound.music),
        "effects": bool(sound.events),
    }
    heard = [name for name, there in parts.items() if there]
    return f"\nHeard: {', '.join(heard)}" if heard else "\nNothing is heard: all of it is silent or too fast"
