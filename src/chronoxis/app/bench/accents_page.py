"""The page *Accents*: looks that come and go, on passages, shots, joins or the whole result."""

from collections.abc import Callable
from dataclasses import replace
from enum import StrEnum
from fractions import Fraction
from functools import partial
from typing import Any, TypeVar

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import (
    QButtonGroup,
    QComboBox,
    QGridLayout,
    QHBoxLayout,
    QPushButton,
    QVBoxLayout,
)

from chronoxis.app.bench.amount_curve import AmountCurve
from chronoxis.app.bench.gesture_slider import GestureSlider
from chronoxis.app.bench.kept_looks import KeptLooks
from chronoxis.app.bench.number_field import NumberField
from chronoxis.app.bench.page import Page, label_for
from chronoxis.app.document.document import Document
from chronoxis.app.push_button import choice_chip, push_button
from chronoxis.app.text_label import TextLabel
from chronoxis.app.theme.theme import scaled
from chronoxis.core.errors import PlanError
from chronoxis.core.model import joining
from chronoxis.core.model.accent import (
    LOOKS,
    MOST_STRENGTH,
    STEADY,
    Accent,
    Amount,
    ByJoin,
    ByPoints,
    BySpeed,
    Look,
    Response,
)
from chronoxis.core.model.join import Join
from chronoxis.core.model.look import KeptLook
from chronoxis.core.model.parameters import Choice, Number, Switch, parameters_of
from chronoxis.core.model.project import Project
from chronoxis.core.timing.exact import parse_exact, shortened
from chronoxis.core.timing.speed import format_exact_speed, format_speed, parse_speed

Accents = tuple[Accent, ...]
Told = TypeVar("Told", Number, Switch, Choice)


class Owner(StrEnum):
    """What accents are on."""

    PASSAGE = "passage"
    SHOT = "shot"
    JOIN = "join"
    WHOLE = "whole"


_OWNERS = (
    (Owner.PASSAGE, "Passa&ge", "On the selected passages"),
    (Owner.SHOT, "Sho&t", "On all of the selected shots"),
    (Owner.JOIN, "Jo&in", "On the join at the selected shots: from the run-up to the run-out"),
    (Owner.WHOLE, "&Whole", "On the whole result"),
)
_FIELDS = 4  # numbers of a look that there is room for


class AccentsPage(Page):
    """Shows and changes accents, one at a time. Signal ``name_wanted``: text, a name, what takes it."""

    name_wanted = Signal(str, str, object)

    def __init__(self, document: Document) -> None:
        super().__init__(document)
        self._owner, self._chosen = Owner.SHOT, 0
        group = QButtonGroup(self)
        self.owners = {
            owner: choice_chip(text, tip, group, partial(self.show_owner, owner))
            for owner, text, tip in _OWNERS
        }
        self.add = QComboBox()
        self.add.setAccessibleName("Add an accent")
        self.add.setToolTip("Put another accent on top of those that are there")
        self.add.setFixedWidth(scaled(76))
        self.add.view().setMinimumWidth(scaled(130))
        self.add.addItem("add…")
        for number, look in enumerate(LOOKS, 1):
            self.add.addItem(look.name, look)
            self.add.setItemData(number, look.about, Qt.ItemDataRole.ToolTipRole)
        self.add.activated.connect(self._add)
        self.chooser = QComboBox()
        self.chooser.setAccessibleName("Accents that are here")
        self.chooser.setToolTip("Choose an accent to change it; they are laid on in this order")
        self.chooser.activated.connect(self._choose)
        self.earlier = push_button("↑", "Lay the chosen accent on earlier")
        self.earlier.setAccessibleName("Lay the chosen accent on earlier")
        self.earlier.clicked.connect(self._raise)
        self.remove = push_button("Re&move", "Take the chosen accent away")
        self.remove.clicked.connect(self._remove)
        self.strength = GestureSlider(
            document,
            "Amount at most",
            "How much of the accent there is where it is full",
            least=0,
            most=round(MOST_STRENGTH * 100),
            page=10,
            choose=lambda share: self._set("Amount", lambda a: replace(a, strength=share / 100)),
            label="Amount",
        )
        self._share = TextLabel()
        self._share.setMinimumWidth(scaled(40))
        self._follow_group = QButtonGroup(self)
        self.follows: dict[type, QPushButton] = {
            kind: choice_chip(text, tip, self._follow_group, partial(self._follow, kind))
            for kind, text, tip in (
                (BySpeed, "Spee&d", "None at one speed, full at another"),
                (
                    ByJoin,
                    "Joi&ns",
                    "None where a run-up begins, full at the cut, none after the run-out",
                ),
                (ByPoints, "Own &curve", "A curve of its own"),
            )
        }
        self.none_at = self._speed_field("None at", "The speed at which there is nothing of it")
        self.full_at = self._speed_field("Full at", "The speed at which it is full")
        self.response = QComboBox()
        self.response.setAccessibleName("Response")
        self.response.setToolTip("How the amount grows with what it follows")
        self.response.addItems([str(each) for each in Response])
        self.response.activated.connect(self._choose_response)
        self.curve = AmountCurve()
        self.curve.begun.connect(lambda: document.begin_gesture("Amount curve"))
        self.curve.changed.connect(self._set_curve)
        self.curve.ended.connect(document.end_gesture)
        self._add_measures()
        self.looks = KeptLooks(document, lambda look: self._owner is Owner.JOIN or not look.is_join)
        self.looks.chosen.connect(self._give_look)
        self.looks.keep_wanted.connect(
            lambda: self.looks.ask(self.name_wanted.emit, Join(self._surge(), self.accents))
        )
        self._lay_out()

    def _add_measures(self) -> None:
        self.measures: list[NumberField] = []
        self._measure_labels: list[TextLabel] = []
        for place in range(_FIELDS):
            field = NumberField("Measure", "A measure of the look")
            field.editingFinished.connect(lambda place=place: self._enter_measure(place))
            label = TextLabel()
            label.setProperty("dim", True)
            label.setBuddy(field)
            self.measures.append(field)
            self._measure_labels.append(label)
        self.choice = QComboBox()
        self.choice.setAccessibleName("Choice of the look")
        self.choice.setToolTip("A choice of the look")
        self.choice.activated.connect(self._choose_one)
        self.switch = push_button("on", "A choice of the look")
        self.switch.setCheckable(True)
        self.switch.setProperty("choice", True)
        self.switch.clicked.connect(self._switch)

    def _lay_out(self) -> None:
        owners, follow, grid = QHBoxLayout(), QHBoxLayout(), QGridLayout()
        on, follows = TextLabel("On"), TextLabel("Follows")
        for label in (on, follows):
            label.setProperty("dim", True)
        owners.addWidget(on)
        for chip in self.owners.values():
            owners.addWidget(chip)
        owners.addStretch()
        row = QHBoxLayout()
        row.addWidget(self.chooser, 1)
        row.addWidget(self.add)
        row.addWidget(self.earlier)
        row.addWidget(self.remove)
        amount = QHBoxLayout()
        amount.addWidget(label_for("Am&ount", self.strength))
        amount.addWidget(self.strength, 1)
        amount.addWidget(self._share)
        follow.addWidget(follows)
        for chip in self.follows.values():
            follow.addWidget(chip)
        follow.addStretch()
        follow.addWidget(self.response)
        speeds = QHBoxLayout()
        self._speed_labels = [label_for("none &at", self.none_at), label_for("f&ull at", self.full_at)]
        for label, field in zip(self._speed_labels, (self.none_at, self.full_at), strict=True):
            speeds.addWidget(label)
            speeds.addWidget(field, 1)
        for place, (label, field) in enumerate(zip(self._measure_labels, self.measures, strict=True)):
            grid.addWidget(label, place // 2, 2 * (place % 2))
            grid.addWidget(field, place // 2, 2 * (place % 2) + 1)
        grid.addWidget(self.choice, 0, 2, 1, 2)
        grid.addWidget(self.switch, 1, 2, 1, 2)
        grid.setColumnStretch(1, 1)
        grid.setColumnStretch(3, 1)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 4, 0, 0)
        layout.setSpacing(5)
        for part in (owners, row):
            layout.addLayout(part)
        for part in (amount, follow, speeds):
            layout.addLayout(part)
        layout.addWidget(self.curve)
        layout.addLayout(grid)
        layout.addStretch()
        layout.addWidget(self.looks)
        for widget in (self.curve, self.none_at, self.full_at, *self._speed_labels, self.choice, self.switch):
            widget.hide()

    def _speed_field(self, name: str, tip: str) -> NumberField:
        field = NumberField(name, tip)
        field.editingFinished.connect(self._enter_speeds)
        return field

    @property
    def accents(self) -> Accents:
        """Those that are shown: of the first of what is selected."""
        project, places = self._document.project, self._places
        match self._owner:
            case Owner.WHOLE:
                return project.accents
            case Owner.JOIN:
                joins = self._document.selection.joins
                return project.shots[joins[0]].join.accents if joins else ()
            case Owner.SHOT:
                return project.shots[places[0].shot].accents if places else ()
            case Owner.PASSAGE:
                return project.passage(places[0]).accents if places else ()

    @property
    def accent(self) -> Accent | None:
        """The chosen one."""
        accents = self.accents
        return accents[min(self._chosen, len(accents) - 1)] if accents else None

    @property
    def about(self) -> str:
        """What a person should know of the chosen accent."""
        accent = self.accent
        if accent is not None and (caution := accent.look.caution(accent.strength)):
            return caution
        if self._owner is Owner.JOIN and not self._document.selection.joins:
            return "A join stands between two shots; there is only one yet."
        return ""

    def show_owner(self, owner: Owner) -> None:
        """Show the accents of another owner."""
        self._owner, self._chosen = owner, 0
        self.show_project()
        self.noted.emit()

    def show_project(self) -> None:
        """Show the accents of what is selected."""
        if not self._document.project.shots:
            return
        self.owners[self._owner].setChecked(True)
        self.owners[Owner.JOIN].setEnabled(bool(self._document.selection.joins))
        if self._owner is Owner.JOIN and not self._document.selection.joins:
            self._owner = Owner.SHOT
            self.owners[Owner.SHOT].setChecked(True)
        accents, accent = self.accents, self.accent
        self._chosen = min(self._chosen, max(0, len(accents) - 1))
        self._show_chooser(accents)
        self.earlier.setEnabled(self._chosen > 0)
        self.remove.setEnabled(accent is not None)
        for widget in (self.strength, *self.follows.values(), self.response):
            widget.setEnabled(accent is not None)
        self._show_amount(accent)
        self._show_measures(accent)
        self.looks.show_project(Join(self._surge(), accents))

    def _surge(self) -> Any:
        joins = self._document.selection.joins
        if self._owner is not Owner.JOIN or not joins:
            return None
        return self._document.project.shots[joins[0]].join.surge

    def _show_chooser(self, accents: Accents) -> None:
        self.chooser.clear()
        for number, accent in enumerate(accents, 1):
            self.chooser.addItem(f"{number} · {accent.name}")
        if not accents:
            self.chooser.addItem("none yet: add one")
        self.chooser.setEnabled(bool(accents))
        self.chooser.setCurrentIndex(self._chosen if accents else 0)

    def _show_amount(self, accent: Accent | None) -> None:
        amount = accent.amount if accent else None
        self.strength.show_value(round(100 * accent.strength) if accent else 0)
        self._share.setText(f"{accent.strength:.0%}" if accent else "")
        self._follow_group.setExclusive(False)
        for kind, chip in self.follows.items():
            chip.setChecked(isinstance(amount, kind))
        self._follow_group.setExclusive(True)
        by_speed = isinstance(amount, BySpeed)
        for widget in (*self._speed_labels, self.none_at, self.full_at):
            widget.setVisible(by_speed)
        if isinstance(amount, BySpeed):
            self.none_at.show_number(format_speed(amount.none_at), format_exact_speed(amount.none_at))
            self.full_at.show_number(format_speed(amount.full_at), format_exact_speed(amount.full_at))
        self.curve.setVisible(isinstance(amount, ByPoints))
        if isinstance(amount, ByPoints):
            self.curve.show_curve(amount)
        self.response.setVisible(isinstance(amount, BySpeed | ByJoin))
        if isinstance(amount, BySpeed | ByJoin):
            self.response.setCurrentIndex(list(Response).index(amount.response))

    def _show_measures(self, accent: Accent | None) -> None:
        numbers = _told(accent, Number)
        names = list(numbers)
        for place, (label, field) in enumerate(zip(self._measure_labels, self.measures, strict=True)):
            for widget in (label, field):
                widget.setVisible(place < len(names))
            if accent is None or place >= len(names):
                continue
            told, value = numbers[names[place]], getattr(accent.look, names[place])
            label.setText(told.label)
            field.setAccessibleName(f"{told.label} of the {accent.name}")
            field.setToolTip(f"{told.label}, {told.unit}" if told.unit else told.label)
            shown = told.unset if value is None else f"{value * told.shown:.4g} {told.unit}".strip()
            field.show_number(shown)
        self._show_choice(accent)
        self._show_switch(accent)

    def _show_choice(self, accent: Accent | None) -> None:
        found = next(iter(_told(accent, Choice).items()), None)
        self.choice.setVisible(found is not None)
        if found is not None and accent is not None:
            name, told = found
            self.choice.clear()
            self.choice.addItems([str(each) for each in told.of])
            self.choice.setCurrentIndex(list(told.of).index(getattr(accent.look, name)))
            self.choice.setAccessibleName(f"{told.label} of the {accent.name}")
            self.choice.setToolTip(told.about)

    def _show_switch(self, accent: Accent | None) -> None:
        found = next(iter(_told(accent, Switch).items()), None)
        self.switch.setVisible(found is not None)
        if found is not None and accent is not None:
            name, told = found
            self.switch.setText(told.label)
            self.switch.setToolTip(told.about)
            self.switch.setChecked(getattr(accent.look, name))

    def _choose(self, number: int) -> None:
        self._chosen = number
        self.show_project()
        self.noted.emit()

    def _add(self, row: int) -> None:
        self.add.setCurrentIndex(0)
        if row == 0:
            return
        look: type[Look] = self.add.itemData(row)
        amount: Amount = ByJoin() if self._owner is Owner.JOIN and look.follows_joins else STEADY
        taken = len(self.accents)
        if self._change(f"Add {look.name}", lambda old: (*old, Accent(look(), amount, seed=len(old) + 1))):
            self._chosen = taken
            self.show_project()

    def _remove(self) -> None:
        chosen = self._chosen
        self._change("Remove accent", lambda old: old[:chosen] + old[chosen + 1 :])

    def _raise(self) -> None:
        chosen = self._chosen

        def raised(old: Accents) -> Accents:
            if not 0 < chosen < len(old):
                return old
            return (*old[: chosen - 1], old[chosen], old[chosen - 1], *old[chosen + 1 :])

        if self._change("Order of accents", raised):
            self._choose(max(0, chosen - 1))

    def _follow(self, kind: type) -> None:
        accent = self.accent
        if accent is None or isinstance(accent.amount, kind):
            self.show_project()
            return
        speeds = self._document.project.rows.speeds
        slow, fast = Fraction(f"{speeds.min():.3g}"), Fraction(f"{speeds.max():.3g}")
        amount: Amount = STEADY
        if kind is BySpeed:
            amount = BySpeed(slow, fast if fast > slow else slow * 8)
        elif kind is ByJoin:
            amount = ByJoin()
        self._set("Amount follows", lambda a: replace(a, amount=amount))

    def _set_curve(self, curve: ByPoints) -> None:
        self._set("Amount curve", lambda accent: replace(accent, amount=curve))

    def _choose_response(self, row: int) -> None:
        response = list(Response)[row]

        def changed(accent: Accent) -> Accent:
            if isinstance(accent.amount, BySpeed | ByJoin):
                return replace(accent, amount=replace(accent.amount, response=response))
            return accent

        self._set("Response", changed)

    def _enter_speeds(self) -> None:
        accent = self.accent
        texts = self.none_at.take_text(), self.full_at.take_text()
        if accent is None or not isinstance(accent.amount, BySpeed) or texts == (None, None):
            return
        old = accent.amount
        try:
            none_at, full_at = (
                before if text is None else parse_speed(text)
                for text, before in zip(texts, (old.none_at, old.full_at), strict=True)
            )
            amount = replace(old, none_at=none_at, full_at=full_at)
        except PlanError as error:
            self._refuse(str(error))
            return
        self._set("Amount follows", lambda a: replace(a, amount=amount))

    def _enter_measure(self, place: int) -> None:
        text, accent = self.measures[place].take_text(), self.accent
        if text is None or accent is None:
            return
        name, told = list(_told(accent, Number).items())[place]
        cleaned = text.strip().lower().removesuffix(told.unit).removesuffix("%").removesuffix("°").strip()
        try:
            if told.unset and cleaned in ("", "auto", told.unset):
                value: float | None = None
            else:
                value = float(parse_exact(cleaned)) / told.shown
            self._set_look(told.label, **{name: round(value) if told.whole and value else value})
        except (ValueError, ZeroDivisionError):
            self._refuse(f"“{shortened(text)}” is not a number.")
        except PlanError as error:
            self._refuse(str(error))

    def _choose_one(self, row: int) -> None:
        for name, told in _told(self.accent, Choice).items():
            self._set_look(told.label, **{name: list(told.of)[row]})

    def _switch(self, on: bool) -> None:
        for name, told in _told(self.accent, Switch).items():
            self._set_look(told.label.replace("&", ""), **{name: on})

    def _refuse(self, text: str) -> None:
        self.show_project()
        self.refused.emit(text)

    def _set_look(self, label: str, **choice: object) -> None:
        accent = self.accent
        if accent is not None:
            look = replace(accent.look, **choice)
            kind = type(accent.look)
            self._set(label, lambda a: replace(a, look=look) if isinstance(a.look, kind) else a)

    def _set(self, label: str, change: Callable[[Accent], Accent]) -> None:
        """Change the chosen accent of all that is selected."""
        chosen = self._chosen
        self._change(
            label, lambda old: (*old[:chosen], *map(change, old[chosen : chosen + 1]), *old[chosen + 1 :])
        )

    def _give_look(self, look: KeptLook) -> None:
        if self._owner is Owner.JOIN:
            joins = self._document.selection.joins
            join = look.join
            self._apply(f"Look {look.name}", lambda p: _given(p, joins, join))
        else:
            self._change(f"Look {look.name}", lambda _: look.join.accents)

    def _change(self, label: str, change: Callable[[Accents], Accents]) -> bool:
        document, places = self._document, self._places
        owned: dict[Owner, dict[str, Any]] = {
            Owner.PASSAGE: {"places": places},
            Owner.SHOT: {"shots": document.selection.shots},
            Owner.JOIN: {"joins": document.selection.joins},
            Owner.WHOLE: {"whole": True},
        }
        on = owned[self._owner]
        done = document.apply(label, lambda p: joining.set_accents(p, change, **on))
        if not done:
            self.show_project()
        return done


def _told(accent: Accent | None, kind: type[Told]) -> dict[str, Told]:
    """The parameters of an accent's look that are of one kind, by name."""
    told = parameters_of(type(accent.look)) if accent else {}
    return {name: each for name, each in told.items() if isinstance(each, kind)}


def _given(project: Project, joins: list[int], join: Join) -> Project:
    """Joins with a look: its Surge as well, if it has one."""
    if join.surge is not None:
        return joining.set_join(project, joins, join)
    return joining.set_accents(project, lambda _: join.accents, joins=joins)
