"""The trials, in the Bench's place: keep, hold against each other, take and export them."""

from functools import partial

from PySide6.QtCore import QTimer, Signal
from PySide6.QtWidgets import QButtonGroup, QComboBox, QFrame, QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from chronoxis.app.bench.page import label_for
from chronoxis.app.caution_label import CautionLabel
from chronoxis.app.document.document import Document
from chronoxis.app.pictures.compared import Compared
from chronoxis.app.push_button import choice_chip, push_button, segments_of
from chronoxis.app.question_bar import QuestionBar
from chronoxis.app.scroller import Scroller
from chronoxis.app.text_label import TextLabel
from chronoxis.app.theme.theme import font
from chronoxis.app.trials.trial_facts import FactsOfTrials
from chronoxis.app.trials.trial_row import COLUMNS, TrialRow, columns_of
from chronoxis.core.errors import PlanError
from chronoxis.core.footage.reader_pool import Readers
from chronoxis.core.model import trials
from chronoxis.core.model.project import Project, Trial
from chronoxis.core.model.trial_words import difference
from chronoxis.core.render.in_step import Step

_CALM_MS = 700  # milliseconds at rest before figures are asked for
_STEPS = (
    (Step.RESULT_TIME, "result &time", "All of them show the same result time"),
    (Step.MOMENT, "recorded mo&ment", "All of them show the same recorded moment, so that events meet"),
)
_NONE_YET = "Keep the result as a trial, and change what you like: then the two play beside each other."
_OF_RESULT = "the result"


class TrialsPanel(QFrame):
    """Shown in the Bench's place while a person holds trials against each other.

    Signals:
        left: the person goes back to adjust.
        line_wanted: whether one trial is to lie under the result, up to a line that can be dragged.
        export_wanted: the trials that are to be exported.
        taken: a trial was taken, perhaps with footage that nobody opened yet.
        busy: whether the cores are used to find out how long exports take.
    """

    left = Signal()
    line_wanted = Signal(bool)
    export_wanted = Signal(object)
    taken = Signal()
    busy = Signal(bool)

    def __init__(
        self, document: Document, compared: Compared, question: QuestionBar, readers: Readers
    ) -> None:
        super().__init__()
        self._document, self._compared, self._question = document, compared, question
        self._facts = FactsOfTrials(document, readers)
        self._present: Project | None = None  # its state, as figures were asked for it last
        self.setProperty("panel", True)
        self.rows: list[TrialRow] = []
        self.keep = push_button("&Keep this one", "Keep the project as it is now as a trial (Shift+4)")
        self.keep.setProperty("main", True)
        self.export_all = push_button(
            "E&xport all", "Write every trial into a file, with its name in the file's"
        )
        self.back = push_button("Back to the &Bench", "Go on adjusting (Esc)")
        steps, shown = QButtonGroup(self), QButtonGroup(self)
        self.steps: dict[Step, QPushButton] = {
            step: choice_chip(text, tip, steps, partial(compared.set_step, step))
            for step, text, tip in _STEPS
        }
        self.tiles = choice_chip("t&iles", "Beside each other", shown, lambda: self.line_wanted.emit(False))
        self.line = choice_chip(
            "li&ne", "One trial and the result in one picture, with a line between them that can be dragged",
            shown, lambda: self.line_wanted.emit(True),
        )  # fmt: skip
        self.tiles.setChecked(True)
        self.sound = QComboBox()
        self.sound.setAccessibleName("Sound that is heard")
        self.sound.setToolTip("Whose sound is heard; by recorded moment, that of the result")
        self.sound.activated.connect(lambda row: compared.hear(self.sound.itemText(row) if row else ""))
        self._now = TrialRow("As it is now", is_trial=False)
        self._list = QVBoxLayout()
        self._none = TextLabel(_NONE_YET)
        self._message = CautionLabel()
        self._soon = QTimer(self, singleShot=True, interval=_CALM_MS)
        self._soon.timeout.connect(self._ask)
        self._lay_out()
        self.keep.clicked.connect(self.keep_this)
        self.export_all.clicked.connect(lambda: self.export_wanted.emit(list(self._document.project.trials)))
        self.back.clicked.connect(self.left)
        self._facts.found.connect(self._show_facts)
        self._facts.busy.connect(self.busy)
        compared.changed.connect(self._show_chosen)
        document.eased.connect(self.follow)
        document.planned.connect(self._soon.start)

    def keep_this(self) -> None:
        """Keep the project as it is now, and show it beside what comes after."""
        if self._document.apply("Keep a trial", trials.keep_trial):
            self._compared.choose([each.name for each in self._compared.chosen] or [self._latest.name])

    @property
    def _latest(self) -> Trial:
        return self._document.project.trials[-1]

    def follow(self) -> None:
        """Show the trials that there are."""
        if not self.isVisible():
            return
        project = self._document.project
        if [row.name for row in self.rows] != [trial.name for trial in project.trials]:
            for row in self.rows:
                row.hide()
                row.deleteLater()
            self.rows = [self._row(number, trial) for number, trial in enumerate(project.trials)]
            for row in self.rows:
                self._list.addWidget(row)
        self._none.setVisible(not self.rows)
        full = len(project.trials) >= trials.MOST_TRIALS
        self.keep.setEnabled(bool(project.shots) and not full)
        self.export_all.setEnabled(bool(self.rows))
        self._show_facts()
        self._show_chosen()
        self._soon.start()

    def pause(self, on: bool) -> None:
        """Find nothing out while something plays; go on afterwards."""
        if on:
            self._soon.stop()
            self._facts.rest()
        else:
            self._soon.start()

    def say(self, message: str) -> None:
        """Say something below the list, or nothing."""
        self._message.say(message)

    def close_workers(self) -> None:
        """Stop the work in the background."""
        self._soon.stop()
        self._facts.close()

    def _lay_out(self) -> None:
        title = TextLabel("Trials")
        title.setFont(font(10.5, 600))
        self._none.setWordWrap(True)
        self._none.setProperty("dim", True)
        heads, columns = QWidget(), columns_of([TextLabel(name) for name in COLUMNS])
        columns.setContentsMargins(9, 0, 9, 0)  # as inside the rows
        heads.setLayout(columns)
        page = QWidget()
        rows = QVBoxLayout(page)
        rows.setContentsMargins(0, 0, 0, 0)
        rows.setSpacing(6)
        for widget in (heads, self._now, self._none):
            rows.addWidget(widget)
        rows.addLayout(self._list)
        rows.addStretch()
        step, foot = QHBoxLayout(), QHBoxLayout()
        step.addWidget(TextLabel("In step by"))
        step.addWidget(segments_of(*self.steps.values()))
        step.addStretch()
        shown = QHBoxLayout()
        shown.addWidget(TextLabel("Shown as"))
        shown.addWidget(segments_of(self.tiles, self.line))
        shown.addSpacing(8)
        shown.addWidget(label_for("so&und of", self.sound))
        shown.addWidget(self.sound, 1)
        foot.addWidget(self.back)
        foot.addStretch()
        foot.addWidget(self.export_all)
        foot.addWidget(self.keep)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(12, 10, 12, 12)
        layout.addWidget(title)
        layout.addWidget(Scroller(page), 1)
        layout.addLayout(step)
        layout.addLayout(shown)
        layout.addWidget(self._message)
        layout.addLayout(foot)

    def _row(self, number: int, trial: Trial) -> TrialRow:
        row = TrialRow(trial.name, is_trial=True)
        apply = self._document.apply
        assert row.beside and row.take and row.rename and row.remove and row.export
        row.beside.clicked.connect(lambda: self._compared.toggle(trial.name))
        row.take.clicked.connect(lambda: self._take(number))
        row.rename.clicked.connect(lambda: self._rename(number, trial))
        row.remove.clicked.connect(lambda: apply("Remove a trial", lambda p: trials.remove_trial(p, number)))
        row.export.clicked.connect(lambda: self.export_wanted.emit([trial]))
        return row

    def _take(self, number: int) -> None:
        if self._document.apply("Take a trial", lambda p: trials.take_trial(p, number)):
            self.taken.emit()

    def _rename(self, number: int, trial: Trial) -> None:
        def rename(name: str) -> None:
            if self._document.apply("Rename a trial", lambda p: trials.rename_trial(p, number, name)):
                self._compared.rename(trial.name, name)

        self._question.ask_name(f"Another name for the trial “{trial.name}”:", trial.name, rename)

    def _show_chosen(self) -> None:
        chosen = {trial.name for trial in self._compared.chosen}
        for row in self.rows:
            if row.beside is not None:
                row.beside.setChecked(row.name in chosen)
        for step, chip in self.steps.items():
            chip.setChecked(step is self._compared.step)
        self.line.setEnabled(len(chosen) <= 1)
        names = [_OF_RESULT, *(trial.name for trial in self._compared.chosen)]
        if [self.sound.itemText(row) for row in range(self.sound.count())] != names:
            self.sound.clear()
            self.sound.addItems(names)
        self.sound.setCurrentIndex(names.index(self._compared.heard) if self._compared.heard in names else 0)
        self.sound.setEnabled(self._compared.step is Step.RESULT_TIME)

    def _show_facts(self) -> None:
        project = self._document.project
        state = self._present if self._present is not None else project
        self._now.show_state(project, "", self._facts.of(state))
        now = self._now_state()
        for row, trial in zip(self.rows, project.trials, strict=False):
            row.show_state(trial.state, difference(now, trial.state), self._facts.of(trial.state))

    def _now_state(self) -> Project:
        try:
            return trials.state_of(self._document.project)
        except PlanError:  # a run that is open has no shot just now
            return self._document.project

    def _ask(self) -> None:
        """Have figures worked out of all that is shown."""
        if self.isVisible() and self._document.plan is not None:
            state = self._now_state()
            if self._present != state:
                self._present = state
            self._facts.ask([self._present, *(trial.state for trial in self._document.project.trials)])
