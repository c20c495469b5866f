"""Fill steps, and what stands in between: what is done between recorded frames, shown by a detail."""

from collections.abc import Callable, Hashable, Sequence
from enum import StrEnum
from functools import partial

import numpy as np
from PySide6.QtCore import Signal
from PySide6.QtWidgets import QButtonGroup, QGridLayout, QWidget

from chronoxis.app.bench.detail import Detail
from chronoxis.app.bench.live_pictures import Choice, LivePictures
from chronoxis.app.bench.picture_chip import PictureChip
from chronoxis.app.document.document import Document
from chronoxis.app.push_button import mark_common
from chronoxis.app.text_label import TextLabel
from chronoxis.core.footage.reader_pool import Readers
from chronoxis.core.model import making
from chronoxis.core.model.passage_rows import Numbers
from chronoxis.core.model.playing import place_at
from chronoxis.core.model.project import Place, Project
from chronoxis.core.timing.frame_making import Between, Fill, FrameMaking

_FILLS = (
    (Fill.NONE, "none", "Recorded frames as they are"),
    (Fill.QUICK, "quick", "A few steps along the motion between recorded frames"),
    (Fill.GOOD, "good", "As many steps as let no separate copies show"),
    (Fill.FINEST, "finest", "Steps of a pixel or two, and motion that is looked for more carefully"),
)
_BETWEENS = (
    (Between.HOLD, "hold", "Each recorded frame stands until the next"),
    (Between.BLEND, "blend", "Two recorded frames are blended, in linear light"),
    (Between.MOTION, "by motion", "The picture in between, by how things move"),
)
_DETAIL_WIDTH = 44  # pixels of a chip; grows with the text
_DETAIL_HEIGHT = 180  # pixels of a picture that a detail is cut out of
_DETAIL_MS = 500  # milliseconds of rest: the ways come first


class BetweenFrames(QWidget):
    """The choices of both, each as the detail of the present moment in which they differ most.

    Attributes:
        fills: the choices of fill steps.
        betweens: of what stands in between; they are shown where there are too few recorded frames.
        details: the pictures.

    Signals:
        fill_chosen: a `Fill`.
        between_chosen: a `Between`.
    """

    fill_chosen = Signal(object)
    between_chosen = Signal(object)

    def __init__(self, document: Document, readers: Readers) -> None:
        super().__init__()
        self._document = document
        row = QGridLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setHorizontalSpacing(5)
        row.setVerticalSpacing(2)
        self.fills = self._pictured(row, 0, "Fill steps", _FILLS, self.fill_chosen.emit)
        first = len(_FILLS) + 1
        row.setColumnMinimumWidth(first - 1, 3)
        self.betweens = self._pictured(row, first, "In between", _BETWEENS, self.between_chosen.emit)
        self._enough = TextLabel("There are frames enough here; it matters below 1×.")
        self._enough.setProperty("dim", True)
        self._enough.setWordWrap(True)
        row.addWidget(self._enough, 1, first, 1, len(_BETWEENS))
        chips: dict[Hashable, PictureChip] = {**self.fills, **self.betweens}
        self.details = LivePictures(
            document, readers, self.isVisible, self._as_each_detail, _DETAIL_HEIGHT, _DETAIL_MS
        )
        self._detail = Detail(self.details, chips)

    def show_makings(self, makings: Sequence[FrameMaking], *, few: bool) -> None:
        """Show the choices of some passages; ``few`` says whether frames are too few somewhere."""
        self.details.look_again()
        mark_common(self.fills, {each.fill for each in makings})
        mark_common(self.betweens, {each.between for each in makings})
        for chip in self.fills.values():
            chip.setEnabled(any(each.each.entry.fills for each in makings))
        for chip in self.betweens.values():
            chip.setVisible(few)
        self._enough.setVisible(not few)

    def _pictured(
        self,
        row: QGridLayout,
        first: int,
        title: str,
        choices: tuple[tuple[StrEnum, str, str], ...],
        choose: Callable[[StrEnum], None],
    ) -> dict[Hashable, PictureChip]:
        """Choices that are shown by pictures, from a column of a row on."""
        label, group, chips = TextLabel(title), QButtonGroup(self), dict[Hashable, PictureChip]()
        label.setProperty("dim", True)
        row.addWidget(label, 0, first, 1, len(choices))
        for column, (value, text, tip) in enumerate(choices, first):
            chips[value] = PictureChip(text, tip, group, partial(choose, value), _DETAIL_WIDTH)
            chips[value].setAccessibleName(f"{title}: {text}")
            row.addWidget(chips[value], 1, column)
            row.setColumnStretch(column, 1)
        return chips

    def _as_each_detail(self, project: Project) -> list[Choice]:
        """The passage at the playhead with each choice of what is done between recorded frames."""
        place = place_at(project, float(self._document.playhead))
        found = list[Choice]()
        if needs_between(project, project.rows.of([place])):
            found += [Choice(each, partial(_between_so, place=place, between=each)) for each, *_ in _BETWEENS]
        if project.passage(place).making.each.entry.fills:
            found += [Choice(fill, partial(_filled_so, place=place, fill=fill)) for fill, *_ in _FILLS]
        return found


def _filled_so(project: Project, place: Place, fill: Fill) -> Project:
    return making.set_fill(project, [place], fill)


def _between_so(project: Project, place: Place, between: Between) -> Project:
    return making.set_between(project, [place], between)


def needs_between(project: Project, numbers: Numbers) -> bool:
    """Whether some rows have places where there are too few recorded frames; ramps may lead there."""
    rows = project.rows
    within = rows.shots[1:] == rows.shots[:-1]
    slowest = rows.speeds.copy()
    slowest[1:][within] = np.minimum(slowest[1:], rows.speeds[:-1])[within]
    slowest[:-1][within] = np.minimum(slowest[:-1], rows.speeds[1:])[within]
    rates = np.array([float(footage.rate) for footage in project.footage])
    recorded = rates[project.shot_rows.footage[rows.shots[numbers]]]
    return bool((slowest[numbers] * recorded < float(project.rate) * (1 - 1e-12)).any())
