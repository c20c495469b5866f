"""The two halves of the window, and the line between them."""

from collections.abc import Callable

from PySide6.QtCore import QByteArray, QEvent, QSize, Qt
from PySide6.QtGui import QMouseEvent, QResizeEvent
from PySide6.QtWidgets import QSplitter, QSplitterHandle, QWidget

from chronoxis.app.remembered import remembered
from chronoxis.app.theme.theme import scaled

_WEAVE_SHARE = 0.46  # of the height below the head line, at first
_USUAL_HEIGHT = 730  # pixels of that height, beyond which the pictures gain most
_WEAVE_SHARE_BEYOND = 0.3
_LEAST_BELOW = 240  # pixels of the lower half, whatever its pages wish; grows with the text


class Halves(QSplitter):
    """The Weave above, the rest below; the line between them can be dragged, and is remembered."""

    def __init__(self, above: QWidget, below: QWidget, wish: Callable[[], int]) -> None:
        """``wish`` tells what height the lower half should have, if there is room."""
        super().__init__(Qt.Orientation.Vertical)
        self._above, self._below, self._wish = above, below, wish
        for half in (above, below):
            self.addWidget(half)
        self.setChildrenCollapsible(False)
        self.setHandleWidth(7)
        self.setObjectName("halves")
        self._settled = False

    def createHandle(self) -> QSplitterHandle:
        return _Line(self.orientation(), self)

    def minimumSizeHint(self) -> QSize:
        """The window gets no higher for what the lower half wishes: that scrolls instead."""
        weave, below = self._above.minimumSizeHint(), self._below.minimumSizeHint()
        wide = max(weave.width(), below.width())
        return QSize(wide, weave.height() + self.handleWidth() + scaled(_LEAST_BELOW))

    def resizeEvent(self, event: QResizeEvent) -> None:
        self.give_room()
        super().resizeEvent(event)

    def give_room(self) -> None:
        """Keep for the lower half what it wishes, as far as the Weave can give way."""
        room = self.height() - self._above.minimumSizeHint().height() - self.handleWidth()
        self._below.setMinimumHeight(max(scaled(_LEAST_BELOW), min(self._wish(), room)))

    def event(self, event: QEvent) -> bool:
        if event.type() is QEvent.Type.LayoutRequest:
            self.give_room()
        if event.type() is QEvent.Type.Show and not self._settled:
            self._settled = True
            for widget in self.findChildren(QWidget):
                widget.ensurePolished()  # only then it knows what room it needs
            self.give_room()
            kept = remembered().value("halves")
            if not (isinstance(kept, QByteArray) and self.restoreState(kept)):
                self.share_out()
        return super().event(event)

    def remember(self) -> None:
        """Keep where the line is for the next start."""
        remembered().setValue("halves", self.saveState())

    def share_out(self) -> None:
        """As it is at first."""
        usual = min(self.height(), _USUAL_HEIGHT)
        above = round(usual * _WEAVE_SHARE + (self.height() - usual) * _WEAVE_SHARE_BEYOND)
        self.setSizes([above, self.height() - above])


class _Line(QSplitterHandle):
    """The line; a double click puts it back where it was at first."""

    def __init__(self, orientation: Qt.Orientation, halves: Halves) -> None:
        super().__init__(orientation, halves)
        self._halves = halves
        self.setToolTip("Drag to share out the height; a double click puts the line back")
        self.setAccessibleName("Line between the Weave and the pictures")

    def mouseDoubleClickEvent(self, _event: QMouseEvent) -> None:
        self._halves.share_out()
