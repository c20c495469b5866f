"""The Bench: the linked quantities, the ramps and how each frame is made, of whatever is selected."""

from collections.abc import Callable, Iterable
from fractions import Fraction

from PySide6.QtCore import QSize, Qt
from PySide6.QtWidgets import (
    QButtonGroup,
    QComboBox,
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPushButton,
    QSlider,
    QVBoxLayout,
)

from chronoxis.app.document import Document
from chronoxis.app.theme.theme import font
from chronoxis.core.errors import PlanError
from chronoxis.core.model import arranging, pacing
from chronoxis.core.model.project import Place, Project
from chronoxis.core.timing.ramps import RampShape
from chronoxis.core.timing.rates import format_rate, parse_rate
from chronoxis.core.timing.reckoner import Quantity
from chronoxis.core.timing.schedule import MAX_SHUTTER, EachFrame, result_frame_count
from chronoxis.core.timing.speed import format_speed, parse_speed
from chronoxis.core.timing.timecode import format_exact_time, format_time, parse_time

_ROWS = (
    (Quantity.RECORDED_LENGTH, "&Recorded", "How much of the recording is used: 90, 1:30, 1m30s"),
    (Quantity.SPEED, "&Speed", "Recorded seconds per result second: 24×, 2400%, 1/4×, every 24th"),
    (Quantity.RESULT_LENGTH, "Resul&t", "How long the result lasts: 30, 0:30, 1m30s"),
    (Quantity.STEP, "&Keep one frame in", "The step: how many recorded frames per result frame"),
    (Quantity.RATE, "&Frame rate", "Frames per second of the whole result: 25, 29.97, 30000/1001"),
    (Quantity.COUNT, "Fra&mes", "How many frames the result has"),
)
_EACH = (
    (EachFrame.ONE, "&One frame", "Keep the recorded frame on display when the result frame opens"),
    (
        EachFrame.LONG_EXPOSURE,
        "&Long exposure",
        "The mean, in linear light, of all recorded frames while open",
    ),
)
_SHAPES = {
    RampShape.EVEN: "The same ratio in every moment",
    RampShape.SMOOTH: "Begins and ends gently",
    RampShape.EARLY: "Most of the change at once",
    RampShape.LATE: "Most of the change at the end",
}
_SEVERAL = "several"


class Bench(QFrame):
    """Shows and changes the settings of the selected passages."""

    def __init__(self, document: Document) -> None:
        super().__init__()
        self._document = document
        self.setProperty("panel", True)
        self.title, self._span = QLabel("Passage"), QLabel()
        self.title.setFont(font(10.5, 600))
        self._span.setProperty("dim", True)
        self.fields: dict[Quantity, QLineEdit] = {}
        self.holds: dict[Quantity, QPushButton] = {}
        self.choices: dict[EachFrame, QPushButton] = {}
        self.ramp_lengths: dict[str, QLineEdit] = {}
        self.ramp_shapes: dict[str, QComboBox] = {}
        self.caution = QLabel()
        self.caution.setProperty("caution", True)
        self.caution.setWordWrap(True)
        self.caution.setMinimumHeight(2 * self.caution.fontMetrics().height() + 16)
        kept = self.caution.sizePolicy()
        kept.setRetainSizeWhenHidden(True)  # its coming and going must not move the Weave under a drag
        self.caution.setSizePolicy(kept)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(12, 9, 12, 10)
        layout.setSpacing(6)
        head = QHBoxLayout()
        head.addWidget(self.title)
        head.addStretch()
        head.addWidget(self._span)
        layout.addLayout(head)
        layout.addLayout(self._grid())
        layout.addWidget(_line())
        layout.addLayout(self._each_frame_rows())
        layout.addWidget(self.caution)
        layout.addStretch()
        self._refusal = ""
        document.eased.connect(self.show_project)
        document.selection_changed.connect(self.show_project)
        document.refused.connect(self._refuse)
        self.show_project()

    def minimumSizeHint(self) -> QSize:
        """Never squeezed: the Weave gives way, since it can be read at any height."""
        return self.sizeHint()

    @property
    def _places(self) -> list[Place]:
        return sorted(self._document.selection)

    def _grid(self) -> QGridLayout:
        grid = QGridLayout()
        grid.setVerticalSpacing(4)
        for row, (quantity, text, tip) in enumerate(_ROWS):
            field, hold = QLineEdit(), QPushButton("hold")
            field.setToolTip(tip)
            field.setAccessibleName(str(quantity).capitalize())
            field.setFont(font(10, 500))
            field.editingFinished.connect(lambda quantity=quantity: self._enter(quantity))
            hold.setCheckable(True)
            hold.setProperty("hold", True)
            hold.setToolTip(f"Hold the {quantity}: it stays when another quantity changes")
            hold.setAccessibleName(f"Hold the {quantity}")
            hold.clicked.connect(lambda on, quantity=quantity: self._hold(quantity, on))
            self.fields[quantity], self.holds[quantity] = field, hold
            for column, widget in enumerate((_label(text, field), field, hold)):
                grid.addWidget(widget, row, column)
        for row, (side, text) in enumerate((("in", "Ramp &in"), ("out", "Ramp o&ut")), len(_ROWS)):
            self._add_ramp_row(grid, row, side, text)
        grid.setColumnStretch(1, 1)
        return grid

    def _add_ramp_row(self, grid: QGridLayout, row: int, side: str, text: str) -> None:
        length, shape = QLineEdit(), QComboBox()
        length.setToolTip(f"Result seconds over which the speed changes on the way {side}; 0 changes at once")
        length.setAccessibleName(f"Ramp {side}, length")
        length.setFont(font(10, 500))
        length.editingFinished.connect(lambda: self._enter_ramp(side))
        shape.setAccessibleName(f"Ramp {side}, shape")
        shape.setToolTip("How the change is spread over the ramp")
        for number, (name, tip) in enumerate(_SHAPES.items()):
            shape.addItem(str(name), name)
            shape.setItemData(number, tip, Qt.ItemDataRole.ToolTipRole)
        shape.activated.connect(lambda _: self._choose_shape(side))
        pair = QHBoxLayout()
        pair.addWidget(length, 1)
        pair.addWidget(shape, 1)
        grid.addWidget(_label(text, length), row, 0)
        grid.addLayout(pair, row, 1, 1, 2)
        self.ramp_lengths[side], self.ramp_shapes[side] = length, shape

    def _each_frame_rows(self) -> QVBoxLayout:
        group = QButtonGroup(self)
        chips = QHBoxLayout()
        title = QLabel("Each frame")
        title.setProperty("dim", True)
        chips.addWidget(title)
        for each, text, tip in _EACH:
            chip = QPushButton(text)
            chip.setCheckable(True)
            chip.setProperty("choice", True)
            chip.setToolTip(tip)
            chip.clicked.connect(
                lambda _, each=each: self._apply(
                    "Each frame", lambda p: pacing.set_each_frame(p, self._places, each)
                )
            )
            group.addButton(chip)
            chips.addWidget(chip)
            self.choices[each] = chip
        chips.addStretch()
        self.shutter = QSlider(Qt.Orientation.Horizontal)
        self.shutter.setRange(0, MAX_SHUTTER)
        self.shutter.setPageStep(45)
        self.shutter.setToolTip("Shutter angle: how long each result frame is open; 360° is all of its time")
        self.shutter.setAccessibleName("Shutter angle")
        self.shutter.sliderPressed.connect(lambda: self._document.begin_gesture("Shutter"))
        self.shutter.sliderReleased.connect(self._document.end_gesture)
        self.shutter.valueChanged.connect(self._set_shutter)
        self._degrees = QLabel()
        row = QHBoxLayout()
        row.addWidget(_label("S&hutter", self.shutter))
        row.addWidget(self.shutter, 1)
        row.addWidget(self._degrees)
        rows = QVBoxLayout()
        rows.setSpacing(6)
        rows.addLayout(chips)
        rows.addLayout(row)
        return rows

    def show_project(self) -> None:
        """Show the values of the selected passages."""
        project, places = self._document.project, self._places
        there = bool(places) and bool(project.shots)
        self.setEnabled(there)
        if not there:
            self.title.setText("Nothing is selected")
            self._span.setText("")
            self._show_caution()
            return
        self.title.setText(_title(project, places))
        self._span.setText(_span(project, places))
        for quantity, field in self.fields.items():
            field.setText(_common(_text(project, place, quantity) for place in places))
            field.setCursorPosition(0)
            field.setModified(False)
            held = all(quantity in project.passage(place).held for place in places)
            self.holds[quantity].setChecked(held)
            self.holds[quantity].setText("held" if held else "hold")
        self.fields[Quantity.RECORDED_LENGTH].setEnabled(len(places) == 1)
        for side in self.ramp_lengths:
            self._show_ramps(project, side)
        self._show_each(project, places)
        self._show_caution()

    def _show_ramps(self, project: Project, side: str) -> None:
        joints = self._joints(side)
        length, shape = self.ramp_lengths[side], self.ramp_shapes[side]
        for widget in (length, shape):
            widget.setEnabled(bool(joints))
        ramps = [project.passage(joint).ramp for joint in joints]
        length.setText(_common(f"{float(ramp.length):.4g} s" for ramp in ramps) if ramps else "no joint")
        length.setModified(False)
        shapes = {ramp.shape for ramp in ramps}
        shape.setCurrentIndex(list(_SHAPES).index(shapes.pop()) if len(shapes) == 1 else -1)

    def _show_each(self, project: Project, places: list[Place]) -> None:
        ways = {project.passage(place).each for place in places}
        for each, chip in self.choices.items():
            chip.group().setExclusive(len(ways) == 1)
            chip.setChecked(ways == {each})
        first = project.passage(places[0])
        self.shutter.setEnabled(EachFrame.LONG_EXPOSURE in ways)
        self.shutter.blockSignals(True)
        self.shutter.setValue(round(first.shutter))
        self.shutter.blockSignals(False)
        self._degrees.setText(_common(f"{project.passage(place).shutter:.0f}°" for place in places))

    def _joints(self, side: str) -> list[Place]:
        """The places before the joints on one side of the selected passages."""
        project = self._document.project
        if side == "in":
            return [Place(p.shot, p.passage - 1) for p in self._places if p.passage > 0]
        return [p for p in self._places if p.passage + 1 < len(project.shots[p.shot].passages)]

    def _show_caution(self) -> None:
        project, places = self._document.project, self._places
        text = self._refusal or (_caution(project, places) if places and project.shots else "")
        self.caution.setText(text)
        self.caution.setVisible(bool(text))

    def _refuse(self, text: str) -> None:
        self._refusal = text
        self._show_caution()

    def _enter(self, quantity: Quantity) -> None:
        field = self.fields[quantity]
        if not field.isModified():
            return
        field.setModified(False)
        try:
            edit = _edit(self._document.project, self._places, quantity, field.text())
        except PlanError as error:
            self.show_project()
            self._refuse(str(error))
            return
        self._apply(f"Change {quantity}", edit)

    def _enter_ramp(self, side: str) -> None:
        field = self.ramp_lengths[side]
        if not field.isModified():
            return
        field.setModified(False)
        try:
            length = parse_time(field.text(), self._document.project.rate)
        except PlanError as error:
            self.show_project()
            self._refuse(str(error))
            return
        joints = self._joints(side)
        self._apply("Change ramp", lambda project: pacing.set_ramps(project, joints, length=length))

    def _choose_shape(self, side: str) -> None:
        shape, joints = RampShape(self.ramp_shapes[side].currentData()), self._joints(side)
        self._apply("Change ramp", lambda project: pacing.set_ramps(project, joints, shape=shape))

    def _hold(self, quantity: Quantity, on: bool) -> None:
        self._apply(
            "Hold" if on else "Let go", lambda project: pacing.set_held(project, self._places, quantity, on)
        )

    def _set_shutter(self, degrees: int) -> None:
        self._apply("Shutter", lambda project: pacing.set_shutter(project, self._places, float(degrees)))

    def _apply(self, label: str, edit: Callable[[Project], Project]) -> None:
        if not self._document.apply(label, edit):
            self.show_project()


def _edit(
    project: Project, places: list[Place], quantity: Quantity, text: str
) -> Callable[[Project], Project]:
    """What entering a text means for the selected passages. Raises PlanError if it means nothing."""
    if len(places) == 1:
        value = _read(quantity, text, project, places[0])
        return lambda p: pacing.change_quantity(p, places[0], quantity, value)
    values = {place: _read(quantity, text, project, place) for place in places}
    if quantity is Quantity.RATE:
        return lambda p: arranging.set_rate(p, values[places[0]])

    def each(project: Project) -> Project:
        for place, value in values.items():
            project = pacing.change_quantity(project, place, quantity, value)
        return project

    return each


def _read(quantity: Quantity, text: str, project: Project, place: Place) -> Fraction:
    footage = project.footage_of(project.shots[place.shot])
    if quantity is Quantity.SPEED:
        return parse_speed(text, footage.rate / project.rate)
    if quantity is Quantity.RECORDED_LENGTH:
        return parse_time(text, footage.rate)
    if quantity is Quantity.RESULT_LENGTH:
        return parse_time(text, project.rate)
    if quantity is Quantity.RATE:
        return parse_rate(text)
    try:
        return Fraction(text.replace(",", "").replace(" ", ""))
    except (ValueError, ZeroDivisionError):
        raise PlanError(f"“{text}” is not a number of frames.") from None


def _text(project: Project, place: Place, quantity: Quantity) -> str:
    passage = project.passage(place)
    lasting = project.passage_result_length(place)
    match quantity:
        case Quantity.RECORDED_LENGTH:
            return format_exact_time(passage.recorded_length)
        case Quantity.SPEED:
            return format_speed(passage.speed)
        case Quantity.RESULT_LENGTH:
            return format_exact_time(lasting)
        case Quantity.STEP:
            return f"{float(project.reckoner(place).step):.6g}"
        case Quantity.RATE:
            return f"{format_rate(project.rate)} fps"
        case Quantity.COUNT:
            return f"{result_frame_count(lasting, project.rate):,}"


def _common(texts: Iterable[str]) -> str:
    found = set(texts)
    return found.pop() if len(found) == 1 else _SEVERAL


def _title(project: Project, places: list[Place]) -> str:
    shots = {place.shot for place in places}
    of = f" of {len(project.shots)}" if len(project.shots) > 1 else ""
    if len(places) > 1:
        where = f"shot {places[0].shot + 1}{of}" if len(shots) == 1 else f"{len(shots)} shots"
        return f"{len(places)} passages, {where}"
    place = places[0]
    passages = project.shots[place.shot].passages
    shot = f"Shot {place.shot + 1}{of}" if of else "Shot"
    return (
        shot
        if len(passages) == 1
        else f"Passage {place.passage + 1} of {len(passages)}" + (f", shot {place.shot + 1}" if of else "")
    )


def _span(project: Project, places: list[Place]) -> str:
    if len(places) > 1:
        return format_time(sum((project.passage_result_length(p) for p in places), Fraction(0)), 2)
    shot = project.shots[places[0].shot]
    ends = sorted(shot.recorded_time(c) for c in shot.joints[places[0].passage : places[0].passage + 2])
    return f"{format_time(ends[0])} – {format_time(ends[1])}" + (" ◂" if shot.backwards else "")


def _caution(project: Project, places: list[Place]) -> str:
    short = [place for place in places if place.passage in project.shots[place.shot].shortened]
    if short:
        real = float(project.shots[short[0].shot].pace.ramp_lengths[short[0].passage])
        return (
            f"{len(short)} ramps are shortened to what fits."
            if len(short) > 1
            else f"The ramp out is shortened to {real:.2f} s: there is no more room."
        )
    state = project.reckoner(places[0])
    if len(places) == 1 and state.step < 1:
        return (
            f"Recorded at {format_rate(state.recorded_rate)} fps: at {format_speed(state.speed)} "
            f"frames repeat ({float(1 / state.step):.3g} result frames each)."
        )
    if project.result_length * project.rate < 1:
        return "The result is shorter than one frame; it will be a single frame."
    return ""


def _label(text: str, buddy: QLineEdit | QSlider) -> QLabel:
    label = QLabel(text)
    label.setProperty("dim", True)
    label.setBuddy(buddy)
    return label


def _line() -> QFrame:
    line = QFrame()
    line.setFixedHeight(1)
    line.setStyleSheet("background: #353A40;")
    return line
