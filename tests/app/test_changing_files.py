"""Footage that changes on the disk while it is open, and what is said of it."""

import shutil
from fractions import Fraction
from pathlib import Path

import numpy as np
import pytest
from pytestqt.qtbot import QtBot

from chronoxis.app.main_window import MainWindow
from chronoxis.core.model import nesting, pacing
from chronoxis.core.timing.reckoner import Quantity
from tests.app.driving import ONLY, open_project, planned
from tests.footage_makers import make_recording
from tests.photo_makers import make_photos


def brightness(window: MainWindow) -> float:
    """Mean of the result's picture, 0 to 255; -1 where none is shown."""
    image = window.pictures.result.image
    if image is None:
        return -1.0
    return float(np.frombuffer(image.constBits(), np.uint8).mean())


def frames_of(window: MainWindow, take: Path) -> int:
    """How many frames it has; 0 while they are not counted."""
    source = window.document.known.sources.get(take)
    return 0 if source is None else len(source.edges) - 1


@pytest.fixture
def take(window: MainWindow, qtbot: QtBot, tmp_path: Path) -> Path:
    """A recording that is open in the window."""
    path = make_recording(tmp_path / "take.mp4", frames=100)
    window.loading.bring_in(path)
    planned(qtbot, window)
    qtbot.waitUntil(lambda: window.pictures.result.image is not None, timeout=10_000)
    return path


def test_a_recording_that_is_replaced_is_read_again(
    window: MainWindow, qtbot: QtBot, take: Path, tmp_path: Path
) -> None:
    before = window.document.known.sources[take]
    shutil.copy(make_recording(tmp_path / "longer.mp4", frames=150), take)
    qtbot.waitUntil(lambda: window.document.known.sources.get(take, before) is not before, timeout=10_000)
    assert frames_of(window, take) == 150
    assert "has changed" in window.shelf.card_of(take).caution.text()
    assert window.document.project.shots[0].out_point == 4  # nothing is cut or stretched unasked
    assert not window.message_text
    shutil.copy(make_recording(tmp_path / "shorter.mp4", frames=30), take)
    qtbot.waitUntil(lambda: frames_of(window, take) == 30, timeout=10_000)
    assert window.shelf.card_of(take).adopt.isVisible()


@pytest.mark.thorough
def test_a_recording_that_is_taken_away_and_put_back(window: MainWindow, qtbot: QtBot, take: Path) -> None:
    away = take.with_name("away")
    window.transport.toggle()
    take.rename(away)
    qtbot.waitUntil(lambda: take in window.document.known.missing, timeout=10_000)
    assert "not there any more" in window.document.known.missing[take]
    assert window.shelf.card_of(take).locate.isVisible()
    qtbot.waitUntil(lambda: not window.menus.export.isEnabled(), timeout=5000)
    away.rename(take)
    qtbot.waitUntil(lambda: take in window.document.known.sources, timeout=10_000)
    qtbot.waitUntil(lambda: planned(qtbot, window).is_whole, timeout=5000)
    assert not window.message_text
    assert not window.shelf.card_of(take).locate.isVisible()
    qtbot.waitUntil(lambda: brightness(window) >= 0, timeout=5000)


def test_playing_what_can_no_longer_be_read_comes_to_rest(
    window: MainWindow, qtbot: QtBot, take: Path
) -> None:
    window.loading.on_disk.close()  # it would notice before
    window.document.apply("", lambda p: pacing.set_speed(p, [ONLY], Fraction(1, 30)))
    planned(qtbot, window)
    take.write_bytes(take.read_bytes()[:3000])
    window.readers.keep_only(())  # one that is open may have read all of so short a file already
    window.preview.follow(window.document.plan)
    window.document.move_playhead(Fraction(60))
    window.transport.toggle()
    qtbot.waitUntil(lambda: not window.transport.playing, timeout=20_000)
    assert "take.mp4" in window.message_text


@pytest.mark.thorough
def test_zeros_in_the_middle_of_a_recording_are_said(window: MainWindow, qtbot: QtBot, take: Path) -> None:
    content = bytearray(take.read_bytes())
    third = len(content) // 3
    content[third : 2 * third] = bytes(third)
    take.write_bytes(content)
    qtbot.waitUntil(lambda: "could not be decoded" in window.message_text, timeout=20_000)
    assert frames_of(window, take) == 100


def test_a_nested_run_waits_for_its_footage(
    opened: MainWindow, qtbot: QtBot, tmp_path: Path, recording: Path
) -> None:
    opened.document.apply("", lambda p: nesting.nest(p, [0]))
    planned(qtbot, opened)
    film = tmp_path / "film.chronoxis"
    with qtbot.waitSignal(opened.files.saved, timeout=5000):
        opened.files.save(film)
    said = set[str]()
    nested = next(f for f in opened.document.project.footage if f.made_of)

    def look() -> None:
        if nested.key in opened.shelf.cards:
            said.add(opened.shelf.cards[nested.key].caution.text())

    for signal in (opened.document.planned, opened.document.footage_changed, opened.document.pending_changed):
        signal.connect(look)
    open_project(qtbot, opened, film)
    qtbot.waitUntil(lambda: planned(qtbot, opened).is_whole, timeout=10_000)
    assert said == {""}


def test_photos_and_places_are_told_apart(window: MainWindow, qtbot: QtBot, tmp_path: Path) -> None:
    numbers = [number for number in range(24) if number not in (7, 12)]
    window.loading.bring_in(make_photos(tmp_path / "Dawn", numbers))
    planned(qtbot, window)
    (card,) = window.shelf.cards.values()
    assert "22 photos" in card._facts.text()
    assert window.bench.pace.fields[Quantity.RECORDED_LENGTH].text() == "24 places"
    assert "22 photos stand in 24 places" in window.bench.pace.meaning.text()
