"""What can be chosen about a run of photos: what tells its time, and what is done about its flaws."""

from collections.abc import Callable
from dataclasses import replace
from functools import partial

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import (
    QButtonGroup,
    QComboBox,
    QGridLayout,
    QHBoxLayout,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from chronoxis.app.bench.number_field import NumberField
from chronoxis.app.document.document import Document
from chronoxis.app.elided_label import ElidedLabel
from chronoxis.app.empty_layout import empty_layout
from chronoxis.app.push_button import choice_chip, push_button, segments_of
from chronoxis.app.text_label import TextLabel
from chronoxis.app.theme.theme import font
from chronoxis.core.errors import PlanError
from chronoxis.core.footage.photos.course import PhotoFlaw
from chronoxis.core.footage.photos.photo_kind import PhotoSource, with_choices
from chronoxis.core.model.photo_run import (
    DATES,
    POSSIBLE_HANDLINGS,
    Clock,
    Handling,
    PhotoRun,
    PhotoTime,
    parse_interval,
    parse_photo_rate,
)
from chronoxis.core.timing.rates import format_rate
from chronoxis.core.timing.timecode import format_exact_time

_MOST_LISTED = 200  # flaws; of more, all of a kind are handled together
_CLOCKS = (
    (Clock.DATES, "&Dates", "Recorded time is what the photos' dates say"),
    (Clock.INTERVAL, "&Interval", "Recorded time runs by so much from each photo to the next"),
    (Clock.RATE, "Photos a seco&nd", "Recorded time runs as the photos play at 1×"),
)
_HANDLING_WORDS = {
    Handling.KEEP: "keep",
    Handling.HOLD: "hold",
    Handling.FILL: "fill",
    Handling.LEAVE_OUT: "leave out",
}


class PhotoChoices(QWidget):
    """Shows and changes the choices about one run. Signal ``refused``: an entry means nothing, and why."""

    refused = Signal(str)

    def __init__(self, document: Document) -> None:
        super().__init__()
        self._document = document
        self._run: PhotoRun | None = None
        self._listed: tuple[PhotoFlaw, ...] | None = None
        self.clocks: dict[Clock, QPushButton] = {}
        self.value = NumberField(
            "Interval or rate", "How far apart photos are: 5, 1:30; or how many a second", 78
        )
        self.value.editingFinished.connect(self._enter)
        group, row = QButtonGroup(self), QHBoxLayout()
        row.setSpacing(4)
        for clock, text, tip in _CLOCKS:
            self.clocks[clock] = choice_chip(text, tip, group, partial(self._choose, clock))
        row.addWidget(segments_of(*self.clocks.values()))
        row.addWidget(self.value)
        row.addStretch()
        self.flaws: list[tuple[PhotoFlaw, QComboBox]] = []
        self._grid = QGridLayout()
        self._grid.setContentsMargins(0, 0, 4, 0)
        self._grid.setVerticalSpacing(2)
        self._grid.setColumnStretch(0, 1)
        inside, self._scroll = QWidget(), QScrollArea()
        inside.setLayout(self._grid)
        self._scroll.setWidgetResizable(True)
        self._scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self._scroll.setWidget(inside)
        self._scroll.setAccessibleName("What is wrong with the run")
        rows = QVBoxLayout(self)
        rows.setContentsMargins(0, 0, 0, 0)
        rows.setSpacing(5)
        rows.addLayout(row)
        rows.addWidget(self._scroll, 1)

    def show_run(self, run: PhotoRun) -> None:
        """Show a run as it is now."""
        self._run = run
        source = self._source()
        self.clocks[run.time.clock].setChecked(True)
        for chip in self.clocks.values():
            chip.setEnabled(source is not None)
        dated = source is not None and source.facts.times is not None
        self.clocks[Clock.DATES].setEnabled(dated)
        self.value.setVisible(run.time.clock is not Clock.DATES)
        if run.time.clock is Clock.INTERVAL:
            self.value.show_number(f"{float(run.time.value):.6g} s", format_exact_time(run.time.value))
        elif run.time.clock is Clock.RATE:
            self.value.show_number(f"{format_rate(run.time.value)}")
        flaws = source.facts.flaws[:_MOST_LISTED] if source else ()
        if flaws != self._listed:
            self._list(source, flaws)
        for flaw, box in self.flaws:
            handling = run.handles(flaw.kind, run.photos.names[flaw.photo])
            box.setCurrentIndex(POSSIBLE_HANDLINGS[flaw.kind].index(handling))

    def _source(self) -> PhotoSource | None:
        source = self._document.known.sources.get(self._run.origin) if self._run is not None else None
        return source if isinstance(source, PhotoSource) else None

    def _list(self, source: PhotoSource | None, flaws: tuple[PhotoFlaw, ...]) -> None:
        self._listed = flaws
        empty_layout(self._grid)
        self.flaws = []
        several = {flaw.kind for flaw in flaws if sum(other.kind is flaw.kind for other in flaws) > 1}
        for row, flaw in enumerate(flaws):
            assert source is not None
            words = ElidedLabel()
            words.setFont(font(9))
            words.show_text(source.facts.in_words(flaw))
            box = QComboBox()
            box.setFont(font(8.5))
            box.addItems([_HANDLING_WORDS[handling] for handling in POSSIBLE_HANDLINGS[flaw.kind]])
            box.setAccessibleName(f"What is done where {source.facts.in_words(flaw)}")
            box.setToolTip("What is done there: hold the photo before, leave it out, or keep it as it is")
            box.activated.connect(lambda place, flaw=flaw: self._handle(flaw, place, alone=True))
            every = push_button("all", "Do the same about all of this kind")
            every.setFont(font(8.5))
            every.setEnabled(flaw.kind in several)
            every.clicked.connect(
                lambda _, flaw=flaw, box=box: self._handle(flaw, box.currentIndex(), alone=False)
            )
            for column, widget in enumerate((words, box, every)):
                self._grid.addWidget(widget, row, column)
            self.flaws.append((flaw, box))
        if not flaws:
            label = TextLabel("Nothing is wrong with it." if source else "The photos are still being read.")
            label.setProperty("dim", True)
            self._grid.addWidget(label, 0, 0)
        self._grid.setRowStretch(max(1, len(flaws)), 1)

    def _handle(self, flaw: PhotoFlaw, place: int, *, alone: bool) -> None:
        run = self._run
        if run is not None:
            handling = POSSIBLE_HANDLINGS[flaw.kind][place]
            name = run.photos.names[flaw.photo] if alone else None
            self._change(lambda run: run.with_handling(flaw.kind, handling, name))

    def _choose(self, clock: Clock) -> None:
        run, source = self._run, self._source()
        if run is None or source is None:
            return
        match clock:
            case Clock.DATES:
                time = DATES
            case Clock.INTERVAL:
                time = PhotoTime.every(run.time.interval or 1 / run.rate)
            case _:
                shown = [
                    passage.speed * run.rate
                    for shot in self._document.project.shots
                    if shot.footage == run.key
                    for passage in shot.passages
                ]
                time = PhotoTime.at_rate(min(shown, default=self._document.project.rate))
        self._change(lambda run: replace(run, time=time))

    def _enter(self) -> None:
        text, run = self.value.take_text(), self._run
        if text is None or run is None:
            return
        try:
            rated = run.time.clock is Clock.RATE
            time = parse_photo_rate(text) if rated else parse_interval(text)
        except PlanError as error:
            self.show_run(run)
            self.refused.emit(str(error))
            return
        self._change(lambda run: replace(run, time=time))

    def _change(self, change: Callable[[PhotoRun], PhotoRun]) -> None:
        run, source = self._run, self._source()
        if run is None or source is None:
            return
        if not self._document.apply("Photos", lambda p: with_choices(p, source, change(run))):
            self.show_run(run)
