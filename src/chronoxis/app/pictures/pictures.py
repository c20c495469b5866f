"""The two pictures, what the result frame gathers, and the transport's buttons."""

import numpy as np
from PySide6.QtCore import Qt, QTimer
from PySide6.QtWidgets import QFrame, QHBoxLayout, QLabel, QPushButton, QToolButton, QVBoxLayout, QWidget

from chronoxis.app.background import Latest
from chronoxis.app.document import Document
from chronoxis.app.pictures.picture_views import GatherStrip, PictureView
from chronoxis.app.pictures.preview import Preview
from chronoxis.app.pictures.recorded_frames import Images, RecordedFrames, Wish
from chronoxis.app.pictures.transport import Transport
from chronoxis.app.theme.theme import font, icon
from chronoxis.core.model.playing import result_span
from chronoxis.core.render.export import Plan
from chronoxis.core.timing.timecode import format_time

_STRIP_IMAGES = 24
_SETTLE = 120  # milliseconds at rest before the strip is decoded


class Pictures(QWidget):
    """Shows what was recorded and what the result makes of it, at the playhead."""

    def __init__(self, document: Document, preview: Preview, transport: Transport) -> None:
        super().__init__()
        self._document = document
        self._preview = preview
        self._transport = transport
        self._frames = Latest(RecordedFrames().answer, "recorded frames")
        self._frames.answered.connect(self._show_recorded)
        self._shown: Wish | None = None
        self.recorded = PictureView("Recorded picture")
        self.result = PictureView("Result picture")
        self._recorded_time, self._result_time = _time_label(), _time_label()
        self._gathers = QLabel()
        self._gathers.setProperty("dim", True)
        self._strip = GatherStrip()
        self._settle = QTimer(self, singleShot=True, interval=_SETTLE)
        self._settle.timeout.connect(lambda: self._ask(with_strip=True))
        self._lay_out()
        document.playhead_moved.connect(lambda _: self._follow())
        for signal in (document.planned, document.recording_changed):
            signal.connect(self._follow)
        preview.ready.connect(self._take_ready)
        transport.changed.connect(self._show_transport)
        self._show_transport()

    def close_workers(self) -> None:
        """Stop the work in the background."""
        self._frames.close()

    def _lay_out(self) -> None:
        columns = QHBoxLayout()
        columns.setSpacing(8)
        for name, time, view in (
            ("Recorded", self._recorded_time, self.recorded),
            ("Result", self._result_time, self.result),
        ):
            head = QHBoxLayout()
            title = QLabel(name)
            title.setProperty("dim", True)
            head.addWidget(title)
            head.addStretch()
            head.addWidget(time)
            column = QVBoxLayout()
            column.setSpacing(4)
            column.addLayout(head)
            column.addWidget(view)
            columns.addLayout(column, 1)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(6)
        layout.addLayout(columns)
        layout.addWidget(self._gathers)
        layout.addWidget(self._strip, 1)
        layout.addStretch()
        layout.addWidget(self._transport_bar())

    def _transport_bar(self) -> QFrame:
        bar = QFrame()
        bar.setProperty("panel", True)
        row = QHBoxLayout(bar)
        row.setContentsMargins(8, 6, 10, 6)
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
        self.span_button = QPushButton("Loop &passage")
        self.span_button.setCheckable(True)
        self.span_button.setToolTip("Play the selected passages over and over (Shift+L)")
        self.span_button.clicked.connect(
            lambda on: self.loop_selection() if on else transport.loop_over(None)
        )
        row.addSpacing(10)
        row.addWidget(self.loop_button)
        row.addWidget(self.span_button)
        row.addStretch()
        self._state = QLabel()
        self._state.setProperty("dim", True)
        row.addWidget(self._state)
        return bar

    def loop_selection(self) -> None:
        """Play the selected passages over and over."""
        project, places = self._document.project, self._document.selection
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
        if plan is None:
            if not self._document.facts:
                self.recorded.show_image(None)
            self.result.show_image(None, self._why_none())
            self._strip.show_images([])
            self._recorded_time.setText("")
            self._result_time.setText("")
            self._gathers.setText("")
            return
        number = self._frame_of(plan)
        self._preview.want(number)
        frames, _ = plan.schedule.sources(number)
        edges = plan.edges[int(plan.schedule.shots[number])]
        self._recorded_time.setText(format_time(edges[frames[0]], 2))
        self._result_time.setText(f"{format_time(self._document.playhead, 2)} · frame {number:,}")
        span = f"{format_time(edges[frames[0]], 2)} – {format_time(edges[frames[-1] + 1], 2)}"
        many = f"gathers {len(frames):,} recorded frames" if len(frames) > 1 else "is one recorded frame"
        self._gathers.setText(f"This result frame {many}  ·  {span}")
        image = self._preview.image(number)
        if image is not None:
            self.result.show_image(image)
        self._ask(with_strip=False)
        if not self._transport.playing:
            self._settle.start()

    def _why_none(self) -> str:
        if not self._document.project.shots:
            return "No shot yet: add a recording from Footage, on the left."
        if self._document.missing:
            return "The result's picture appears once every recording is found: see Footage, on the left."
        if self._document.plan_refusal:
            return self._document.plan_refusal
        return "The result's picture appears once the frames are counted."

    def _ask(self, *, with_strip: bool) -> None:
        plan = self._document.plan
        if plan is None:
            return
        number = self._frame_of(plan)
        frames = plan.schedule.sources(number)[0]
        every = max(1, -(-len(frames) // _STRIP_IMAGES))
        strip = tuple(frames[::every].tolist()) if with_strip else ()
        recording = plan.sources[int(plan.schedule.shots[number])]
        wish = Wish(recording, int(frames[0]), strip)
        same = self._shown and (self._shown.number, self._shown.recording) == (wish.number, wish.recording)
        if not same or with_strip:
            self._shown = wish
            self._frames.ask(wish)

    def _show_recorded(self, wish: Wish, images: Images | None) -> None:
        plan = self._document.plan
        if images is None or plan is None or wish.recording not in plan.sources:
            return
        self.recorded.show_image(images.picture)
        if wish.strip:
            frames, weights = plan.schedule.sources(self._frame_of(plan))
            weight_of = dict(zip(frames.tolist(), (weights / weights.max()).tolist(), strict=True))
            self._strip.show_images([(images.strip.get(n), weight_of.get(n, 0.0)) for n in wish.strip])

    def _frame_of(self, plan: Plan) -> int:
        """The frame at the playhead; the plan may be a moment older than the project."""
        return min(self._document.result_frame, len(plan.schedule) - 1)

    def _take_ready(self, number: int) -> None:
        if number == self._document.result_frame and (image := self._preview.image(number)) is not None:
            self.result.show_image(image)

    def _show_transport(self) -> None:
        transport = self._transport
        self.play_button.setIcon(icon("pause" if transport.playing else "play"))
        self.span_button.setChecked(transport.span is not None)
        if not transport.playing:
            self._state.setText("at rest")
            self._follow()
        elif transport.waiting:
            self._state.setText("making the next frames…")
        else:
            way = "" if transport.shuttle == 1 else f" × {transport.shuttle}"
            self._state.setText(f"real time{way} · every frame")


def _time_label() -> QLabel:
    label = QLabel()
    label.setFont(font(10, 500))
    label.setAlignment(Qt.AlignmentFlag.AlignRight)
    return label


def _tool(name: str, text: str) -> QToolButton:
    button = QToolButton()
    button.setIcon(icon(name))
    button.setToolTip(text)
    button.setAccessibleName(text.split(" (", maxsplit=1)[0])
    return button
