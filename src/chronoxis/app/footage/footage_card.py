"""One footage on the shelf."""

from PySide6.QtCore import QSize, Qt
from PySide6.QtGui import QImage, QKeyEvent, QMouseEvent, QPainter, QPaintEvent
from PySide6.QtWidgets import (
    QFrame,
    QHBoxLayout,
    QVBoxLayout,
    QWidget,
)

from chronoxis.app.document.document import Document
from chronoxis.app.elided_label import ElidedLabel
from chronoxis.app.footage.share_bar import ShareBar
from chronoxis.app.push_button import push_button
from chronoxis.app.text_label import TextLabel, plain_tip
from chronoxis.app.theme.theme import GROUND, font
from chronoxis.core.footage.kinds import settled
from chronoxis.core.footage.source import Facts
from chronoxis.core.model.footage import Footage


class FootageCard(QFrame):
    """Its picture and facts in brief, what is wrong with it, and what can be done about that.

    Choosing it, by a click or with Return, shows its page on the Bench.
    """

    def __init__(self, document: Document, footage: Footage) -> None:
        super().__init__()
        self._document = document
        self.footage = footage
        self._picture = Thumbnail(QSize(60, 36))
        self._name, self._facts, self.caution = ElidedLabel(), ElidedLabel(), TextLabel()
        self._name.setFont(font(9, 600))
        self._facts.setProperty("dim", True)
        self._facts.setFont(font(8.5))
        self.caution.setProperty("caution", True)
        self.caution.setWordWrap(True)
        self._progress = ShareBar()
        self.give_up = push_button("Cancel", "Do not wait for this footage")
        self.count = push_button("Count them", "Count the frames of this footage after all")
        self.locate = push_button("Locate…", "Say where this footage is; others beside it are found too")
        self.adopt = push_button("Take it as it is", "Use the file as it is now; shots are cut to its length")
        self.adopt.clicked.connect(self._adopt)
        self.setProperty("card", True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self._lay_out()

    def _lay_out(self) -> None:
        words = QVBoxLayout()
        words.setSpacing(1)
        words.addWidget(self._name)
        words.addWidget(self._facts)
        top = QHBoxLayout()
        top.setSpacing(8)
        top.addWidget(self._picture, 0, Qt.AlignmentFlag.AlignTop)
        top.addLayout(words, 1)
        buttons = QHBoxLayout()
        for button in (self.give_up, self.count, self.locate, self.adopt):
            buttons.addWidget(button)
        buttons.addStretch()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(5, 5, 4, 5)
        layout.setSpacing(4)
        layout.addLayout(top)
        for widget in (self.caution, self._progress):
            layout.addWidget(widget)
        layout.addLayout(buttons)

    def show_footage(self, footage: Footage, image: QImage | None) -> None:
        """Show a footage value, its picture, and what the document knows of it."""
        self.footage = footage
        document = self._document
        facts, pending = document.known.facts.get(footage.origin), document.known.pending.get(footage.origin)
        missing = "" if pending else _without_folders(document.known.missing.get(footage.origin, ""), footage)
        altered = document.known.altered(footage)
        self._picture.show_image(image)
        self._name.show_text(footage.name)
        self._facts.show_text(pending.doing if pending and facts is None else _in_brief(footage, facts))
        stopped = footage.origin in document.known.stopped and not pending
        caution = missing or altered or (facts.caution if facts else "")
        if footage.made_of:
            caution = self._show_inside(footage)
        elif stopped:
            caution = _NOT_COUNTED
        self.caution.setText(caution)
        self.caution.setVisible(bool(caution))
        self._progress.setVisible(pending is not None)
        if pending:
            self._progress.show_share(pending.share)
            self._progress.setToolTip("Points and speeds can be chosen meanwhile")
        self.give_up.setVisible(pending is not None)
        self.count.setVisible(stopped)
        self.locate.setVisible(bool(missing or altered))
        self.adopt.setVisible(bool(altered and not missing))
        where = "\n".join(str(file) for file in footage.files[:1])
        self.setToolTip(plain_tip(f"{where}\nA click shows what it is, on the Bench"))
        self.setAccessibleName(f"Footage {footage.name}")
        chosen = document.selection.footage == footage.key
        if self.property("chosen") != chosen:
            self.setProperty("chosen", chosen)
            self.style().unpolish(self)
            self.style().polish(self)

    def _show_inside(self, run: Footage) -> str:
        """Show whether a nested run waits for what is inside; what is missing there, or nothing."""
        document, inside = self._document, self._document.recorded_inside(run)
        gone = [part.label for part in inside if part.origin in document.known.missing]
        if not gone and any(part.origin not in document.known.sources for part in inside):
            self._facts.show_text("waits for what is inside")
        return f"{gone[0]} is not there." if gone else ""

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() is Qt.MouseButton.LeftButton:
            self._document.selection.choose_footage(self.footage.key)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self._document.selection.choose_footage(self.footage.key)
        else:
            super().keyPressEvent(event)

    def _adopt(self) -> None:
        source, key = self._document.known.sources[self.footage.origin], self.footage.key
        self._document.apply("Take as it is", lambda p: settled(p, p.footage_named(key), source))


_NOT_COUNTED = "Its frames are not counted, so nothing can be made of it."


class Thumbnail(QWidget):
    """A small picture of a fixed size."""

    def __init__(self, size: QSize) -> None:
        super().__init__()
        self._image: QImage | None = None
        self.setFixedSize(size)

    def show_image(self, image: QImage | None) -> None:
        """Show an image, or none."""
        if image is not self._image:
            self._image = image
            self.update()

    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), GROUND)
        if self._image is not None:
            ratio = self.devicePixelRatioF()
            mode = Qt.TransformationMode.SmoothTransformation
            small = self._image.scaled(self.size() * ratio, Qt.AspectRatioMode.KeepAspectRatio, mode)
            small.setDevicePixelRatio(ratio)
            shown = small.deviceIndependentSize().toSize()
            left, top = (self.width() - shown.width()) // 2, (self.height() - shown.height()) // 2
            painter.drawImage(left, top, small)


def _in_brief(footage: Footage, facts: Facts | None) -> str:
    about = "" if footage.counted else "about "
    first = f"{about}{footage.in_brief}"
    return first if facts is None else f"{first}\n{' · '.join(facts.summary())}"


def _without_folders(message: str, footage: Footage) -> str:
    """A message with the file's name in place of its whole path, which the card has no room for."""
    for file in footage.files[:1]:
        message = message.replace(str(file), file.name)
    return message
