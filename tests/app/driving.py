"""Driving the window by hand and keyboard."""

from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from PySide6.QtCore import QCoreApplication, QEvent, QPoint, QPointF, Qt
from PySide6.QtWidgets import QApplication, QLabel, QPushButton, QWidget
from pytestqt.qtbot import QtBot

from chronoxis.app.main_window import MainWindow
from chronoxis.app.scroller import Scroller
from chronoxis.app.theme.theme import apply_theme, scaled
from chronoxis.core.model.project import Place
from chronoxis.core.queue.export_queue import ExportQueue
from chronoxis.core.queue.jobs import Job, JobState
from chronoxis.core.render.plan import Plan
from chronoxis.core.timing.reckoner import Quantity

SECONDS = 12
"""How long the recording that the window opens is."""
ONLY = Place(0, 0)


def wear_theme(scale: float = 1.0) -> None:
    """Put the theme on, with text of that size, unless it is on: windows take long to change it."""
    application = QApplication.instance()
    assert isinstance(application, QApplication)
    if not application.styleSheet() or scaled(1000) != round(1000 * scale):
        apply_theme(application, scale)


@contextmanager
def window_with_text(scale: float) -> Iterator[MainWindow]:
    """A window with text of a size; no other is there when that changes, for all would change along."""
    wear_theme(scale)
    made = MainWindow()
    made.show()
    try:
        yield made
    finally:
        made.files.discard_changes()
        made.end()
        made.deleteLater()
        QCoreApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete.value)
        wear_theme()


def enter(qtbot: QtBot, window: MainWindow, quantity: Quantity, text: str) -> None:
    field = window.bench.pace.fields[quantity]
    field.selectAll()
    qtbot.keyClicks(field, text)
    qtbot.keyClick(field, Qt.Key.Key_Return)


def planned(qtbot: QtBot, window: MainWindow) -> Plan:
    """The plan of the project as it is now, once it is made."""
    qtbot.waitUntil(lambda: window.document.planner.is_current, timeout=10_000)
    assert window.document.plan is not None
    return window.document.plan


def disk_answered(qtbot: QtBot, window: MainWindow) -> None:
    """Wait until all questions to the disk that were asked by now are answered."""
    answered: list[None] = []
    window.disk.ask(lambda: None, answered.append)
    qtbot.waitUntil(lambda: bool(answered), timeout=10_000)


def open_project(qtbot: QtBot, window: MainWindow, path: Path) -> None:
    """Open a project that has nothing to be asked about first."""
    with qtbot.waitSignal(window.document.replaced, timeout=30_000):
        window.file_actions.open_project(path)


def drag(qtbot: QtBot, window: MainWindow, start: QPointF, by: float) -> None:
    weave = window.weave
    qtbot.mousePress(weave, Qt.MouseButton.LeftButton, pos=start.toPoint())
    for share in (0.3, 0.7, 1.0):
        qtbot.mouseMove(weave, start.toPoint() + QPoint(round(by * share), 0))
    qtbot.mouseRelease(weave, Qt.MouseButton.LeftButton, pos=start.toPoint() + QPoint(round(by), 0))


def visible_texts(window: QWidget) -> list[QLabel | QPushButton]:
    labels, buttons = window.findChildren(QLabel), window.findChildren(QPushButton)
    found: list[QLabel | QPushButton] = [*labels, *buttons]
    return [widget for widget in found if widget.isVisible() and widget.text()]


def assert_nothing_is_cut(window: MainWindow, qtbot: QtBot, size: tuple[int, int]) -> None:
    """On any page of the Bench, and among exports, in a window of a size."""
    window.resize(*size)
    for page in range(len(window.bench.pages)):
        window.show_bench_page(page)
        assert_nothing_is_cut_now(window, qtbot, size)
    window.show_export()
    assert_nothing_is_cut_now(window, qtbot, size)
    fill_queue(window)
    window.show_exports()
    qtbot.waitUntil(lambda: len(window.export_panel.list.rows) == len(JobState), timeout=10_000)
    assert_nothing_is_cut_now(window, qtbot, size)


def assert_nothing_is_cut_now(window: MainWindow, qtbot: QtBot, size: tuple[int, int]) -> None:
    qtbot.wait(50)
    for _ in range(3):  # what was said just now, in the background, finds its room: from widget to widget
        QApplication.sendPostedEvents()
    assert (window.width(), window.height()) == size
    assert window.weave.height() >= window.weave.minimumSizeHint().height()
    scrollers = window.findChildren(Scroller)
    for widget in visible_texts(window):
        if isinstance(widget, QPushButton) or not widget.wordWrap():
            need, text = widget.minimumSizeHint(), widget.text()
            assert widget.width() >= need.width(), text
            assert widget.height() >= min(need.height(), widget.sizeHint().height()) - 1, text
        frame = next((each for each in scrollers if each.isAncestorOf(widget)), None)
        whole = window if frame is None else frame.page  # what scrolls has all of it in its page
        inside = widget.mapTo(whole, QPoint(widget.width(), widget.height()))
        assert inside.x() <= whole.width() and inside.y() <= whole.height(), widget.text()
        assert frame is None or whole.width() <= frame.viewport().width(), widget.text()


def fill_queue(window: MainWindow) -> None:
    """Put exports into the queue that stand in every way; nobody works at them."""
    queue = ExportQueue()
    folder = Path("/somewhere/far away, in a folder with a long name")
    names = [f"An export with a name that is rather long, {state}.mp4" for state in JobState]
    taken, failed, paused, done, _ = (queue.add(window.document.project, folder / name) for name in names)
    queue.take()
    queue.note(taken, 123_456, 234_567, 12.3, 9_012.0)
    queue.fail(failed, f"{names[1]} was not written: the folder {folder} is not there; make it.")
    queue.pause(paused)
    queue.end(done, {"frames": 234_567, "length": 9_382.68, "size": 12_345_678_901})
    queue.close()


def exports_ended(qtbot: QtBot, window: MainWindow) -> list[Job]:
    """Wait until exports were added, and none goes on; all of them."""
    exports = window.exports
    qtbot.waitUntil(lambda: bool(exports.jobs) and not exports.going_on, timeout=120_000)
    return exports.jobs
