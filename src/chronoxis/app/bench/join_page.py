"""The page *Join*: how the pace carries through the cuts that are selected."""

from collections.abc import Callable
from dataclasses import replace
from fractions import Fraction

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import (
    QButtonGroup,
    QComboBox,
    QGridLayout,
    QHBoxLayout,
    QPushButton,
    QVBoxLayout,
)

from chronoxis.app.bench.camera_words import CameraWords
from chronoxis.app.bench.kept_looks import KeptLooks
from chronoxis.app.bench.number_field import NumberField
from chronoxis.app.bench.page import Page, common, label_for, line
from chronoxis.app.bench.ramp_shapes import ramp_shapes
from chronoxis.app.document.document import Document
from chronoxis.app.measuring.camera_paths import CameraPaths
from chronoxis.app.push_button import choice_chip, push_button, segments_of
from chronoxis.app.text_label import TextLabel
from chronoxis.core.errors import PlanError
from chronoxis.core.model import joining
from chronoxis.core.model.join import CUT, Side, Surge
from chronoxis.core.model.look import KeptLook
from chronoxis.core.model.project import Project
from chronoxis.core.timing.ramps import RampShape
from chronoxis.core.timing.speed import format_exact_speed, format_speed, parse_speed
from chronoxis.core.timing.timecode import format_time, parse_time

_SHAPES = {
    RampShape.EVEN: "The same ratio in every moment",
    RampShape.SMOOTH: "Begins gently and is level at the cut",
    RampShape.EARLY: "Most of the change far from the cut",
    RampShape.LATE: "Most of the change close to the cut",
}


class JoinPage(Page):
    """Shows and changes what stands between shots.

    Signals:
        name_wanted: a name is needed: the question, a name to begin with, what takes it.
        slide_wanted: the cuts should move by so many result frames.
    """

    name_wanted = Signal(str, str, object)
    slide_wanted = Signal(int)

    def __init__(self, document: Document, cameras: CameraPaths) -> None:
        super().__init__(document)
        group = QButtonGroup(self)
        self.plain = choice_chip("Plain &cut", "One shot ends, the next begins", group, self._make_plain)
        self.surge = choice_chip(
            "Sur&ge", "The pace climbs to a peak at the cut and falls from it (U)", group, self._make_surge
        )
        self.everywhere = push_button("O&n every cut", "Make all plain cuts of the result a Surge")
        self.everywhere.clicked.connect(self._make_everywhere)
        self.peak = NumberField("Peak", "The speed exactly at the cut: 60×, 6000%")
        self.peak.setPlaceholderText("no Surge")
        self.peak.editingFinished.connect(self._enter_peak)
        self.lengths: dict[bool, NumberField] = {}
        self.shapes: dict[bool, QComboBox] = {}
        self.linked = push_button("linke&d", "Both sides alike: changing one changes the other")
        self.linked.setCheckable(True)
        self.linked.setProperty("hold", True)
        self.linked.clicked.connect(lambda on: self._set("Link sides", lambda s: _linked(s, on=on)))
        self.uses = TextLabel()
        self.uses.setProperty("dim", True)
        self.uses.setWordWrap(True)
        self.open_beyond = push_button(
            "&Open beyond", "Let the shots reach farther at the cut, so that the runs have all their length"
        )
        self.open_beyond.clicked.connect(self._open_beyond)
        self.camera = CameraWords(document, cameras)
        self.looks = KeptLooks(document, lambda look: look.is_join)
        self.looks.chosen.connect(self._give_look)
        self.looks.keep_wanted.connect(self._keep_look)
        self._lay_out()

    def _lay_out(self) -> None:
        kind, grid, beyond, peak = QHBoxLayout(), QGridLayout(), QHBoxLayout(), QHBoxLayout()
        kind.addWidget(segments_of(self.plain, self.surge))
        kind.addWidget(self.linked)
        kind.addStretch()
        kind.addWidget(self.everywhere)
        grid.setVerticalSpacing(5)
        peak.addWidget(self.peak, 1)
        peak.addSpacing(4)
        self._add_slides(peak)
        grid.addWidget(label_for("Pe&ak", self.peak), 0, 0)
        grid.addLayout(peak, 0, 1, 1, 2)
        for row, (after, text) in enumerate(((False, "Run-&up"), (True, "Run-ou&t")), 1):
            side = "out" if after else "up"
            field = NumberField(f"Run-{side}", "Result seconds, such as 1 or 0:01.5")
            field.setPlaceholderText("no run")
            field.editingFinished.connect(lambda after=after: self._enter_length(after=after))
            tip = "How the change of speed is spread, seen towards the cut"
            shape = ramp_shapes(f"Shape of the run-{side}", tip, _SHAPES)
            shape.activated.connect(lambda _, after=after: self._choose_shape(after=after))
            grid.addWidget(label_for(text, field), row, 0)
            grid.addWidget(field, row, 1)
            grid.addWidget(shape, row, 2)
            self.lengths[after], self.shapes[after] = field, shape
        grid.setColumnStretch(1, 1)
        grid.setColumnStretch(2, 1)
        beyond.addWidget(self.uses, 1)
        beyond.addWidget(self.open_beyond, 0, Qt.AlignmentFlag.AlignTop)
        self.open_beyond.hide()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 4, 0, 0)
        layout.setSpacing(6)
        for row_ in (kind, grid, beyond):
            layout.addLayout(row_)
        for widget in (line(), self.camera, self.looks):
            layout.addWidget(widget)
        layout.addStretch()

    def _add_slides(self, row: QHBoxLayout) -> None:
        row.setSpacing(5)
        label = TextLabel("Cut")
        label.setProperty("dim", True)
        row.addWidget(label)
        self.slides: list[QPushButton] = []
        for text, frames in (("−10", -10), ("−1", -1), ("+1", 1), ("+10", 10)):
            many, way = "frames" if abs(frames) > 1 else "frame", "earlier" if frames < 0 else "later"
            tip = f"Slide the cut {abs(frames)} result {many} {way}; all lasts as long as before"
            button = push_button(text, tip)
            button.setProperty("small", True)
            button.setAccessibleName(tip)
            button.clicked.connect(lambda _, frames=frames: self.slide_wanted.emit(frames))
            row.addWidget(button)
            self.slides.append(button)

    @property
    def _joins(self) -> list[int]:
        return self._document.selection.joins

    @property
    def about(self) -> str:
        """What of the chosen joins cannot be had as wished, and why."""
        project, joins = self._document.project, self._joins
        if not joins:
            return "" if len(project.shots) > 1 else "A join stands between two shots; there is only one yet."
        slower = [j for j in joins if (s := project.shots[j].join.surge) and s.peak < _fastest(project, j)]
        if slower:
            return "The peak lies below the speed of a passage at the cut: the pace falls towards it."
        return ""

    def show_project(self) -> None:
        """Show the joins that are selected."""
        project, joins = self._document.project, self._joins
        self.setEnabled(bool(joins))
        if not joins:
            return
        surges = [project.shots[join].join.surge for join in joins]
        some = [surge for surge in surges if surge is not None]
        self.plain.group().setExclusive(False)
        self.plain.setChecked(not some)
        self.surge.setChecked(len(some) == len(surges))
        self.plain.group().setExclusive(True)
        for widget in (self.peak, self.linked, *self.lengths.values(), *self.shapes.values()):
            widget.setEnabled(bool(some))
        self.peak.show_number(
            common(format_speed(surge.peak) for surge in some) if some else "",
            common(format_exact_speed(surge.peak) for surge in some) if some else "",
        )
        self.linked.setChecked(bool(some) and all(surge.linked for surge in some))
        for after in (False, True):
            sides = [surge.run_out if after else surge.run_up for surge in some]
            self.lengths[after].show_number(
                common(f"{float(side.length):.4g} s" for side in sides) if sides else ""
            )
            shapes = {side.shape for side in sides}
            self.shapes[after].setCurrentIndex(list(_SHAPES).index(shapes.pop()) if len(shapes) == 1 else -1)
        self._show_uses(project, joins)
        self.camera.show_join(joins[0] if len(joins) == 1 else None)
        self.looks.show_project(project.shots[joins[0]].join)

    def _show_uses(self, project: Project, joins: list[int]) -> None:
        join = joins[0]
        lacking = any(_lacks(project, each) for each in joins)
        self.open_beyond.setVisible(lacking)
        self.open_beyond.setEnabled(any(max(joining.room_beyond(project, each)) > 0 for each in joins))
        if len(joins) > 1:
            self.uses.setText(
                f"{len(joins)} joins" + (", some shortened to what there is" if lacking else "")
            )
            return
        before, after = project.shots[join].pace, project.shots[join + 1].pace
        up, out = before.run_lengths[1], after.run_lengths[0]
        if not up and not out:
            self.uses.setText("No run at this cut.")
            return
        end = float(before.result_length)
        first = float(before.recorded_length) - float(before.recorded_at(end - up))
        second = float(after.recorded_at(out))
        text = f"Uses {format_time(first, 1)} before the cut and {format_time(second, 1)} after it."
        if lacking:
            text += f" Shortened to {up:.2f} s and {out:.2f} s: there is no more footage in the shots."
        self.uses.setText(text)

    def _make_plain(self) -> None:
        joins = self._joins
        self._apply("Plain cut", lambda p: joining.drop_surges(p, joins))

    def _make_surge(self) -> None:
        joins = self._joins
        self._apply("Surge", lambda p: joining.make_surges(p, joins))

    def _make_everywhere(self) -> None:
        self._apply("Surge on every cut", lambda p: joining.make_surges(p, range(len(p.shots) - 1)))

    def _open_beyond(self) -> None:
        joins = self._joins

        def opened(project: Project) -> Project:
            for join in joins:
                project = joining.open_beyond(project, join)
            return project

        self._apply("Open beyond", opened)

    def _enter_peak(self) -> None:
        text = self.peak.take_text()
        if text is not None:
            rate = self._document.project.rate
            self._try(lambda: self._set_peak(parse_speed(text, rate)))

    def _set_peak(self, peak: Fraction) -> None:
        self._set("Peak", lambda surge: replace(surge, peak=peak))

    def _enter_length(self, *, after: bool) -> None:
        text = self.lengths[after].take_text()
        if text is not None:
            rate = self._document.project.rate
            self._try(lambda: self._set_side(after=after, length=parse_time(text.removesuffix("s"), rate)))

    def _choose_shape(self, *, after: bool) -> None:
        self._set_side(after=after, shape=RampShape(self.shapes[after].currentData()))

    def _set_side(
        self, *, after: bool, length: Fraction | None = None, shape: RampShape | None = None
    ) -> None:
        def changed(surge: Surge) -> Surge:
            old = surge.run_out if after else surge.run_up
            side = Side(old.length if length is None else length, shape or old.shape)
            return surge.with_side(side, after=after)

        self._set("Run-out" if after else "Run-up", changed)

    def _set(self, label: str, change: Callable[[Surge], Surge]) -> None:
        joins = [j for j in self._joins if self._document.project.shots[j].join.surge is not None]
        self._apply(label, lambda p: joining.set_surges(p, joins, change))

    def _try(self, act: Callable[[], None]) -> None:
        try:
            act()
        except PlanError as error:
            self.show_project()
            self.refused.emit(str(error))

    def _give_look(self, look: KeptLook) -> None:
        joins = self._joins
        self._apply(f"Look {look.name}", lambda p: joining.set_join(p, joins, look.join))

    def _keep_look(self) -> None:
        joins = self._joins
        join = self._document.project.shots[joins[0]].join if joins else CUT
        self.looks.ask(self.name_wanted.emit, join)


def _linked(surge: Surge, *, on: bool) -> Surge:
    return replace(surge, linked=on, run_out=surge.run_up if on else surge.run_out)


def _lacks(project: Project, join: int) -> bool:
    before, after = project.shots[join], project.shots[join + 1]
    return joining.lacks_footage(before, at_end=True) or joining.lacks_footage(after, at_end=False)


def _fastest(project: Project, join: int) -> Fraction:
    return max(project.shots[join].passages[-1].speed, project.shots[join + 1].passages[0].speed)


def joins_in_words(project: Project, joins: list[int]) -> str:
    """Which joins are selected."""
    if not joins:
        return "No join"
    if len(joins) > 1:
        return f"{len(joins)} joins of {len(project.shots) - 1}"
    return f"Join {joins[0] + 1} of {len(project.shots) - 1}, shots {joins[0] + 1} and {joins[0] + 2}"
