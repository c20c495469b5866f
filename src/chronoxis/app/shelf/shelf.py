"""The Footage panel: what was brought in, and what it is."""

from fractions import Fraction
from pathlib import Path

from PySide6.QtCore import QSize, Qt, Signal
from PySide6.QtGui import QImage, QPainter, QPaintEvent
from PySide6.QtWidgets import (
    QFrame,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QProgressBar,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from chronoxis.app.document import Document
from chronoxis.app.theme.theme import GROUND, font, scaled
from chronoxis.core.errors import PlanError
from chronoxis.core.footage.facts import Facts
from chronoxis.core.model import arranging
from chronoxis.core.model.project import Footage
from chronoxis.core.timing.rates import format_rate, parse_rate
from chronoxis.core.timing.timecode import format_time


class Shelf(QFrame):
    """Shows the project's recordings.

    Signals:
        wanted: a person wants to bring in footage.
        given_up: a person does not want to wait for the counting of a recording's frames; its path.
        locate_wanted: a person wants to say where a missing recording is; its key.
    """

    wanted = Signal()
    given_up = Signal(object)
    locate_wanted = Signal(str)

    def __init__(self, document: Document) -> None:
        super().__init__()
        self._document = document
        self._thumbnails: dict[Path, QImage] = {}
        self._counting: dict[Path, float] = {}
        self.cards: dict[str, FootageCard] = {}
        self.setProperty("panel", True)
        self.setMinimumWidth(scaled(200))
        title = QLabel("Footage")
        title.setFont(font(10.5, 600))
        add = QPushButton("&Add…")
        add.setToolTip("Bring in a recording (Ctrl+O)")
        add.clicked.connect(self.wanted)
        head = QHBoxLayout()
        head.addWidget(title)
        head.addStretch()
        head.addWidget(add)
        self._list = QVBoxLayout()
        self._list.setContentsMargins(0, 0, 0, 0)
        self._list.setSpacing(8)
        self._list.addStretch()
        inside = QWidget()
        inside.setLayout(self._list)
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        scroll.setWidget(inside)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(10, 9, 6, 10)
        layout.addLayout(head)
        layout.addWidget(scroll, 1)
        document.recording_changed.connect(self._show)
        document.eased.connect(self._show)

    def show_thumbnail(self, path: Path, image: QImage) -> None:
        """Show a recording's first picture."""
        self._thumbnails[path] = image
        self._show()

    def show_counting(self, path: Path, share: float | None) -> None:
        """Show how far the counting of frames is; None once it is over."""
        if share is None:
            self._counting.pop(path, None)
        else:
            self._counting[path] = share
        self._show()

    def card_of(self, path: Path) -> "FootageCard":
        """The card of a recording. Raises StopIteration if it has none."""
        return next(card for card in self.cards.values() if card.footage.path == path)

    def _show(self) -> None:
        project = self._document.project
        keys = [footage.key for footage in project.footage]
        for key in [key for key in self.cards if key not in keys]:
            self.cards.pop(key).deleteLater()
        for number, footage in enumerate(project.footage):
            if footage.key not in self.cards:
                card = self.cards[footage.key] = FootageCard(self._document, footage)
                card.locate.clicked.connect(lambda _, key=footage.key: self.locate_wanted.emit(key))
                card.give_up.clicked.connect(lambda _, card=card: self.given_up.emit(card.footage.path))
                self._list.insertWidget(number, card)
            thumbnail = self._thumbnails.get(footage.path)
            self.cards[footage.key].show_footage(footage, thumbnail, self._counting.get(footage.path))


class FootageCard(QFrame):
    """One recording: its picture, its facts, what is wrong with it, and what can be done about it."""

    def __init__(self, document: Document, footage: Footage) -> None:
        super().__init__()
        self._document = document
        self.footage = footage
        self._picture = _Thumbnail()
        self._name, self._facts, self.caution = QLabel(), QLabel(), QLabel()
        self._name.setFont(font(9.5, 600))
        self._facts.setProperty("dim", True)
        self._facts.setFont(font(8.5))
        self.caution.setProperty("caution", True)
        for label in (self._name, self._facts, self.caution):
            label.setWordWrap(True)
        self._progress = QProgressBar()
        self._progress.setTextVisible(False)
        self._progress.setAccessibleName("Counting frames")
        self._progress.setToolTip("How far the counting is; points and speed can be chosen meanwhile")
        self.give_up = _button("&Cancel", "Do not bring in this recording")
        self.locate = _button("&Locate…", "Say where this recording is; others beside it are found too")
        self.adopt = _button("Take it as it &is", "Use the file as it is now; shots are cut to its length")
        self.adopt.clicked.connect(self._adopt)
        self.use = _button("Add s&hot", "Put all of this recording at the end of the result, as a new shot")
        self.use.clicked.connect(
            lambda: self._document.apply("Add shot", lambda p: arranging.add_shot(p, self.footage.key))
        )
        self.capture = QLineEdit()
        self.capture.setAccessibleName("Capture rate")
        self.capture.setToolTip("Frames per second as they were shot, if not as stored: then 1× is real time")
        self.capture.setFixedWidth(scaled(64))
        self.capture.editingFinished.connect(self._enter_capture)
        self._shot_at = QLabel("Shot at")
        self._shot_at.setProperty("dim", True)
        self._shot_at.setFont(font(8.5))
        row = QHBoxLayout()
        row.addWidget(self._shot_at)
        row.addWidget(self.capture)
        row.addStretch()
        row.addWidget(self.use)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 4, 6)
        layout.setSpacing(4)
        top = QHBoxLayout()
        top.addWidget(self._picture, 0, Qt.AlignmentFlag.AlignTop)
        top.addWidget(self._name, 1, Qt.AlignmentFlag.AlignTop)
        layout.addLayout(top)
        layout.addWidget(self._facts)
        layout.addLayout(row)
        for widget in (self.caution, self._progress):
            layout.addWidget(widget)
        buttons = QHBoxLayout()
        for button in (self.give_up, self.locate, self.adopt):
            buttons.addWidget(button)
        buttons.addStretch()
        layout.addLayout(buttons)

    def show_footage(self, footage: Footage, image: QImage | None, counting: float | None) -> None:
        """Show a footage value, its picture, and how far its counting is."""
        self.footage = footage
        facts = self._document.facts.get(footage.path)
        missing = self._document.missing.get(footage.path, "").replace(str(footage.path), footage.path.name)
        altered = self._document.altered(footage)
        self._picture.show_image(image)
        self._name.setText(footage.name)
        self._name.setToolTip(str(footage.path))
        self._facts.setText(_facts(footage, facts))
        if not self.capture.isModified():
            self.capture.setText(f"{format_rate(footage.rate)} fps")
        caution = missing or altered or (_cut_off(facts) if facts else "")
        self.caution.setText(caution)
        self.caution.setToolTip(str(footage.path))
        self.caution.setVisible(bool(caution))
        self._progress.setVisible(counting is not None)
        self._progress.setValue(round(100 * (counting or 0.0)))
        self.give_up.setVisible(counting is not None)
        self.locate.setVisible(bool(missing or altered))
        self.adopt.setVisible(bool(altered and not missing))
        self.use.setVisible(counting is None and not missing)
        self._shot_at.setVisible(not missing)
        self.capture.setVisible(not missing)

    def _adopt(self) -> None:
        index = self._document.recordings[self.footage.path].index
        self._document.apply(
            "Take as it is", lambda p: arranging.measure(p, self.footage.key, index.rate, index.length)
        )

    def _enter_capture(self) -> None:
        if not self.capture.isModified():
            return
        text = self.capture.text().strip()
        self.capture.setModified(False)
        try:
            rate: Fraction | None = parse_rate(text) if text else None
        except PlanError as error:
            self._document.refused.emit(str(error))
            self.capture.setText(f"{format_rate(self.footage.rate)} fps")
            return
        key = self.footage.key
        self._document.apply("Capture rate", lambda p: arranging.set_capture_rate(p, key, rate))
        self.capture.setText(f"{format_rate(self.footage.rate)} fps")


class _Thumbnail(QWidget):
    """A small picture."""

    def __init__(self) -> None:
        super().__init__()
        self._image: QImage | None = None
        self.setFixedSize(QSize(78, 44))

    def show_image(self, image: QImage | None) -> None:
        if image is not self._image:
            self._image = image
            self.update()

    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), GROUND)
        if self._image is not None:
            mode = Qt.TransformationMode.SmoothTransformation
            small = self._image.scaled(self.size(), Qt.AspectRatioMode.KeepAspectRatio, mode)
            painter.drawImage(
                (self.width() - small.width()) // 2, (self.height() - small.height()) // 2, small
            )


def _facts(footage: Footage, facts: Facts | None) -> str:
    about = "" if footage.counted else "about "
    lines = [f"{about}{format_time(footage.length)} · {format_rate(footage.stored_rate)} fps"]
    if facts is None:
        return lines[0]
    if facts.variable:
        lines[0] += ", varying"
    turned = f", turned {facts.rotation}°" if facts.rotation else ""
    lines.append(f"{facts.width}×{facts.height}{turned} · {facts.codec.upper()}, {facts.bit_depth} bit")
    sound = f"sound {facts.sound.sample_rate / 1000:g} kHz" if facts.sound else "no sound"
    lines.append(f"{sound} · {facts.size / 1e6:,.0f} MB")
    if facts.recorded_on:
        lines.append(f"recorded {facts.recorded_on:%Y-%m-%d %H:%M}")
    return "\n".join(lines)


def _cut_off(facts: Facts) -> str:
    if facts.missing:
        return (
            f"The file is cut off: its last {format_time(facts.missing)} are missing. The rest can be used."
        )
    return ""


def _button(text: str, tip: str) -> QPushButton:
    button = QPushButton(text)
    button.setToolTip(tip)
    return button
