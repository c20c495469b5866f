"""The Bench: the settings of whatever is selected, in pages."""

from PySide6.QtCore import Signal
from PySide6.QtWidgets import (
    QButtonGroup,
    QFrame,
    QHBoxLayout,
    QPushButton,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from chronoxis.app.bench.accents_page import AccentsPage
from chronoxis.app.bench.beats_page import BeatsPage
from chronoxis.app.bench.footage_page import FootagePage
from chronoxis.app.bench.frames_page import FramesPage
from chronoxis.app.bench.happening_page import HappeningPage
from chronoxis.app.bench.join_page import JoinPage, joins_in_words
from chronoxis.app.bench.live_pictures import LivePictures
from chronoxis.app.bench.lulls_page import LullsPage
from chronoxis.app.bench.pace_page import PacePage
from chronoxis.app.bench.page import Page
from chronoxis.app.bench.picture_page import PicturePage
from chronoxis.app.bench.sound_page import SoundPage
from chronoxis.app.bench.steady_pictures import SteadyPictures
from chronoxis.app.document.document import Document
from chronoxis.app.footage.shelf import Shelf
from chronoxis.app.measuring.added_courses import AddedCourses
from chronoxis.app.measuring.camera_paths import CameraPaths
from chronoxis.app.measuring.found_lulls import FoundLulls
from chronoxis.app.measuring.picture_traces import PictureTraces
from chronoxis.app.measuring.proposed_pace import ProposedPace
from chronoxis.app.measuring.sound_traces import SoundTraces
from chronoxis.app.scroller import Scroller
from chronoxis.app.text_label import TextLabel
from chronoxis.app.theme.theme import font
from chronoxis.core.footage.reader_pool import Readers
from chronoxis.core.model.project import Place, Project
from chronoxis.core.render.credits import uncredited
from chronoxis.core.timing.cadence import Cadence
from chronoxis.core.timing.frame_making import Between
from chronoxis.core.timing.rates import format_rate
from chronoxis.core.timing.speed import format_speed
from chronoxis.core.timing.timecode import format_time

_GAP = 6  # pixels between its rows


class Bench(QFrame):
    """Pages of settings: of the selected passages, and of the footage that is chosen on the shelf.

    Attributes:
        pages: in their order.
        pace, frames, picture, sound, beats, accents, join, footage, lulls, happening: the pages of these
            names.
        caution: what is wrong with an entry or with what is selected.

    Signals:
        page_shown: another page is shown.
    """

    page_shown = Signal()

    def __init__(
        self,
        document: Document,
        shelf: Shelf,
        sounds: SoundTraces,
        traces: PictureTraces,
        cameras: CameraPaths,
        lulls: FoundLulls,
        added: AddedCourses,
        proposed: ProposedPace,
        readers: Readers,
    ) -> None:
        super().__init__()
        self._document, self._found = document, lulls
        self.setProperty("panel", True)
        self.title, self._span = TextLabel("Passage"), TextLabel()
        self.title.setFont(font(10.5, 600))
        self._span.setProperty("dim", True)
        self.pace, self.frames = PacePage(document), FramesPage(document, traces, readers)
        self.picture, self.sound = PicturePage(document, cameras, readers), SoundPage(document)
        self.beats, self.footage = BeatsPage(document, sounds), FootagePage(document, shelf, sounds)
        self.join, self.accents = JoinPage(document, cameras), AccentsPage(document, readers)
        self.lulls, self.happening = (
            LullsPage(document, lulls),
            HappeningPage(document, lulls, added, proposed),
        )
        self.pages: tuple[tuple[str, Page], ...] = (
            ("Pace", self.pace),
            ("Frames", self.frames),
            ("Picture", self.picture),
            ("Sound", self.sound),
            ("Beats", self.beats),
            ("Accents", self.accents),
            ("Join", self.join),
            ("Footage", self.footage),
            ("Lulls", self.lulls),
            ("Happening", self.happening),
        )
        # What can tell the pace: a page each, all of which belong to the first.
        self._paces = {
            self.pace: "Numbers",
            self.lulls: "Lulls",
            self.happening: "What happens",
            self.beats: "Beats",
        }
        self._passage_page: Page = self.pace  # which page to go back to from that of footage
        self._stack = QStackedWidget()
        self.page_buttons: list[QPushButton] = []
        self.caution = _caution_line()
        self._refusal, self._notes = "", False
        self._lay_out()
        document.eased.connect(self.show_project)
        document.selection.changed.connect(self.show_project)
        document.selection.footage_chosen.connect(self._follow_choice)
        document.refused.connect(self._refuse)
        for _, page in self.pages:
            page.refused.connect(self._refuse)
            page.noted.connect(self._show_caution)
        self.show_project()

    def pause_pictures(self, on: bool) -> None:
        """Make no pictures of choices while something plays; go on afterwards."""
        for live in self._live:
            live.pause(on)

    @property
    def _live(self) -> tuple[LivePictures | SteadyPictures, ...]:
        return self.frames.live, self.frames.between.details, self.accents.live, self.picture.steady.pictures

    @property
    def need(self) -> int:
        """Height at which no page has to scroll: the Weave gives way, since it can be read at any height."""
        more = self._pace_row.sizeHint().height() + _GAP
        shown = [
            page.sizeHint().height() + (more if page in self._paces else 0)
            for _, page in self.pages
            if page is not self.footage
        ]
        caution = self.caution.minimumHeight() + _GAP
        above = sum(row.sizeHint().height() for row in self._rows) + self._edges
        return above + max(max(shown) + caution, self.footage.sizeHint().height())

    @property
    def shown_width(self) -> int:
        """Pixels of width at which nothing of the page that is shown is cut."""
        margins = self.contentsMargins() if (layout := self.layout()) is None else layout.contentsMargins()
        return self.shown_page.minimumSizeHint().width() + margins.left() + margins.right()

    @property
    def shown_page(self) -> Page:
        """The page that is shown."""
        return self.pages[self.page][1]

    def show_page(self, number: int) -> None:
        """Show a page, by its number from 0; that of footage with the first there is, if none is chosen."""
        page = self.pages[number][1]
        footage = self._document.project.footage
        if page is not self.footage:
            self._passage_page = page
            self._document.selection.choose_footage(None)
        elif self._document.selection.footage is None and footage:
            shots = self._document.selection.shots
            shot = self._document.project.shots[shots[0]] if shots else None
            self._document.selection.choose_footage(shot.footage if shot else footage[0].key)
        self._show_page(page)

    def close_workers(self) -> None:
        """Stop the work in the background."""
        self.frames.cost.close()
        self.frames.found_window.close()
        for live in self._live:
            live.close()
        self.lulls.close_workers()
        self.happening.close_workers()

    @property
    def page(self) -> int:
        """Number of the page that is shown."""
        return self._stack.currentIndex()

    def _lay_out(self) -> None:
        head, row = QHBoxLayout(), QHBoxLayout()
        head.addWidget(self.title)
        head.addStretch()
        head.addWidget(self._span)
        row.setSpacing(2)
        group, of_pace = QButtonGroup(self), QButtonGroup(self)
        for number, (name, page) in enumerate(self.pages):
            button = self._page_button(name, number, of_pace if self._is_inner(page) else group)
            if not self._is_inner(page):
                row.addWidget(button)
            self.page_buttons.append(button)
            self._stack.addWidget(Scroller(page, squeezes=page is self.footage))
        row.addStretch()
        self._pace_row = self._made_pace_row(of_pace)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(12, 9, 12, 10)
        layout.setSpacing(_GAP)
        layout.addLayout(head)
        layout.addLayout(row)
        layout.addWidget(self._pace_row)
        layout.addWidget(self._stack, 1)
        layout.addWidget(self.caution)
        self._rows = head, row
        self._edges = layout.contentsMargins().top() + layout.contentsMargins().bottom() + 2 * _GAP

    def _page_button(self, name: str, number: int, group: QButtonGroup) -> QPushButton:
        button = QPushButton(name)
        button.setCheckable(True)
        button.setProperty("page", True)
        button.setToolTip(f"Show the page {self.pages[number][0]} (Alt+{key_of_page(number)})")
        button.clicked.connect(lambda _: self.show_page(number))
        group.addButton(button)
        button.setChecked(number == 0)  # in its group: Tab goes to what is checked
        return button

    def _made_pace_row(self, group: QButtonGroup) -> QWidget:
        """What can tell the pace, beside one another: numbers, or what is found in the footage."""
        row, buttons = QWidget(), QHBoxLayout()
        row.setLayout(buttons)
        buttons.setContentsMargins(0, 0, 0, 0)
        buttons.setSpacing(2)
        by = TextLabel("by")
        by.setProperty("dim", True)
        buttons.addWidget(by)
        numbers = {page: number for number, (_, page) in enumerate(self.pages)}
        for page, name in self._paces.items():
            if self._is_inner(page):
                button = self.page_buttons[numbers[page]]
                button.setText(name)
            else:
                button = self._by_numbers = self._page_button(name, numbers[page], group)
            buttons.addWidget(button)
        buttons.addStretch()
        return row

    def _is_inner(self, page: Page) -> bool:
        """Whether a page belongs to that of the pace."""
        return page in self._paces and page is not self.pace

    def show_project(self) -> None:
        """Show the values of what is selected."""
        project, places = self._document.project, self._document.selection.in_order
        there = bool(places) and bool(project.shots)
        for _, page in self.pages:
            page.setEnabled(there or page is self.footage)
        self.shown_page.show_project()  # the others when they are shown
        footage = self.footage.footage
        self._show_buttons()
        if self.shown_page is self.join and there:
            self.title.setText(joins_in_words(project, self._document.selection.joins))
            self._span.setText("")
        elif footage is not None and self.shown_page is self.footage:
            self.title.setText("Footage")
            self._span.setText(f"{project.footage.index(footage) + 1} of {len(project.footage)}")
        else:
            self.title.setText(_title(project, places) if there else "Nothing is selected")
            self._span.setText(_span(project, places) if there else "")
        self._show_caution()

    def show_join(self, number: int) -> None:
        """Show a join, by its number."""
        self._document.selection.select_join(number)
        self.show_page([page for _, page in self.pages].index(self.join))

    def _show_buttons(self) -> None:
        """Offer the pages that what is selected has: passages, with more than one shot joins; or footage."""
        of_footage = self.shown_page is self.footage
        several = len(self._document.project.shots) > 1
        offered = {
            self.footage: of_footage,
            self.accents: not of_footage,
            self.join: several and not of_footage,
        }
        self._pace_row.setVisible(self.shown_page in self._paces)
        for button, (_, page) in zip(self.page_buttons, self.pages, strict=True):
            button.setVisible(offered.get(page, True))

    def _show_page(self, page: Page) -> None:
        kept = self.caution.sizePolicy()
        kept.setRetainSizeWhenHidden(page is not self.footage)
        self.caution.setSizePolicy(kept)
        self._stack.setCurrentIndex([each for _, each in self.pages].index(page))
        self.page_buttons[self.page].setChecked(True)
        if page in self._paces:
            self.page_buttons[0].setChecked(True)
            self._by_numbers.setChecked(page is self.pace)
        self._found.want(page is self.lulls)
        if page is not self.happening:
            self.happening.drop()
        self.page_shown.emit()
        self._refuse("")
        self.show_project()

    def _follow_choice(self) -> None:
        chosen = self._document.selection.footage is not None
        self._show_page(self.footage if chosen else self._passage_page)

    def _show_caution(self) -> None:
        project, places = self._document.project, self._document.selection.in_order
        about = ""
        if places and project.shots and self.shown_page is not self.footage:
            page = self.shown_page
            about = page.about or _caution(project, places, on_pace=page is self.pace)
        text = self._refusal or about
        note = "" if text else self.shown_page.note
        if bool(note) != self._notes:
            self._notes = bool(note)
            self.caution.setProperty("caution", not note)
            self.caution.setProperty("note", bool(note))
            self.caution.style().polish(self.caution)
        text = text or note
        self.caution.setText(text)
        self.caution.setVisible(bool(text))

    def _refuse(self, text: str) -> None:
        self._refusal = text
        self._show_caution()


def _caution_line() -> TextLabel:
    """Two lines for what is wrong, whose room is kept: they must not move the Weave under a drag."""
    label = TextLabel()
    label.setProperty("caution", True)
    label.setWordWrap(True)
    label.setMinimumHeight(2 * label.fontMetrics().height() + 16)
    kept = label.sizePolicy()
    kept.setRetainSizeWhenHidden(True)
    label.setSizePolicy(kept)
    return label


def key_of_page(number: int) -> int:
    """The digit that shows a page, with Alt."""
    return (number + 1) % 10


def _title(project: Project, places: list[Place]) -> str:
    shots = {place.shot for place in places}
    of = f" of {len(project.shots)}" if len(project.shots) > 1 else ""
    if len(places) > 1:
        where = f"shot {places[0].shot + 1}{of}" if len(shots) == 1 else f"{len(shots)} shots"
        return f"{len(places)} passages, {where}"
    place = places[0]
    passages = project.shots[place.shot].passages
    shot = f"Shot {place.shot + 1}{of}" if of else "Shot"
    return (
        shot
        if len(passages) == 1
        else f"Passage {place.passage + 1} of {len(passages)}" + (f", shot {place.shot + 1}" if of else "")
    )


def _span(project: Project, places: list[Place]) -> str:
    if len(places) > 1:
        rows, numbers = project.rows, project.rows.of(places)
        return format_time(float((rows.ends[numbers] - rows.begins[numbers]).sum()), 2)
    shot = project.shots[places[0].shot]
    ends = sorted(shot.recorded_time(c) for c in shot.joints[places[0].passage : places[0].passage + 2])
    return f"{format_time(ends[0])} – {format_time(ends[1])}" + (" ◂" if shot.backwards else "")


def _caution(project: Project, places: list[Place], *, on_pace: bool) -> str:
    short = [place for place in places if place.passage in project.shots[place.shot].shortened]
    if short:
        real = float(project.shots[short[0].shot].pace.ramp_lengths[short[0].passage])
        return (
            f"{len(short)} ramps are shortened to what fits."
            if len(short) > 1
            else f"The ramp out is shortened to {real:.2f} s: there is no more room."
        )
    state = project.reckoner(places[0])
    run = project.footage_of(project.shots[places[0].shot])
    if len(places) == 1 and run.is_told_by_count:
        cadence = Cadence(state.speed * run.rate, project.rate)
        uneven = on_pace and not cadence.is_even
        return f"{cadence.in_words()} The page Frames has even choices." if uneven else ""
    held = project.passage(places[0]).making.between is Between.HOLD
    if len(places) == 1 and state.step < 1 and held:
        return (
            f"Recorded at {format_rate(state.recorded_rate)} fps: at {format_speed(state.speed)} "
            f"frames repeat ({float(1 / state.step):.3g} result frames each). The page Frames fills in."
        )
    if project.result_length * project.rate < 1:
        return "The result is shorter than one frame; it will be a single frame."
    if lacking := uncredited(project):
        return f"{lacking[0].name} has no full credit yet: its page has room for title, author and licence."
    return ""
