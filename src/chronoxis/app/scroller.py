"""A page that scrolls where there is no room for all of it."""

from PySide6.QtCore import QEvent, QObject, QSize, Qt
from PySide6.QtGui import QWheelEvent
from PySide6.QtWidgets import QComboBox, QScrollArea, QSlider, QWidget


class Scroller(QScrollArea):
    """Shows a page as wide as there is room, and scrolls up and down where it is higher.

    The wheel scrolls over lists and sliders as well, and changes only those that have the focus.
    """

    def __init__(self, page: QWidget) -> None:
        super().__init__()
        self.setWidgetResizable(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self._page = page
        self.setWidget(page)
        for kind in (QComboBox, QSlider):
            for control in page.findChildren(kind):
                control.setFocusPolicy(Qt.FocusPolicy.StrongFocus)  # not by the wheel
                control.installEventFilter(self)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if isinstance(event, QWheelEvent) and isinstance(watched, QWidget) and not watched.hasFocus():
            event.ignore()
            return True
        return super().eventFilter(watched, event)

    def sizeHint(self) -> QSize:
        return self._page.sizeHint()

    def minimumSizeHint(self) -> QSize:
        return QSize(self._page.minimumSizeHint().width(), 0)
