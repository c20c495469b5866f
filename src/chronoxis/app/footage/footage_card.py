"""One footage on the shelf."""

from math import ceil

from PySide6.QtCore import Qt
from PySide6.QtGui import QImage, QKeyEvent, QMouseEvent
from PySide6.QtWidgets import (
    QHBoxLayout,
    QVBoxLayout,
)

from chronoxis.app.document.document import Document
from chronoxis.app.footage.share_bar import ShareBar
from chronoxis.app.measuring.proxies import Proxies
from chronoxis.app.picture_card import PictureCard
from chronoxis.app.push_button import push_button
from chronoxis.app.text_label import plain_tip
from chronoxis.core.footage.kinds import settled
from chronoxis.core.footage.source import Facts
from chronoxis.core.model.footage import Footage
from chronoxis.core.model.project import Project
from chronoxis.core.model.trials import with_trials
from chronoxis.core.timing.timecode import format_time


class FootageCard(PictureCard):
    """Its picture and facts in brief, what is wrong with it, and what can be done about that.

    Choosing it, by a click or with Return, shows its page on the Bench.
    """

    def __init__(self, document: Document, proxies: Proxies, footage: Footage) -> None:
        super().__init__()
        self._document, self._proxies = document, proxies
        self.footage = footage
        self._progress = ShareBar()
        self.give_up = push_button("Cancel", "Do not wait for this footage")
        self.stop_proxy = push_button("Cancel", "Make no proxy of this footage; playing may wait for frames")
        self.stop_proxy.clicked.connect(lambda: self._proxies.stop(self.footage.origin))
        self.count = push_button("Count them", "Count the frames of this footage after all")
        self.locate = push_button("Locate…", "Say where this footage is; others beside it are found too")
        self.adopt = push_button("Take it as it is", "Use the file as it is now; shots are cut to its length")
        self.adopt.clicked.connect(self._adopt)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self._lay_out()

    def _lay_out(self) -> None:
        buttons = QHBoxLayout()
        for button in (self.give_up, self.stop_proxy, self.count, self.locate, self.adopt):
            buttons.addWidget(button)
        buttons.addStretch()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(5, 5, 4, 5)
        layout.setSpacing(4)
        layout.addLayout(self.head)
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
        making = None if pending else self._proxies.progress(footage.origin)
        if making is not None:
            left = "" if making.left is None else f", {format_time(ceil(making.left), 0)} left"
            far = f"proxy {making.share:.0%}{left}" if making.share else "a proxy is to come"
            self._facts.show_text(f"{_in_brief(footage, None)}\n{far}")
        elif not pending and self._proxies.proxy(footage.origin) is not None:
            self._facts.show_text(f"{_in_brief(footage, facts)} · proxy")
        stopped = footage.origin in document.known.stopped and not pending
        caution = missing or altered or (facts.caution if facts else "")
        if footage.made_of:
            caution = self._show_inside(footage)
        elif stopped:
            caution = _NOT_COUNTED
        self.caution.setText(caution)
        self.caution.setVisible(bool(caution))
        self._progress.setVisible(pending is not None or making is not None)
        self.stop_proxy.setVisible(making is not None)
        if making is not None:
            self._progress.show_share(making.share)
            self._progress.setToolTip("A proxy is a small copy, for playing only; everything works meanwhile")
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

        def adopted(project: Project) -> Project:
            there = any(each.key == key for each in project.footage)
            return settled(project, project.footage_named(key), source) if there else project

        self._document.apply("Take as it is", with_trials(adopted))


_NOT_COUNTED = "Its frames are not counted, so nothing can be made of it."


def _in_brief(footage: Footage, facts: Facts | None) -> str:
    about = "" if footage.counted else "about "
    first = f"{about}{footage.in_brief}"
    return first if facts is None else f"{first}\n{' · '.join(facts.summary())}"


def _without_folders(message: str, footage: Footage) -> str:
    """A message with the file's name in place of its whole path, which the card has no room for."""
    for file in footage.files[:1]:
        message = message.replace(str(file), file.name)
    return message
