"""The export panel: choices with their estimates, progress, and what came out."""

from fractions import Fraction
from functools import partial
from pathlib import Path
from typing import NamedTuple

from PySide6.QtCore import QTimer, QUrl, Signal
from PySide6.QtGui import QDesktopServices
from PySide6.QtWidgets import QFileDialog, QFrame, QStackedWidget, QVBoxLayout, QWidget

from chronoxis.app.document.document import Document
from chronoxis.app.export.export_forms import ChoiceForm, DoneForm, ProgressForm
from chronoxis.app.export.export_job import ExportJob
from chronoxis.app.files.disk_questions import DiskQuestions
from chronoxis.app.files.project_files import ProjectFiles
from chronoxis.app.question_bar import QuestionBar
from chronoxis.app.scroller import Scroller
from chronoxis.app.text_label import TextLabel
from chronoxis.app.theme.theme import font
from chronoxis.app.workers import NewestWorker
from chronoxis.core.errors import ExportError, PlanError
from chronoxis.core.files.kept_choices import keep_choices, kept_choices
from chronoxis.core.files.outputs import check_output
from chronoxis.core.model import arranging
from chronoxis.core.model.export_format import ExportFormat
from chronoxis.core.model.export_formats import FORMATS, format_of
from chronoxis.core.model.project import Project
from chronoxis.core.model.settings import ResultSettings
from chronoxis.core.render.estimate import Estimate, estimate
from chronoxis.core.render.export import protected_files
from chronoxis.core.render.plan import Plan
from chronoxis.core.render.result_place import result_place
from chronoxis.core.timing.rates import format_rate
from chronoxis.core.timing.timecode import format_time

_PATIENCE = 1.0  # seconds after which a disk that does not answer keeps no other name waiting
_SETTLE_MS = 500  # milliseconds of rest before the file size is estimated anew


class ExportPanel(QFrame):
    """Shown in the Bench's place while a person exports.

    Signals:
        left: the person goes back to adjust.
        busy: an export or an estimate begins, or has ended.
    """

    left = Signal()
    busy = Signal(bool)

    def __init__(
        self, document: Document, files: ProjectFiles, disk: DiskQuestions, question: QuestionBar
    ) -> None:
        super().__init__()
        self._document, self._files, self._disk, self._question = document, files, disk, question
        self._suggested = ""  # the name in the field, as long as nobody chose another
        self.setProperty("panel", True)
        self.job = ExportJob()
        self.choices, self.progress, self.done = ChoiceForm(), ProgressForm(), DoneForm()
        self._pages = QStackedWidget()
        for page in (self.choices, self.progress, self.done):
            self._pages.addWidget(Scroller(page))
        self._message = TextLabel()
        self._message.setProperty("caution", True)
        self._message.setWordWrap(True)
        self._message.hide()
        title = TextLabel("Export")
        title.setFont(font(10.5, 600))
        layout = QVBoxLayout(self)
        layout.setContentsMargins(12, 10, 12, 12)
        layout.addWidget(title)
        layout.addWidget(self._pages, 1)
        layout.addWidget(self._message)
        self._estimates = NewestWorker(estimate, "estimate")
        self._estimates.answered.connect(self._show_estimate)
        self._estimates.failed.connect(self._show_no_estimate)
        self._names = NewestWorker(lambda wish, _wanted: _free_name(*wish), "free names", patience=_PATIENCE)
        self._names.answered.connect(self._take_name)
        self._settle = QTimer(self, singleShot=True, interval=_SETTLE_MS)
        self._settle.timeout.connect(self._ask_estimate)
        self._exported: Path | None = None
        self._connect()

    def _connect(self) -> None:
        choices, job = self.choices, self.job
        choices.changed.connect(self._take_choices)
        choices.kept_box.activated.connect(self._use_kept)
        choices.keep.clicked.connect(self._keep)
        choices.browse.clicked.connect(self._browse)
        choices.start.clicked.connect(self.start)
        choices.back.clicked.connect(self.left)
        self.progress.cancel.clicked.connect(self._cancel)
        self.done.play.clicked.connect(lambda: self._open(self._exported))
        self.done.folder.clicked.connect(lambda: self._open(self._exported and self._exported.parent))
        self.done.again.clicked.connect(self.show_choices)
        self.done.back.clicked.connect(self.left)
        job.progressed.connect(self.progress.show_progress)
        job.finished.connect(self._finished)
        job.failed.connect(self._failed)
        job.cancelled.connect(lambda: self._failed("Cancelled; nothing was left behind."))
        self._document.planned.connect(self._show_project)

    def close_workers(self) -> None:
        """Stop the work in the background and an export that is under way."""
        self.job.close()
        self._estimates.close()
        self._names.close()

    def show_choices(self) -> None:
        """Show the choices, or the progress of the export that is under way."""
        self.say("")
        self.choices.show_kept(kept_choices())
        self._show(self.progress if self.job.running else self.choices)
        self._show_project()

    def _show(self, page: QWidget) -> None:
        self._pages.setCurrentIndex((self.choices, self.progress, self.done).index(page))

    def start(self) -> None:
        """Export to the chosen file."""
        plan = self._document.plan
        if plan is None or not plan.is_whole or self.job.running:
            return
        project, output = self._document.project, Path(self.choices.output.text()).expanduser()
        self.say(f"Looking at {output.parent}…")
        self._disk.ask(partial(_looked_at, project, output), partial(self._begin, project, output))

    def _begin(self, project: Project, output: Path, found: "_Found") -> None:
        """Export, unless something speaks against it, or something else was begun meanwhile."""
        if self.job.running or project is not self._document.project:
            self.say("")
            return
        if found.refusal:
            self.say(found.refusal)
            return
        if found.there and not self.choices.replace_it.isChecked():
            self.choices.replace_it.show()
            self.say(f"{found.there} is already there; choose another name, or tick “Replace it”.")
            return
        self.say("")
        self.progress.begin(output)
        self._show(self.progress)
        self.busy.emit(True)
        self.job.start(project, output, overwrite=self.choices.replace_it.isChecked())

    def _show_project(self) -> None:
        project, plan = self._document.project, self._document.plan
        self.choices.setEnabled(plan is not None and plan.is_whole)
        if plan is None:
            return
        self.choices.show_settings(project.settings)
        self.choices.credits.setVisible(bool(project.music))
        self._suggest_name(plan)
        (width, height), aspect = plan.stored
        shape = f" of {aspect.numerator}:{aspect.denominator}" if aspect != 1 else ""
        self.choices.facts.setText(
            f"{width}×{height}{shape}  ·  {format_time(plan.schedule.length, 2)}\n"
            f"{len(plan.schedule):,} frames at {format_rate(plan.schedule.rate)} fps"
            f"{_sound_in_words(plan) if self.isVisible() else ''}"
            + (f"\n{plan.remark}" if plan.remark else "")
        )
        self.choices.expected.setText("Expected size and time: working them out…")
        self._settle.start()

    def _suggest_name(self, plan: Plan) -> None:
        """A name that nothing has yet: the project's, or one beside the recording."""
        field, project = self.choices.output, self._files.path
        if field.text() not in ("", self._suggested):
            return
        shown = (plan.project.footage_of(shot) for shot in plan.project.shots)
        beside = project or next((f.beside for f in shown if f.files), Path.home() / "result")
        name = beside.stem if project else f"{beside.stem}-condensed"
        format_ = self._document.project.settings.format
        self._names.ask((beside.parent, name, _name_ending(format_)))

    def _take_name(self, _wish: object, name: Path) -> None:
        field = self.choices.output
        if field.text() in ("", self._suggested):
            self._suggested = str(name)
            field.setText(self._suggested)

    def _ask_estimate(self) -> None:
        if self.isVisible() and not self.job.running and self._document.plan:
            self.busy.emit(True)  # what else is made meanwhile would make it look slow
            self._estimates.ask(self._document.plan)

    def _show_no_estimate(self, why: str) -> None:
        self.busy.emit(self.job.running)
        self.choices.expected.setText(f"Expected size and time are not known: {why}")

    def _show_estimate(self, plan: Plan, found: Estimate | None) -> None:
        self.busy.emit(self.job.running)
        if found is not None and plan is self._document.plan:
            lasts = format_time(max(found.seconds, 1), 0)
            self.choices.expected.setText(f"Expected: about {_megabytes(found.size)}, ready in about {lasts}")

    def _take_choices(self) -> None:
        try:
            settings = self.choices.settings()
        except PlanError as error:
            self.say(str(error))
            return
        self.say("")
        self._suggest_anew(settings)
        self._document.apply("Export settings", lambda project: arranging.set_settings(project, settings))

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
            self.choices.output.setText(_with_ending(chosen, _name_ending(settings.format)))

    def _browse(self) -> None:
        chosen, _ = QFileDialog.getSaveFileName(
            self, "Where to write the result", self.choices.output.text(), options=_NO_OVERWRITE_QUESTION
        )
        if chosen:
            ending = _name_ending(self._document.project.settings.format)
            self.choices.output.setText(_with_ending(chosen, ending))

    def _cancel(self) -> None:
        self.progress.stopping()
        self.job.cancel()

    def _finished(self, output: Path, outcome: dict[str, object]) -> None:
        self.busy.emit(False)
        self._exported = output
        self.choices.replace_it.setChecked(False)
        self.choices.replace_it.hide()
        rate = format_rate(Fraction(str(outcome["rate"])))
        self.done.show_outcome(
            output.name,
            f"{outcome['frames']:,} frames  ·  {format_time(float(str(outcome['length'])), 2)} "
            f"at {rate} fps\n"
            f"{_megabytes(int(str(outcome['size'])))} in {output.parent}",
        )
        self.say(str(outcome.get("remark") or ""))
        self._show(self.done)

    def _failed(self, message: str) -> None:
        self.busy.emit(False)
        self._show(self.choices)
        self._show_project()
        self.say(message)

    @property
    def message_text(self) -> str:
        """What the panel says at present, or nothing."""
        return self._message.words()

    def say(self, message: str) -> None:
        """Show a message, or none."""
        self._message.setText(message)
        self._message.setVisible(bool(message))

    def _open(self, path: Path | None) -> None:
        if path is not None and not QDesktopServices.openUrl(QUrl.fromLocalFile(str(path))):
            self.say(f"No program here opens {path}.")


_NO_OVERWRITE_QUESTION = QFileDialog.Option.DontConfirmOverwrite  # the panel asks, in its own place


class _Found(NamedTuple):
    """What speaks against writing a result somewhere, and the name of what is there already; or nothing."""

    refusal: str
    there: str


def _looked_at(project: Project, output: Path) -> _Found:
    settings = project.settings
    try:
        settings.check()
        format_of(output, settings.format.key)
        place = result_place(output, settings.format)
        check_output(place.path, protects=protected_files(project), overwrite=True, folder=place.is_folder)
    except (PlanError, ExportError) as error:
        return _Found(str(error), "")
    return _Found("", place.path.name if place.path.exists() else "")


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


def _name_ending(format_: ExportFormat) -> str:
    """What a result's name ends in; a folder of stills has no ending."""
    return "" if format_.is_folder else format_.ending


def _with_ending(name: str, ending: str) -> str:
    """A name with a format's ending, in place of another format's but not of what only looks like one."""
    known = next((each.ending for each in FORMATS if name.lower().endswith(each.ending)), "")
    return name[: len(name) - len(known)] + ending


def _free_name(folder: Path, name: str, ending: str) -> Path:
    candidate, number = folder / f"{name}{ending}", 2
    while candidate.exists():
        candidate = folder / f"{name}-{number}{ending}"
        number += 1
    return candidate


def _megabytes(size: int) -> str:
    return f"{size / 1e9:.2f} GB" if size >= 1e9 else f"{size / 1e6:.1f} MB"
