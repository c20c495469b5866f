"""The two pictures, what the result frame gathers, and the transport's bar below them."""

from collections.abc import Callable, Hashable

import numpy as np
from PySide6.QtCore import QTimer, Signal
from PySide6.QtGui import QImage, QResizeEvent
from PySide6.QtWidgets import (
    QButtonGroup,
    QHBoxLayout,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from chronoxis.app.checks.checks_line import ChecksLine
from chronoxis.app.checks.found_checks import FoundChecks
from chronoxis.app.document.document import Document
from chronoxis.app.elided_label import ElidedLabel
from chronoxis.app.pictures.before_after import BeforeAfter
from chronoxis.app.pictures.compared import Compared
from chronoxis.app.pictures.near_frames import WORTH_FRAMES, NearFrames, NearWish
from chronoxis.app.pictures.preview import PREVIEW_HEIGHT, RECORDED_HEIGHT, Preview
from chronoxis.app.pictures.stage import Mode, Stage
from chronoxis.app.pictures.still_frames import Still, StillFrames, StillWish
from chronoxis.app.pictures.transport import Transport
from chronoxis.app.pictures.transport_bar import TransportBar
from chronoxis.app.push_button import segments_of
from chronoxis.app.theme.theme import font
from chronoxis.app.workers import NewestWorker
from chronoxis.core.footage.absent import AbsentSource, DrawnSource
from chronoxis.core.footage.reader_pool import Readers
from chronoxis.core.footage.source import Source
from chronoxis.core.model.playing import result_span
from chronoxis.core.render.plan import Plan
from chronoxis.core.timing.timecode import format_time

PICTURE_MODES = (
    ("Recorded picture", "1", Mode.RECORDED),
    ("Result picture", "2", Mode.RESULT),
    ("Both pictures", "3", Mode.BOTH),
    ("Side by side", "4", Mode.SIDE),
)
"""Name in the menu, key and mode."""

_MODE_TIPS = {
    Mode.RECORDED: "Show the recorded picture large",
    Mode.RESULT: "Show the result's picture large",
    Mode.BOTH: "Show the recorded and the result's picture",
    Mode.SIDE: "Play the result in step with trials, or with what it is without corrections",
}
_STRIP_IMAGES = 24
_NOW = "as it is now"
_FINER = 1.5  # pixels of a picture for each that shows it: scaled by less, it would look soft
_SETTLE_MS = 120  # milliseconds at rest before the strip is decoded and a sharper picture made

NearestPicture = Callable[[Hashable, float], QImage | None]
"""Gives the small picture nearest to a stored second of a course of footage, if there is any."""


class Pictures(QWidget):
    """Shows what was recorded and what the result makes of it, at the playhead.

    Signals:
        trials_wanted: to choose what stands beside the result.
    """

    trials_wanted = Signal()

    def __init__(
        self,
        document: Document,
        preview: Preview,
        compared: Compared,
        transport: Transport,
        checks: FoundChecks,
        readers: Readers,
        nearest: NearestPicture,
        has_proxy: Callable[[Source], bool],
    ) -> None:
        super().__init__()
        self.checks = ChecksLine(document, checks)
        self._document = document
        self._preview, self._others = preview, compared
        self._transport = transport
        self._nearest, self._has_proxy = nearest, has_proxy
        preview.keeps_recorded = True
        self._still = NewestWorker(StillFrames(readers).answer, "still frame", awaited=True)
        self._still.answered.connect(self._show_still)
        self._near = NewestWorker(NearFrames().answer, "near frame", awaited=True)
        self._near.answered.connect(self._take_near)
        self._uneven = NewestWorker(StillFrames(readers).answer, "frame before")
        self._uneven.answered.connect(self._show_before)
        self._divider: BeforeAfter | None = None
        self._line: BeforeAfter | None = None  # up to which another result is shown
        self._compared: tuple[Plan, int] | None = None  # what the divider's frame before belongs to
        self._shown: tuple[Plan, int] | None = None  # what the result's picture is of
        self._refined: tuple[Plan, int] | None = None  # what more pixels are made of
        self.stage = Stage()
        self.recorded, self.result = self.stage.recorded, self.stage.result
        self._time = ElidedLabel()
        self._time.setFont(font(10, 500))
        self._settle = QTimer(self, singleShot=True, interval=_SETTLE_MS)
        self._settle.timeout.connect(self._refine)
        self.mode_buttons: dict[Mode, QPushButton] = {}
        self._lay_out()
        for view in (self.recorded, self.result):
            view.exact_toggled.connect(lambda _: self._refine())
        document.playhead_moved.connect(lambda _: self._follow())
        for signal in (document.planned, document.footage_changed):
            signal.connect(self._follow)
        document.pending_changed.connect(self._follow_waiting)
        preview.ready.connect(self._take_ready)
        compared.changed.connect(self._follow)
        compared.ready.connect(self._take_others)
        self.stage.trials.clicked.connect(self.trials_wanted)
        self.result.drawn.connect(self._note_drawn)
        transport.changed.connect(self._follow_rest)

    def close_workers(self) -> None:
        """Stop the work in the background."""
        self._still.close()
        self._near.close()
        self._uneven.close()

    def show_mode(self, mode: Mode) -> None:
        """Show one picture large, or both."""
        self.mode_buttons[mode].setChecked(True)
        self.stage.show_mode(mode)
        self._others.show(mode is Mode.SIDE)
        self._draw_divider()
        self._follow()

    def compare(self, on: bool) -> None:
        """Show, where frames are evened out or steadied, a line with the frame as recorded to the left."""
        if on == (self._divider is not None):
            return
        self._divider = BeforeAfter() if on else None
        self._draw_divider()
        if on:
            self._settle.start()

    def _draw_divider(self) -> None:
        self.result.set_marks(self._line if self.stage.mode is Mode.SIDE else self._divider)

    def toggle_exact(self) -> None:
        """Show what is large at its own pixels, or let it fit again."""
        (self.recorded if self.stage.mode is Mode.RECORDED else self.result).toggle_exact()

    def show_bare(self, on: bool) -> None:
        """Nothing but the pictures, for a full screen."""
        self._head.setVisible(not on)
        self.bar.setVisible(not on)
        self.checks.setVisible(not on and bool(self.checks.checks))

    def show_first(self, image: QImage) -> None:
        """Show the first picture of footage, while there is nothing better."""
        if self.recorded.image is None:
            self.recorded.show_image(image)

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._settle.start()

    def _lay_out(self) -> None:
        self._head, group = QWidget(), QButtonGroup(self)
        row = QHBoxLayout(self._head)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(4)
        for text, key, mode in PICTURE_MODES:
            name = text.removesuffix(" picture").removesuffix(" pictures")
            button = QPushButton(name)
            button.setCheckable(True)
            button.setProperty("choice", True)
            button.setToolTip(f"{_MODE_TIPS[mode]} ({key})")
            button.clicked.connect(lambda _, mode=mode: self.show_mode(mode))
            group.addButton(button)
            button.setChecked(mode is self.stage.mode)  # in its group: Tab goes to what is checked
            self.mode_buttons[mode] = button
        row.addWidget(segments_of(*self.mode_buttons.values()))
        row.addStretch()
        row.addWidget(self._time)
        self.bar = TransportBar(self._document, self._transport)
        self.bar.loop_wanted.connect(
            lambda on: self.loop_selection() if on else self._transport.loop_over(None)
        )
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(6)
        layout.addWidget(self._head)
        layout.addWidget(self.stage, 1)
        layout.addWidget(self.bar)
        layout.addWidget(self.checks)

    def loop_selection(self) -> None:
        """Play the selected passages over and over."""
        project, places = self._document.project, self._document.selection.places
        if places:
            spans = [result_span(project, place) for place in places]
            self._transport.loop_over((min(span[0] for span in spans), max(span[1] for span in spans)))
        else:
            self._transport.loop_over(None)

    def loop_joint(self) -> None:
        """Play a second either side of the joint or cut nearest to the playhead, over and over."""
        project, here = self._document.project, float(self._document.playhead)
        joints = project.rows.ends[:-1]
        if len(joints):
            joint = float(joints[np.argmin(np.abs(joints - here))])
            end = float(project.result_length)
            self._transport.loop_over((max(0.0, joint - 1), min(end, joint + 1)))

    def _follow(self) -> None:
        plan = self._document.plan
        if plan is None:
            if not self._document.known.facts:
                self.recorded.show_image(None)
            self.result.show_image(None, self._why_none())
            self.stage.grid.show_images([])
            self._time.show_text("")
            for label in (self.stage.beside, self.stage.gathers):
                label.setText("")
            return
        number = self._frame_of(plan)
        if self._refined not in (None, (plan, number)):
            self._refined = None
            self._still.give_up()
            self._uneven.give_up()
        if self._divider is not None and not self._belongs(self._compared, plan, number):
            self._divider.before = None
        if not self._transport.playing:
            self._preview.want(number)
            self._settle.start()
        self._tell(plan, number)
        if self.stage.mode is Mode.SIDE:
            self._show_others(number)
        if self._is_dark(plan):
            self._shown = None
            small = {Mode.RESULT: self.recorded, Mode.RECORDED: self.result}.get(self.stage.mode)
            for view in (self.recorded, self.result):  # the small one has no room for words
                view.show_image(None, "" if view is small else self._why_none())
        elif self._preview.has(number):
            self._show_made(plan, number)
        elif not self._transport.playing:
            self._seek_near(plan, number)

    def _show_made(self, plan: Plan, number: int) -> None:
        """What is made of a frame, at once."""
        image = self._preview.image(number)
        if image is None:
            self._shown = None
            self.result.show_image(None, self._preview.why_broken(number))
            return
        if self._shown == (plan, number) and not self.result.is_near:
            return  # it is there, perhaps finer
        self._shown = plan, number
        self.result.show_image(image, full=plan.size)
        recorded = self._preview.recorded(number)
        form = plan.pictures[int(plan.schedule.shots[number])]
        self.recorded.show_image(recorded or image, full=form.size)
        self.stage.grid.show_images([])
        self.stage.arrange()

    def _seek_near(self, plan: Plan, number: int) -> None:
        """Until the very pictures are there, what there is from near them: small, then from a key frame."""
        shot = int(plan.schedule.shots[number])
        source, first = plan.sources[shot], int(plan.schedule.sources(number)[0][0])
        course = plan.project.footage_named(plan.project.shots[shot].footage).course
        near = self._nearest(course, float(source.edges[first]))
        if near is not None:
            self._show_near(plan, number, near)
        hangs_on = 0 if source.is_quick else first - source.originals.leap_before(first)
        if hangs_on >= WORTH_FRAMES and not self._has_proxy(source):
            self._near.ask(NearWish(source, first, PREVIEW_HEIGHT))

    def _take_near(self, wish: NearWish, near: QImage | None) -> None:
        plan = self._document.plan
        if near is None or plan is None or wish.source not in plan.sources:
            return
        number = self._frame_of(plan)
        if int(plan.schedule.sources(number)[0][0]) == wish.number and not self._preview.has(number):
            self._show_near(plan, number, near)

    def _show_near(self, plan: Plan, number: int, near: QImage) -> None:
        """Show a picture from near, as far as the result shows of it."""
        shot = int(plan.schedule.shots[number])
        form, views = plan.pictures[shot], plan.views[shot]
        self.recorded.show_image(near, full=form.size, near=True)
        scale = near.height() / form.height
        part = near.copy(*(round(side * scale) for side in views.box(number))) if views else near
        self.result.show_image(part, full=plan.size, near=True)

    def _note_drawn(self) -> None:
        plan = self._document.plan
        if self._shown is not None and self._shown == (plan, self._document.result_frame):
            self._transport.note_shown(self._shown[1])

    def _follow_rest(self) -> None:
        """What is gathered is not shown while playing; where that ends, its last picture is made fine."""
        if self._transport.playing:
            self.stage.grid.show_images([])
        else:
            self._follow()

    def compare_by_line(self, on: bool) -> None:
        """Show one other result under the result, up to a line that can be dragged; or beside it."""
        self._line = BeforeAfter() if on else None
        self._draw_divider()
        self._follow()

    def _show_others(self, number: int) -> None:
        """The frames that stand beside the result's, and what they are."""
        beside = self._others.beside
        by_line = self._line is not None and len(beside) == 1
        self.stage.show_beside(len(beside), by_line=by_line)
        self._others.want(number)
        for other, view, caption in zip(beside, self.stage.others, self.stage.captions, strict=False):
            caption.show_text(other.words)
            if (image := other.image(number)) is not None:
                view.show_image(image, full=other.plan.size if other.plan else None)
            elif other.plan is None:
                view.show_image(None, other.refusal)
            if self._line is not None:
                self._line.before, self._line.names = view.image if by_line else None, (other.words, _NOW)
        self.stage.captions[-1].show_text(_NOW)
        self.result.update()

    def _take_others(self) -> None:
        plan = self._document.plan
        if self.stage.mode is Mode.SIDE and plan is not None:
            self._show_others(self._frame_of(plan))
            self.stage.arrange()

    def _is_dark(self, plan: Plan) -> bool:
        """Whether what is at the playhead is not there."""
        source = plan.sources[int(plan.schedule.shots[self._frame_of(plan)])]
        return isinstance(source, AbsentSource) and not isinstance(source, DrawnSource)

    def _follow_waiting(self) -> None:
        plan = self._document.plan
        if plan is None or self._is_dark(plan):
            self._follow()

    def _tell(self, plan: Plan, number: int) -> None:
        """What is shown, in words."""
        frames, _ = plan.schedule.sources(number)
        edges = plan.edges[int(plan.schedule.shots[number])]
        recorded, result = format_time(edges[frames[0]], 2), format_time(self._document.playhead, 2)
        large = self.stage.mode is Mode.RECORDED
        self._time.show_text(f"recorded {recorded}" if large else f"{result} · frame {number}")
        if self.stage.mode is not Mode.SIDE:
            self.stage.beside.setText(f"Result {result}" if large else f"Recorded {recorded}")
        span = f"{recorded} – {format_time(edges[frames[-1] + 1], 2)}"
        many = len(frames) > 1
        self.stage.gathers.setText(f"gathers {len(frames)} frames" if many else "is one recorded frame")
        self.stage.gathers.setToolTip(f"Recorded {span}")
        self.stage.arrange()

    def _why_none(self) -> str:
        if not self._document.project.shots:
            return "No shot yet: add a recording from Footage, on the left."
        for footage in self._document.project.footage:
            if (pending := self._document.known.pending.get(footage.origin)) is not None:
                return f"{footage.name}: {pending.doing} The result's picture appears after that."
        if self._document.known.stopped:
            return "The result's picture appears once all frames are counted: see Footage, on the left."
        if self._document.known.missing:
            return "The result's picture appears once all footage is found: see Footage, on the left."
        if self._document.planner.refusal:
            return self._document.planner.refusal
        return "The result's picture appears once the frames are counted."

    def _refine(self) -> None:
        """At rest: decode what is gathered, and make the picture as sharp as it is shown."""
        plan = self._document.plan
        if plan is None or self._transport.playing or self._is_dark(plan):
            return
        number = self._frame_of(plan)
        if self._preview.image(number) is None:
            return  # once it is made, this comes again: no group is decoded twice at a time
        shot = int(plan.schedule.shots[number])
        frames, form = plan.schedule.sources(number)[0], plan.pictures[shot]
        height = self._pixels_high(self.result.exact, self.result.height(), plan.size[1])
        recorded = self._pixels_high(self.recorded.exact, self.recorded.height(), form.height)
        every = max(1, -(-len(frames) // _STRIP_IMAGES))
        strip = tuple(frames[::every].tolist()) if len(frames) > 1 else ()
        seen = plan.sources[shot].has_pictures
        self._refined = plan, number
        finer = self.result.exact or height > PREVIEW_HEIGHT
        if finer or (seen and (self.recorded.exact or recorded > RECORDED_HEIGHT or strip)):
            self._still.ask(StillWish(plan, number, height, recorded if seen else 0, strip if seen else ()))
        if self._divider is not None and (plan.corrections[shot] or plan.warps[shot]):
            self._uneven.ask(StillWish(plan.uncorrected, number, height))

    def _pixels_high(self, exact: bool, shown: int, full: int) -> int:
        return full if exact else min(full, round(shown * self.devicePixelRatioF() * _FINER))

    def _show_still(self, wish: StillWish, still: Still | None) -> None:
        plan, number = self._document.plan, wish.number
        if still is None or wish.plan is not plan or number != self._frame_of(plan):
            return
        if still.result is not None:
            self._shown = plan, number
            self.result.show_image(still.result, full=plan.size)
        if still.recorded is not None:
            form = plan.pictures[int(plan.schedule.shots[number])]
            self.recorded.show_image(still.recorded, full=form.size)
        if wish.strip and not self._transport.playing:
            frames, weights = plan.schedule.sources(number)
            weight_of = dict(zip(frames.tolist(), (weights / weights.max()).tolist(), strict=True))
            self.stage.grid.show_images([(still.strip.get(n), weight_of.get(n, 0.0)) for n in wish.strip])
        self.stage.arrange()

    def _show_before(self, wish: StillWish, still: Still | None) -> None:
        plan, image = self._document.plan, None if still is None else still.result
        if self._divider is None or plan is None or image is None:
            return
        if self._belongs((wish.plan, wish.number), plan, self._frame_of(plan)):
            self._divider.before, self._compared = image, (plan, wish.number)
            self.result.update()

    @staticmethod
    def _belongs(compared: tuple[Plan, int] | None, plan: Plan, number: int) -> bool:
        """Whether what was made of a plan's frame is of another plan's frame as well."""
        return compared is not None and compared[1] == number and compared[0].looks_like(plan)

    def _frame_of(self, plan: Plan) -> int:
        """The frame at the playhead; the plan may be a moment older than the project."""
        return min(self._document.result_frame, len(plan.schedule) - 1)

    def _take_ready(self, number: int) -> None:
        plan = self._document.plan
        if plan is None or number != self._document.result_frame or self._is_dark(plan):
            return
        self._show_made(plan, number)
        if not self._transport.playing:
            self._settle.start()
