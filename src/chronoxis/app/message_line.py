"""What the window says, until something else is to be said or a person has read it."""

from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QFrame, QHBoxLayout

from chronoxis.app.push_button import push_button
from chronoxis.app.text_label import TextLabel

PASSING_MS = 12_000
"""Milliseconds in which a person has read what is of the past."""


class MessageLine(QFrame):
    """A line with a message, and a button that takes it away; hidden while there is none."""

    def __init__(self) -> None:
        super().__init__()
        self.setProperty("message", True)
        self._text = TextLabel()
        self._text.setProperty("caution", True)
        self._text.setWordWrap(True)
        self.dismiss = push_button("✕", "Take this message away")
        self.dismiss.setAccessibleName("Take the message away")
        self.dismiss.setProperty("check", True)
        self.dismiss.clicked.connect(lambda: self.say(""))
        self._passing = QTimer(self, singleShot=True, interval=PASSING_MS)
        self._passing.timeout.connect(lambda: self.say(""))
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 6, 0)
        row.setSpacing(4)
        row.addWidget(self._text, 1)
        row.addWidget(self.dismiss)

    def say(self, message: str, *, passing: bool = False) -> None:
        """Say something, or nothing any more; what is ``passing`` goes by itself after a while."""
        self._passing.stop()
        if passing and message:
            self._passing.start()
        self._text.setText(message)
        self.setVisible(bool(message))

    def words(self) -> str:
        """What it says at present, or nothing."""
        return self._text.words()
