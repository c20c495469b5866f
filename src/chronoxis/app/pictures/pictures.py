"""The two pictures, what the result frame gathers, and the transport's buttons."""

import numpy as np
from PySide6.QtCore import QTimer
from PySide6.QtGui import QImage, QResizeEvent
from PySide6.QtWidgets import (
    QButtonGroup,
    QFrame,
    QHBoxLayout,
    QPushButton,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from chronoxis.app.document.document import Document
from chronoxis.app.elided_label import ElidedLabel
from chronoxis.app.measuring.camera_paths import CameraPaths
from chronoxis.app.pictures.before_after import BeforeAfter
from chronoxis.app.pictures.checks_line import ChecksLine
from chronoxis.app.pictures.compared import Compared
from chronoxis.app.pictures.preview import PREVIEW_HEIGHT, Preview
from chronoxis.app.pictures.recorded_frames import Images, RecordedFrames, Wish
from chronoxis.app.pictures.sharp_frames import SharpWish, sharp_frame
from chronoxis.app.pictures.stage import Mode, Stage
from chronoxis.app.pictures.transport import Transport
from chronoxis.app.push_button import TersePushButton
from chronoxis.app.theme.theme import font, icon
from chronoxis.app.workers import NewestWorker
from chronoxis.core.footage.absent import AbsentSource
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
    Mode.SIDE: "Play the result beside what it is without corrections, or beside what you kept",
}
_STRIP_IMAGES = 24
_WITHOUT = "as recorded, at even steps: not steadied, lined up or evened out"
_FINER = 1.5  # pixels of a picture for each that shows it: scaled by less, it would look soft
_TELL = 400  # milliseconds between two words about how fast frames are made
_SETTLE_MS = 120  # milliseconds at rest before the strip is decoded and a sharper picture made


class Pictures(QWidget):
    """Shows what was recorded and what the result makes of it, at the playhead."""

    def __init__(
        self,
        document: Document,
        preview: Preview,
        compared: Compared,
        transport: Transport,
        cameras: CameraPaths,
    ) -> None:
        super().__init__()
        self.checks = ChecksLine(document, cameras)
        self._document = document
        self._preview, self._other = preview, compared
        self._transport = transport
        self._frames = NewestWorker(RecordedFrames().answer, "recorded frames")
        self._frames.answered.connect(self._show_recorded)
        self._sharp = NewestWorker(sharp_frame, "sharp frame")
        self._sharp.answered.connect(self._show_sharp)
        self._uneven = NewestWorker(sharp_frame, "frame before")
        self._uneven.answered.connect(self._show_before)
        self._divider: BeforeAfter | None = None
        self._compared: tuple[Plan, int] | None = None  # what the divider's frame before belongs to
        self._shown: Wish | None = None
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
        compared.ready.connect(self._take_other)
        self.stage.keep.clicked.connect(compared.keep)
        self._telling = QTimer(self, singleShot=True, interval=_TELL)
        self._telling.timeout.connect(self._tell_pace)
        transport.changed.connect(self._show_transport)
        self._show_transport()

    def close_workers(self) -> None:
        """Stop the work in the background."""
        self._frames.close()
        self._sharp.close()
        self._uneven.close()

    def show_mode(self, mode: Mode) -> None:
        """Show one picture large, or both."""
        self.mode_buttons[mode].setChecked(True)
        self.stage.show_mode(mode)
        self._other.show(mode is Mode.SIDE)
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
        self.result.set_marks(None if self.stage.mode is Mode.SIDE else self._divider)

    def toggle_exact(self) -> None:
        """Show what is large at its own pixels, or let it fit again."""
        (self.recorded if self.stage.mode is Mode.RECORDED else self.result).toggle_exact()

    def show_bare(self, on: bool) -> None:
        """Nothing but the pictures, for a full screen."""
        self._head.setVisible(not on)
        self._bar.setVisible(not on)
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
            row.addWidget(button)
            self.mode_buttons[mode] = button
        row.addStretch()
        row.addWidget(self._time)
        self._bar = self._transport_bar()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(6)
        layout.addWidget(self._head)
        layout.addWidget(self.stage, 1)
        layout.addWidget(self._bar)
        layout.addWidget(self.checks)

    def _transport_bar(self) -> QFrame:
        bar = QFrame()
        bar.setProperty("panel", True)
        row = QHBoxLayout(bar)
        row.setContentsMargins(8, 6, 10, 6)
        row.setSpacing(4)
        transport = self._transport
        for name, text, act in (
            ("to-start", "To the beginning (Home)", lambda: self._jump(to_end=False)),
            ("step-back", "One result frame back (Left)", lambda: transport.step(-1)),
            ("play", "Play or pause (Space)", transport.toggle),
            ("step-forward", "One result frame on (Right)", lambda: transport.step(1)),
            ("to-end", "To the end (End)", lambda: self._jump(to_end=True)),
        ):
            button = _tool(name, text)
            button.clicked.connect(act)
            row.addWidget(button)
            if name == "play":
                self.play_button = button
        self.loop_button = _tool("loop", "Go on at the beginning after the end (Ctrl+L)")
        self.loop_button.setCheckable(True)
        self.loop_button.setChecked(transport.loop)
        self.loop_button.toggled.connect(transport.set_loop)
        self.span_button = TersePushButton(
            "Loop passage", "Passage", "Play the selected passages over and over (Shift+L)"
        )
        self.span_button.setCheckable(True)
        self.span_button.clicked.connect(
            lambda on: self.loop_selection() if on else transport.loop_over(None)
        )
        row.addSpacing(10)
        row.addWidget(self.loop_button)
        row.addWidget(self.span_button)
        row.addStretch()
        self.first_button = TersePushButton(
            "Make it first",
            "First",
            "Make all of what plays before it plays, so that it keeps its rate (Shift+P)",
        )
        self.first_button.setCheckable(True)
        self.first_button.toggled.connect(transport.set_make_first)
        self.first_button.hide()
        row.addWidget(self.first_button)
        self._state = ElidedLabel()
        self._state.setProperty("dim", True)
        row.addWidget(self._state)
        return bar

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

    def _jump(self, *, to_end: bool) -> None:
        count = self._document.frame_count
        self._transport.step(count if to_end else -count)

    def _follow(self) -> None:
        plan = self._document.plan
        self.stage.keep.setChecked(self._other.kept is not None)
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
        if self._divider is not None and not self._belongs(self._compared, plan, number):
            self._divider.before = None
        self._preview.want(number)
        self._tell(plan, number)
        if self.stage.mode is Mode.SIDE:
            self._show_other(number)
        image = self._preview.image(number)
        if self._is_dark(plan):
            small = {Mode.RESULT: self.recorded, Mode.RECORDED: self.result}.get(self.stage.mode)
            for view in (self.recorded, self.result):  # the small one has no room for words
                view.show_image(None, "" if view is small else self._why_none())
        elif image is not None:
            self.result.show_image(image, full=plan.size)
        self._ask(refined=False)
        if not self._transport.playing:
            self._settle.start()

    def _show_other(self, number: int) -> None:
        """The frame that stands beside the result's, and what it is."""
        other = self._other
        other.want(number)
        if (image := other.image(number)) is not None:
            self.stage.other.show_image(image, full=other.plan.size if other.plan else None)
        elif other.plan is None:
            self.stage.other.show_image(None, other.refusal)
        kept = other.kept is not None
        self.stage.beside.setText("Left: what you kept" if kept else f"Left: {_WITHOUT}")

    def _take_other(self, number: int) -> None:
        if self.stage.mode is Mode.SIDE and number == self._document.result_frame:
            self._show_other(number)
            self.stage.arrange()

    def _is_dark(self, plan: Plan) -> bool:
        """Whether what is at the playhead is not there."""
        return isinstance(plan.sources[int(plan.schedule.shots[self._frame_of(plan)])], AbsentSource)

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
        self._ask(refined=True)
        plan = self._document.plan
        if plan is None or self._transport.playing or self._is_dark(plan):
            return
        height = self._pixels_high(self.result.exact, self.result.height(), plan.size[1])
        if self.result.exact or height > PREVIEW_HEIGHT:
            self._sharp.ask(SharpWish(plan, self._frame_of(plan), height))
        shot = int(plan.schedule.shots[self._frame_of(plan)])
        if self._divider is not None and (plan.corrections[shot] or plan.warps[shot]):
            self._uneven.ask(SharpWish(plan.uncorrected, self._frame_of(plan), height))

    def _pixels_high(self, exact: bool, shown: int, full: int) -> int:
        return full if exact else min(full, round(shown * self.devicePixelRatioF() * _FINER))

    def _ask(self, *, refined: bool) -> None:
        plan = self._document.plan
        if plan is None:
            return
        number = self._frame_of(plan)
        frames = plan.schedule.sources(number)[0]
        every = max(1, -(-len(frames) // _STRIP_IMAGES))
        strip = tuple(frames[::every].tolist()) if refined else ()
        source = plan.sources[int(plan.schedule.shots[number])]
        full = source.facts.picture.height
        height = self._pixels_high(refined and self.recorded.exact, max(self.recorded.height(), 90), full)
        wish = Wish(source, int(frames[0]), height, strip)
        same = self._shown and (self._shown.number, self._shown.source) == (wish.number, wish.source)
        if not same or refined:
            self._shown = wish
            self._frames.ask(wish)

    def _show_recorded(self, wish: Wish, images: Images | None) -> None:
        plan = self._document.plan
        if images is None or plan is None or wish.source not in plan.sources:
            return
        if not wish.source.has_pictures:
            return  # nothing to see
        self.recorded.show_image(images.picture, full=wish.source.facts.picture.size)
        if wish.strip:
            frames, weights = plan.schedule.sources(self._frame_of(plan))
            weight_of = dict(zip(frames.tolist(), (weights / weights.max()).tolist(), strict=True))
            self.stage.grid.show_images([(images.strip.get(n), weight_of.get(n, 0.0)) for n in wish.strip])
        self.stage.arrange()

    def _show_sharp(self, wish: SharpWish, image: QImage | None) -> None:
        if (
            image is not None
            and wish.plan is self._document.plan
            and wish.number == self._frame_of(wish.plan)
        ):
            self.result.show_image(image, full=wish.plan.size)

    def _show_before(self, wish: SharpWish, image: QImage | None) -> None:
        plan = self._document.plan
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

    def _tell_pace(self) -> None:
        if self._transport.playing and self._transport.waiting:
            self._show_transport()

    def _take_ready(self, number: int) -> None:
        if self._transport.waiting and not self._telling.isActive():
            self._telling.start()
        plan = self._document.plan
        if plan is None or number != self._document.result_frame or self._is_dark(plan):
            return
        if (image := self._preview.image(number)) is not None:
            self.result.show_image(image, full=plan.size)
            self.stage.arrange()
            if not self._transport.playing:
                self._settle.start()

    def _show_transport(self) -> None:
        transport = self._transport
        short = transport.playing and transport.waiting and not transport.waits_for_sound
        self.first_button.setVisible(short or transport.make_first)
        self.play_button.setIcon(icon("pause" if transport.playing else "play"))
        self.span_button.setChecked(transport.span is not None)
        if not transport.playing:
            self._state.show_text("at rest")
            self._follow()
        elif transport.waits_for_sound:
            self._state.show_text(transport.sound_wait)
        elif transport.waiting:
            self._state.show_text(self._pace_of_making())
        else:
            way = "" if transport.shuttle == 1 else f" × {transport.shuttle}"
            self._state.show_text(f"real time{way} · every frame")

    def _pace_of_making(self) -> str:
        """What to say while frames are waited for: how fast they come, and how long it takes."""
        rate, wanted = self._preview.rate, float(self._document.project.rate)
        if self._transport.make_first:
            made, count = self._transport.made_of_loop
            left = f", {(count - made) / rate:.0f} s left" if rate else ""
            return f"made {made} of {count}{left}"
        return f"makes {rate:.2g} of {wanted:g} a second" if rate else "making the next frames…"


def _tool(name: str, text: str) -> QToolButton:
    button = QToolButton()
    button.setIcon(icon(name))
    button.setToolTip(text)
    button.setAccessibleName(text.split(" (", maxsplit=1)[0])
    return button
