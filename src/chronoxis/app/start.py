"""Starting the window."""

import gc
import logging
import os
import sys
import threading
from collections.abc import Sequence
from pathlib import Path

from PySide6.QtWidgets import QApplication

from chronoxis.app.ending import Ending
from chronoxis.app.main_window import MainWindow
from chronoxis.app.theme.theme import apply_theme
from chronoxis.core.errors import ChronoxisError
from chronoxis.core.files.atomic import sweep_unfinished
from chronoxis.core.files.log_file import keep_log
from chronoxis.core.render.memory import return_large_blocks
from chronoxis.core.timing.fitting import load_solver

log = logging.getLogger("chronoxis")

# The interface thread gets its turn sooner when threads that decode also run Python.
_SWITCH_INTERVAL = 0.001
_BY_SIGNAL = 128  # what shells add to a signal's number for the exit code
_COLLECTED = (20_000, 20, 200)  # new objects, and rounds, between two looks of the collector
_DISPLAYS = ("DISPLAY", "WAYLAND_DISPLAY", "QT_QPA_PLATFORM")


def make_application() -> QApplication:
    """The application in our look. ``CHRONOXIS_TEXT_SCALE=1.25`` gives text of 125% size."""
    sys.setswitchinterval(_SWITCH_INTERVAL)
    application = QApplication(sys.argv[:1])
    application.setApplicationName("Chronoxis")
    application.setDesktopFileName("chronoxis")
    apply_theme(application, float(os.environ.get("CHRONOXIS_TEXT_SCALE", "1")))
    return application


def settle_memory() -> None:
    """Have what the program itself is made of looked through for unused circles no more.

    The collector stops everything while it looks: a tenth of a second with what is loaded by now, and a
    project of thousands of passages, which has none.
    """
    gc.collect()
    gc.freeze()
    gc.set_threshold(*_COLLECTED)


def run(files: Sequence[Path], *, draws: Path | None = None) -> int:
    """Open the window, with files if some are given, and return the exit code once it is closed.

    What the demo in the folder ``draws`` lacks is drawn beside the window.

    Raises:
        ChronoxisError: there is no display; Qt would end the program without saying so plainly.
    """
    if not any(os.environ.get(name) for name in _DISPLAYS):
        raise ChronoxisError(
            "There is no display to open the window on; start Chronoxis from a desktop, "
            "or work without a window: chronoxis condense --help."
        )
    keep_log()
    application = make_application()
    window = MainWindow()
    window.show()
    settle_memory()
    return_large_blocks()
    code = [0]

    def end(number: int) -> None:
        code[0] = _BY_SIGNAL + number
        window.end()

    _ = Ending(window, end)
    # On whatever disks that are: one that does not answer keeps nobody waiting.
    threading.Thread(target=sweep_unfinished, daemon=True).start()
    # What solves for a speed takes half a second to load; a first drag should not wait for it.
    threading.Thread(target=load_solver, daemon=True).start()
    if draws is not None:
        window.loading.drawing.begin(draws)
    if files:
        window.file_actions.open_files(files)
    window.file_actions.offer_recovery()
    ended = application.exec() or code[0]
    if window.left_running:  # on a disk that does not answer: waiting for it would be for ever
        log.warning("left to itself: %s", ", ".join(window.left_running))
        logging.shutdown()
        os._exit(ended)
    return ended
