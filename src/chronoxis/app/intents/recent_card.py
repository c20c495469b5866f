"""Something that was used lately: its picture, name, length and date."""

import time
from datetime import datetime

from PySide6.QtGui import QImage
from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from chronoxis.app.bench.picture_chip import PictureChip
from chronoxis.app.elided_label import ElidedLabel
from chronoxis.app.files.recent_projects import Recent
from chronoxis.app.push_button import push_button
from chronoxis.app.text_label import plain_tip
from chronoxis.app.theme.theme import font
from chronoxis.core.readable import readable
from chronoxis.core.timing.timecode import format_time

_WIDE = 120  # pixels of a picture; grows with the text
_DAY = 86400  # seconds


class RecentCard(QWidget):
    """A press opens it.

    Attributes:
        open: the button that is its picture.
        drop: the button that takes it off the list.
    """

    def __init__(self, recent: Recent) -> None:
        super().__init__()
        self.recent = recent
        name = readable(recent.path.stem.replace("-", " "))
        self.open = PictureChip("", plain_tip(f"Open {recent.path}"), None, lambda: None, _WIDE)
        self.open.setAccessibleName(f"Open {name}")
        self.open.show_picture(QImage.fromData(recent.picture) if recent.picture else None)
        self.drop = push_button("×", f"Take {name} off this list; the file stays where it is")
        self.drop.setProperty("small", True)
        self.drop.setAccessibleName(f"Take {name} off the list")
        self._name, self._facts = ElidedLabel(), ElidedLabel()
        self._name.setFont(font(9, 600))
        self._name.show_text(name)
        self._facts.setFont(font(8.5))
        self._facts.setProperty("dim", True)
        self._facts.show_text(" · ".join(filter(None, (_length(recent), _when(recent.at)))))
        words = QVBoxLayout()
        words.setSpacing(0)
        words.addWidget(self._name)
        words.addWidget(self._facts)
        below = QHBoxLayout()
        below.setSpacing(2)
        below.addLayout(words, 1)
        below.addWidget(self.drop)
        rows = QVBoxLayout(self)
        rows.setContentsMargins(0, 0, 0, 0)
        rows.setSpacing(2)
        rows.addWidget(self.open)
        rows.addLayout(below)

    def show_whether_there(self, there: bool) -> None:
        """Dim what is not there any more."""
        self.open.setEnabled(there)
        if not there:
            self.open.dim_picture()
            self._facts.show_text("not there any more")


def _length(recent: Recent) -> str:
    return "" if recent.length is None else format_time(recent.length, 0)


def _when(at: float) -> str:
    if not at:
        return ""
    days = int(time.time() // _DAY - at // _DAY)
    if days <= 1:
        return ("today", "yesterday")[max(days, 0)]
    return f"{datetime.fromtimestamp(at):%d %b %Y}"
