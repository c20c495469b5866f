"""The page *Sound*: how recorded sound follows the pace, effects, and the mix of all."""

from collections.abc import Callable
from dataclasses import replace
from fractions import Fraction
from functools import partial
from typing import Any

import numpy as np
import numpy.typing as npt
from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import (
    QButtonGroup,
    QCheckBox,
    QGridLayout,
    QHBoxLayout,
    QPushButton,
    QVBoxLayout,
)

from chronoxis.app.bench.drawn_curve import CURVE_SIZE, curve_icon
from chronoxis.app.bench.gesture_slider import GestureSlider
from chronoxis.app.bench.number_field import NumberField
from chronoxis.app.bench.page import Page, common, heading, label_for, line, numbered
from chronoxis.app.document.document import Document
from chronoxis.app.push_button import choice_chip, push_button, segments_of, switch
from chronoxis.app.text_label import TextLabel
from chronoxis.app.theme.theme import SOUND, font, scaled
from chronoxis.core.errors import PlanError
from chronoxis.core.model import sounding
from chronoxis.core.model.project import Project
from chronoxis.core.model.sound import (
    MAX_LEVEL,
    Effect,
    EffectKind,
    EffectRule,
    Manner,
    parse_level,
    parse_loudness,
)
from chronoxis.core.timing.speed import format_speed, parse_speed
from chronoxis.core.timing.timecode import parse_time

_MANNERS = (
    (Manner.HELD, "Pit&ch held", "At every speed the sound keeps its own pitch"),
    (Manner.FOLLOWS, "Pitch foll&ows", "The pitch rises and falls with the speed, as on tape"),
    (Manner.SILENT, "S&ilent", "No recorded sound here"),
)
_EFFECTS = (
    (EffectKind.RUSH, "Rush", "Noise and a tone that climb and fall with each ramp to a high speed"),
    (EffectKind.BURNER, "Burner", "A gas burner that roars with each ramp to a high speed"),
    (EffectKind.WHIRR, "Whirr", "A tape that spins, in fast and in reversed stretches"),
    (EffectKind.TICK, "Tick", "A tick on each pulse"),
)
_EFFECTS_BESIDE = 2
_LEAST_SHOWN = -40  # dB on the slider

_field = partial(NumberField, wide=66)


class SoundPage(Page):
    """Shows and changes the sound of the selected passages, and of the whole.

    Signals:
        hear_wanted: an effect is to be heard by itself; the effect.
    """

    hear_wanted = Signal(object)

    def __init__(self, document: Document) -> None:
        super().__init__(document)
        self.manners: dict[Manner, QPushButton] = {}
        self.ramp_effects: dict[EffectKind | None, QPushButton] = {}
        self.rules: dict[EffectKind, QCheckBox] = {}
        self.hears: dict[EffectKind, QPushButton] = {}
        self.level = GestureSlider(
            document,
            "Level",
            "How loud the recorded sound is, dB",
            least=_LEAST_SHOWN,
            most=round(MAX_LEVEL),
            page=3,
            choose=self._set_level,
            label="Level",
        )
        self._decibels, self.measured = TextLabel(), TextLabel()
        self.fades = {
            side: _field(f"Fade {side}", f"Result seconds in which the sound fades {side}")
            for side in ("in", "out")
        }
        self.above = _field("Silent above", "The speed above which recorded sound is silent: 4×")
        self.loudness = _field(
            "Loudness", "LUFS that the whole is brought to, such as −14; empty leaves it as loud as it is"
        )
        self.loudness.setPlaceholderText("as it is")
        self.effects_above = _field("Effects from", "The speed from which these effects sound: 4×")
        self.effect_level = _field("Level of effects", "How loud the effects are, dB")
        self.effect_level.setPlaceholderText("none")
        self.colour = GestureSlider(
            document,
            "Colour of effects",
            "Colour of the effects, from dark to bright",
            least=0,
            most=100,
            page=10,
            choose=self._set_colour,
            label="Colour of effects",
        )
        self.effect_level.editingFinished.connect(self._enter_effect_level)
        for side, field in self.fades.items():
            field.editingFinished.connect(partial(self._enter_fade, side))
        self.above.editingFinished.connect(self._enter_above)
        self.loudness.editingFinished.connect(self._enter_loudness)
        self.effects_above.editingFinished.connect(self._enter_effects_above)
        self._lay_out()

    def _lay_out(self) -> None:
        rows = QVBoxLayout(self)
        rows.setContentsMargins(0, 4, 0, 0)
        rows.setSpacing(7)
        rows.addWidget(heading("This passage"))
        chips, group = QHBoxLayout(), QButtonGroup(self)
        chips.setSpacing(6)
        for manner, text, tip in _MANNERS:
            chip = self.manners[manner] = choice_chip(text, tip, group, partial(self._choose, manner))
            chip.setIcon(curve_icon(_wave(manner), SOUND))
            chip.setIconSize(CURVE_SIZE)
        chips.addWidget(segments_of(*self.manners.values()))
        chips.addStretch()
        level = QHBoxLayout()
        level.addWidget(label_for("Level", self.level))
        level.addWidget(self.level, 1)
        level.addWidget(self._decibels)
        self._decibels.setMinimumWidth(scaled(58))
        self._decibels.setAlignment(Qt.AlignmentFlag.AlignRight)
        fades = QHBoxLayout()
        for side, text in (("in", "Fade i&n"), ("out", "ou&t")):
            fades.addWidget(label_for(text, self.fades[side]))
            fades.addWidget(self.fades[side])
        fades.addStretch()
        rows.addLayout(chips)
        rows.addLayout(level)
        rows.addLayout(fades)
        rows.addLayout(self._ramp_row())
        rows.addWidget(line())
        rows.addLayout(self._whole())
        rows.addStretch()

    def _ramp_row(self) -> QHBoxLayout:
        row, group = QHBoxLayout(), QButtonGroup(self)
        row.setSpacing(6)
        title = TextLabel("Ramp out")
        title.setProperty("dim", True)
        row.addWidget(title)
        for kind, text, tip in (
            (None, "as the whole", "What is chosen below for all ramps"),
            (EffectKind.RUSH, "rush", "A rush with this very ramp"),
            (EffectKind.BURNER, "burner", "A burner with this very ramp"),
        ):
            self.ramp_effects[kind] = choice_chip(text, tip, group, partial(self._choose_effect, kind))
        row.addWidget(segments_of(*self.ramp_effects.values()))
        row.addStretch()
        return row

    def _whole(self) -> QGridLayout:
        grid = QGridLayout()
        grid.setVerticalSpacing(6)
        title = TextLabel("The whole result")
        title.setFont(font(9.5, 600))
        grid.addWidget(title, 0, 0, 1, 2)
        self.measured.setProperty("dim", True)
        self.measured.setAlignment(Qt.AlignmentFlag.AlignRight)
        grid.addWidget(self.measured, 0, 2, 1, 2)
        grid.addWidget(label_for("Silent a&bove", self.above), 1, 0)
        grid.addWidget(self.above, 1, 1)
        grid.addWidget(label_for("Lo&udness", self.loudness), 1, 2)
        grid.addWidget(self.loudness, 1, 3)
        grid.addLayout(self._effects(), 2, 0, 1, 4)
        tuning = QHBoxLayout()
        tuning.setSpacing(6)
        for field in (self.effects_above, self.effect_level):
            field.setFixedWidth(scaled(56))
        for text, widget in (
            ("fro&m", self.effects_above),
            ("level", self.effect_level),
            ("colou&r", self.colour),
        ):
            tuning.addWidget(label_for(text, widget))
            tuning.addWidget(widget)
        grid.addLayout(tuning, 3, 0, 1, 4)
        grid.setColumnStretch(1, 1)
        grid.setColumnStretch(3, 1)
        return grid

    def _effects(self) -> QGridLayout:
        """A switch for each effect, and a button that lets it be heard."""
        grid = QGridLayout()
        grid.setHorizontalSpacing(6)
        grid.setVerticalSpacing(3)
        for place, (kind, text, tip) in enumerate(_EFFECTS):
            self.rules[kind] = switch(text, tip, partial(self._toggle_rule, kind))
            hear = self.hears[kind] = push_button("♪", f"Hear {text.lower()} by itself")
            hear.setAccessibleName(f"Hear {text}")
            hear.setProperty("small", True)
            hear.clicked.connect(partial(self._hear, kind))
            row, column = divmod(place, _EFFECTS_BESIDE)
            grid.addWidget(hear, row, 2 * column)
            grid.addWidget(self.rules[kind], row, 2 * column + 1, Qt.AlignmentFlag.AlignLeft)
            grid.setColumnStretch(2 * column + 1, 1)
        return grid

    def _hear(self, kind: EffectKind) -> None:
        rule = self._document.project.mix.rule(kind)
        self.hear_wanted.emit(rule.effect if rule is not None else Effect(kind))

    def show_project(self) -> None:
        """Show the values of the selected passages."""
        project, places = self._document.project, self._places
        self._show_whole(project)
        if not places or not project.shots:
            return
        sounds, _ = numbered([project.passage(place).sound for place in places])
        manners = {sound.manner for sound in sounds}
        for manner, chip in self.manners.items():
            chip.group().setExclusive(len(manners) == 1)
            chip.setChecked(manners == {manner})
        ramped = any(map(project.is_ramped, places))
        kinds = {effect.kind if (effect := project.passage(place).effect) else None for place in places}
        for kind, chip in self.ramp_effects.items():
            chip.group().setExclusive(len(kinds) == 1)
            chip.setChecked(kinds == {kind})
            chip.setEnabled(ramped)
        self.level.show_value(round(sounds[0].level))
        self._decibels.setText(common(f"{sound.level:+.0f} dB" for sound in sounds))
        for side, field in self.fades.items():
            field.show_number(common(f"{float(getattr(sound, f'fade_{side}')):g} s" for sound in sounds))

    def _show_whole(self, project: Project) -> None:
        mix = project.mix
        self.above.show_number(format_speed(mix.silent_above))
        self.loudness.show_number("" if mix.loudness is None else f"{mix.loudness:g}".replace("-", "−"))
        for kind, chip in self.rules.items():
            chip.setChecked(mix.rule(kind) is not None)
        self.effects_above.show_number(
            common(format_speed(rule.above) for rule in mix.rules) if mix.rules else "4×"
        )

        effects = [rule.effect for rule in mix.rules]
        effects += [
            e for place in self._places if project.has(place) and (e := project.passage(place).effect)
        ]
        for widget in (self.effect_level, self.colour):
            widget.setEnabled(bool(effects))
        levels = {f"{effect.level:+.0f} dB" for effect in effects}
        self.effect_level.show_number(levels.pop() if len(levels) == 1 else "–" if levels else "")
        if effects:
            self.colour.show_value(round(100 * effects[0].colour))

    def show_measured(self, lufs: float) -> None:
        """Show how loud the whole is."""
        self.measured.setText(f"measured {lufs:.1f} LUFS".replace("-", "−"))

    @property
    def about(self) -> str:
        """Why nothing is heard of the first selected passage, where that is so."""
        project, place = self._document.project, self._places[0]
        passage, footage = project.passage(place), project.footage_of(project.shots[place.shot])
        facts = self._document.known.facts.get(footage.origin)
        if facts is not None and facts.sound is None:
            return f"{footage.name} has no sound."
        if passage.sound.manner is Manner.SILENT:
            return ""
        speed = passage.speed
        if speed > project.mix.silent_above:
            above = format_speed(project.mix.silent_above)
            return f"At {format_speed(speed)} it is silent: that is above {above}. Ramps fade it in and out."
        if not passage.sound.manner.can_play(speed / footage.scale):
            return f"At {format_speed(speed)} nothing could be told of it; it is silent."
        return ""

    def _choose(self, manner: Manner) -> None:
        self._apply("Sound", lambda p: sounding.set_manner(p, self._places, manner))

    def _choose_effect(self, kind: EffectKind | None) -> None:
        effect = Effect(kind) if kind else None
        self._apply("Effect", lambda p: sounding.set_effect(p, self._places, effect))

    def _set_level(self, level: int) -> None:
        self._apply("Level", lambda p: sounding.set_level(p, self._places, float(level)))

    def _toggle_rule(self, kind: EffectKind, on: bool) -> None:
        mix = self._document.project.mix
        above = mix.rules[0].above if mix.rules else Fraction(4)
        rule = EffectRule(Effect(kind), above) if on else None
        self._apply("Effect", lambda p: sounding.set_mix(p, p.mix.with_rule(kind, rule)))

    def _enter_fade(self, side: str) -> None:
        self._enter(
            self.fades[side],
            "Fade",
            lambda text: parse_time(text.removesuffix("s").strip() or "0"),
            lambda p, seconds: sounding.set_fades(p, self._places, **{f"fade_{side}": seconds}),
        )

    def _enter_above(self) -> None:
        self._enter(
            self.above,
            "Silent above",
            parse_speed,
            lambda p, speed: sounding.set_mix(p, replace(p.mix, silent_above=speed)),
        )

    def _enter_loudness(self) -> None:
        self._enter(
            self.loudness,
            "Loudness",
            lambda text: parse_loudness(text) if text.strip() else None,
            lambda p, lufs: sounding.set_mix(p, replace(p.mix, loudness=lufs)),
        )

    def _set_colour(self, percent: int) -> None:
        self._apply(
            "Colour of effects", lambda p: sounding.tune_effects(p, self._places, colour=percent / 100)
        )

    def _enter_effect_level(self) -> None:
        self._enter(
            self.effect_level,
            "Level of effects",
            parse_level,
            lambda p, level: sounding.tune_effects(p, self._places, level=level),
        )

    def _enter_effects_above(self) -> None:
        def changed(project: Project, speed: Fraction) -> Project:
            rules = tuple(replace(rule, above=speed) for rule in project.mix.rules)
            return sounding.set_mix(project, replace(project.mix, rules=rules))

        self._enter(self.effects_above, "Effects from", parse_speed, changed)

    def _enter(
        self,
        field: NumberField,
        label: str,
        read: Callable[[str], Any],
        edit: Callable[[Project, Any], Project],
    ) -> None:
        text = field.take_text()
        if text is None:
            return
        try:
            value = read(text)
        except PlanError as error:
            self.refused.emit(str(error))
        else:
            self._apply(label, lambda p: edit(p, value))
        self.show_project()


def _wave(manner: Manner) -> npt.NDArray[np.float64]:
    """What becomes of a tone while the speed climbs, 0 to 1."""
    places = np.linspace(0, 1, 60)
    if manner is Manner.SILENT:
        return np.full(len(places), 0.5)
    turns = 2.5 * places if manner is Manner.HELD else 0.5 * places + 2.5 * places**2
    return np.asarray(0.5 + 0.5 * np.sin(2 * np.pi * turns))
