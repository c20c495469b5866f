"""Where a result goes, and what that place takes: a small table that a person keeps."""

from collections.abc import Callable
from dataclasses import replace
from fractions import Fraction
from typing import Any

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QComboBox, QGridLayout, QHBoxLayout, QVBoxLayout, QWidget

from chronoxis.app.bench.number_field import NumberField
from chronoxis.app.bench.page import label_for
from chronoxis.app.push_button import push_button
from chronoxis.app.text_label import TextLabel
from chronoxis.core.errors import ExportError, PlanError
from chronoxis.core.files.kept_limits import keep_limits, kept_limits
from chronoxis.core.model.framing import parse_shape
from chronoxis.core.model.limits import Limits
from chronoxis.core.model.settings import parse_megabytes
from chronoxis.core.timing.rates import format_rate, parse_rate
from chronoxis.core.timing.timecode import format_time, parse_time

_ANYWHERE = "anywhere"
_USUAL_RATE = Fraction(25)  # by which a length in frames would be read
_NO_MATTER = "any"


class LimitsForm(QWidget):
    """Chooses a place, and changes what it takes.

    Signals:
        chosen: the name of a place; empty for anywhere.
        changed: places take something else.
        refused: an entry means nothing; why.
        name_wanted: a question, a first name, and what takes the name that is given.
    """

    chosen = Signal(str)
    changed = Signal()
    refused = Signal(str)
    name_wanted = Signal(str, str, object)

    def __init__(self) -> None:
        super().__init__()
        self._limits: tuple[Limits, ...] = ()
        self._name = ""
        self.place = QComboBox()
        self.place.setAccessibleName("Goes to")
        self.place.setToolTip("Where the result is sent: Checks say what that place does not take")
        self.place.activated.connect(lambda row: self.chosen.emit(self.place.itemText(row) if row else ""))
        self.longest = _field("Longest", "How long it may be at most: 60, 1:30; any")
        self.largest = _field("Largest", "How large its file may be: 16 MB; any")
        self.shape = _field("Shape", "Width by height that it has to have: 9:16; any")
        self.fastest = _field("Rate", "Frames per second at most: 30; any")
        self.add = push_button("New…", "Add a place to the table")
        self.remove = push_button("Remove", "Take this place off the table")
        self.change = push_button("&Change", "Show what this place takes, to change it")
        self.change.setCheckable(True)
        self.change.toggled.connect(lambda _: self.show_place(self._name))
        self._takes = QWidget()
        self._lay_out()
        self._connect("longest", self.longest, lambda text: parse_time(text, _USUAL_RATE))
        self._connect("largest", self.largest, parse_megabytes)
        self._connect("shape", self.shape, parse_shape)
        self._connect("fastest", self.fastest, parse_rate)
        self.add.clicked.connect(lambda: self.name_wanted.emit("What is the place called?", "", self._add))
        self.remove.clicked.connect(self._remove)

    def show_place(self, name: str) -> None:
        """Show the place of a name, and what it takes."""
        self._limits, self._name = kept_limits(), name
        names = [_ANYWHERE, *(each.name for each in self._limits)]
        if name and name not in names:
            names.append(name)  # of a table that is kept elsewhere
        if [self.place.itemText(row) for row in range(self.place.count())] != names:
            self.place.clear()
            self.place.addItems(names)
        self.place.setCurrentIndex(names.index(name) if name else 0)
        limits = self._chosen
        self.change.setVisible(limits is not None)
        self._takes.setVisible(limits is not None and self.change.isChecked())
        if limits is None:
            return
        self.longest.show_number(_NO_MATTER if limits.longest is None else format_time(limits.longest, 0))
        self.largest.show_number(_NO_MATTER if limits.largest is None else f"{limits.largest / 1e6:g} MB")
        shape = limits.shape
        self.shape.show_number(_NO_MATTER if shape is None else f"{shape.numerator}:{shape.denominator}")
        self.fastest.show_number(_NO_MATTER if limits.fastest is None else format_rate(limits.fastest))

    @property
    def _chosen(self) -> Limits | None:
        return next((each for each in self._limits if each.name == self._name), None)

    def _lay_out(self) -> None:
        head = QHBoxLayout()
        head.addWidget(label_for("&Goes to", self.place))
        head.addWidget(self.place, 1)
        for button in (self.add, self.change, self.remove):
            button.setProperty("small", True)
        head.addWidget(self.add)
        head.addWidget(self.change)
        grid = QGridLayout(self._takes)
        grid.setContentsMargins(0, 0, 0, 0)
        pairs = (
            ("longest", self.longest),
            ("largest", self.largest),
            ("shape", self.shape),
            ("fps", self.fastest),
        )
        for number, (text, field) in enumerate(pairs):
            label = TextLabel(text)
            label.setProperty("dim", True)
            label.setBuddy(field)
            row, column = divmod(number, 2)
            grid.addWidget(label, row, 2 * column)
            grid.addWidget(field, row, 2 * column + 1)
        grid.addWidget(self.remove, 2, 3)
        rows = QVBoxLayout(self)
        rows.setContentsMargins(0, 0, 0, 0)
        rows.setSpacing(3)
        rows.addLayout(head)
        rows.addWidget(self._takes)

    def _connect(self, name: str, field: NumberField, parse: Callable[[str], Fraction | int]) -> None:
        field.editingFinished.connect(lambda: self._enter(name, field, parse))

    def _enter(self, name: str, field: NumberField, parse: Callable[[str], Any]) -> None:
        text, limits = field.take_text(), self._chosen
        if text is None or limits is None:
            return
        try:
            change: dict[str, Any] = {name: None if text.strip().lower() in ("", _NO_MATTER) else parse(text)}
            entered = replace(limits, **change)
            self._keep(tuple(entered if each is limits else each for each in self._limits))
        except PlanError as error:
            self.show_place(self._name)
            self.refused.emit(str(error))

    def _add(self, name: str) -> None:
        if any(each.name == name for each in kept_limits()):
            self.refused.emit(f"There is a place “{name}” already.")
            return
        try:
            self._keep((*kept_limits(), Limits(name)))
        except PlanError as error:
            self.refused.emit(str(error))
            return
        self.chosen.emit(name)

    def _remove(self) -> None:
        self._keep(tuple(each for each in self._limits if each.name != self._name))
        self.chosen.emit("")

    def _keep(self, limits: tuple[Limits, ...]) -> None:
        try:
            keep_limits(limits)
        except ExportError as error:
            self.refused.emit(str(error))
            return
        self.refused.emit("")
        self.show_place(self._name)
        self.changed.emit()


def _field(name: str, tip: str) -> NumberField:
    return NumberField(name, tip, 66)
