"""What can be chosen about music: whose it is, where it lies, and its beats."""

from collections.abc import Callable
from dataclasses import replace
from fractions import Fraction
from functools import partial
from typing import Any

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QCheckBox, QGridLayout, QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from chronoxis.app.bench.number_field import NumberField
from chronoxis.app.bench.page import label_for, line
from chronoxis.app.document.document import Document
from chronoxis.app.measuring.sound_traces import SoundTraces
from chronoxis.app.push_button import push_button
from chronoxis.app.text_label import TextLabel
from chronoxis.app.theme.theme import font
from chronoxis.core.errors import PlanError
from chronoxis.core.model import sounding
from chronoxis.core.model.beats import with_factor
from chronoxis.core.model.music import BeatChoices, Music, MusicPiece
from chronoxis.core.model.project import Project
from chronoxis.core.model.sound import parse_level
from chronoxis.core.timing.timecode import format_time, parse_time

_CREDIT = (
    ("title", "&Title", "What the music is called"),
    ("author", "A&uthor", "Who made it"),
    ("licence", "Lice&nce", "Under what terms it may be used, such as CC BY 4.0"),
    ("link", "Lin&k", "Where it comes from"),
)
_PLACES = (
    ("at", "Be&gins", "Result time at which it begins"),
    ("in_point", "F&rom", "Time of the music that plays first"),
    ("out_point", "t&o", "Time of the music at which it ends; empty for all of it"),
    ("level", "Level", "dB: 0 leaves it as it is"),
    ("fade_in", "Fade &in", "Seconds"),
    ("fade_out", "out", "Seconds, before its end or that of the result"),
    ("duck", "&Duck", "dB by which it goes down while recorded sound is heard"),
)
_SHIFT = Fraction(1, 100)


class MusicChoices(QWidget):
    """Shows and changes the choices about one music. Signal ``refused``: an entry means nothing, and why."""

    refused = Signal(str)

    def __init__(self, document: Document, sounds: SoundTraces) -> None:
        super().__init__()
        self._document, self._sounds = document, sounds
        self._music: Music | None = None
        self.credit: dict[str, QLineEdit] = {}
        self.places: dict[str, NumberField] = {}
        self.loops = QCheckBox("&Again to the end")
        self.loops.setToolTip("It begins again and again until the result ends")
        self.loops.clicked.connect(self._set_loops)
        self.take_away = push_button("Take a&way", "Take it away from here; the footage stays")
        self.take_away.clicked.connect(lambda _: self._take_away())
        self.tempo = TextLabel()
        self.tempo.setFont(font(10, 500))
        self.halve = push_button("&½", "Half as many beats")
        self.double = push_button("×&2", "Twice as many beats")
        self.earlier = push_button("◂", "All beats a hundredth of a second earlier")
        self.later = push_button("▸", "All beats a hundredth of a second later")
        self.bar = push_button("&Bar", "Bars begin one beat later")
        self.reset = push_button("As found", "Forget taps, shifts and moved beats")
        self._lay_out()
        for button, change in (
            (self.halve, lambda beats: with_factor(beats, Fraction(1, 2))),
            (self.double, lambda beats: with_factor(beats, Fraction(2))),
            (self.earlier, lambda beats: replace(beats, shift=beats.shift - _SHIFT)),
            (self.later, lambda beats: replace(beats, shift=beats.shift + _SHIFT)),
            (self.bar, lambda beats: replace(beats, first=(beats.first + 1) % 12)),
            (self.reset, lambda _: BeatChoices()),
        ):
            button.clicked.connect(partial(self._change_beats, change))
        sounds.changed.connect(self._show_beats)

    def _lay_out(self) -> None:
        rows = QVBoxLayout(self)
        rows.setContentsMargins(0, 0, 0, 0)
        rows.setSpacing(6)
        credit = QGridLayout()
        credit.setVerticalSpacing(4)
        for number, (name, text, tip) in enumerate(_CREDIT):
            field = QLineEdit()
            field.setToolTip(tip)
            field.setAccessibleName(f"Credit: {name}")
            field.editingFinished.connect(partial(self._enter_credit, name))
            self.credit[name] = field
            column = 2 * (number % 2)
            credit.addWidget(label_for(text, field), number // 2, column)
            credit.addWidget(field, number // 2, column + 1)
        rows.addLayout(credit)
        rows.addWidget(line())
        rows.addLayout(self._places())
        rows.addLayout(self._beats())

    def _places(self) -> QGridLayout:
        grid = QGridLayout()
        grid.setVerticalSpacing(4)
        grid.setHorizontalSpacing(5)
        for number, (name, text, tip) in enumerate(_PLACES):
            entry = NumberField(text.replace("&", ""), tip)
            entry.editingFinished.connect(partial(self._enter_place, name))
            self.places[name] = entry
            grid.addWidget(label_for(text, entry), number // 3, 2 * (number % 3))
            grid.addWidget(entry, number // 3, 2 * (number % 3) + 1)
        grid.addWidget(self.loops, 2, 2, 1, 3)
        grid.addWidget(self.take_away, 2, 5)
        return grid

    def _beats(self) -> QVBoxLayout:
        column, row = QVBoxLayout(), QHBoxLayout()
        row.setSpacing(4)
        for button in (self.halve, self.double, self.earlier, self.later, self.bar, self.reset):
            button.setProperty("small", True)
            row.addWidget(button)
        row.addStretch()
        column.setSpacing(4)
        column.addWidget(self.tempo)
        column.addLayout(row)
        return column

    def show_music(self, music: Music) -> None:
        """Show a music value."""
        self._music = music
        for name, field in self.credit.items():
            if not field.hasFocus():
                field.setText(getattr(music.credit, name))
                field.setCursorPosition(0)
        number = self._number
        for widget in (*self.places.values(), self.loops, self.take_away):
            widget.setEnabled(number is not None)
        if number is not None:
            self._show_piece(self._document.project.music[number])
        self._show_beats()

    def _show_piece(self, piece: MusicPiece) -> None:
        sign = "−" if piece.at < 0 else ""
        texts = {
            "at": sign + format_time(abs(piece.at), 2),
            "in_point": format_time(piece.in_point, 2),
            "out_point": "" if piece.out_point is None else format_time(piece.out_point, 2),
            "level": f"{piece.level:+g} dB",
            "duck": f"{piece.duck:g} dB",
            "fade_in": f"{float(piece.fade_in):g} s",
            "fade_out": f"{float(piece.fade_out):g} s",
        }
        for name, text in texts.items():
            self.places[name].show_number(text)
        self.loops.setChecked(piece.loops)

    def _show_beats(self) -> None:
        music = self._music
        if music is None:
            return
        beats, trace = self._sounds.beats_of(music), self._sounds.trace(music.origin)
        if beats.tempo is not None:
            how = "tapped" if music.beats.taps else "found"
            self.tempo.setText(f"{beats.tempo:.1f} beats a minute, {beats.bar} in a bar ({how})")
        elif music.beats.taps:
            self.tempo.setText(f"{len(music.beats.taps)} tapped; go on with T")
        elif not trace.is_whole:
            self.tempo.setText("listening for beats…")
        else:
            self.tempo.setText("No beat found. Tap along with T while it plays.")
        for button in (self.halve, self.double, self.earlier, self.later, self.bar):
            button.setEnabled(bool(beats.times))
        self.reset.setEnabled(music.beats != BeatChoices())

    @property
    def _number(self) -> int | None:
        """Number of the place where it lies that is chosen."""
        return self._document.selection.music

    def _apply(self, label: str, edit: Callable[[Project], Project]) -> None:
        if not self._document.apply(label, edit) and self._music is not None:
            self.show_music(self._music)

    def _enter_credit(self, name: str) -> None:
        music = self._music
        if music is None:
            return
        text = " ".join(self.credit[name].text().split())[:1000]
        if text != getattr(music.credit, name):
            credit = replace(music.credit, **{name: text})
            self._apply("Credit", lambda p: sounding.set_credit(p, music.key, credit))

    def _enter_place(self, name: str) -> None:
        text, number = self.places[name].take_text(), self._number
        if text is None or number is None:
            return
        try:
            value = _read(name, text)
        except PlanError as error:
            self.refused.emit(str(error))
        else:
            self._apply(
                "Music", lambda p: sounding.set_music(p, number, replace(p.music[number], **{name: value}))
            )
        if self._music is not None:
            self.show_music(self._music)

    def _set_loops(self, on: bool) -> None:
        number = self._number
        if number is not None:
            self._apply("Music", lambda p: sounding.set_music(p, number, replace(p.music[number], loops=on)))

    def _take_away(self) -> None:
        number = self._number
        if number is not None:
            self._apply("Take music away", lambda p: sounding.delete_music(p, number))

    def _change_beats(self, change: Callable[[BeatChoices], BeatChoices]) -> None:
        music = self._music
        if music is not None:
            self._apply("Beats", lambda p: sounding.set_beats(p, music.key, change(music.beats)))


def _read(name: str, text: str) -> Any:
    """The value of an entry. Raises PlanError if it means nothing."""
    cleaned = text.strip().replace("−", "-")
    if name in ("level", "duck"):
        return parse_level(cleaned) if name == "level" else abs(parse_level(cleaned))
    if name == "out_point" and not cleaned:
        return None
    cleaned = cleaned.removesuffix("s").strip()
    if name == "at" and cleaned.startswith("-"):
        return -parse_time(cleaned[1:])
    return parse_time(cleaned) if cleaned.strip("0:.,") else Fraction(0)
