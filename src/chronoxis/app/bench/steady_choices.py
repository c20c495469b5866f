"""How the selected shots are steadied, and whether their frames are lined up; on the page *Picture*."""

from dataclasses import replace
from functools import partial
from typing import Any

import numpy as np
from PySide6.QtCore import Signal
from PySide6.QtWidgets import QButtonGroup, QGridLayout, QHBoxLayout, QVBoxLayout, QWidget

from chronoxis.app.bench.gesture_slider import GestureSlider
from chronoxis.app.bench.page import label_for
from chronoxis.app.bench.picture_chip import PictureChip
from chronoxis.app.bench.steady_pictures import SteadyPictures
from chronoxis.app.document.document import Document
from chronoxis.app.measuring.camera_paths import CameraPaths
from chronoxis.app.push_button import push_button, switch
from chronoxis.app.text_label import TextLabel
from chronoxis.app.theme.theme import scaled
from chronoxis.core.footage.reader_pool import Readers
from chronoxis.core.model import correcting, making
from chronoxis.core.model.project import Project
from chronoxis.core.model.steady import MOST_CROP, Steady, SteadyMode
from chronoxis.core.render.plan import Plan
from chronoxis.core.timing.timecode import format_time
from chronoxis.core.traces.picture_trace import PictureTrace
from chronoxis.core.traces.trace_kinds import PICTURES

_MODES = (
    (SteadyMode.OFF, "as filmed", "The camera's path stays as it was"),
    (SteadyMode.SMOOTH, "smooth", "Walks, drives and flights: shake goes, turns stay"),
    (SteadyMode.STILL, "still", "Meant as from a tripod: drift and shake go"),
)
_LINE_UP_STEPS = 0.5  # steps
_STOP, _GO_ON = "St&op", "Go &on"
_NOTHING_TO_STEADY = "The camera stands still here: nothing to steady."
_SKEW_STAYS = "Skew of rolling shutters stays."


class SteadyChoices(QWidget):
    """Shows and changes them. Signal ``refused``: an entry cannot be had; the text says why."""

    refused = Signal(str)

    def __init__(self, document: Document, cameras: CameraPaths, readers: Readers) -> None:
        super().__init__()
        self._document, self._cameras = document, cameras
        group = QButtonGroup(self)
        self.modes = {
            mode: PictureChip(text, tip, group, partial(self._set, "Steady", mode=mode))
            for mode, text, tip in _MODES
        }
        for mode, text, _ in _MODES:
            self.modes[mode].setAccessibleName(f"Steady: {text}")
        self.pictures = SteadyPictures(document, cameras, readers, self.modes, self.isVisible)
        self.pictures.changed.connect(self._tell)
        self.level = switch(
            "keep it level",
            "Take all turning out, so that the horizon keeps its slope",
            lambda on: self._set("Level", level=on),
        )
        self.line_up = switch(
            "line frames &up (hyperlapse)",
            "Above 1×: take frames near the even step that line up best, for a hyperlapse",
            self._set_line_up,
        )
        self.strength = GestureSlider(
            document, "Strength of steadying", "Over how long stretches the camera's path is smoothed",
            least=0, most=100, page=10, label="Strength",
            choose=lambda share: self._set("Strength", strength=share / 100),
        )  # fmt: skip
        self.crop = GestureSlider(
            document, "Crop budget", "How much of the picture's sides may be given up",
            least=1, most=round(MOST_CROP * 100), page=5, label="Crop budget",
            choose=lambda share: self._set("Crop budget", crop=share / 100),
        )  # fmt: skip
        self._crop_words, self.words = TextLabel(), TextLabel()
        self._crop_words.setMinimumWidth(scaled(30))
        self.words.setProperty("dim", True)
        self.words.setWordWrap(True)
        self.act = push_button(_STOP, "Stop following the camera, or go on with it; what is known is kept")
        self.act.setProperty("small", True)
        self.act.clicked.connect(self._press)
        self._lay_out()
        cameras.changed.connect(self._tell)
        document.planned.connect(self._tell)

    def _lay_out(self) -> None:
        top, below = QGridLayout(), QHBoxLayout()
        for column, chip in enumerate(self.modes.values()):
            top.addWidget(chip, 0, column, 2, 1)
        strength, crop = label_for("St&rength", self.strength), label_for("&Crop", self.crop)
        top.addWidget(self.level, 0, 3, 1, 2)
        top.addWidget(strength, 1, 3)
        top.addWidget(self.strength, 1, 4)
        top.setSpacing(5)
        for part in (self.line_up, crop, self.crop, self._crop_words):
            below.addWidget(part)
        self._sliders = (strength, self.strength, crop, self.crop, self._crop_words)
        rows = QVBoxLayout(self)
        rows.setContentsMargins(0, 0, 0, 0)
        rows.setSpacing(4)
        said = QHBoxLayout()
        said.addWidget(self.words, 1)
        said.addWidget(self.act)
        for row in (top, below, said):
            rows.addLayout(row)

    def show_project(self) -> None:
        """Show the choices of the selected shots."""
        document = self._document
        shots = [document.project.shots[number] for number in document.selection.shots]
        if not shots:
            return
        wishes = {shot.steady for shot in shots}
        modes = {wish.mode for wish in wishes}
        for mode, chip in self.modes.items():
            chip.group().setExclusive(len(modes) == 1)
            chip.setChecked(modes == {mode})
        first = shots[0].steady
        self.level.setChecked(all(wish.level for wish in wishes))
        places = document.selection.in_order
        self.line_up.setChecked(all(document.project.passage(place).making.line_up > 0 for place in places))
        self.strength.show_value(round(first.strength * 100))
        self.crop.show_value(round(first.crop * 100))
        self._crop_words.setText(f"{first.crop:.0%}")
        for part in (*self._sliders, self.level):
            part.setEnabled(any(wish.is_on for wish in wishes))
        self._tell()

    def _tell(self) -> None:
        """What it comes to; until that is known, how long it takes."""
        number = next(iter(self._document.selection.shots), None)
        text, act = ("", "") if number is None else self._said_of(number)
        if self.pictures.words:
            text, act = self.pictures.words, ""
        self.words.setText(text)
        self.act.setText(act or _STOP)
        self.act.setVisible(bool(act))

    def _said_of(self, number: int) -> tuple[str, str]:
        """What to say of a shot, and what the button beside it does."""
        plan, cameras = self._document.plan, self._cameras
        if plan is None or number >= len(plan.steadied) or number >= len(self._document.project.shots):
            return "", ""
        shot, course, takes = plan.project.shots[number], plan.steadied[number], cameras.takes(number)
        if course is not None and shot.steady.is_on:
            return course.in_words(plan.pictures[number].width).capitalize() + f". {_SKEW_STAYS}", ""
        if not takes:
            return "", ""
        if not shot.reads_camera:
            once = f"Following the camera takes about {format_time(max(takes, 1), 0)}, once."
            return _NOTHING_TO_STEADY if self._stands_still(number, plan) else once, ""
        if cameras.is_stopped(number):
            return "Stopped: it is shown as filmed.", _GO_ON
        share, seconds = cameras.progress(number)
        left = f", {format_time(max(seconds, 1), 0)} left" if seconds is not None else ""
        return f"Following the camera: {share:.0%}{left}. Shown as filmed till then.", _STOP

    def _stands_still(self, number: int, plan: Plan) -> bool:
        """Whether the camera does not move in a shot, as far as that is known by now."""
        shot, edges = plan.project.shots[number], plan.edges[number]
        origin = plan.project.footage_of(shot).origin
        trace = self._document.known.measured[PICTURES].get(origin)
        first, stop = np.searchsorted(edges, shot.span).tolist()
        return isinstance(trace, PictureTrace) and trace.stands_still(first, min(stop, len(trace)))

    def _press(self) -> None:
        number = next(iter(self._document.selection.shots), None)
        if number is not None:
            (self._cameras.stop if self.act.text() == _STOP else self._cameras.go_on)(number)

    def _set(self, label: str, **choice: Any) -> None:
        shots = self._document.selection.shots
        if choice.get("mode", SteadyMode.OFF) is not SteadyMode.OFF:
            for number in shots:
                self._cameras.go_on(number)

        def steadied(project: Project) -> Project:
            for number in shots:
                wish: Steady = replace(project.shots[number].steady, **choice)
                project = correcting.set_steady(project, [number], wish)
            return project

        if not self._document.apply(label, steadied):
            self.show_project()

    def _set_line_up(self, on: bool) -> None:
        places = self._document.selection.places
        reach = _LINE_UP_STEPS if on else 0.0
        self._document.apply("Line up", lambda p: making.set_line_up(p, places, reach))
