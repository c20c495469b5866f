"""The page *Frames*: how result frames are made, and what is corrected in recorded ones first."""

from collections.abc import Callable, Hashable
from dataclasses import replace
from enum import StrEnum
from fractions import Fraction
from functools import partial

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QButtonGroup,
    QCheckBox,
    QGridLayout,
    QHBoxLayout,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from chronoxis.app.bench.between_frames import BetweenFrames, needs_between
from chronoxis.app.bench.cadence_view import CadenceView
from chronoxis.app.bench.clear_window import ClearWindow
from chronoxis.app.bench.gesture_slider import GestureSlider
from chronoxis.app.bench.live_pictures import Choice, LivePictures
from chronoxis.app.bench.making_cost import MakingCost
from chronoxis.app.bench.number_field import NumberField
from chronoxis.app.bench.open_frames import OpenFrames
from chronoxis.app.bench.page import Page, common, heading, label_for, numbered, one_of_each
from chronoxis.app.bench.parameter_form import ParameterForm
from chronoxis.app.bench.picture_chip import PictureChip
from chronoxis.app.bench.quantity_words import alike_in
from chronoxis.app.document.document import Document
from chronoxis.app.measuring.picture_traces import PictureTraces
from chronoxis.app.push_button import choice_chip, mark_common, segments_of, switch
from chronoxis.app.text_label import TextLabel
from chronoxis.core.errors import ChronoxisError, PlanError
from chronoxis.core.extensions import guarded
from chronoxis.core.footage.reader_pool import Readers
from chronoxis.core.model import arranging, correcting, making, pacing
from chronoxis.core.model.even_out import EvenOut
from chronoxis.core.model.playing import place_at
from chronoxis.core.model.project import Place, Project, Shot
from chronoxis.core.timing.cadence import Cadence
from chronoxis.core.timing.frame_making import (
    ALL_RECORDED,
    MAX_SHUTTER,
    Between,
    EachFrame,
    FrameMaking,
    PassersBy,
    each_frame_choices,
)
from chronoxis.core.timing.reckoner import Quantity
from chronoxis.core.timing.timecode import format_exact_time, parse_time

_PASSERS = (
    (PassersBy.LEAVE, "leave", "Who crosses near the lens is left as recorded"),
    (PassersBy.SKIP, "skip", "Neighbouring frames serve where somebody crosses"),
    (PassersBy.CLEAR, "clear", "Where somebody crosses, the median around it serves"),
)
_MIDDLE = Qt.AlignmentFlag.AlignVCenter

_field = partial(NumberField, wide=66)


class FramesPage(Page):
    """Shows and changes how the selected passages' frames are made, and their shots' frames corrected."""

    def __init__(self, document: Document, traces: PictureTraces, readers: Readers) -> None:
        super().__init__(document)
        self._traces, self._readers = traces, readers
        self._grid = QGridLayout()
        self._grid.setHorizontalSpacing(8)
        self._grid.setVerticalSpacing(6)
        self._grid.setColumnStretch(1, 1)
        self._add_ways()
        self._add_shutter()
        self.clear_window = _field(
            "Window of clear", "Recorded time that clear looks at, such as 2 or 0:02.5"
        )
        self.clear_window.editingFinished.connect(self._enter_window)
        self._window_row = self._row("&Window", self.clear_window, TextLabel("of recorded time"))
        for part in self._window_row:
            part.hide()  # now: of what is hidden later, the room is kept until the page is shown
        self.between = BetweenFrames(document, readers)
        self.between.fill_chosen.connect(self._set_fill)
        self.between.between_chosen.connect(self._set_between)
        self._grid.addWidget(self.between, self._grid.rowCount(), 0, 1, 2)
        self.passers = self._chips("Passers-by", _PASSERS, self._set_passers)
        self._found = TextLabel()
        self._found.setProperty("dim", True)
        self._last_row.addWidget(self._found)
        self._add_even_out()
        self.found_window = ClearWindow(document)
        self.found_window.changed.connect(self.noted)
        self.cost = MakingCost(document, self.isVisible)
        self.cost.changed.connect(self.noted)
        self.cadence = CadenceView()
        self.cadence.photo_rate_chosen.connect(self._set_photo_rate)
        self.cadence.rate_chosen.connect(
            lambda rate: self._apply("Frame rate", lambda p: arranging.set_rate(p, rate))
        )
        self.cadence.hide()
        rows = QVBoxLayout(self)
        rows.setContentsMargins(0, 4, 0, 0)
        rows.setSpacing(7)
        rows.addLayout(self._grid)
        rows.addWidget(self.cadence)
        rows.addStretch()
        traces.changed.connect(self._show_found)

    def _add_ways(self) -> None:
        """The ways to make a frame, as pictures of the present moment made so."""
        group, row = QButtonGroup(self), QHBoxLayout()
        row.setSpacing(5)
        chips: dict[Hashable, PictureChip] = {}
        for way in each_frame_choices():
            entry = way.entry
            chips[way] = PictureChip(entry.label, entry.about, group, partial(self._choose, way))
            chips[way].setAccessibleName(f"Each frame: {entry.name}")
            row.addWidget(chips[way], 1)
        self.choices: dict[Hashable, QPushButton] = {**chips}
        self._grid.addWidget(heading("Each frame"), 0, 0, 1, 2)
        self._grid.addLayout(row, 1, 0, 1, 2)
        self.settings = ParameterForm()
        self.settings.hide()
        self.settings.chosen.connect(lambda _, name, value: self._set_setting(name, value))
        self.settings.refused.connect(self.refused)
        self._grid.addWidget(self.settings, 2, 0, 1, 2)
        self.live = LivePictures(self._document, self._readers, self.isVisible, self._as_each_way)
        self.live.show_on(chips)

    def _as_each_way(self, project: Project) -> list[Choice]:
        """The passage at the playhead, with its frames made in each way."""
        place = place_at(project, float(self._document.playhead))
        return [Choice(way, partial(_made_so, place=place, way=way)) for way in each_frame_choices()]

    def _add_shutter(self) -> None:
        self.shutter = GestureSlider(
            self._document,
            "Shutter angle",
            "Shutter angle: how long each result frame is open; 360° takes in all that was recorded",
            least=0,
            most=MAX_SHUTTER,
            page=45,
            choose=lambda degrees: self._set("Shutter", making.set_shutter, float(degrees)),
            label="Shutter",
        )
        self._degrees = TextLabel()
        self.all_recorded = switch(
            "&all",
            "All that was recorded: 360°",
            lambda _: self._set("Shutter", making.set_shutter, ALL_RECORDED),
        )
        self.soft = switch(
            "sof&t",
            "A long exposure fades in and out, rather than opens and shuts",
            lambda on: self._set("Soft window", making.set_soft, on),
        )
        self._row("Sh&utter", self.shutter, self._degrees, self.all_recorded, self.soft)
        self.open_frames = OpenFrames()
        self._grid.addWidget(self.open_frames, self._grid.rowCount(), 1)
        for signal in (self._document.planned, self._document.playhead_moved):
            signal.connect(self._show_open)

    def _add_even_out(self) -> None:
        self.even = GestureSlider(
            self._document,
            "Even out light",
            "How far each frame's light is brought to a smooth course: flicker goes, a dawn stays",
            least=0,
            most=100,
            page=10,
            choose=lambda share: self._set_even(strength=share / 100),
            label="Even out light",
        )
        self._strength = TextLabel()
        self.span = _field(
            "Span of evening out",
            "Changes of light within this recorded time are flicker; empty: what suits the light",
        )
        self.span.editingFinished.connect(self._enter_span)
        self.by_colour = switch(
            "b&y colour",
            "Red, green and blue are evened out each by itself",
            lambda on: self._set_even(channels=on),
        )
        self._row("Eve&n out", self.even, self._strength, self.span, self.by_colour)

    def _chips(
        self,
        title: str,
        choices: tuple[tuple[StrEnum, str, str], ...],
        choose: Callable[[StrEnum], None],
        first: int = 9,
    ) -> dict[Hashable, QPushButton]:
        """A row of choices, or two."""
        label, group, chips = TextLabel(title), QButtonGroup(self), dict[Hashable, QPushButton]()
        label.setProperty("dim", True)
        line = QVBoxLayout()
        line.setSpacing(5)
        for part in (choices[:first], choices[first:]):
            if not part:
                continue
            self._last_row = QHBoxLayout()
            self._last_row.setSpacing(5)
            for value, text, tip in part:
                chips[value] = choice_chip(text, tip, group, partial(choose, value))
                chips[value].setAccessibleName(f"{title}: {text.replace('&', '')}")
            self._last_row.addWidget(segments_of(*(chips[value] for value, _, _ in part)))
            line.addLayout(self._last_row)
            self._last_row.addStretch()
        row = self._grid.rowCount()
        several = len(choices) > first
        if several:
            label.setContentsMargins(0, 5, 0, 0)
        self._grid.addWidget(label, row, 0, Qt.AlignmentFlag.AlignTop if several else _MIDDLE)
        self._grid.addLayout(line, row, 1)
        return chips

    def _row(
        self, title: str, *widgets: TextLabel | QCheckBox | NumberField | GestureSlider
    ) -> list[QWidget]:
        """Controls beside one another; what is returned can be hidden together."""
        label, line, row = label_for(title, widgets[0]), QHBoxLayout(), self._grid.rowCount()
        line.setSpacing(6)
        for widget in widgets:
            line.addWidget(widget, 1 if isinstance(widget, GestureSlider) else 0)
        if not isinstance(widgets[0], GestureSlider):
            line.addStretch()
        self._grid.addWidget(label, row, 0)
        self._grid.addLayout(line, row, 1)
        return [label, *widgets]

    @property
    def about(self) -> str:
        """What does not take effect yet."""
        plan, places = self._document.plan, self._places
        if plan is None or not places or not plan.project.has(places[0]):
            return ""
        way = plan.project.passage(places[0]).making.each
        if way.is_missing:
            return f"{way} comes from a package that is not here: one frame stands for it until it is."
        footage = plan.project.footage_of(plan.project.shots[places[0].shot])
        if footage.key not in plan.unmeasured:
            return ""
        share = self._traces.share(footage.origin)
        return f"{footage.name} is being measured ({share:.0%}): until then it is shown as recorded."

    @property
    def note(self) -> str:
        """What the choices come to, and what they cost."""
        is_clear = any(self._document.project.passage(p).making.each == EachFrame.CLEAR for p in self._places)
        return " ".join(filter(None, (self.found_window.words if is_clear else "", self.cost.text)))

    def show_project(self) -> None:
        """Show the values of the selected passages."""
        project, places = self._document.project, self._places
        if not places or not project.shots:
            return
        passages = [project.passage(place) for place in places]
        makings, ways = numbered([passage.making for passage in passages])
        shots = [project.shots[number] for number in sorted({place.shot for place in places})]
        mark_common(self.choices, {each.each.at_first for each in makings})
        self._show_settings({each.each for each in makings})
        self.live.look_again()
        self._show_open()
        mark_common(self.passers, {shot.passers_by for shot in shots})
        rows = project.rows.of(places)
        different = one_of_each(places, *alike_in(project, rows, Quantity.STEP), ways)
        self._show_enabled(makings)
        self.between.show_makings(makings, few=needs_between(project, rows))
        first = makings[0]
        self.shutter.show_value(round(first.shutter))
        self._degrees.setText(common(f"{each.shutter:.0f}°" for each in makings))
        self.all_recorded.setChecked(all(each.shutter == ALL_RECORDED for each in makings))
        self.soft.setChecked(all(each.soft for each in makings))
        window = first.window
        self.clear_window.show_number(
            "as open" if window is None else f"{float(window):.4g} s",
            "" if window is None else format_exact_time(window),
        )
        self._show_even(shots)
        self._show_found()
        self._show_cadence(project, places)
        self.cost.show_passage(places[0], common(self._meaning(place) for place in different))

    def _show_enabled(self, makings: list[FrameMaking]) -> None:
        """What has no effect on any of the passages cannot be changed."""
        open_ = any(making.is_open for making in makings)
        for widget in (self.shutter, self.all_recorded):
            widget.setEnabled(open_)
        self.soft.setEnabled(any(each.each.entry.adds_light and not each.is_filled for each in makings))
        wider = any(each.each.entry.looks_wider for each in makings)
        for part in self._window_row:
            part.setVisible(wider)

    def _show_open(self, *_: object) -> None:
        plan = self._document.plan
        if plan is not None and self.isVisible() and len(plan.schedule):
            self.open_frames.show_frame(plan, min(self._document.result_frame, len(plan.schedule) - 1))

    def _show_even(self, shots: list[Shot]) -> None:
        even = shots[0].even_out
        self.even.show_value(round(100 * even.strength))
        self._strength.setText(common(f"{shot.even_out.strength:.0%}" for shot in shots))
        if even.span is None:
            self.span.show_number("auto")
        else:
            self.span.show_number(f"{float(even.span):.4g} s", format_exact_time(even.span))
        self.by_colour.setChecked(all(shot.even_out.channels for shot in shots))
        for widget in (self.span, self.by_colour):
            widget.setEnabled(any(shot.even_out.strength > 0 for shot in shots))

    def _show_found(self) -> None:
        """How many pass by in the shots' footage, or how far it is known."""
        project, places = self._document.project, self._places
        if not places or not project.shots:
            return
        origin = project.footage_of(project.shots[places[0].shot]).origin
        trace, share = self._traces.trace(origin), self._traces.share(origin)
        if trace is not None and trace.is_whole:
            count = len(trace.passers)
            self._found.setText(f"{count} found" if count else "none found")
        else:
            self._found.setText(f"looking {share:.0%}")
            self.noted.emit()

    def _show_cadence(self, project: Project, places: list[Place]) -> None:
        """Of photos that are shown one by one, which result frames show which."""
        run, passage = project.footage_of(project.shots[places[0].shot]), project.passage(places[0])
        one = not passage.making.is_open and passage.making.between is Between.HOLD
        shown = run.is_told_by_count and len(places) == 1 and one
        self.cadence.setVisible(shown)
        if shown:
            photos = passage.recorded_length * run.rate
            self.cadence.show_cadence(Cadence(passage.speed * run.rate, project.rate), photos)

    def _set_photo_rate(self, rate: Fraction) -> None:
        place = self._places[0]
        wish = rate / self._document.project.rate
        self._apply("Photos per second", lambda p: pacing.change_quantity(p, place, Quantity.STEP, wish))

    def _meaning(self, place: Place) -> str:
        """What the choice comes to, in recorded frames."""
        project = self._document.project
        passage, footage = project.passage(place), project.footage_of(project.shots[place.shot])
        step = float(passage.speed * footage.rate / project.rate)
        chosen = passage.making
        if step < 1 and chosen.between is not Between.HOLD:
            how = "blended" if chosen.between is Between.BLEND else "made by motion"
            return f"One in {1 / step:.3g} is as recorded, the others are {how}."
        if not chosen.is_open:
            return "Each is one recorded frame."
        open_ = step * chosen.shutter / 360
        if chosen.each.entry.looks_wider and chosen.window is not None:
            rate = float(project.footage_of(project.shots[place.shot]).rate)
            open_ = float(chosen.window) * rate
        if chosen.each == EachFrame.ONE:
            return f"Each is one recorded frame, blurred over {open_:.3g}."
        if open_ <= 1:
            return "Each gathers one recorded frame or two."
        return f"Each gathers about {open_:.4g} recorded frames."

    def _set(self, label: str, edit: Callable[..., Project], value: object) -> None:
        places = self._places
        self._apply(label, lambda p: edit(p, places, value))

    def _choose(self, way: EachFrame) -> None:
        self._set("Each frame", making.set_each_frame, way)
        if way == EachFrame.CLEAR:
            self.found_window.look(self._places)

    def _show_settings(self, chosen: set[EachFrame]) -> None:
        """What the way is set by that all have, if a package adds it and it is set by anything."""
        way = next(iter(chosen)) if len(chosen) == 1 else None
        settings = way.settings if way is not None and not way.is_missing else None
        self.settings.setVisible(settings is not None)
        self.settings.show_value(settings, way.entry.name if way is not None else "")

    def _set_setting(self, name: str, value: object) -> None:
        places = self._places
        chosen = self._document.project.passage(places[0]).making.each
        try:
            settings = guarded(chosen.key, lambda: replace(chosen.settings, **{name: value}))
            way = replace(chosen, settings=settings)
        except ChronoxisError as error:
            self.show_project()
            self.refused.emit(str(error))
            return
        alike = [p for p in places if self._document.project.passage(p).making.each.key == way.key]
        self._apply("Each frame", lambda project: making.set_each_frame(project, alike, way))

    def _set_fill(self, fill: StrEnum) -> None:
        self._set("Fill steps", making.set_fill, fill)

    def _set_between(self, between: StrEnum) -> None:
        self._set("In between", making.set_between, between)

    def _set_passers(self, wish: StrEnum) -> None:
        shots = self._document.selection.shots
        self._apply("Passers-by", lambda p: correcting.set_passers_by(p, shots, PassersBy(wish)))

    def _set_even(self, **choice: object) -> None:
        shots = self._document.selection.shots

        def evened(project: Project) -> Project:
            for number in shots:
                wish: EvenOut = replace(project.shots[number].even_out, **choice)  # type: ignore[arg-type]
                project = correcting.set_even_out(project, [number], wish)
            return project

        self._apply("Even out light", evened)

    def _enter_window(self) -> None:
        text = self.clear_window.take_text()
        if text is not None:
            self._enter(text, lambda time: self._set("Window of clear", making.set_window, time))

    def _enter_span(self) -> None:
        text = self.span.take_text()
        if text is not None:
            self._enter(text, lambda time: self._set_even(span=time))

    def _enter(self, text: str, take: Callable[[Fraction | None], None]) -> None:
        """A time that was typed; nothing is the usual."""
        try:
            usual = text.strip().lower() in ("", "auto", "as open")
            take(None if usual else parse_time(text.removesuffix("s")))
        except PlanError as error:
            self.refused.emit(str(error))
            self.show_project()


def _made_so(project: Project, place: Place, way: EachFrame) -> Project:
    return making.set_each_frame(project, [place], way)
