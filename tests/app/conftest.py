"""The real window, with an excerpt of the demo's own recording."""

import shutil
from collections.abc import Iterator
from pathlib import Path

import pytest
from PySide6.QtCore import QCoreApplication, QEvent
from pytestqt.qtbot import QtBot

from chronoxis.app.checks import found_checks
from chronoxis.app.first_notes import mark_all_read
from chronoxis.app.main_window import MainWindow
from chronoxis.demo.larkfield import draw_field
from tests.app.driving import SECONDS, wear_theme


@pytest.fixture(scope="session")
def recording(tmp_path_factory: pytest.TempPathFactory) -> Path:
    path = tmp_path_factory.mktemp("larkfield") / "Field-from-the-tower.mp4"
    draw_field(path, size=(320, 180), start=84, seconds=SECONDS)
    return path


@pytest.fixture(autouse=True)
def no_frames_on_disk(own_cache: Path) -> None:
    """What a test waits for is made, and not taken from where another test left it."""
    shutil.rmtree(own_cache / "chronoxis" / "frames", ignore_errors=True)


@pytest.fixture(autouse=True)
def nothing_is_glanced_at(monkeypatch: pytest.MonkeyPatch) -> None:
    """Checks of every window would decode a hundred frames of each shot; who tests that, does so itself."""
    monkeypatch.setattr(found_checks, "glance_of", lambda *_: None)


@pytest.fixture
def window(qtbot: QtBot) -> Iterator[MainWindow]:
    wear_theme()
    mark_all_read()
    made = MainWindow()
    made.show()
    yield made
    for job in made.exports.jobs:
        made.exports.cancel(job.id)  # else they would go on
    made.files.discard_changes()
    made.end()
    made.deleteLater()
    # At once: whatever is still there would be styled anew along with the next window.
    QCoreApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete.value)


@pytest.fixture
def opened(window: MainWindow, recording: Path, qtbot: QtBot) -> MainWindow:
    window.loading.bring_in(recording)
    qtbot.waitUntil(lambda: window.document.plan is not None, timeout=10_000)
    return window
