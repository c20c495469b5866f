"""The window under a large project: drawing, edits and drags of 300 shots of 10 passages each."""

import os
import statistics
import tempfile
from collections.abc import Callable
from fractions import Fraction
from itertools import cycle
from pathlib import Path

from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication
from tqdm import tqdm

from bench.report import application, report, run, settle, timed, wait
from chronoxis.app.main_window import MainWindow
from chronoxis.core.files.project_file import load_project, save_project
from chronoxis.core.model import pacing
from chronoxis.core.model.playing import result_span
from chronoxis.core.model.project import Passage, Place, Project, Shot
from chronoxis.core.timing.fitting import load_solver
from chronoxis.core.timing.ramps import Ramp, RampShape
from chronoxis.demo.larkfield import ensure_demo

_SHOTS, _PASSAGES = 300, 10
_SPEEDS = (24, 1, 60, 6, 2, 120, 12, 1, 30, 4)
_TIMES = 60
_CLOSER = 0.98


def measure(runs: int) -> None:
    """Print how long the window takes to draw, to show an edit, and how often a drag is shown."""
    demo = ensure_demo(None, lambda text, total: tqdm(total=total, desc=text, leave=False))
    application()
    load_solver()  # as the program does when it starts
    with tempfile.TemporaryDirectory(prefix="chronoxis-bench-") as scratch:
        os.environ["XDG_STATE_HOME"] = scratch
        path = Path(scratch) / "large.chronoxis"
        save_project(large_project(load_project(demo)), path)
        window = _opened(path)
        for number in range(1, runs + 1):
            with run(f"weave, {_SHOTS} shots of {_PASSAGES} passages, run {number}"):
                _measure_views(window)
        window.files.discard_changes()
        window.close()


def large_project(demo: Project) -> Project:
    """Many short shots of the demo's recordings, every joint ramped, every fourth shot backwards."""
    shots = []
    for number in range(_SHOTS):
        footage = demo.footage[number % 2]
        each = footage.length / (_SHOTS + 40)
        passages = tuple(
            Passage(each / _PASSAGES, Fraction(speed), Ramp(Fraction(1, 25), RampShape.SMOOTH))
            for speed in _SPEEDS
        )
        shots.append(Shot(footage.key, each * (number + 20), passages, number % 4 == 3))
    return Project(demo.footage, tuple(shots), demo.rate)


def _opened(path: Path) -> MainWindow:
    window = MainWindow()
    window.resize(1280, 800)
    window.show()
    window.file_actions.open_files([path])
    wait(lambda: window.document.plan is not None)
    settle(5)
    return window


def _measure_views(window: MainWindow) -> None:
    document, weave = window.document, window.weave
    middle = Place(_SHOTS // 2, 4)
    for name in ("whole", "passage"):
        document.selection.select([middle])
        if name == "whole":
            weave.views.show_all()
        else:
            weave.views.zoom_to_selection()
        settle(2)
        report(f"repaint, {name} (median at most 16)", _median(_repaints(window)), "ms")
        report(f"edit to screen, {name} (at most 50)", _median(lambda: _edit(window, middle)), "ms")
        report(f"updates in a drag, {name} (above 30)", _drag_rate(window, middle), "/s")
        while document.history.undo_label:
            document.undo()


def _repaints(window: MainWindow) -> Callable[[], None]:
    """A drawing after each turn of the wheel, to and fro: nothing stays where it was."""
    factors = cycle((_CLOSER, 1 / _CLOSER))

    def repaint() -> None:
        window.weave.views.zoom(next(factors))
        window.weave.repaint()

    return repaint


def _edit(window: MainWindow, place: Place) -> None:
    faster = window.document.project.passage(place).speed + 1
    window.document.apply("Set speed", lambda p: pacing.set_speed(p, [place], faster))
    QApplication.processEvents()


def _drag_rate(window: MainWindow, place: Place) -> float:
    """Moves of the pointer that reach the screen in a second, at a passage's end on the result rail."""
    weave = window.weave
    rails = weave.rails()
    assert rails is not None
    at = QPoint(
        round(rails.result_x(result_span(window.document.project, place)[1])),
        round(rails.result.center().y()),
    )
    QTest.mousePress(weave, Qt.MouseButton.LeftButton, pos=at)

    def moves() -> None:
        for number in range(_TIMES):
            QTest.mouseMove(weave, at + QPoint(number % 40, 0))
            QApplication.processEvents()

    took = timed(moves)
    QTest.mouseRelease(weave, Qt.MouseButton.LeftButton, pos=at)
    QApplication.processEvents()
    return _TIMES / took


def _median(work: Callable[[], object]) -> float:
    return statistics.median(1e3 * timed(work) for _ in range(_TIMES))
