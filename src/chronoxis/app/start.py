"""Starting the window."""

import os
import sys
from pathlib import Path

from PySide6.QtWidgets import QApplication

from chronoxis.app.main_window import MainWindow
from chronoxis.app.theme.theme import apply_theme

# The interface thread gets its turn sooner when threads that decode also run Python.
_SWITCH_INTERVAL = 0.001


def run(file: Path | None) -> int:
    """Open the window, with a file if one is given, and return the exit code once it is closed.

    ``CHRONOXIS_TEXT_SCALE=1.25`` gives text of 125% size.
    """
    sys.setswitchinterval(_SWITCH_INTERVAL)
    application = QApplication(sys.argv[:1])
    application.setApplicationName("Chronoxis")
    application.setDesktopFileName("chronoxis")
    apply_theme(application, float(os.environ.get("CHRONOXIS_TEXT_SCALE", "1")))
    window = MainWindow()
    window.show()
    if file is not None:
        window.open_file(file)
    window.offer_recovery()
    return application.exec()
