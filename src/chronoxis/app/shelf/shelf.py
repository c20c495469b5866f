"""The Footage panel: what was brought in, and what it is."""

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QFrame, QHBoxLayout, QLabel, QProgressBar, QPushButton, QVBoxLayout

from chronoxis.app.document import Document
from chronoxis.app.theme.theme import font
from chronoxis.core.footage.facts import Facts
from chronoxis.core.timing.rates import format_rate
from chronoxis.core.timing.timecode import format_time


class Shelf(QFrame):
    """Shows the recording's facts.

    Signals:
        wanted: a person wants to bring in footage.
        given_up: a person does not want to wait for the counting of frames.
    """

    wanted = Signal()
    given_up = Signal()

    def __init__(self, document: Document) -> None:
        super().__init__()
        self._document = document
        self.setProperty("panel", True)
        self.setMinimumWidth(200)
        title = QLabel("Footage")
        title.setFont(font(10.5, 600))
        add = QPushButton("&Open…")
        add.setToolTip("Open a recording (Ctrl+O)")
        add.clicked.connect(self.wanted)
        head = QHBoxLayout()
        head.addWidget(title)
        head.addStretch()
        head.addWidget(add)
        self._name = QLabel()
        self._name.setFont(font(10, 600))
        self._name.setWordWrap(True)
        self._facts = QLabel()
        self._facts.setProperty("dim", True)
        self._facts.setWordWrap(True)
        self._caution = QLabel()
        self._caution.setProperty("caution", True)
        self._caution.setWordWrap(True)
        self._caution.hide()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(12, 10, 12, 12)
        layout.addLayout(head)
        layout.addSpacing(4)
        for label in (self._name, self._facts, self._caution):
            label.setAlignment(Qt.AlignmentFlag.AlignTop)
            layout.addWidget(label)
        self._counting = QProgressBar()
        self._counting.setTextVisible(False)
        self._counting.setAccessibleName("Counting frames")
        self._counting.setToolTip("How far the counting is; points and speed can be chosen meanwhile")
        self.give_up = QPushButton("&Cancel")
        self.give_up.setToolTip("Do not open this recording")
        self.give_up.clicked.connect(self.given_up)
        layout.addWidget(self._counting)
        layout.addWidget(self.give_up, 0, Qt.AlignmentFlag.AlignLeft)
        layout.addStretch()
        self.show_counting(None)
        document.recording_changed.connect(self._show)
        self._show()

    def show_counting(self, share: float | None) -> None:
        """Show how far the counting of frames is; None once it is over."""
        for widget in (self._counting, self.give_up):
            widget.setVisible(share is not None)
        self._counting.setValue(round(100 * (share or 0.0)))

    def _show(self) -> None:
        facts = self._document.facts
        if facts is None:
            self._name.setText("Nothing here yet")
            self._facts.setText("Open a recording, or drop one on the window.")
            return
        footage = self._document.project.expect_shot().footage
        self._name.setText(footage.name)
        self._name.setToolTip(str(facts.path))
        self._facts.setText("\n".join(_lines(facts)))
        caution = _caution(facts)
        self._caution.setText(caution)
        self._caution.setVisible(bool(caution))


def _lines(facts: Facts) -> list[str]:
    about = "" if facts.indexed else "about "
    rate = f"{format_rate(facts.rate)} fps" + (", varying" if facts.variable else "")
    sound = f"{facts.sound.codec.upper()}, {facts.sound.sample_rate / 1000:g} kHz" if facts.sound else "none"
    lines = [
        f"{about}{format_time(facts.length, 2)}  ·  {rate}",
        f"{about}{facts.frame_count:,} frames",
        f"{facts.width}×{facts.height}" + (f", turned {facts.rotation}°" if facts.rotation else ""),
        f"{facts.codec.upper()}, {facts.bit_depth} bit",
        f"Sound: {sound}",
        f"{facts.bitrate / 1e6:.1f} Mbit/s  ·  {facts.size / 1e6:,.0f} MB",
    ]
    return [*lines, f"Recorded {facts.recorded_on:%Y-%m-%d %H:%M}"] if facts.recorded_on else lines


def _caution(facts: Facts) -> str:
    if facts.missing:
        return (
            f"The file is cut off: its last {format_time(facts.missing)} are missing. The rest can be used."
        )
    return ""
