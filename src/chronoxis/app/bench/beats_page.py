"""The page *Beats*: shaping the selected shots to the beats of the music."""

from fractions import Fraction
from functools import partial

from PySide6.QtWidgets import (
    QButtonGroup,
    QCheckBox,
    QGridLayout,
    QHBoxLayout,
    QPushButton,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from chronoxis.app.bench.number_field import NumberField
from chronoxis.app.bench.page import Page, label_for, line
from chronoxis.app.document.document import Document
from chronoxis.app.measuring.sound_traces import SoundTraces
from chronoxis.app.push_button import choice_chip, push_button, segments_of
from chronoxis.app.text_label import TextLabel
from chronoxis.app.theme.theme import font
from chronoxis.core.errors import PlanError
from chronoxis.core.model import beat_acts
from chronoxis.core.model.beat_acts import Pulse, Which, beats_of
from chronoxis.core.timing.pace import Seconds
from chronoxis.core.timing.ramps import Ramp
from chronoxis.core.timing.speed import format_speed, parse_speed
from chronoxis.core.timing.timecode import parse_time

_ACTS = (
    ("P&ulse", "A short burst of speed on beats"),
    ("&Alternate", "Between two speeds, from beat to beat"),
    ("Se&ttle", "Move the joints and cuts that are there to the nearest beats"),
    ("&Cut", "Divide the shots into shots of so many beats"),
)
_ABOUT = (
    "The burst begins on the beat. Each one is a passage of its own, whose strength can be changed below.",
    "Speeds change on the beats.",
    "Speeds change as little as possible; held ones stay, and so does the length of all selected shots.",
    "Cuts lie on beats; where a ramp goes over one, there is none.",
)
_WHICH = (
    (Which.EVERY, "every &beat", "Every beat"),
    (Which.SECOND, "ever&y other", "Every other beat, the first of each bar among them"),
    (Which.BARS, "ba&rs", "The first beat of each bar"),
    (Which.MARKED, "&my marks", "Beats on which the result has a mark: M puts one there"),
)


class BeatsPage(Page):
    """Acts on the selected shots; each is one step of undo."""

    def __init__(self, document: Document, sounds: SoundTraces) -> None:
        super().__init__(document)
        self._sounds = sounds
        self.which = Which.EVERY
        self.acts: list[QPushButton] = []
        self.whiches: dict[Which, QPushButton] = {}
        self._forms = QStackedWidget()
        self.count, self._about = TextLabel(), TextLabel()
        self.keep = QCheckBox("&Keep the length")
        self.keep.setToolTip(
            "The shots last as long as before; what is not held goes as much slower or faster"
        )
        self.keep.setChecked(True)
        self.do = push_button("Pulse", "")
        self.speed = self._field("Speed of the burst", "Speed of each burst, such as 24×", "12×")
        self.length = self._field("Length of the burst", "Result seconds of each burst", "0.2")
        self.ramp = self._field("Ramp", "Result seconds of the ramps; 0 changes at once", "0.1")
        self.slow = self._field("First speed", "The speed from the beginning and every other beat", "2×")
        self.fast = self._field("Second speed", "The speed from beat to beat between", "12×")
        self.every = self._field("Beats", "How many beats each shot lasts", "4")
        self.strength = NumberField(
            "Strength", "Speed of the selected pulse; every other joint stays where it is", 74
        )
        self.strength.setPlaceholderText("no pulse")
        self.strength.editingFinished.connect(self._enter_strength)
        self.do.setProperty("main", True)
        self.do.clicked.connect(self._do)
        self._lay_out()
        self._show_act(0)
        sounds.changed.connect(self._tell)

    @staticmethod
    def _field(name: str, tip: str, text: str) -> NumberField:
        field = NumberField(name, tip, 60)
        field.setText(text)
        return field

    def _lay_out(self) -> None:
        rows = QVBoxLayout(self)
        rows.setContentsMargins(0, 4, 0, 0)
        rows.setSpacing(5)
        acts, group = QHBoxLayout(), QButtonGroup(self)
        acts.setSpacing(6)
        for number, (text, tip) in enumerate(_ACTS):
            self.acts.append(choice_chip(text, tip, group, partial(self._show_act, number)))
        acts.addWidget(segments_of(*self.acts))
        acts.addStretch()
        for form in (self._pulse_form(), self._alternate_form(), QWidget(), self._cut_form()):
            self._forms.addWidget(form)
        which, whiches = QHBoxLayout(), QButtonGroup(self)
        which.setSpacing(6)
        for each, text, tip in _WHICH:
            self.whiches[each] = choice_chip(text, tip, whiches, partial(self._choose_which, each))
        which.addWidget(segments_of(*self.whiches.values()))
        self.whiches[self.which].setChecked(True)
        which.addStretch()
        self._which = QWidget()
        self._which.setLayout(which)
        which.setContentsMargins(0, 0, 0, 0)
        for label in (self.count, self._about):
            label.setProperty("dim", True)
            label.setFont(font(9))
            label.setWordWrap(True)
        go = QHBoxLayout()
        go.addWidget(self.keep)
        go.addStretch()
        go.addWidget(self.do)
        strength = QHBoxLayout()
        self._strength_label = label_for("Stren&gth of this pulse", self.strength)
        strength.addWidget(self._strength_label)
        strength.addWidget(self.strength)
        strength.addStretch()
        rows.addLayout(acts)
        rows.addWidget(self._which)
        rows.addWidget(self._forms)
        rows.addWidget(self._about)
        rows.addWidget(self.count)
        rows.addLayout(go)
        rows.addWidget(line())
        rows.addLayout(strength)
        rows.addStretch()

    def _pulse_form(self) -> QWidget:
        return _form((("Speed", self.speed), ("f&or", self.length), ("ramps", self.ramp)))

    def _alternate_form(self) -> QWidget:
        self.change = self._field("Ramp", "Result seconds of the ramps; 0 changes at once", "0")
        return _form((("From", self.slow), ("t&o", self.fast), ("ramps", self.change)))

    def _cut_form(self) -> QWidget:
        return _form((("Beats &in a shot", self.every),))

    def show_project(self) -> None:
        """Show how many beats there are, and the strength of the selected pulse."""
        self._tell()
        project, places = self._document.project, self._places
        is_pulse = (
            len(places) == 1
            and project.has(places[0])
            and project.shots[places[0].shot].is_peak(places[0].passage)
        )
        self.strength.setEnabled(is_pulse)
        self._strength_label.setEnabled(is_pulse)
        self.strength.show_number(format_speed(project.passage(places[0]).speed) if is_pulse else "")

    def _tell(self) -> None:
        project, shots = self._document.project, self._document.selection.shots
        if not project.shots or not shots:
            return
        if not len(self._sounds.beats):
            self.count.setText(self._why_none())
        else:
            count = len(self._times())
            many = f"{len(shots)} shots" if len(shots) > 1 else f"shot {shots[0] + 1}"
            self.count.setText(f"{count} of these beats lie in {many}.")
        self.do.setEnabled(len(self._sounds.beats) > 0)

    def _why_none(self) -> str:
        project = self._document.project
        if not project.music:
            return "There is no music yet: bring in a file of music, or drop it on the window."
        return "No beat was found in the music; tap along with T while it plays, and the taps are its beats."

    def _times(self) -> Seconds:
        project, shots = self._document.project, self._document.selection.shots
        begins = project.shot_rows.begins
        begin = float(begins[shots[0]])
        end = float(begins[shots[-1]]) + float(project.shots[shots[-1]].pace.result_length)
        return beats_of(self._sounds.beats, self.which, begin, end, project.markers)

    def _show_act(self, number: int) -> None:
        self.acts[number].setChecked(True)
        self._forms.setCurrentIndex(number)
        self._about.setText(_ABOUT[number])
        self._which.setVisible(number < 2)
        self.keep.setVisible(number < 2)
        self.do.setText(_ACTS[number][0].replace("&", ""))
        self.do.setToolTip(_ACTS[number][1])
        if number >= 2:
            self._choose_which(Which.EVERY)

    def _choose_which(self, which: Which) -> None:
        self.which = which
        self.whiches[which].setChecked(True)
        self._tell()

    def _do(self) -> None:
        try:
            self._acts_out()
        except PlanError as error:
            self.refused.emit(str(error))

    def _acts_out(self) -> None:
        shots, keep, which = self._document.selection.shots, self.keep.isChecked(), self.which
        beats = self._sounds.beats_beyond()
        times = beats_of(beats, which, 0.0, float("inf"), self._document.project.markers)
        act = self._forms.currentIndex()
        if act == 0:
            wish = Pulse(
                parse_speed(self.speed.text()), parse_time(self.length.text()), _ramp(self.ramp.text())
            )
            self._apply("Pulse", lambda p: beat_acts.pulse(p, shots, times, wish, keep=keep))
        elif act == 1:
            speeds = parse_speed(self.slow.text()), parse_speed(self.fast.text())
            ramp = Ramp(_ramp(self.change.text()))
            self._apply("Alternate", lambda p: beat_acts.alternate(p, shots, times, speeds, ramp, keep=keep))
        elif act == 2:
            self._apply("Settle on beats", lambda p: beat_acts.settle(p, shots, beats.times))
        else:
            text = self.every.text().strip()
            if not text.isdecimal() or not 0 < int(text) < 1000:
                raise PlanError("A shot lasts one beat or more, such as 4.")
            self._apply("Cut on beats", lambda p: beat_acts.cut_on_beats(p, shots, beats, int(text)))

    def _enter_strength(self) -> None:
        text, places = self.strength.take_text(), self._places
        if text is None or len(places) != 1:
            return
        try:
            speed = parse_speed(text)
        except PlanError as error:
            self.refused.emit(str(error))
        else:
            self._apply("Strength of pulse", lambda p: beat_acts.set_pulse_speed(p, places[0], speed))
        self.show_project()


def _ramp(text: str) -> Fraction:
    return parse_time(text) if text.strip() not in ("", "0") else Fraction(0)


def _form(fields: tuple[tuple[str, NumberField], ...]) -> QWidget:
    form = QWidget()
    grid = QGridLayout(form)
    grid.setContentsMargins(0, 0, 0, 0)
    for number, (text, field) in enumerate(fields):
        grid.addWidget(label_for(text, field), 0, 2 * number)
        grid.addWidget(field, 0, 2 * number + 1)
    grid.setColumnStretch(2 * len(fields), 1)
    return form
