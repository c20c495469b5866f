"""What a look is set by, as its parameters tell: numbers, a choice and a switch."""

from typing import TypeVar

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QComboBox, QGridLayout, QWidget

from chronoxis.app.bench.number_field import NumberField
from chronoxis.app.push_button import switch
from chronoxis.app.text_label import TextLabel
from chronoxis.core.model.accent import Accent
from chronoxis.core.model.parameters import Choice, Number, Switch, parameters_of
from chronoxis.core.timing.exact import parse_exact, shortened

Told = TypeVar("Told", Number, Switch, Choice)

_FIELDS = 4  # numbers of a look that there is room for


class LookForm(QWidget):
    """Shows the parameters of one accent's look.

    Signals:
        chosen: what is called another, its name, and its value.
        refused: an entry means nothing; the text says why.
    """

    chosen = Signal(str, str, object)
    refused = Signal(str)

    def __init__(self) -> None:
        super().__init__()
        self._accent: Accent | None = None
        self.numbers: list[NumberField] = []
        self._labels: list[TextLabel] = []
        for place in range(_FIELDS):
            field, label = NumberField("Measure", "A measure of the look"), TextLabel()
            field.editingFinished.connect(lambda place=place: self._enter(place))
            label.setProperty("dim", True)
            label.setBuddy(field)
            self.numbers.append(field)
            self._labels.append(label)
        self.choice = QComboBox()
        self.choice.setAccessibleName("Choice of the look")
        self.choice.setToolTip("A choice of the look")
        self.choice.activated.connect(self._choose)
        self.switch = switch("on", "A choice of the look", self._switch)
        self._lay_out()

    def show_accent(self, accent: Accent | None) -> None:
        """Show the look of an accent; nothing, where there is none."""
        self._accent = accent
        self._show_numbers()
        self._show_choice()
        self._show_switch()

    def _lay_out(self) -> None:
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 0, 0, 0)
        for place, (label, field) in enumerate(zip(self._labels, self.numbers, strict=True)):
            grid.addWidget(label, place // 2, 2 * (place % 2))
            grid.addWidget(field, place // 2, 2 * (place % 2) + 1)
        grid.addWidget(self.choice, 0, 2, 1, 2)
        grid.addWidget(self.switch, 1, 2, 1, 2)
        grid.setColumnStretch(1, 1)
        grid.setColumnStretch(3, 1)
        self.choice.hide()
        self.switch.hide()

    def _told(self, kind: type[Told]) -> dict[str, Told]:
        """The parameters that are of one kind, by name."""
        told = parameters_of(type(self._accent.look)) if self._accent else {}
        return {name: each for name, each in told.items() if isinstance(each, kind)}

    def _show_numbers(self) -> None:
        numbers = list(self._told(Number).items())
        for place, (label, field) in enumerate(zip(self._labels, self.numbers, strict=True)):
            for widget in (label, field):
                widget.setVisible(place < len(numbers))
            if self._accent is None or place >= len(numbers):
                continue
            name, told = numbers[place]
            value = getattr(self._accent.look, name)
            label.setText(told.label)
            field.setAccessibleName(f"{told.label} of the {self._accent.name}")
            field.setToolTip(f"{told.label}, {told.unit}" if told.unit else told.label)
            field.show_number(
                told.unset if value is None else f"{value * told.shown:.4g} {told.unit}".strip()
            )

    def _show_choice(self) -> None:
        found = next(iter(self._told(Choice).items()), None)
        self.choice.setVisible(found is not None)
        if found is not None and self._accent is not None:
            name, told = found
            self.choice.clear()
            self.choice.addItems([str(each) for each in told.of])
            self.choice.setCurrentIndex(list(told.of).index(getattr(self._accent.look, name)))
            self.choice.setAccessibleName(f"{told.label} of the {self._accent.name}")
            self.choice.setToolTip(told.about)

    def _show_switch(self) -> None:
        found = next(iter(self._told(Switch).items()), None)
        self.switch.setVisible(found is not None)
        if found is not None and self._accent is not None:
            name, told = found
            self.switch.setText(told.label)
            self.switch.setToolTip(told.about)
            self.switch.setChecked(getattr(self._accent.look, name))

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

    def _choose(self, row: int) -> None:
        for name, told in self._told(Choice).items():
            self.chosen.emit(told.label, name, list(told.of)[row])

    def _switch(self, on: bool) -> None:
        for name, told in self._told(Switch).items():
            self.chosen.emit(told.label.replace("&", ""), name, on)
