"""A page that scrolls where there is no room for all of it."""

from PySide6.QtCore import QEvent, QObject, QSize, Qt, Signal
from PySide6.QtGui import QResizeEvent, QWheelEvent
from PySide6.QtWidgets import QComboBox, QScrollArea, QSlider, QWidget


class Scroller(QScrollArea):
    """Shows a page as wide as there is room, and scrolls up and down where it is higher.

    The wheel scrolls over lists and sliders as well, and changes only those that have the focus.

    Signals:
        wished: the page may need other room than before.
    """

    wished = Signal()

    def __init__(self, page: QWidget, *, squeezes: bool = False) -> None:
        """A page that ``squeezes`` has something in it that scrolls by itself, and takes less before."""
        super().__init__()
        self._squeezes = squeezes
        self.setWidgetResizable(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.page = page
        self.setWidget(page)
        page.installEventFilter(self)
        for kind in (QComboBox, QSlider):
            for control in page.findChildren(kind):
                control.setFocusPolicy(Qt.FocusPolicy.StrongFocus)  # not by the wheel
                control.installEventFilter(self)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if watched is self.page:
            if event.type() is QEvent.Type.LayoutRequest:
                self._give_height()
                self.wished.emit()
            return super().eventFilter(watched, event)
        if isinstance(event, QWheelEvent) and isinstance(watched, QWidget) and not watched.hasFocus():
            event.ignore()
            return True
        return super().eventFilter(watched, event)

    def resizeEvent(self, event: QResizeEvent) -> None:
        self._give_height()
        super().resizeEvent(event)

    def _give_height(self) -> None:
        """All the height that the page wishes; fields would be cut before it scrolls."""
        page, wide = self.page, self.viewport().width()
        wish = page.heightForWidth(wide) if page.hasHeightForWidth() else page.sizeHint().height()
        page.setMinimumHeight(0 if self._squeezes else wish)

    def sizeHint(self) -> QSize:
        return self.page.sizeHint()

    def minimumSizeHint(self) -> QSize:
        return QSize(self.page.minimumSizeHint().width(), 0)
