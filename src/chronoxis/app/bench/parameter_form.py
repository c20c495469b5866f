"""What a look or a way is set by, as its parameters tell: numbers, choices and switches."""

from functools import partial
from typing import TypeVar

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QComboBox, QGridLayout, QWidget

from chronoxis.app.bench.number_field import NumberField
from chronoxis.app.push_button import switch
from chronoxis.app.text_label import TextLabel
from chronoxis.core.parameters import (
    MOST_CHOICES,
    MOST_NUMBERS,
    MOST_SWITCHES,
    Choice,
    Number,
    Switch,
    parameters_of,
)
from chronoxis.core.timing.exact import parse_exact, shortened

Told = TypeVar("Told", Number, Switch, Choice)

_COLUMNS = 2  # of parameters, beside each other


class ParameterForm(QWidget):
    """Shows the parameters of one value.

    Signals:
        chosen: what is called another, its name, and its value.
        refused: an entry means nothing; the text says why.
    """

    chosen = Signal(str, str, object)
    refused = Signal(str)

    def __init__(self) -> None:
        super().__init__()
        self._value: object = None
        self._called = ""
        self.numbers: list[NumberField] = []
        self._labels: list[TextLabel] = []
        for place in range(MOST_NUMBERS):
            field, label = NumberField("Measure", "A measure"), TextLabel()
            field.editingFinished.connect(lambda place=place: self._enter(place))
            label.setProperty("dim", True)
            label.setBuddy(field)
            self.numbers.append(field)
            self._labels.append(label)
        self.choices: list[QComboBox] = []
        for place in range(MOST_CHOICES):
            box = QComboBox()
            box.setAccessibleName("Choice")
            box.setToolTip("A choice")
            box.activated.connect(lambda row, place=place: self._choose(place, row))
            self.choices.append(box)
        self.switches = [
            switch("on", "A choice", partial(self._switch, place)) for place in range(MOST_SWITCHES)
        ]
        self._grid = QGridLayout(self)
        self._grid.setContentsMargins(0, 0, 0, 0)
        self._grid.setColumnStretch(1, 1)
        self._grid.setColumnStretch(3, 1)
        for widget in (*self._labels, *self.numbers, *self.choices, *self.switches):
            widget.setParent(self)
            widget.hide()

    def show_value(self, value: object, called: str) -> None:
        """Show a value, by what a person calls it; nothing, where it is None."""
        another = type(value) is not type(self._value)
        self._value, self._called = value, called
        if another:
            self._lay_out()
        self._show_numbers()
        self._show_choices()
        self._show_switches()

    def _lay_out(self) -> None:
        """What the value has, two beside each other; numbers first."""
        shown: list[tuple[QWidget, ...]] = [
            (label, field)
            for label, field, _ in zip(self._labels, self.numbers, self._told(Number), strict=False)
        ]
        shown += [(box,) for box, _ in zip(self.choices, self._told(Choice), strict=False)]
        shown += [(turn,) for turn, _ in zip(self.switches, self._told(Switch), strict=False)]
        for widget in (*self._labels, *self.numbers, *self.choices, *self.switches):
            self._grid.removeWidget(widget)
            widget.hide()
        for place, widgets in enumerate(shown):
            row, column = divmod(place, _COLUMNS)
            for number, widget in enumerate(widgets):
                self._grid.addWidget(widget, row, 2 * column + number, 1, 3 - len(widgets))
                widget.show()

    def _told(self, kind: type[Told]) -> dict[str, Told]:
        """The parameters that are of one kind, by name."""
        told = parameters_of(type(self._value)) if self._value is not None else {}
        return {name: each for name, each in told.items() if isinstance(each, kind)}

    def _show_numbers(self) -> None:
        told_of = self._told(Number).items()
        for label, field, (name, told) in zip(self._labels, self.numbers, told_of, strict=False):
            value = getattr(self._value, name)
            label.setText(told.label)
            field.setAccessibleName(f"{told.label} of the {self._called}")
            field.setToolTip(f"{told.label}, {told.unit}" if told.unit else told.label)
            field.show_number(
                told.unset if value is None else f"{value * told.shown:.4g} {told.unit}".strip()
            )

    def _show_choices(self) -> None:
        for box, (name, told) in zip(self.choices, self._told(Choice).items(), strict=False):
            box.clear()
            box.addItems([str(each) for each in told.of])
            box.setCurrentIndex(list(told.of).index(getattr(self._value, name)))
            box.setAccessibleName(f"{told.label} of the {self._called}")
            box.setToolTip(told.about)

    def _show_switches(self) -> None:
        for turn, (name, told) in zip(self.switches, self._told(Switch).items(), strict=False):
            turn.setText(told.label)
            turn.setToolTip(told.about)
            turn.setChecked(getattr(self._value, name))

    def _enter(self, place: int) -> None:
        text, numbers = self.numbers[place].take_text(), list(self._told(Number).items())
        if text is None or place >= len(numbers):
            return
        name, told = numbers[place]
        cleaned = text.strip().lower().removesuffix(told.unit).removesuffix("%").removesuffix("°").strip()
        if told.unset and cleaned in ("", "auto", told.unset):
            self.chosen.emit(told.label, name, None)
            return
        try:
            value = float(parse_exact(cleaned)) / told.shown
        except (ValueError, ZeroDivisionError):
            self._show_numbers()
            self.refused.emit(f"“{shortened(text)}” is not a number.")
            return
        self.chosen.emit(told.label, name, round(value) if told.whole else value)

    def _choose(self, place: int, row: int) -> None:
        name, told = list(self._told(Choice).items())[place]
        self.chosen.emit(told.label, name, list(told.of)[row])

    def _switch(self, place: int, on: bool) -> None:
        name, told = list(self._told(Switch).items())[place]
        self.chosen.emit(told.label.replace("&", ""), name, on)
