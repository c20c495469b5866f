"""How long the interface thread is busy with one act in large projects: its own processor time.

Waiting for other threads does not count, nor does what they do: so the figures hold on a busy machine too.
"""

import os
import tempfile
import time
from collections.abc import Callable
from dataclasses import dataclass, replace
from fractions import Fraction
from functools import partial
from pathlib import Path

from PySide6.QtCore import QPoint, QSize, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication
from tqdm import tqdm

from bench.report import application, report, run, settle, wait
from chronoxis.app.main_window import MainWindow
from chronoxis.app.start import settle_memory
from chronoxis.core.files.project_file import load_project, save_project
from chronoxis.core.model import arranging
from chronoxis.core.model.photo_run import Clock
from chronoxis.core.model.project import Passage, Place, Project, Shot
from chronoxis.core.model.recording import Recording
from chronoxis.core.timing.fitting import load_solver
from chronoxis.core.timing.reckoner import Quantity
from chronoxis.demo.larkfield import ensure_demo

_SPEEDS = (24, 1, 60, 6, 2, 120, 12, 1, 30, 4)
_MOST = 50  # milliseconds of any act
_HOURS = 10
_MARKERS = 5_000
_PHOTOS = 5_000
_JOINT = 4.2195  # result second of a joint of the demo


def measure(runs: int) -> None:
    """Print the processor time of the interface thread for each act."""
    demo = load_project(ensure_demo(None, lambda text, total: tqdm(total=total, desc=text, leave=False)))
    application()
    load_solver()
    settle_memory()
    with tempfile.TemporaryDirectory(prefix="chronoxis-bench-") as scratch:
        folder = Path(scratch)
        os.environ["XDG_STATE_HOME"] = scratch
        photos = _photos(folder / "Dawn")
        for number in range(1, runs + 1):
            with run(f"pauses of the interface thread (at most {_MOST} ms), run {number}"):
                _report("making the window", busy(_make_and_drop))
                for shots, passages in ((300, 10), (1_000, 3)):
                    _measure_large(_large(demo, shots, passages), folder / "large.chronoxis", shots)
                _measure_hours(folder)
                _measure_markers(demo, folder)
                _measure_photos(photos)


@dataclass(frozen=True)
class Busy:
    """Milliseconds of the interface thread: for the act itself, and at most at a stretch for what follows."""

    act: float
    after: float


def busy(act: Callable[[], object], seconds: float = 1.5) -> Busy:
    """Do something, and let the window follow it up."""
    begun = time.thread_time()
    act()
    QApplication.processEvents()  # and what it set going at once
    took, longest = time.thread_time() - begun, 0.0
    end = time.monotonic() + seconds
    while time.monotonic() < end:
        begun = time.thread_time()
        QApplication.processEvents()
        longest = max(longest, time.thread_time() - begun)
        time.sleep(0.002)
    return Busy(1e3 * took, 1e3 * longest)


def _report(name: str, found: Busy) -> None:
    report(name, found.act, "ms")
    if found.after > _MOST / 2:
        report("    the longest stretch after it", found.after, "ms")


def _make_and_drop() -> None:
    window = MainWindow()
    window.close()


def _opened(path: Path, name: str) -> MainWindow:
    window = MainWindow()
    window.resize(1280, 800)
    window.show()
    settle(0.5)
    _report(f"{name}: opening", busy(lambda: window.file_actions.open_files([path]), 6))
    wait(lambda: window.document.plan is not None)
    settle(3)
    return window


def _large(demo: Project, count: int, passages: int) -> Project:
    """Many short shots of the demo's recordings."""
    shots = []
    for number in range(count):
        footage = demo.footage[number % 2]
        each = footage.length / (count + 40)
        parts = tuple(Passage(each / passages, Fraction(speed)) for speed in _SPEEDS[:passages])
        shots.append(Shot(footage.key, each * (number + 20), parts, number % 4 == 3))
    return Project(demo.footage, tuple(shots), demo.rate)


def _measure_large(project: Project, path: Path, count: int) -> None:
    save_project(project, path)
    window, name = _opened(path, f"{count} shots"), f"{count} shots"
    document, bench = window.document, window.bench
    places = project.places()
    _report(f"{name}: selecting all", busy(lambda: document.selection.select(places)))
    _report(f"{name}: a speed for all, typed", busy(lambda: _type_speed(window)))
    _report(f"{name}: undo", busy(document.undo))
    for page, (title, _) in enumerate(bench.pages[:7]):
        _report(f"{name}: the page {title}", busy(partial(window.show_bench_page, page)))
    window.show_bench_page(0)
    document.move_playhead(project.result_length / 3)
    settle(1)
    _report(f"{name}: a cut", busy(window.commands.cut))
    assert len(document.project.shots) == count + 1
    _report(f"{name}: undo", busy(document.undo))
    _report(f"{name}: resizing", busy(lambda: window.resize(QSize(1400, 860))))
    window.weave.views.show_all()
    settle(1)
    _report(f"{name}: repaint of the whole Weave (at most 16)", busy(lambda: _repaint(window)))
    document.selection.select([Place(count // 2, 0)])
    settle(1)
    _report(f"{name}: a speed for one, typed", busy(lambda: _type_speed(window)))
    _close(window)


def _type_speed(window: MainWindow) -> None:
    field = window.bench.pace.fields[Quantity.SPEED]
    field.setText("17×")
    field.setModified(True)
    field.editingFinished.emit()


def _repaint(window: MainWindow) -> None:
    window.weave.views.zoom(0.98)
    window.weave.repaint()


def _measure_hours(folder: Path) -> None:
    """A recording of ten hours that is not there: what the window draws is the same."""
    rate, length, path = Fraction(25), Fraction(_HOURS * 3600), folder / "long.mp4"
    gone = Recording(key="long", path=path, stored_rate=rate, stored_length=length, counted=True)
    save_project(arranging.begin_with(Project(), gone), folder / "hours.chronoxis")
    window = _opened(folder / "hours.chronoxis", f"{_HOURS} hours")
    _report(f"{_HOURS} hours: zoom to single frames", busy(window.weave.views.zoom_to_frames))
    _close(window)


def _measure_markers(demo: Project, folder: Path) -> None:
    project = replace(demo, music=())
    for number in range(_MARKERS):
        at = Fraction(number, _MARKERS) * project.result_length
        project = replace(project, markers=(*project.markers, replace(demo.footage[0].markers[0], at=at)))
    save_project(project, folder / "marked.chronoxis")
    window = _opened(folder / "marked.chronoxis", f"{_MARKERS} markers")
    weave, rails = window.weave, window.weave.rails()
    assert rails is not None
    joint = QPoint(round(rails.result_x(_JOINT)), round(rails.result.center().y()))
    QTest.mousePress(weave, Qt.MouseButton.LeftButton, pos=joint)
    moves = [busy(partial(QTest.mouseMove, weave, joint + QPoint(by, 0)), 0.3) for by in range(5, 40, 5)]
    QTest.mouseRelease(weave, Qt.MouseButton.LeftButton, pos=joint)
    _report(f"{_MARKERS} markers: a move of a drag, the longest of seven", max(moves, key=lambda m: m.act))
    _close(window)


def _measure_photos(folder: Path) -> None:
    window = _opened(folder, f"{_PHOTOS} photos")
    document = window.document
    document.selection.choose_footage(document.project.footage[0].key)
    settle(1)
    clocks = window.bench.footage.photos.clocks
    for clock in (Clock.INTERVAL, Clock.RATE):
        _report(f"{_PHOTOS} photos: time told by {clock}", busy(clocks[clock].click))
    _close(window)


def _photos(folder: Path) -> Path:
    from tests.photo_makers import make_photos  # noqa: PLC0415

    make_photos(folder, [0], interval=Fraction(5))
    for number in range(1, _PHOTOS):
        os.link(folder / "IMG_0000.png", folder / f"IMG_{number:04d}.png")
    return folder


def _close(window: MainWindow) -> None:
    window.files.discard_changes()
    window.close()
    QApplication.processEvents()
