"""The real window, with an excerpt of the demo's own recording."""

import shutil
from collections.abc import Iterator
from fractions import Fraction
from pathlib import Path

import pytest
from PySide6.QtCore import QCoreApplication, QEvent
from pytestqt.qtbot import QtBot

from chronoxis.app.checks import found_checks
from chronoxis.app.first_notes import mark_all_read
from chronoxis.app.main_window import MainWindow
from chronoxis.app.start import settle_memory
from chronoxis.core.model import arranging, joining, pacing
from chronoxis.demo.larkfield import draw_field
from tests.app.driving import SECONDS, planned, wear_theme
from tests.core.test_music import write_sound
from tests.photo_makers import make_photos
from tests.tunes import make_tune


def pytest_collection_finish() -> None:
    """What is loaded by now is looked through for unused circles no more, as in a window that is open."""
    settle_memory()


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


@pytest.fixture
def rich(opened: MainWindow, qtbot: QtBot, tmp_path: Path) -> MainWindow:
    """A window in which every page has something: two shots with a Surge, photos, music and a nested run."""
    document = opened.document
    document.apply("", lambda p: pacing.divide(p, 0, Fraction(1, 2)))
    document.apply("", lambda p: arranging.duplicate(p, [0]))
    document.apply("", lambda p: joining.make_surges(p, [0]))
    opened.loading.bring_in(make_photos(tmp_path / "Dawn", [n for n in range(20) if n != 7]))
    qtbot.waitUntil(lambda: len(document.known.sources) == 2, timeout=20_000)
    tune = write_sound(tmp_path / "tune.flac", make_tune(120, seconds=8).sound, "flac")
    opened.loading.bring_in_music([tune])
    qtbot.waitUntil(lambda: len(document.known.sources) == 3, timeout=20_000)
    document.apply("", lambda p: arranging.lay_music(p, "tune"))
    planned(qtbot, opened)
    return opened
