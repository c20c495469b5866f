"""Opening an hour of 1080p: when the window works, when there are pictures, when all is counted."""

import os
import tempfile
import time
from pathlib import Path

import numpy as np
from PySide6.QtWidgets import QApplication

from bench.frame_making import SECONDS, make_footage, repeat
from bench.report import application, report, run, wait
from chronoxis.app.main_window import MainWindow

_HOUR = 3600


def measure(runs: int) -> None:
    """Print the seconds from opening to each station, and the interface thread's longest pause."""
    application()
    with tempfile.TemporaryDirectory(prefix="chronoxis-bench-") as scratch:
        os.environ["XDG_STATE_HOME"] = scratch
        part = make_footage(Path(scratch) / "part.mp4", SECONDS)
        hour = repeat(part, Path(scratch) / "hour.mp4", _HOUR // SECONDS)
        for number in range(1, runs + 1):
            with run(f"opening an hour, run {number}"):
                _measure_opening(hour)


def _measure_opening(path: Path) -> None:
    window = MainWindow()
    window.resize(1280, 800)
    window.show()
    wait(window.isVisible)
    pauses = _Pauses()
    begin = time.perf_counter()

    def reached(name: str, until) -> None:  # type: ignore[no-untyped-def]
        wait(until, 120, pauses.note)
        report(name, time.perf_counter() - begin, "s")

    window.file_actions.open_files([path])
    reached("first picture (at most 1)", lambda: window.pictures.recorded.image is not None)
    reached("filmstrip outline: 8 pictures spread over it (at most 1)", lambda: _outlined(window, path))
    reached("every frame counted", lambda: path in window.document.known.sources)
    reached("result picture", lambda: window.preview.has(0))
    report("longest pause of the interface thread (at most 50)", 1e3 * pauses.longest, "ms")
    window.files.discard_changes()
    window.close()
    QApplication.processEvents()


def _outlined(window: MainWindow, path: Path) -> bool:
    """Whether each eighth of the recording has a picture of its own."""
    eighths = (np.arange(8) + 0.5) * _HOUR / 8
    return len(set(window.weave.strips.nearest_times(path, eighths).tolist())) == len(eighths)


class _Pauses:
    """The longest time between two turns of the event loop."""

    def __init__(self) -> None:
        self.longest = 0.0

    def note(self, seconds: float) -> None:
        self.longest = max(self.longest, seconds)
