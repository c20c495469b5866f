"""What the window shows while nothing is open."""

from functools import partial

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from chronoxis.app.files.file_actions import FileActions
from chronoxis.app.push_button import push_button
from chronoxis.app.text_label import TextLabel
from chronoxis.app.theme.theme import font
from chronoxis.demo.larkfield import BEAT_PROJECT_NAME, PHOTO_PROJECT_NAME, PROJECT_NAME

_DEMOS = (
    ("&Recordings", PROJECT_NAME, "A finished piece out of two recordings"),
    ("&Beats", BEAT_PROJECT_NAME, "A walk with a burst of speed on the beats of a tune"),
    ("Pho&tos", PHOTO_PROJECT_NAME, "A dawn out of 240 photos, and a knot that is tied picture by picture"),
)


class EmptyPage(QWidget):
    """What to do next, while nothing is open."""

    def __init__(self, files: FileActions) -> None:
        super().__init__()
        heading = TextLabel("Open a recording or photos to condense them")
        heading.setFont(font(17, 600))
        text = TextLabel(
            "Drop a video file or a folder of photos anywhere on this window, or choose one.\n"
            "Then pick the stretch worth showing, and say how fast it should run or how long it should last."
        )
        text.setProperty("dim", True)
        text.setAlignment(Qt.AlignmentFlag.AlignCenter)
        button = push_button("&Open recordings or photos…", "Choose video files or photos (Ctrl+O)")
        button.setProperty("main", True)
        button.clicked.connect(files.choose_footage)
        folder = push_button("Open a fol&der of photos…", "Choose a folder (Ctrl+Shift+P)")
        folder.clicked.connect(files.choose_folder)
        other = push_button(
            "Open a proje&ct…", "Go on with a saved project, or an open timeline (Ctrl+Shift+O)"
        )
        other.clicked.connect(files.choose_project)
        demo = QHBoxLayout()
        about = TextLabel("Or look at the Larkfield balloon meet, drawn by the program itself:")
        about.setProperty("dim", True)
        demo.addWidget(about)
        for label, name, tip in _DEMOS:
            look = push_button(label, tip)
            look.clicked.connect(partial(files.open_demo, name))
            demo.addWidget(look)
        self.message = TextLabel()
        self.message.setProperty("caution", True)
        self.message.setWordWrap(True)
        self.message.setMinimumWidth(560)
        self.message.hide()
        rows = QVBoxLayout(self)
        rows.setSpacing(14)
        rows.addStretch()
        for widget in (heading, text, button, folder, other, self.message):
            rows.addWidget(widget, 0, Qt.AlignmentFlag.AlignHCenter)
        rows.insertLayout(rows.count() - 1, demo)
        rows.setAlignment(demo, Qt.AlignmentFlag.AlignHCenter)
        rows.addStretch()
