"""The page *Lulls*: what counts as one, how many there are, and what becomes of them."""

from dataclasses import dataclass, replace
from fractions import Fraction
from functools import partial

from PySide6.QtCore import Signal
from PySide6.QtWidgets import (
    QButtonGroup,
    QGridLayout,
    QHBoxLayout,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from chronoxis.app.bench.gesture_slider import GestureSlider
from chronoxis.app.bench.number_field import NumberField
from chronoxis.app.bench.outcome import Outcome
from chronoxis.app.bench.page import Page, label_for, line
from chronoxis.app.document.document import Document
from chronoxis.app.measuring.found_lulls import FoundLulls
from chronoxis.app.push_button import choice_chip, push_button, segments_of
from chronoxis.app.text_label import TextLabel
from chronoxis.app.theme.theme import font, scaled
from chronoxis.core.errors import PlanError
from chronoxis.core.model import lull_acts, lull_marks
from chronoxis.core.model.footage import Footage
from chronoxis.core.model.lull_acts import Hurry, LullsOf
from chronoxis.core.model.project import Project
from chronoxis.core.timing.lulls import LullsBy
from chronoxis.core.timing.speed import parse_speed
from chronoxis.core.timing.timecode import format_time, parse_time

_BYS = (
    (LullsBy.SPEECH, "nobody spea&ks", "Where nobody speaks"),
    (LullsBy.CHANGE, "nothin&g changes", "Where the picture stands still, but for noise"),
    (LullsBy.BOTH, "&both", "Where nobody speaks and nothing changes"),
    (LullsBy.EITHER, "e&ither", "Where nobody speaks, or nothing changes, or both"),
)
_USUAL = "8×", "0.5 s"
_NO_LENGTH = "any"
_ARROW = 28  # pixels of a button with an arrow; grows with the text

_field = partial(NumberField, wide=62)


@dataclass(frozen=True)
class LullAct:
    """What is to become of lulls.

    Attributes:
        project: as it is.
        lulls: those that are to be seen.
        hurry: how they are hurried through; None leaves them out.
        length: result seconds that all of it is to last by that; None as it comes.
    """

    project: Project
    lulls: LullsOf
    hurry: Hurry | None
    length: Fraction | None = None

    @property
    def label(self) -> str:
        """The label of its step of undo."""
        return "Leave lulls out" if self.hurry is None else "Hurry lulls"

    def about(self) -> float:
        """Result seconds of all of it afterwards, nearly."""
        if self.length is not None:
            return float(self.length)
        return lull_acts.length_hurried(self.project, self.lulls, self.hurry)

    def done(self) -> Project:
        """The project with it. Raises PlanError."""
        if self.hurry is None:
            return lull_acts.leave_out(self.project, self.lulls)
        if self.length is not None:
            return lull_acts.hurry_to_length(self.project, self.lulls, self.length, self.hurry)
        return lull_acts.hurry(self.project, self.lulls, self.hurry)


class LullsPage(Page):
    """Finds lulls of the selected shots, and makes something of them in one step.

    Signals:
        walk_wanted: go to the next lull, or with -1 to the one before.
        play_wanted: play from lull to lull.
    """

    walk_wanted = Signal(int)
    play_wanted = Signal()

    def __init__(self, document: Document, found: FoundLulls) -> None:
        super().__init__(document)
        self._found = found
        self._refuses = False  # whether it said that what is chosen cannot be had
        self._outcome = Outcome(document, "lulls")
        self._outcome.changed.connect(self._tell)
        self.bys: dict[LullsBy, QPushButton] = {}
        self.count, self._corrections = TextLabel(), TextLabel()
        self.count.setFont(font(11.5, 600))
        self.nothing = GestureSlider(
            document,
            "How much counts as nothing",
            "How much counts as nothing: to the right, fainter voices and smaller changes do",
            least=0,
            most=100,
            page=5,
            choose=lambda share: self._set(nothing=share / 100),
            label="Count as lulls",
        )
        self._share = TextLabel()
        self.least = _field("Least length of a lull", "What a lull lasts at least, such as 2 s")
        self.margin = _field(
            "Margin of lulls",
            "What stays as it is before and after each, so that no word loses its beginning",
        )
        self.least.editingFinished.connect(partial(self._enter, "least", self.least))
        self.margin.editingFinished.connect(partial(self._enter, "margin", self.margin))
        self.take_back = push_button("&Take back", "Forget what was drawn, split and refused by hand")
        self.take_back.setProperty("small", True)
        self.take_back.clicked.connect(self._take_back)
        self.hurries = choice_chip("H&urry", "Play lulls fast", group := QButtonGroup(self), self._follow)
        self.leaves_out = choice_chip("Leave &out", "Cut lulls out", group, self._follow)
        self.hurries.setChecked(True)
        self.speed = _field("Speed of lulls", "Speed at which lulls play, such as 8×; silent above 4×")
        self.length = _field(
            "Length of the result", "What all of the result is to last; lulls play as fast as that needs"
        )
        self.length.setPlaceholderText(_NO_LENGTH)
        self.ramp = _field("Ramps of lulls", "Result seconds in which the speed changes; 0 at once")
        self.speed.setText(_USUAL[0])
        self.ramp.setText(_USUAL[1])
        for field in (self.speed, self.length, self.ramp):
            field.textEdited.connect(self._ask)
        self.do = push_button("Hurry", "Make passages of all these lulls")
        self.do.setProperty("main", True)
        self.do.clicked.connect(self._outcome.press)
        self.before = push_button("◂", "The lull before ([)")
        self.after = push_button("▸", "The next lull (])")
        self.plays = push_button(
            "Play them", "Play from lull to lull, a little before and after each (Shift+Space)"
        )
        self._lay_out()
        found.changed.connect(self._follow)

    def close_workers(self) -> None:
        """Stop the work in the background."""
        self._outcome.close()

    def _lay_out(self) -> None:
        rows = QVBoxLayout(self)
        rows.setContentsMargins(0, 4, 0, 0)
        rows.setSpacing(6)
        rows.addLayout(self._bys())
        grid = QGridLayout()
        grid.setHorizontalSpacing(8)
        grid.setVerticalSpacing(6)
        grid.setColumnStretch(1, 1)
        self._share.setMinimumWidth(scaled(34))
        grid.addWidget(label_for("&Counts as nothing", self.nothing), 0, 0)
        grid.addLayout(_row(self.nothing, self._share), 0, 1)
        grid.addWidget(label_for("Lasts &at least", self.least), 1, 0)
        grid.addLayout(_row(self.least, label_for("&margin", self.margin), self.margin, None), 1, 1)
        rows.addLayout(grid)
        self._speeds = QWidget()
        rows.addWidget(line())
        walks = self.before, self.after, self.plays
        for button, width in zip(walks, (_ARROW, _ARROW, None), strict=True):
            button.setProperty("small", True)
            if width is not None:
                button.setFixedWidth(scaled(width))
        self.before.setAccessibleName("Previous lull")
        self.after.setAccessibleName("Next lull")
        self.before.clicked.connect(lambda: self.walk_wanted.emit(-1))
        self.after.clicked.connect(lambda: self.walk_wanted.emit(1))
        self.plays.clicked.connect(self.play_wanted)
        rows.addLayout(_row(self.count, None, *walks))
        self._corrections.setProperty("dim", True)
        self._corrected = QWidget()
        self._corrected.setLayout(_row(self._corrections, None, self.take_back))
        for row in (self._corrected, self._speeds):  # their coming must not move the Weave under a drag
            kept = row.sizePolicy()
            kept.setRetainSizeWhenHidden(True)
            row.setSizePolicy(kept)
        rows.addWidget(self._corrected)
        rows.addWidget(line())
        rows.addLayout(_row(segments_of(self.hurries, self.leaves_out), None, self.do))
        self._speeds.setLayout(
            _row(
                label_for("Spee&d", self.speed), self.speed,
                label_for("or &result", self.length), self.length,
                TextLabel("ramps"), self.ramp, None,
            )
        )  # fmt: skip
        rows.addWidget(self._speeds)
        rows.addStretch()

    def _bys(self) -> QHBoxLayout:
        group = QButtonGroup(self)
        for by, text, tip in _BYS:
            self.bys[by] = choice_chip(text, tip, group, partial(self._set, by=by))
        return _row(segments_of(*self.bys.values()), None)

    @property
    def note(self) -> str:
        """What the lulls are told by, where that is not what was chosen."""
        project, shots = self._document.project, self._document.selection.shots
        if not project.shots or not shots or self._found.waits:
            return ""
        known = [self._found.known(project.footage_of(project.shots[number])) for number in shots]
        if not any(each.has_sound or each.has_pictures for each in known):
            return "Nothing is measured of nested runs: open the run to find lulls inside."
        if not all(each.has_sound for each in known) and project.lulls.by is not LullsBy.CHANGE:
            return "There is no sound: only change counts."
        return "On the lane under the recorded rail, drag the ends of a lull, or draw another one."

    def show_project(self) -> None:
        """Show what counts as a lull, and how many there are."""
        wish = self._document.project.lulls
        self.bys[wish.by].setChecked(True)
        self.nothing.show_value(round(wish.nothing * 100))
        self._share.setText(f"{wish.nothing:.0%}")
        self.least.show_number(f"{wish.least:g} s")
        self.margin.show_number(f"{wish.margin:g} s")
        self._follow()

    def _follow(self) -> None:
        """Say how many lulls there are, and have worked out what comes of them."""
        if not self._found.is_wanted or not self._document.project.shots:
            return
        many = len(self._found.all())
        for control in (self.do, self.before, self.after, self.plays):
            control.setEnabled(many > 0)
        judged = [judged for footage in self._chosen_footage() for judged in footage.judged]
        refused = sum(not each.lulls for each in judged)
        drawn = sum(len(each.lulls) for each in judged)
        said = ([f"{drawn} by hand"] if drawn else []) + ([f"{refused} refused"] if refused else [])
        self._corrected.setVisible(bool(said))
        self._corrections.setText(" · ".join(said))
        self._speeds.setVisible(self.hurries.isChecked())
        self.do.setText("Hurry" if self.hurries.isChecked() else "Leave out")
        self.do.setToolTip(
            "Make passages of all these lulls" if self.hurries.isChecked() else "Cut all these lulls out"
        )
        if self._found.waits:
            self.count.setText("Listening and looking…")
        elif not many:
            self.count.setText("No Lull here")
        else:
            self._ask()
            self._tell()
        self.noted.emit()

    def _chosen_footage(self) -> list[Footage]:
        project = self._document.project
        keys = dict.fromkeys(project.shots[number].footage for number in self._document.selection.shots)
        return [project.footage_named(key) for key in keys]

    def _tell(self) -> None:
        """Say what comes of it: nearly so at once, exactly as soon as that is worked out."""
        many, project, made = len(self._found.all()), self._document.project, self._outcome.made
        if not many or self._found.waits:
            return
        act, becomes = self._outcome.act, ""
        if made is not None:
            becomes = f" → {format_time(made.result_length)}"
        elif isinstance(act, LullAct) and not self._outcome.why:
            becomes = f" → {format_time(act.about())}"
        now = format_time(project.result_length)
        self.count.setText(f"{many} Lull{'s' if many > 1 else ''} · {now}{becomes}")
        if self._outcome.why or self._refuses:
            self.refused.emit(self._outcome.why)
        self._refuses = bool(self._outcome.why)

    def _act(self) -> LullAct:
        """What the fields wish. Raises PlanError: they mean nothing."""
        project, lulls = self._document.project, self._found.by_shot()
        if not self.hurries.isChecked():
            return LullAct(project, lulls, None)
        rate = project.footage_of(project.shots[min(lulls, default=0)]).rate
        wish = Hurry(parse_speed(self.speed.text(), rate / project.rate), _seconds(self.ramp.text()))
        length = self.length.text().strip()
        return LullAct(project, lulls, wish, parse_time(length) if length else None)

    def _ask(self, *_: object) -> None:
        """Have worked out what comes of it as things stand."""
        self._speeds.setVisible(self.hurries.isChecked())
        try:
            self._outcome.ask(self._act())
        except PlanError as error:
            self._outcome.forget(str(error))

    def _set(self, **choice: LullsBy | float) -> None:
        self._apply(
            "Count as lulls",
            lambda project: lull_marks.set_wish(project, replace(project.lulls, **choice)),  # type: ignore[arg-type]
        )

    def _enter(self, name: str, field: NumberField) -> None:
        text = field.take_text()
        if text is None:
            return
        try:
            seconds = _seconds(text)
        except PlanError as error:
            self.refused.emit(str(error))
        else:
            self._set(**{name: float(seconds)})
        self.show_project()

    def _take_back(self) -> None:
        keys = [footage.key for footage in self._chosen_footage()]

        def taken_back(project: Project) -> Project:
            for key in keys:
                project = lull_marks.leave_all_to_search(project, key)
            return project

        self._apply("Take corrections back", taken_back)


def _seconds(text: str) -> Fraction:
    """A time that may be 0. Raises PlanError."""
    return Fraction(0) if text.strip() in ("", "0", "0 s") else parse_time(text)


def _row(*parts: QWidget | None) -> QHBoxLayout:
    """Beside one another; None takes the room that is left."""
    row = QHBoxLayout()
    row.setContentsMargins(0, 0, 0, 0)
    row.setSpacing(6)
    for part in parts:
        row.addStretch() if part is None else row.addWidget(part)
    return row
