"""The page *Picture*: which part of its pictures a shot shows."""

from collections.abc import Callable
from dataclasses import replace
from fractions import Fraction
from functools import partial

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QButtonGroup, QHBoxLayout, QPushButton, QVBoxLayout

from chronoxis.app.bench.number_field import NumberField
from chronoxis.app.bench.page import Page, heading, label_for
from chronoxis.app.bench.picture_chip import ShapeChip
from chronoxis.app.bench.steady_choices import SteadyChoices
from chronoxis.app.document.document import Document
from chronoxis.app.measuring.camera_paths import CameraPaths
from chronoxis.app.pictures.framing_marks import FramingMarks, step_name
from chronoxis.app.push_button import choice_chip, push_button, segments_of
from chronoxis.app.text_label import TextLabel
from chronoxis.core.errors import PlanError
from chronoxis.core.footage.reader_pool import Readers
from chronoxis.core.model.composing import set_framings, shape_shots
from chronoxis.core.model.export_format import Size
from chronoxis.core.model.framing import SHAPES, Easing, Fit, Framing, FramingStep, View, parse_shape
from chronoxis.core.model.project import Project
from chronoxis.core.picture.views import enlargement

_FITS = (
    (Fit.FILL, "F&ill", "Fill the result; what is too much is left out at the sides"),
    (Fit.BARS, "&Bars", "Show all of it, between bars"),
)
_EASINGS = (
    (Easing.GENTLE, "&Gentle", "Views begin and end their moves gently"),
    (Easing.EVEN, "Eve&n", "Views move at one speed"),
)
_AS_IT_IS = "As it is"
_TOLD_ENLARGEMENT = 1.005  # times from which on an enlargement is told
_MOST_SHAPE_SIDE = 25  # the greatest height in such words
_CLOSER_SHARE = Fraction(4, 5)  # of the first view, where a move ends at first


class PicturePage(Page):
    """Shows and changes the framing of the selected shots. Signal ``draw_wanted``: to draw on a picture."""

    draw_wanted = Signal()

    def __init__(self, document: Document, cameras: CameraPaths, readers: Readers) -> None:
        super().__init__(document)
        self.steady = SteadyChoices(document, cameras, readers)
        self.marks = FramingMarks(document)
        self.shapes: dict[str, ShapeChip] = {}
        self.fits: dict[Fit, QPushButton] = {}
        self.easings: dict[Easing, QPushButton] = {}
        self.steps: list[QPushButton] = []
        self.shape = NumberField("Another shape", "Width by height of what the shot shows: 16:9, 2.39:1", 70)
        self.shape.editingFinished.connect(self._enter_shape)
        self.draw = push_button("&Draw it", "Show the recorded picture large, to drag the view on it")
        self.draw.clicked.connect(self.draw_wanted)
        self.let_move = push_button("Let it &move", "Begin with this view and end with a closer one")
        self.let_move.clicked.connect(self._let_move)
        self.add = push_button("&Add a step here", "Hold the view that is shown at the playhead")
        self.add.clicked.connect(self._add_step)
        self.still = push_button("&Keep it still", "Show the view at the playhead throughout")
        self.still.clicked.connect(self._keep_still)
        self._part, self._enlarged = TextLabel(), TextLabel()
        for label in (self._part, self._enlarged):
            label.setProperty("dim", True)
        self._enlarged.setWordWrap(True)
        self._shown: Framing | None = None
        self._lay_out()
        self._show_moving(moves=False)
        document.playhead_moved.connect(lambda _: self._show_steps())

    def _lay_out(self) -> None:
        shapes, fits, moves, deeds = (QHBoxLayout() for _ in range(4))
        self._step_row = QHBoxLayout()
        for row in (shapes, fits, moves, deeds, self._step_row):
            row.setSpacing(5)
        group = QButtonGroup(self)
        for name in (_AS_IT_IS, *SHAPES):
            tip = "Show all of the picture" if name == _AS_IT_IS else f"Crop the whole shot to {name}"
            self.shapes[name] = ShapeChip(name, tip, group, partial(self._choose_shape, name))
            self.shapes[name].setAccessibleName(f"Crop: {name}")
            shapes.addWidget(self.shapes[name], 1)
            if name != _AS_IT_IS:
                self.shapes[name].show_shape(float(parse_shape(name)))
        fit_label, self._moves_label = TextLabel("Where shapes differ"), TextLabel("Moves")
        for label in (fit_label, self._moves_label):
            label.setProperty("dim", True)
        fits.addWidget(fit_label)
        group = QButtonGroup(self)
        for fit, text, tip in _FITS:
            self.fits[fit] = choice_chip(text, tip, group, partial(self._set_fit, fit))
        fits.addWidget(segments_of(*self.fits.values()))
        fits.addStretch()
        fits.addWidget(label_for("ano&ther", self.shape))
        fits.addWidget(self.shape)
        for button in (self.draw, self.let_move, self.add, self.still):
            button.setProperty("small", True)
            deeds.addWidget(button)
        moves.addWidget(self._moves_label)
        group = QButtonGroup(self)
        for easing, text, tip in _EASINGS:
            self.easings[easing] = choice_chip(text, tip, group, partial(self._set_easing, easing))
        self._easing_control = segments_of(*self.easings.values())
        moves.addWidget(self._easing_control)
        moves.addSpacing(10)
        moves.addLayout(self._step_row)
        rows = QVBoxLayout(self)
        rows.setContentsMargins(0, 2, 0, 0)
        rows.setSpacing(4)
        for row in (deeds, moves):
            row.addStretch()
        rows.addWidget(heading("Crop", self._part))
        for row in (shapes, fits, deeds, moves):
            rows.addLayout(row)
        rows.addWidget(self._enlarged)
        rows.addWidget(heading("Steady"))
        rows.addWidget(self.steady)
        rows.addStretch()

    def show_project(self) -> None:
        """Show the framing of the selected shots."""
        sizes = self._sizes()
        if not sizes:
            return
        framings = [self._document.project.shots[number].framing for number in sizes]
        first, size = framings[0], sizes[min(sizes)]
        shape = first.steps[0].view.shape if first.steps else None
        self.shapes[_AS_IT_IS].show_shape(size[0] / size[1])
        for name, chip in self.shapes.items():
            own = (
                shape is None if name == _AS_IT_IS else shape is not None and _same(shape, parse_shape(name))
            )
            chip.group().setExclusive(own)
            chip.setChecked(own)
        self.shape.show_number(_shape_words(shape or Fraction(size[0], size[1])))
        self.fits[first.fit].setChecked(True)
        self.easings[first.easing].setChecked(True)
        self._show_moving(moves=len(first.steps) > 1)
        self._shown = first
        self.steady.show_project()
        self._part.setText(_part_shown(first, size))
        enlarged = self._enlargement(min(sizes))
        self._enlarged.setText(enlarged)
        self._enlarged.setVisible(bool(enlarged))
        self._show_steps()

    def _show_moving(self, *, moves: bool) -> None:
        """Show what can be done with a view that moves, or with one that does not."""
        self.let_move.setVisible(not moves)
        for widget in (self.add, self.still, self._moves_label, self._easing_control):
            widget.setVisible(moves)

    def _show_steps(self) -> None:
        framing = self._shown
        if framing is None or not self.isVisible():
            return
        names = []
        if len(framing.steps) > 1 and self._document.selection.shots:
            number = self._document.selection.shots[0]
            length = self._document.project.shots[number].pace.result_length
            names = [step_name(framing, place, Fraction(length)) for place in range(len(framing.steps))]
        if [button.text() for button in self.steps] != names:
            for button in self.steps:
                self._step_row.removeWidget(button)
                button.hide()
                button.deleteLater()
            self.steps = []
            for place, name in enumerate(names):
                button = push_button(name, "Go to where this view is shown")
                button.setProperty("hold", True)
                button.setCheckable(True)
                button.clicked.connect(lambda _, place=place: self._go_to(place))
                self._step_row.addWidget(button)
                self.steps.append(button)
        share = self.marks.share
        for place, button in enumerate(self.steps):
            button.setChecked(framing.steps[place].at == share)

    def _sizes(self) -> dict[int, Size]:
        """The sizes of the pictures of the selected shots, by their numbers."""
        return self._document.known.picture_sizes(self._document.project, self._document.selection.shots)

    def _enlargement(self, number: int) -> str:
        """By how much a shot's own pixels are enlarged; nothing where they are not."""
        plan = self._document.plan
        if plan is None or number >= len(plan.views):
            return ""
        large = enlargement(plan.views[number], plan.pictures[number], plan.size)
        if large <= _TOLD_ENLARGEMENT:
            return ""
        return f"At {plan.size[0]}×{plan.size[1]} that enlarges its own pixels {large:.2f} times."

    def _choose_shape(self, name: str) -> None:
        self._set_shape(None if name == _AS_IT_IS else parse_shape(name))

    def _enter_shape(self) -> None:
        text = self.shape.take_text()
        if text is None:
            return
        try:
            self._set_shape(parse_shape(text))
        except PlanError as error:
            self.show_project()
            self.refused.emit(str(error))

    def _set_shape(self, shape: Fraction | None) -> None:
        sizes = self._sizes()
        self._apply("Shape", lambda p: shape_shots(p, sizes, shape))
        self.show_project()

    def _change(self, label: str, change: Callable[[Framing, Size], Framing]) -> None:
        sizes = self._sizes()

        def edit(project: Project) -> Project:
            framings = {number: change(project.shots[number].framing, size) for number, size in sizes.items()}
            return set_framings(project, framings)

        self._apply(label, edit)
        self.show_project()

    def _set_fit(self, fit: Fit) -> None:
        self._change("Fit", lambda framing, _: replace(framing, fit=fit))

    def _set_easing(self, easing: Easing) -> None:
        self._change("Easing", lambda framing, _: replace(framing, easing=easing))

    def _let_move(self) -> None:
        def moving(framing: Framing, size: Size) -> Framing:
            first = framing.view(size, Fraction(0))
            width, height = first.width * _CLOSER_SHARE, first.height * _CLOSER_SHARE
            last = View(
                first.left + (first.width - width) / 2, first.top + (first.height - height) / 2, width, height
            )
            steps = FramingStep(Fraction(0), first), FramingStep(Fraction(1), last)
            return replace(framing, steps=steps)

        self._change("Move", moving)
        self.draw_wanted.emit()

    def _add_step(self) -> None:
        share = self.marks.share
        self._change("Add step", lambda f, size: f.with_step(share, f.view(size, share)))

    def _keep_still(self) -> None:
        share = self.marks.share
        self._change(
            "Keep still",
            lambda f, size: replace(f, steps=(FramingStep(Fraction(0), f.view(size, share)),)),
        )

    def _go_to(self, place: int) -> None:
        document, plan = self._document, self._document.planner.made_now()
        if plan is None or self._shown is None or not document.selection.shots:
            return
        first, stop = plan.frames_of(document.selection.shots[0])
        frame = first + round(self._shown.steps[place].at * (stop - first - 1))
        document.move_playhead(frame / document.project.rate)


def _part_shown(framing: Framing, size: Size) -> str:
    """Which part of a picture is shown, in pixels."""
    views = [step.view for step in framing.steps] or [View.whole(size)]
    sides = [f"{round(view.width)}×{round(view.height)}" for view in views]
    shown = sides[0] if len(views) == 1 else f"{sides[0]} → {sides[-1]}"
    return f"{shown} of {size[0]}×{size[1]} px"


def _shape_words(shape: Fraction) -> str:
    """Width by height in small numbers, where such are near: 16:9."""
    near = Fraction(shape).limit_denominator(_MOST_SHAPE_SIDE)
    return f"{near.numerator}:{near.denominator}" if _same(near, shape) else f"{float(shape):.4g}:1"


def _same(one: Fraction, other: Fraction) -> bool:
    return abs(one / other - 1) < Fraction(1, 500)
