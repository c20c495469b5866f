"""Frames that were made stay: through undo, edits elsewhere and another session, whatever the disk does."""

import sqlite3
from fractions import Fraction
from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import Qt
from PySide6.QtGui import QImage
from pytestqt.qtbot import QtBot

from chronoxis.app.main_window import MainWindow
from chronoxis.app.pictures import preview as preview_module
from chronoxis.app.pictures.frame_store import FrameStore, FrameStoreError
from chronoxis.app.pictures.made_frames import MadeFrame
from chronoxis.app.pictures.preview import Preview
from chronoxis.core.errors import FootageError
from chronoxis.core.footage.reader_pool import ReaderPool
from chronoxis.core.model import pacing
from tests.app.driving import ONLY, planned


def frames(first: int, stop: int, size: int = 1000) -> dict[bytes, MadeFrame]:
    return {
        number.to_bytes(16, "big"): MadeFrame(bytes([number % 256]) * size) for number in range(first, stop)
    }


@pytest.fixture
def file(tmp_path: Path) -> Path:
    return tmp_path / "frames" / "frames.sqlite"


def test_what_was_used_longest_ago_goes_first(file: Path) -> None:
    store, other = FrameStore(file, budget=100_000), FrameStore(file, budget=100_000)
    first, later = frames(0, 90), frames(90, 110)
    store.keep(first)
    assert other.kept([*first, b"nothing"]) == first
    used = dict(list(first.items())[:30])
    assert store.kept(used) == used
    other.keep(later)
    left = store.kept([*first, *later])
    assert used.items() | later.items() <= left.items()
    assert sum(frame.size for frame in left.values()) <= 100_000
    for number in range(2, 8):
        store.keep(frames(100 * number, 100 * number + 90))
    assert file.stat().st_size < 200_000  # room that was let go of is used again
    store.clear()
    assert not other.kept(later)
    for each in (store, other):
        each.close()
    assert file.stat().st_size < 50_000


@pytest.mark.parametrize("damage", ["rubbish", "cut", "version"])
def test_a_store_that_is_damaged_is_begun_anew(file: Path, damage: str) -> None:
    store = FrameStore(file)
    store.keep(frames(0, 50))
    store.close()
    if damage == "version":
        with sqlite3.connect(file) as database:
            database.execute("PRAGMA user_version = 99")
        database.close()
    else:
        content = file.read_bytes()
        file.write_bytes(b"no database at all" * 500 if damage == "rubbish" else content[: len(content) // 2])
    with pytest.raises(FrameStoreError):
        store.kept(frames(0, 50))
    store.keep(frames(0, 3))
    assert store.kept(frames(0, 50)) == frames(0, 3)
    store.close()


@pytest.fixture
def all_made(opened: MainWindow, qtbot: QtBot) -> MainWindow:
    planned(qtbot, opened)
    wait_for_all(opened, qtbot)
    return opened


def wait_for_all(window: MainWindow, qtbot: QtBot) -> None:
    planned(qtbot, window)
    qtbot.waitUntil(lambda: len(window.preview.made()) == window.document.frame_count, timeout=20_000)


def images(window: MainWindow) -> list[QImage | None]:
    return [window.preview.image(number) for number in range(window.document.frame_count)]


def make_nothing(*_: object, **__: object) -> None:
    raise FootageError("nothing is to be made anew")


def test_an_undo_and_an_edit_elsewhere_make_nothing_anew(
    all_made: MainWindow, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    window, made = all_made, images(all_made)
    window.document.apply("slower", lambda p: pacing.set_speed(p, [ONLY], Fraction(5)))
    wait_for_all(window, qtbot)
    slower = images(window)
    monkeypatch.setattr(preview_module, "result_frames", make_nothing)
    window.document.undo()
    wait_for_all(window, qtbot)
    assert images(window) == made
    window.document.redo()
    wait_for_all(window, qtbot)
    assert images(window) == slower
    half = window.document.project.shots[0].out_point / 2
    window.document.apply("divide", lambda p: pacing.divide(p, 0, half))
    wait_for_all(window, qtbot)
    assert images(window) == slower


def test_another_session_finds_them(
    all_made: MainWindow, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    made, plan = images(all_made), all_made.document.plan
    assert plan is not None
    monkeypatch.setattr(preview_module, "result_frames", make_nothing)
    later = Preview(ReaderPool())
    later.follow(plan)
    qtbot.waitUntil(lambda: len(later.made()) == len(made), timeout=10_000)
    assert [later.image(number) for number in range(len(made))] == made
    later.close()


@pytest.mark.thorough
@pytest.mark.parametrize("trouble", ["no folder", "full"])
def test_without_a_disk_they_are_made_all_the_same(
    all_made: MainWindow, qtbot: QtBot, tmp_path: Path, trouble: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    plan = all_made.document.plan
    assert plan is not None
    file = tmp_path / "taken" / "frames.sqlite"
    if trouble == "no folder":
        file.parent.write_text("a file is in the way")
    else:
        FrameStore(file).clear()
        monkeypatch.setattr(FrameStore, "_make_room", full)
    told: list[str] = []
    preview = Preview(ReaderPool(), FrameStore(file))
    preview.failed.connect(told.append)
    preview.follow(plan)
    qtbot.waitUntil(lambda: len(preview.made()) == len(plan.schedule), timeout=20_000)
    preview.close()
    qtbot.waitUntil(lambda: bool(told), timeout=5_000)
    assert len(told) == 1
    assert "cannot be kept on the disk" in told[0]


def full(*_: object) -> None:
    raise sqlite3.OperationalError("database or disk is full")


@pytest.mark.thorough
def test_they_are_made_anew_when_somebody_wishes_it(
    all_made: MainWindow, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    again: list[int] = []
    packed = preview_module._packed

    def count(codes: np.ndarray) -> bytes:
        again.append(1)
        return packed(codes)

    monkeypatch.setattr(preview_module, "_packed", count)
    both = Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier
    qtbot.keyClick(all_made, Qt.Key.Key_U, both)
    wait_for_all(all_made, qtbot)
    assert len(again) >= all_made.document.frame_count
