"""One window that is soaked: ``python -m bench.soaked_window`` does what lines of standard input say.

Each is a JSON list of what to do and a value; each is answered by a line that says what came of it.
"""

import json
import os
import signal
from collections.abc import Iterator
from fractions import Fraction
from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QApplication, QWidget

from bench.report import application, wait
from chronoxis.app.main_window import MainWindow
from chronoxis.app.text_label import TextLabel
from chronoxis.core.model import pacing
from chronoxis.core.model.project import Place

Outcome = dict[str, object]

_ONLY = Place(0, 0)
_PATIENCE = 30  # seconds for one thing to be done
_ANSWERS = ("beside", "replace", "neither")  # as they stand in the question
_SIZE = (1280, 800)


def main() -> None:
    """Be a window until it is killed."""
    application()
    signal.signal(signal.SIGPIPE, signal.SIG_DFL)
    window = MainWindow()
    window.show()
    soaked = _Soaked(window)
    deeds = {"open": soaked.open, "speed": soaked.set_speed, "save": soaked.save, "pages": soaked.pages}
    _say({"outcome": "ready"})
    for line in _lines():
        what, value = json.loads(line)
        _say(deeds[what](str(value)))


def _lines() -> Iterator[str]:
    """Lines of standard input; while none comes, the window works."""
    os.set_blocking(0, False)
    text = [""]

    def has_come() -> bool:
        try:
            text[0] += os.read(0, 65536).decode()
        except BlockingIOError:
            return False
        return "\n" in text[0]

    while True:
        wait(has_come, 3600)
        line, text[0] = text[0].split("\n", 1)
        yield line


def _say(what: Outcome) -> None:
    print(json.dumps(what), flush=True)


class _Soaked:
    """What can be asked of the window."""

    def __init__(self, window: MainWindow) -> None:
        self._window = window
        self._saves = 0
        window.files.saved.connect(self._count_save)

    def _count_save(self) -> None:
        self._saves += 1

    def open(self, path: str) -> Outcome:
        """Open a project, whatever is open."""
        files = self._window.files
        files.discard_changes()
        before = files.begun
        self._window.file_actions.open_project(Path(path))
        wait(lambda: files.begun > before, _PATIENCE)
        return {"outcome": "opened"}

    def set_speed(self, speed: str) -> Outcome:
        """Give the only passage a speed."""
        document = self._window.document
        document.apply("Set speed", lambda p: pacing.set_speed(p, [_ONLY], Fraction(speed)))
        return {"speed": str(document.project.passage(_ONLY).speed)}

    def save(self, answer: str) -> Outcome:
        """Save, and answer so if something is asked."""
        question, before = self._window.question, self._saves
        self._window.file_actions.save()
        wait(lambda: self._saves > before or question.isVisible(), _PATIENCE)
        if not question.isVisible():
            return {"outcome": "saved"}
        question.buttons[_ANSWERS.index(answer)].click()
        if answer == "neither":
            return {"outcome": "asked, not saved"}
        wait(lambda: self._saves > before, _PATIENCE)
        return {"outcome": "saved beside" if answer == "beside" else "replaced"}

    def pages(self, _value: str) -> Outcome:
        """Go through all pages and footage, and look at how names are shown."""
        window = self._window
        for number in range(len(window.bench.pages)):
            window.show_bench_page(number)
            QApplication.processEvents()
        for footage in window.document.project.footage:
            window.document.selection.choose_footage(footage.key)
            QApplication.processEvents()
        window.grab()
        if (window.width(), window.height()) != _SIZE:
            return {"outcome": f"GREW to {window.width()}x{window.height()}"}
        labels = window.findChildren(TextLabel)
        if any(label.textFormat() is not Qt.TextFormat.PlainText for label in labels):
            return {"outcome": "RICH TEXT"}
        if any("<img" in widget.toolTip() for widget in window.findChildren(QWidget)):
            return {"outcome": "MARKUP IN A TOOLTIP"}
        return {"outcome": "shown as it is"}


if __name__ == "__main__":
    main()
