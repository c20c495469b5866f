"""Take the pictures in docs/screenshots/ from the demo data."""

import sys
import tempfile
import time
from collections.abc import Callable
from fractions import Fraction
from pathlib import Path

from PySide6.QtWidgets import QApplication, QWidget
from tqdm import tqdm

from chronoxis.app.main_window import MainWindow
from chronoxis.app.theme.theme import apply_theme
from chronoxis.core.model import edits
from chronoxis.core.timing.reckoner import Quantity
from chronoxis.core.timing.schedule import EachFrame
from chronoxis.demo.larkfield import ensure_demo

FOLDER = Path(__file__).parent / "screenshots"


def main() -> None:
    """Walk through the job and take a picture at each station."""
    folder = Path(sys.argv[1]) if len(sys.argv) > 1 else FOLDER
    scale = float(sys.argv[2]) if len(sys.argv) > 2 else 1.0
    recording = ensure_demo(None, lambda text, total: tqdm(total=total, desc=text))
    application = QApplication([])
    apply_theme(application, scale)
    window = MainWindow()
    window.show()
    take(window, folder / "empty.png")
    window.open_recording(recording)
    wait(lambda: window.document.plan is not None)
    window.document.apply("", lambda p: edits.change_quantity(p, Quantity.RESULT_LENGTH, Fraction(30)))
    window.document.apply("", lambda p: edits.set_each_frame(p, EachFrame.LONG_EXPOSURE))
    window.document.move_playhead(Fraction(147, 10))
    wait(lambda: window.preview.has(window.document.result_frame + 40), 40)
    settle(2)
    take(window, folder / "demo-open.png")
    window.show_export()
    wait(lambda: "about" in window.export_panel.choices.expected.text(), 60)
    take(window, folder / "export-choices.png")
    with tempfile.TemporaryDirectory() as scratch:
        window.export_panel.choices.output.setText(f"{scratch}/Morning at Larkfield.mp4")
        window.export_panel.start()
        wait(lambda: window.export_panel.progress.bar.value() > 200, 120)
        take(window, folder / "exporting.png")
        wait(lambda: not window.export_panel.job.running, 300)
        settle(0.3)
        take(window, folder / "exported.png")
    window.close()


def wait(until: Callable[[], bool], seconds: float = 30) -> None:
    """Let the window work until something holds."""
    end = time.monotonic() + seconds
    while not until():
        if time.monotonic() > end:
            raise TimeoutError
        QApplication.processEvents()
        time.sleep(0.005)


def settle(seconds: float) -> None:
    """Let the window work for a while."""
    end = time.monotonic() + seconds
    while time.monotonic() < end:
        QApplication.processEvents()
        time.sleep(0.005)


def take(window: QWidget, path: Path) -> None:
    """Save a picture of the window."""
    settle(0.2)
    path.parent.mkdir(parents=True, exist_ok=True)
    window.grab().save(str(path))
    print(path)


if __name__ == "__main__":
    main()
