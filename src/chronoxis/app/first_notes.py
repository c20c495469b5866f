"""What a person is told once of the five things that are to be seen nowhere else: one note at a time."""

from collections.abc import Callable, Sequence
from typing import NamedTuple

from PySide6.QtCore import QEvent, QObject, QRect, Qt
from PySide6.QtGui import QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QFrame, QHBoxLayout, QVBoxLayout, QWidget

from chronoxis.app.checks.checks_line import ChecksLine
from chronoxis.app.document.document import Document
from chronoxis.app.push_button import push_button
from chronoxis.app.remembered import remembered
from chronoxis.app.text_label import TextLabel
from chronoxis.app.theme.theme import LIVE, font
from chronoxis.app.weave.weave import Weave

_SEEN = "first notes seen"
_THREADS, _RECORDED, _RESULT, _CURVE, _CHECKS = _KEYS = (
    "threads",
    "recorded rail",
    "result rail",
    "pace curve",
    "checks",
)
_PEN = 2  # pixels of the frame around what a note is about


class Note(NamedTuple):
    """Something that is told once.

    Attributes:
        key: by which it is remembered that it was read.
        title: what it is about.
        text: what a person should know.
        place: where that is, in the coordinates of a widget; None while it is not to be seen.
    """

    key: str
    title: str
    text: str
    place: Callable[[], tuple[QWidget, QRect] | None]


def notes(weave: Weave, checks: ChecksLine) -> list[Note]:
    """All of them, in the order in which they are told."""

    def row(name: str) -> Callable[[], tuple[QWidget, QRect] | None]:
        def place() -> tuple[QWidget, QRect] | None:
            rails = weave.rails()
            return None if rails is None else (weave, getattr(rails, name).toAlignedRect())

        return place

    return [
        Note(
            _THREADS,
            "Threads",
            "Each ties a frame of the result, below, to the recorded frames it is made of, above. Where they "
            "draw together, it runs fast.",
            row("threads"),
        ),
        Note(
            _RECORDED,
            "The recorded rail",
            "What the camera saw. Drag an edge to take in more or less of it; what lies outside is dimmed, "
            "not lost.",
            row("recorded"),
        ),
        Note(
            _RESULT,
            "The result rail",
            "What viewers will see. Drag an edge to make a passage last longer or shorter; its speed "
            "follows.",
            row("result"),
        ),
        Note(
            _CURVE,
            "The pace curve",
            "How fast it runs, at every moment. Drag it up or down. D divides a passage at the playhead; "
            "drag the joint between two to draw it out into a ramp.",
            row("curve"),
        ),
        Note(
            _CHECKS,
            "Checks",
            "What may look wrong stands in this line, with a press that mends it.",
            lambda: (checks, checks.rect()) if checks.isVisible() else None,
        ),
    ]


class FirstNotes(QFrame):
    """Shows the first note that was not read, beside what it is about, and a frame around that."""

    def __init__(self, document: Document, told: Sequence[Note], window: QWidget) -> None:
        super().__init__()
        self._document, self._told, self._window = document, told, window
        self._seen = _read_before()
        self.setProperty("card", True)
        self._ring = _Ring(window)
        self.title, self.text = TextLabel(), TextLabel()
        self.title.setFont(font(9.5, 600))
        self.text.setFont(font(9))
        self.text.setWordWrap(True)
        self.next = push_button("Got it", "Take this note away, and show the next one")
        self.next.setProperty("main", True)
        self.enough = push_button("No more", "Take all such notes away; Help → First steps brings them back")
        for button in (self.next, self.enough):
            button.setFont(font(9, 500))
        self.next.clicked.connect(self._read)
        self.enough.clicked.connect(self._read_all)
        buttons = QHBoxLayout()
        buttons.setSpacing(4)
        buttons.addWidget(self.next)
        buttons.addWidget(self.enough)
        buttons.addStretch()
        rows = QVBoxLayout(self)
        rows.setContentsMargins(8, 6, 8, 8)
        rows.setSpacing(4)
        rows.addWidget(self.title)
        rows.addWidget(self.text)
        rows.addLayout(buttons)
        self.hide()
        window.installEventFilter(self)
        document.planned.connect(self.show_next)
        document.eased.connect(self.show_next)

    @property
    def note(self) -> Note | None:
        """The one that is shown, or is to be shown as soon as its thing is there."""
        unread = (each for each in self._told if each.key not in self._seen)
        return next((each for each in unread if each.place() is not None), None)

    def show_next(self) -> None:
        """Show the first that was not read and whose thing is there; nothing, where there is none."""
        note = self.note if self._document.plan is not None else None
        place = None if note is None else note.place()
        if note is None or place is None:
            self.hide()
            self._ring.hide()
            return
        self.title.setText(note.title)
        self.text.setText(note.text)
        self.setAccessibleName(f"{note.title}: {note.text}")
        self.show()
        widget, rect = place
        self._ring.setGeometry(QRect(widget.mapTo(self._window, rect.topLeft()), rect.size()))
        self._ring.setVisible(widget.isVisible())
        self._ring.raise_()

    def begin_again(self) -> None:
        """Show all of them once more."""
        self._remember(())

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if event.type() is QEvent.Type.Resize and self.isVisible():
            self.show_next()
        return super().eventFilter(watched, event)

    def _read(self) -> None:
        if (note := self.note) is not None:
            self._remember((*self._seen, note.key))

    def _read_all(self) -> None:
        self._remember(_KEYS)

    def _remember(self, seen: tuple[str, ...]) -> None:
        self._seen = seen
        remembered().setValue(_SEEN, list(seen))
        self.show_next()


def mark_all_read() -> None:
    """Let windows that are made from now on tell nothing."""
    remembered().setValue(_SEEN, list(_KEYS))


def _read_before() -> tuple[str, ...]:
    """Keys of the notes that were read in earlier windows."""
    kept = remembered().value(_SEEN)
    return (kept,) if isinstance(kept, str) else tuple(str(each) for each in kept or ())


class _Ring(QWidget):
    """A frame around what a note is about; whatever is pressed in it goes to that."""

    def __init__(self, window: QWidget) -> None:
        super().__init__(window)
        self.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        self.hide()

    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setPen(QPen(LIVE, _PEN))
        painter.drawRoundedRect(self.rect().adjusted(1, 1, -1, -1), 4, 4)
