"""The buttons of the transport, and the line that says how it plays."""

from math import ceil

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QFrame, QHBoxLayout, QToolButton

from chronoxis.app.document.document import Document
from chronoxis.app.elided_label import ElidedLabel
from chronoxis.app.pictures.transport import Phase, Transport
from chronoxis.app.push_button import TersePushButton
from chronoxis.app.theme.theme import font, icon, scaled
from chronoxis.core.timing.timecode import format_time

_WORDS_WIDTH = 152  # pixels that the line needs, so that the buttons say less before it does


class TransportBar(QFrame):
    """Plays, steps, loops; offers what helps where frames come too slowly.

    Signals:
        loop_wanted: whether the selected passages are to be played over and over.
    """

    loop_wanted = Signal(bool)

    def __init__(self, document: Document, transport: Transport) -> None:
        super().__init__()
        self._document, self._transport = document, transport
        self.setProperty("panel", True)
        self._row = QHBoxLayout(self)
        self._row.setContentsMargins(8, 6, 10, 6)
        self._row.setSpacing(4)
        self._add_steps()
        self._row.addSpacing(10)
        self._add_loops()
        self._add_remedies()
        self._state = ElidedLabel()
        self._state.setProperty("dim", True)
        self._state.setFont(font(8.5))
        self._state.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        self._row.addWidget(self._state, 1)
        transport.changed.connect(self._show)
        self._show()

    @property
    def words(self) -> str:
        """What the line says."""
        return self._state.whole.replace("\n", " · ")

    def _add_steps(self) -> None:
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
            self._row.addWidget(button)
            if name == "play":
                self.play_button = button

    def _add_loops(self) -> None:
        self.loop_button = _tool("loop", "Go on at the beginning after the end (Ctrl+L)")
        self.loop_button.setCheckable(True)
        self.loop_button.setChecked(self._transport.loop)
        self.loop_button.toggled.connect(self._transport.set_loop)
        self.span_button = TersePushButton(
            "Loop passage", "Passage", "Play the selected passages over and over (Shift+L)"
        )
        self.span_button.setCheckable(True)
        self.span_button.clicked.connect(self.loop_wanted)
        for button in (self.loop_button, self.span_button):
            self._row.addWidget(button)

    def _add_remedies(self) -> None:
        transport = self._transport
        self.first_button = TersePushButton(
            "Make it first",
            "First",
            "Make all of what plays before it plays, so that it shows every frame at its rate (Shift+P)",
        )
        self.fewer_button = TersePushButton(
            "Fewer frames",
            "Fewer",
            "Play at the true rate from now on, and leave out frames that come too late (Shift+K)",
        )
        for button, act in (
            (self.fewer_button, transport.set_fewer),
            (self.first_button, transport.set_make_first),
        ):
            button.setCheckable(True)
            button.toggled.connect(act)
            button.hide()
            self._row.addWidget(button)

    def _jump(self, *, to_end: bool) -> None:
        count = self._document.frame_count
        self._transport.step(count if to_end else -count)

    def _show(self) -> None:
        transport = self._transport
        short = transport.state.lacks_frames and abs(transport.shuttle) == 1
        self.first_button.setVisible(short or transport.make_first)
        self.fewer_button.setVisible(short or transport.fewer)
        self.play_button.setIcon(icon("pause" if transport.playing else "play"))
        self.span_button.setChecked(transport.span is not None)
        self.fewer_button.setChecked(transport.fewer)
        words = self._words()
        self._state.setMinimumWidth(scaled(_WORDS_WIDTH) if "\n" in words else 0)
        self._state.show_text(words)

    def _words(self) -> str:
        state = self._transport.state
        left = state.left or 0.0
        begins = f"\nbegins in {format_time(ceil(left), 0)}" if left >= 1 else ""
        match state.phase:
            case Phase.AT_REST:
                return "at rest"
            case Phase.WAITS_FOR_ALL:
                made, count = state.of_all
                return f"made {made} of {count}{begins}"
            case Phase.WAITS_FOR_FRAMES:
                wanted = float(self._document.project.rate)
                rate = f"makes {state.made:.2g} of {wanted:g} a second" if state.made else "making frames"
                return f"{rate}{begins or ' …'}"
            case Phase.WAITS_FOR_SOUND:
                return f"making the sound{begins or ' …'}"
            case Phase.WAITS_FOR_DEVICE:
                return "looking for a sound device …"
            case Phase.PLAYS:
                return self._words_on_playing()

    def _words_on_playing(self) -> str:
        transport, rates = self._transport, self._transport.state.rates
        way = "" if transport.shuttle == 1 else f" × {transport.shuttle}"
        if rates is None:
            return f"real time{way}"
        due, shown = rates
        if not transport.state.lacks_frames:
            return f"real time{way}\nevery frame"
        return f"real time{way}\n{shown:.0f} of {due:.0f} frames a second"


def _tool(name: str, text: str) -> QToolButton:
    button = QToolButton()
    button.setIcon(icon(name))
    button.setToolTip(text)
    button.setAccessibleName(text.split(" (", maxsplit=1)[0])
    return button
