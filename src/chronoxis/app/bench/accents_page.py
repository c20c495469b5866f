"""The page *Accents*: looks that come and go, on passages, shots, joins or the whole result."""

from collections.abc import Callable
from dataclasses import replace
from enum import StrEnum
from functools import partial
from typing import Any

import numpy as np
from PySide6.QtCore import Signal
from PySide6.QtWidgets import QButtonGroup, QHBoxLayout, QVBoxLayout

from chronoxis.app.bench.accent_rows import SAMPLES, AccentRows, Amounts
from chronoxis.app.bench.amount_form import AmountForm
from chronoxis.app.bench.kept_looks import KeptLooks
from chronoxis.app.bench.live_pictures import Choice, LivePictures
from chronoxis.app.bench.page import Page
from chronoxis.app.bench.parameter_form import ParameterForm
from chronoxis.app.bench.picture_chip import PictureChip
from chronoxis.app.document.document import Document
from chronoxis.app.push_button import choice_chip, segments_of
from chronoxis.app.text_label import TextLabel
from chronoxis.core.errors import ChronoxisError
from chronoxis.core.extensions import guarded
from chronoxis.core.footage.reader_pool import Readers
from chronoxis.core.model import joining
from chronoxis.core.model.accent import STEADY, Accent, Amount, ByJoin, Look, MissingLook, looks
from chronoxis.core.model.amounts import Placed, amounts_at, placed_accents
from chronoxis.core.model.join import Join
from chronoxis.core.model.look import KeptLook
from chronoxis.core.model.project import Project

Accents = tuple[Accent, ...]
_PICTURE = 42  # pixels that the picture of an accent is wide at least; grows with the text


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


class AccentsPage(Page):
    """Shows and changes accents, one at a time. Signal ``name_wanted``: text, a name, what takes it."""

    name_wanted = Signal(str, str, object)

    def __init__(self, document: Document, readers: Readers) -> None:
        super().__init__(document)
        self._owner, self._chosen = Owner.SHOT, 0
        group = QButtonGroup(self)
        self.owners = {
            owner: choice_chip(text, tip, group, partial(self.show_owner, owner))
            for owner, text, tip in _OWNERS
        }
        self.adds: dict[type[Look], PictureChip] = {}
        for look in looks():
            self.adds[look] = PictureChip(look.name, look.about, None, partial(self._add, look), _PICTURE)
            self.adds[look].setAccessibleName(f"Add {look.name}")
        self.live = LivePictures(document, readers, self.isVisible, self._with_each)
        self.live.show_on({look.key: chip for look, chip in self.adds.items()})
        self.list = AccentRows(document)
        self.list.chosen.connect(self._choose)
        self.list.turned.connect(self._turn)
        self.list.strength_set.connect(self._set_strength)
        self.list.raised.connect(self._raise)
        self.list.removed.connect(self._remove)
        self.amount = AmountForm(document)
        self.amount.changed.connect(self._set)
        self.look = ParameterForm()
        self.look.chosen.connect(lambda label, name, value: self._set_look(label, **{name: value}))
        for form in (self.amount, self.look):
            form.refused.connect(self.refused)
        self.looks = KeptLooks(document, lambda look: self._owner is Owner.JOIN or not look.is_join)
        self.looks.chosen.connect(self._give_look)
        self.looks.keep_wanted.connect(
            lambda: self.looks.ask(self.name_wanted.emit, Join(self._surge(), self.accents))
        )
        self._lay_out()

    def _lay_out(self) -> None:
        owners, adds, on = QHBoxLayout(), QHBoxLayout(), TextLabel("On")
        on.setProperty("dim", True)
        owners.addWidget(on)
        owners.addWidget(segments_of(*self.owners.values()))
        owners.addStretch()
        adds.setSpacing(4)
        add = TextLabel("Add")
        add.setProperty("dim", True)
        add.setToolTip("Each accent as it would look now, at full")
        adds.addWidget(add)
        for chip in self.adds.values():
            adds.addWidget(chip, 1)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 4, 0, 0)
        layout.setSpacing(4)
        layout.addLayout(owners)
        layout.addWidget(self.list)
        layout.addWidget(self.amount)
        layout.addWidget(self.look)
        layout.addLayout(adds)
        layout.addStretch()
        layout.addWidget(self.looks)

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
        """The accent that is chosen in the list."""
        accents = self.accents
        return accents[min(self._chosen, len(accents) - 1)] if accents else None

    @property
    def about(self) -> str:
        """What a person should know of the chosen accent."""
        accent = self.accent
        if accent is not None and isinstance(accent.look, MissingLook):
            return f"{accent.look.key} comes from a package that is not here: it shows nothing until it is."
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
        self.live.look_again()
        accents, accent = self.accents, self.accent
        self._chosen = min(self._chosen, max(0, len(accents) - 1))
        self.list.show_accents(accents, self._chosen, self._amounts())
        self.amount.show_accent(accent)
        self.look.show_value(accent.look if accent else None, accent.name if accent else "")
        self.looks.show_project(Join(self._surge(), accents))

    def _surge(self) -> Any:
        joins = self._document.selection.joins
        if self._owner is not Owner.JOIN or not joins:
            return None
        return self._document.project.shots[joins[0]].join.surge

    def _amounts(self) -> Callable[[Accent], Amounts]:
        """What gives how much there is of an accent over what it is on, 0 to 1 at its own full amount."""
        project = self._document.project
        first = float(project.starts[self._places[0].shot]) if self._places else 0.0
        placed: dict[int, Placed] = {}
        for each in placed_accents(project):
            if each.end > first:
                placed.setdefault(id(each.accent), each)

        def amounts(accent: Accent) -> Amounts:
            each = replace(placed[id(accent)], accent=replace(accent, strength=1.0, on=True))
            return amounts_at(project, each, np.linspace(each.begin, each.end, SAMPLES, endpoint=False))

        return amounts

    def _choose(self, number: int) -> None:
        self._chosen = number
        self.show_project()
        self.noted.emit()

    def _with_each(self, project: Project) -> list[Choice]:
        """The shot at the playhead with each look on it at full."""
        number = project.shot_at(self._document.playhead)
        return [Choice(look.key, partial(_with_look, number=number, look=look)) for look in looks()]

    def _add(self, look: type[Look]) -> None:
        amount: Amount = ByJoin() if self._owner is Owner.JOIN and look.follows_joins else STEADY
        taken = len(self.accents)
        if self._change(f"Add {look.name}", lambda old: (*old, Accent(look(), amount, seed=len(old) + 1))):
            self._chosen = taken
            self.show_project()

    def _turn(self, number: int, on: bool) -> None:
        self._set_one(number, "Show accent" if on else "Hide accent", lambda a: replace(a, on=on))

    def _set_strength(self, number: int, strength: float) -> None:
        self._set_one(number, "Amount", lambda a: replace(a, strength=strength))

    def _remove(self, number: int) -> None:
        self._change("Remove accent", lambda old: old[:number] + old[number + 1 :])

    def _raise(self, chosen: int) -> None:
        def raised(old: Accents) -> Accents:
            if not 0 < chosen < len(old):
                return old
            return (*old[: chosen - 1], old[chosen], old[chosen - 1], *old[chosen + 1 :])

        if self._change("Order of accents", raised):
            self._choose(max(0, chosen - 1))

    def _set_look(self, label: str, **choice: object) -> None:
        accent = self.accent
        if accent is None:
            return
        try:
            look = guarded(accent.look.key, lambda: replace(accent.look, **choice))
        except ChronoxisError as error:
            self.show_project()
            self.refused.emit(str(error))
            return
        kind = type(accent.look)
        self._set(label, lambda a: replace(a, look=look) if isinstance(a.look, kind) else a)

    def _set(self, label: str, change: Callable[[Accent], Accent]) -> None:
        """Change the chosen accent of all that is selected."""
        self._set_one(self._chosen, label, change)

    def _set_one(self, number: int, label: str, change: Callable[[Accent], Accent]) -> None:
        """Change an accent, by its place, of all that is selected."""
        self._change(
            label, lambda old: (*old[:number], *map(change, old[number : number + 1]), *old[number + 1 :])
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


def _with_look(project: Project, number: int, look: type[Look]) -> Project:
    return joining.set_accents(project, lambda old: (*old, Accent(look(), STEADY)), shots=[number])


def _given(project: Project, joins: list[int], join: Join) -> Project:
    """Joins with a look: its Surge as well, if it has one."""
    if join.surge is not None:
        return joining.set_join(project, joins, join)
    return joining.set_accents(project, lambda _: join.accents, joins=joins)
