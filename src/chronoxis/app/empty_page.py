"""What the window shows while nothing is open."""

from collections.abc import Callable

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QLabel, QPushButton, QVBoxLayout, QWidget

from chronoxis.app.theme.theme import font


class EmptyPage(QWidget):
    """What to do next, while nothing is open."""

    def __init__(self, choose: Callable[[], None], choose_project: Callable[[], None]) -> None:
        super().__init__()
        heading = QLabel("Open a recording to condense it")
        heading.setFont(font(17, 600))
        text = QLabel(
            "Drop a video file anywhere on this window, or choose one.\n"
            "Then pick the stretch worth showing, and say how fast it should run or how long it should last."
        )
        text.setProperty("dim", True)
        text.setAlignment(Qt.AlignmentFlag.AlignCenter)
        button = QPushButton("&Open a recording…")
        button.setProperty("main", True)
        button.setToolTip("Choose a video file (Ctrl+O)")
        button.clicked.connect(choose)
        other = QPushButton("Open a &project…")
        other.setToolTip("Go on with a saved project, or an open timeline (Ctrl+Shift+O)")
        other.clicked.connect(choose_project)
        self.message = QLabel()
        self.message.setProperty("caution", True)
        self.message.setWordWrap(True)
        self.message.setMinimumWidth(560)
        self.message.hide()
        rows = QVBoxLayout(self)
        rows.setSpacing(14)
        rows.addStretch()
        for widget in (heading, text, button, other, self.message):
            rows.addWidget(widget, 0, Qt.AlignmentFlag.AlignHCenter)
        rows.addStretch()
