"""The page *Pace*: the linked quantities and the ramps."""

from collections.abc import Callable
from fractions import Fraction

from PySide6.QtWidgets import QComboBox, QGridLayout, QHBoxLayout, QPushButton, QVBoxLayout

from chronoxis.app.bench.number_field import NumberField
from chronoxis.app.bench.page import SEVERAL, Page, common, label_for, line, one_of_each
from chronoxis.app.bench.quantity_words import (
    alike_in,
    exact_text,
    quantity_text,
    read_quantity,
    step_label,
)
from chronoxis.app.bench.ramp_shapes import ramp_shapes
from chronoxis.app.document.document import Document
from chronoxis.app.text_label import TextLabel
from chronoxis.app.theme.theme import font
from chronoxis.core.errors import PlanError
from chronoxis.core.model import arranging, pacing
from chronoxis.core.model.project import Place, Project
from chronoxis.core.timing.ramps import RampShape
from chronoxis.core.timing.reckoner import Quantity
from chronoxis.core.timing.step import step_words
from chronoxis.core.timing.timecode import parse_time

_ROWS = (
    (Quantity.RECORDED_LENGTH, "&Recorded", "How much of the recording is used: 90, 1:30, 1m30s"),
    (Quantity.SPEED, "Spee&d", "Recorded seconds per result second: 24×, 2400%, 1/4×, every 24th"),
    (Quantity.RESULT_LENGTH, "Resul&t", "How long the result lasts: 30, 0:30, 1m30s"),
    (
        Quantity.STEP,
        "&Keep one frame in",
        "The step: one recorded frame in so many; “2 times” shows each twice",
    ),
    (Quantity.RATE, "Fra&me rate", "Frames per second of the whole result: 25, 29.97, 30000/1001"),
    (Quantity.COUNT, "Fr&ames", "How many frames the result has"),
)
_SHAPES = {
    RampShape.EVEN: "The same ratio in every moment",
    RampShape.SMOOTH: "Begins and ends gently",
    RampShape.EARLY: "Most of the change at once",
    RampShape.LATE: "Most of the change at the end",
}


class PacePage(Page):
    """Shows and changes how fast the selected passages run."""

    def __init__(self, document: Document) -> None:
        super().__init__(document)
        self.fields: dict[Quantity, NumberField] = {}
        self.holds: dict[Quantity, QPushButton] = {}
        self.ramp_lengths: dict[str, NumberField] = {}
        self.ramp_shapes: dict[str, QComboBox] = {}
        self._labels: dict[Quantity, TextLabel] = {}
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(6)
        grids = self._quantities(), self._ramps()
        for grid in grids:  # the labels of both are of one width, whatever they say
            grid.setColumnMinimumWidth(0, TextLabel(step_words(Fraction(1, 2))).sizeHint().width())
        layout.addLayout(grids[0])
        self.meaning = TextLabel()
        self.meaning.setProperty("dim", True)
        self.meaning.setFont(font(9))
        self.meaning.setWordWrap(True)
        self.meaning.hide()
        layout.addWidget(self.meaning)
        self._line = line()  # for which there is no room beside the meaning
        layout.addWidget(self._line)
        layout.addLayout(grids[1])
        layout.addStretch()

    def _quantities(self) -> QGridLayout:
        grid = QGridLayout()
        grid.setVerticalSpacing(2)
        for row, (quantity, text, tip) in enumerate(_ROWS):
            field, hold = NumberField(str(quantity).capitalize(), tip), QPushButton("hold")
            field.editingFinished.connect(lambda quantity=quantity: self._enter(quantity))
            hold.setCheckable(True)
            hold.setProperty("hold", True)
            hold.setToolTip(f"Hold the {quantity}: it stays when another quantity changes")
            hold.setAccessibleName(f"Hold the {quantity}")
            hold.clicked.connect(lambda on, quantity=quantity: self._hold(quantity, on))
            self.fields[quantity], self.holds[quantity] = field, hold
            self._labels[quantity] = label_for(text, field)
            for column, widget in enumerate((self._labels[quantity], field, hold)):
                grid.addWidget(widget, row, column)
        grid.setColumnStretch(1, 1)
        return grid

    def _ramps(self) -> QGridLayout:
        grid = QGridLayout()
        grid.setVerticalSpacing(2)
        for row, (side, text) in enumerate((("in", "Ramp &in"), ("out", "Ramp o&ut"))):
            tip = f"Result seconds over which the speed changes on the way {side}; 0 changes at once"
            length = NumberField(f"Ramp {side}, length", tip)
            shape = ramp_shapes(f"Ramp {side}, shape", "How the change is spread over the ramp", _SHAPES)
            length.editingFinished.connect(lambda side=side: self._enter_ramp(side))
            shape.activated.connect(lambda _, side=side: self._choose_shape(side))
            pair = QHBoxLayout()
            pair.addWidget(length, 1)
            pair.addWidget(shape, 1)
            grid.addWidget(label_for(text, length), row, 0)
            grid.addLayout(pair, row, 1)
            self.ramp_lengths[side], self.ramp_shapes[side] = length, shape
        grid.setColumnStretch(1, 1)
        return grid

    def show_project(self) -> None:
        """Show the values of the selected passages."""
        project, places = self._document.project, self._places
        if not places or not project.shots:
            return
        rows = project.rows.of(places)
        for quantity, field in self.fields.items():
            different = one_of_each(places, *alike_in(project, rows, quantity))
            field.show_number(
                common(quantity_text(project, place, quantity) for place in different),
                common(exact_text(project, place, quantity) for place in different),
            )
            held = all(quantity in project.passage(place).held for place in places)
            self.holds[quantity].setChecked(held)
            self.holds[quantity].setText("held" if held else "hold")
        different = one_of_each(places, *alike_in(project, rows, Quantity.STEP))
        words = common(step_label(project, place) for place in different)
        self._labels[Quantity.STEP].setText("Step (&k)" if words == SEVERAL else words)
        self.fields[Quantity.RECORDED_LENGTH].setEnabled(len(places) == 1)
        first = project.footage_of(project.shots[places[0].shot])
        meaning = first.shown_in_words(project.passage(places[0]).speed) if len(places) == 1 else ""
        self.meaning.setText(meaning)
        self.meaning.setVisible(bool(meaning))
        self._line.setVisible(not meaning)
        for side in self.ramp_lengths:
            self._show_ramps(project, side)

    def _show_ramps(self, project: Project, side: str) -> None:
        joints = self._joints(side)
        length, shape = self.ramp_lengths[side], self.ramp_shapes[side]
        for widget in (length, shape):
            widget.setEnabled(bool(joints))
        ramps = [project.passage(joint).ramp for joint in joints]
        lasts = [ramps[0], *(ramp for ramp in ramps if ramp.length != ramps[0].length)] if ramps else []
        length.show_number(common(f"{float(ramp.length):.4g} s" for ramp in lasts) if ramps else "no joint")
        alike = bool(ramps) and all(ramp.shape is ramps[0].shape for ramp in ramps)
        shape.setCurrentIndex(list(_SHAPES).index(ramps[0].shape) if alike else -1)

    def _joints(self, side: str) -> list[Place]:
        """The places before the joints on one side of the selected passages."""
        project = self._document.project
        if side == "in":
            return [Place(p.shot, p.passage - 1) for p in self._places if p.passage > 0]
        return [p for p in self._places if p.passage + 1 < len(project.shots[p.shot].passages)]

    def _enter(self, quantity: Quantity) -> None:
        text = self.fields[quantity].take_text()
        if text is None:
            return
        try:
            edit = _edit(self._document.project, self._places, quantity, text)
        except PlanError as error:
            self._refuse(error)
            return
        self._apply(f"Change {quantity}", edit)

    def _enter_ramp(self, side: str) -> None:
        text = self.ramp_lengths[side].take_text()
        if text is None:
            return
        try:
            length = parse_time(text, self._document.project.rate)
        except PlanError as error:
            self._refuse(error)
            return
        joints = self._joints(side)
        self._apply("Change ramp", lambda project: pacing.set_ramps(project, joints, length=length))

    def _refuse(self, error: PlanError) -> None:
        self.show_project()
        self.refused.emit(str(error))

    def _choose_shape(self, side: str) -> None:
        shape, joints = RampShape(self.ramp_shapes[side].currentData()), self._joints(side)
        self._apply("Change ramp", lambda project: pacing.set_ramps(project, joints, shape=shape))

    def _hold(self, quantity: Quantity, on: bool) -> None:
        places = self._places
        self._apply("Hold" if on else "Let go", lambda p: pacing.set_held(p, places, quantity, on))


def _edit(
    project: Project, places: list[Place], quantity: Quantity, text: str
) -> Callable[[Project], Project]:
    """What entering a text means for the selected passages. Raises PlanError if it means nothing."""
    if len(places) == 1:
        value = read_quantity(quantity, text, project, places[0])
        return lambda p: pacing.change_quantity(p, places[0], quantity, value)
    meant = {  # a text means the same for all passages of one footage
        place.shot: read_quantity(quantity, text, project, place)
        for place in one_of_each(places, alike_in(project, project.rows.of(places), Quantity.STEP)[1])
    }
    of_footage = {project.shots[shot].footage: value for shot, value in meant.items()}
    if quantity is Quantity.RATE:
        rate = next(iter(of_footage.values()))
        return lambda p: arranging.set_rate(p, rate)
    values = {place: of_footage[project.shots[place.shot].footage] for place in places}
    return lambda p: pacing.change_quantity_of_all(p, quantity, values)
