"""The page *Frames*: how one result frame is made."""

from fractions import Fraction
from functools import partial

from PySide6.QtWidgets import QButtonGroup, QHBoxLayout, QLabel, QPushButton, QVBoxLayout

from chronoxis.app.bench.cadence_view import CadenceView
from chronoxis.app.bench.gesture_slider import GestureSlider
from chronoxis.app.bench.page import Page, common, label_for
from chronoxis.app.document import Document
from chronoxis.app.push_button import choice_chip
from chronoxis.core.model import arranging, making, pacing
from chronoxis.core.model.photo_run import PhotoRun
from chronoxis.core.model.project import Place, Project
from chronoxis.core.timing.cadence import Cadence
from chronoxis.core.timing.frame_making import MAX_SHUTTER, EachFrame
from chronoxis.core.timing.reckoner import Quantity

_WAYS = (
    (EachFrame.ONE, "&One frame", "Keep the recorded frame on display when the result frame opens"),
    (
        EachFrame.LONG_EXPOSURE,
        "&Long exposure",
        "The mean, in linear light, of all recorded frames while open",
    ),
)


class FramesPage(Page):
    """Shows and changes how the selected passages' frames are made."""

    def __init__(self, document: Document) -> None:
        super().__init__(document)
        self.choices: dict[EachFrame, QPushButton] = {}
        title = QLabel("Each frame")
        title.setProperty("dim", True)
        group, chips = QButtonGroup(self), QHBoxLayout()
        chips.addWidget(title)
        chips.setSpacing(6)
        for way, text, tip in _WAYS:
            chip = choice_chip(text, tip, group, partial(self._choose, way))
            chips.addWidget(chip)
            self.choices[way] = chip
        chips.addStretch()
        self.shutter = GestureSlider(
            document,
            "Shutter angle",
            "Shutter angle: how long each result frame is open; 360° is all of its time",
            least=0,
            most=MAX_SHUTTER,
            page=45,
            choose=self._set_shutter,
            label="Shutter",
        )
        self._degrees, self._means = QLabel(), QLabel()
        self._means.setProperty("dim", True)
        self._means.setWordWrap(True)
        row = QHBoxLayout()
        row.addWidget(label_for("S&hutter", self.shutter))
        row.addSpacing(12)
        row.addWidget(self.shutter, 1)
        row.addWidget(self._degrees)
        rows = QVBoxLayout(self)
        rows.setContentsMargins(0, 4, 0, 0)
        rows.setSpacing(12)
        rows.addLayout(chips)
        rows.addLayout(row)
        rows.addWidget(self._means)
        self.cadence = CadenceView()
        self.cadence.photo_rate_chosen.connect(self._set_photo_rate)
        self.cadence.rate_chosen.connect(
            lambda rate: self._apply("Frame rate", lambda p: arranging.set_rate(p, rate))
        )
        self.cadence.hide()
        rows.addWidget(self.cadence)
        rows.addStretch()

    def show_project(self) -> None:
        """Show the values of the selected passages."""
        project, places = self._document.project, self._places
        if not places or not project.shots:
            return
        ways = {project.passage(place).making.each for place in places}
        for way, chip in self.choices.items():
            chip.group().setExclusive(len(ways) == 1)
            chip.setChecked(ways == {way})
        self.shutter.setEnabled(any(way.gathers for way in ways))
        self.shutter.show_value(round(project.passage(places[0]).making.shutter))
        self._degrees.setText(common(f"{project.passage(place).making.shutter:.0f}°" for place in places))
        self._means.setText(common(self._meaning(place) for place in places).replace("several", ""))

        self._show_cadence(project, places)

    def _show_cadence(self, project: Project, places: list[Place]) -> None:
        """Of photos that are shown one by one, which result frames show which."""
        run, passage = project.footage_of(project.shots[places[0].shot]), project.passage(places[0])
        shown = isinstance(run, PhotoRun) and len(places) == 1 and not passage.making.each.gathers
        self.cadence.setVisible(shown)
        if isinstance(run, PhotoRun) and shown:
            photos = passage.recorded_length * run.rate
            self.cadence.show_cadence(Cadence(passage.speed * run.rate, project.rate), photos)

    def _set_photo_rate(self, rate: Fraction) -> None:
        place = self._places[0]
        wish = rate / self._document.project.rate
        self._apply("Photos a second", lambda p: pacing.change_quantity(p, place, Quantity.STEP, wish))

    def _meaning(self, place: Place) -> str:
        """What the choice comes to, in recorded frames."""
        project = self._document.project
        passage, step = project.passage(place), project.reckoner(place).step
        if not passage.making.each.gathers:
            return "Each result frame is one recorded frame, as it was recorded."
        open_ = float(step) * passage.making.shutter / 360
        if open_ <= 1:
            return "At this speed and shutter each result frame gathers one recorded frame or two."
        return f"Each result frame gathers about {open_:.4g} recorded frames."

    def _choose(self, way: EachFrame) -> None:
        places = self._places
        self._apply("Each frame", lambda p: making.set_each_frame(p, places, way))

    def _set_shutter(self, degrees: int) -> None:
        places = self._places
        self._apply("Shutter", lambda p: making.set_shutter(p, places, float(degrees)))
