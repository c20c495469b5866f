"""The Bench: the linked quantities and how each frame is made."""

from collections.abc import Callable
from fractions import Fraction

from PySide6.QtCore import QSize, Qt
from PySide6.QtWidgets import (
    QButtonGroup,
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
from chronoxis.core.model import edits
from chronoxis.core.model.project import Project
from chronoxis.core.timing.rates import format_rate, parse_rate
from chronoxis.core.timing.reckoner import Quantity
from chronoxis.core.timing.schedule import MAX_SHUTTER, EachFrame
from chronoxis.core.timing.speed import format_speed, parse_speed
from chronoxis.core.timing.timecode import format_exact_time, format_time, parse_time

_ROWS = (
    (Quantity.RECORDED_LENGTH, "&Recorded", "How much of the recording is used: 90, 1:30, 1m30s"),
    (Quantity.SPEED, "&Speed", "Recorded seconds per result second: 24×, 2400%, 1/4×, every 24th"),
    (Quantity.RESULT_LENGTH, "Resul&t", "How long the result lasts: 30, 0:30, 1m30s"),
    (Quantity.STEP, "&Keep one frame in", "The step: how many recorded frames per result frame"),
    (Quantity.RATE, "&Frame rate", "Result frames per second: 25, 29.97, 30000/1001"),
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


class Bench(QFrame):
    """Shows and changes the settings of the shot."""

    def __init__(self, document: Document) -> None:
        super().__init__()
        self._document = document
        self.setProperty("panel", True)
        self._title, self._span = QLabel("Shot"), QLabel()
        self._title.setFont(font(10.5, 600))
        self._span.setProperty("dim", True)
        self.fields: dict[Quantity, QLineEdit] = {}
        self.holds: dict[Quantity, QPushButton] = {}
        self.choices: dict[EachFrame, QPushButton] = {}
        self.caution = QLabel()
        self.caution.setProperty("caution", True)
        self.caution.setWordWrap(True)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(12, 10, 12, 12)
        head = QHBoxLayout()
        head.addWidget(self._title)
        head.addStretch()
        head.addWidget(self._span)
        layout.addLayout(head)
        layout.addLayout(self._reckoner_rows())
        layout.addWidget(_line())
        layout.addLayout(self._each_frame_rows())
        layout.addWidget(self.caution)
        layout.addStretch()
        self._refusal = ""
        document.changed.connect(self.show_project)
        document.refused.connect(self._refuse)
        self.show_project()

    def minimumSizeHint(self) -> QSize:
        """Never squeezed: the Weave gives way, since it can be read at any height."""
        return self.sizeHint()

    def _reckoner_rows(self) -> QGridLayout:
        grid = QGridLayout()
        grid.setVerticalSpacing(5)
        for row, (quantity, text, tip) in enumerate(_ROWS):
            label, field, hold = QLabel(text), QLineEdit(), QPushButton("hold")
            label.setProperty("dim", True)
            label.setBuddy(field)
            field.setToolTip(tip)
            field.setAccessibleName(str(quantity).capitalize())
            field.setFont(font(10, 500))
            field.returnPressed.connect(lambda quantity=quantity: self._enter(quantity))
            field.editingFinished.connect(lambda quantity=quantity: self._enter(quantity))
            hold.setCheckable(True)
            hold.setProperty("hold", True)
            hold.setToolTip(f"Hold the {quantity}: it stays when another quantity changes")
            hold.setAccessibleName(f"Hold the {quantity}")
            hold.clicked.connect(lambda on, quantity=quantity: self._hold(quantity, on))
            self.fields[quantity], self.holds[quantity] = field, hold
            for column, widget in enumerate((label, field, hold)):
                grid.addWidget(widget, row, column)
        grid.setColumnStretch(1, 1)
        return grid

    def _each_frame_rows(self) -> QVBoxLayout:
        title = QLabel("Each result frame")
        title.setProperty("dim", True)
        group = QButtonGroup(self)
        chips = QHBoxLayout()
        for each, text, tip in _EACH:
            chip = QPushButton(text)
            chip.setCheckable(True)
            chip.setProperty("choice", True)
            chip.setToolTip(tip)
            chip.clicked.connect(
                lambda _, each=each: self._apply("Each frame", lambda p: edits.set_each_frame(p, each))
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
        label = QLabel("S&hutter")
        label.setProperty("dim", True)
        label.setBuddy(self.shutter)
        self._degrees = QLabel()
        row = QHBoxLayout()
        row.addWidget(label)
        row.addWidget(self.shutter, 1)
        row.addWidget(self._degrees)
        rows = QVBoxLayout()
        rows.setSpacing(8)
        rows.addWidget(title)
        rows.addLayout(chips)
        rows.addLayout(row)
        return rows

    def show_project(self) -> None:
        """Show the document's present values."""
        project = self._document.project
        shot = project.shot
        self.setEnabled(shot is not None)
        if shot is None:
            self.caution.hide()
            return
        state = project.reckoner
        self._span.setText(f"{format_time(shot.in_point)} – {format_time(shot.out_point)} recorded")
        texts = {
            Quantity.RECORDED_LENGTH: format_exact_time(state.recorded_length),
            Quantity.SPEED: format_speed(state.speed),
            Quantity.RESULT_LENGTH: format_exact_time(state.result_length),
            Quantity.STEP: f"{float(state.step):.6g}",
            Quantity.RATE: f"{format_rate(state.rate)} fps",
            Quantity.COUNT: f"{state.count:,}",
        }
        for quantity, text in texts.items():
            field, hold = self.fields[quantity], self.holds[quantity]
            field.setText(text)
            field.setCursorPosition(0)
            field.setModified(False)
            hold.setChecked(quantity in project.held)
            hold.setText("held" if quantity in project.held else "hold")
        self.choices[shot.each].setChecked(True)
        long_exposure = shot.each is EachFrame.LONG_EXPOSURE
        self.shutter.setEnabled(long_exposure)
        self.shutter.blockSignals(True)
        self.shutter.setValue(round(shot.shutter))
        self.shutter.blockSignals(False)
        self._degrees.setText(f"{shot.shutter:.0f}°")
        self._show_caution(project)

    def _show_caution(self, project: Project) -> None:
        text = self._refusal or _caution(project)
        self.caution.setText(text)
        self.caution.setVisible(bool(text))

    def _refuse(self, text: str) -> None:
        self._refusal = text
        if self._document.project.shot:
            self._show_caution(self._document.project)

    def _enter(self, quantity: Quantity) -> None:
        field = self.fields[quantity]
        if not field.isModified():
            return
        field.setModified(False)
        project = self._document.project
        try:
            value = _read(quantity, field.text(), project)
        except PlanError as error:
            self.show_project()
            self._refuse(str(error))
            return
        self._apply(f"Change {quantity}", lambda p: edits.change_quantity(p, quantity, value))

    def _hold(self, quantity: Quantity, on: bool) -> None:
        self._apply("Hold" if on else "Let go", lambda project: edits.set_held(project, quantity, on))

    def _set_shutter(self, degrees: int) -> None:
        self._apply("Shutter", lambda project: edits.set_shutter(project, float(degrees)))

    def _apply(self, label: str, edit: Callable[[Project], Project]) -> None:
        if not self._document.apply(label, edit):
            self.show_project()


def _read(quantity: Quantity, text: str, project: Project) -> Fraction:
    footage = project.expect_shot().footage
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


def _caution(project: Project) -> str:
    state = project.reckoner
    if state.step < 1:
        return (
            f"Recorded at {format_rate(state.recorded_rate)} fps: at {format_speed(state.speed)} "
            f"frames repeat ({float(1 / state.step):.3g} result frames each)."
        )
    if state.result_length * state.rate < 1:
        return "The result is shorter than one frame; it will be a single frame."
    return ""


def _line() -> QFrame:
    line = QFrame()
    line.setFixedHeight(1)
    line.setStyleSheet("background: #353A40;")
    return line
