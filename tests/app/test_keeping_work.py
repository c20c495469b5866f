"""Nothing that a person made is lost: not to a slow disk, another window, an impatient press or a kill."""

import json
import os
import time
from collections.abc import Callable, Iterator
from fractions import Fraction
from pathlib import Path
from threading import Event
from typing import Any

import pytest
from PySide6.QtCore import Qt
from pytestqt.qtbot import QtBot

from chronoxis.app.files import project_files
from chronoxis.app.main_window import MainWindow
from chronoxis.core.errors import AlteredError
from chronoxis.core.files.autosave import Autosave, autosave_folder
from chronoxis.core.files.interchange import export_timeline
from chronoxis.core.files.project_file import from_json, load_project, read_project, save_project
from chronoxis.core.files.timeline_reading import read_timeline
from chronoxis.core.model import arranging, correcting, pacing
from chronoxis.core.model.even_out import EvenOut
from chronoxis.core.model.project import Project
from chronoxis.core.model.steady import Steady, SteadyMode
from tests.app.driving import ONLY, exports_ended, open_project, planned
from tests.footage_makers import make_long_recording, make_recording, recording_of


def hurry(window: MainWindow) -> Fraction:
    """Double the speed of the only passage; the new one."""
    faster = window.document.project.passage(ONLY).speed * 2
    window.document.apply("Set speed", lambda p: pacing.set_speed(p, [ONLY], faster))
    return faster


def speed_in(path: Path) -> Fraction:
    return load_project(path).passage(ONLY).speed


def autosaves() -> list[Project]:
    """What stands in the autosaves, whether a window holds them or not."""
    found = [json.loads(path.read_bytes()) for path in autosave_folder().glob("*.autosave")]
    return [from_json(each["project"], autosave_folder() / "autosave") for each in found]


@pytest.fixture
def slow(monkeypatch: pytest.MonkeyPatch) -> Iterator[Callable[[], None]]:
    """Makes saving wait, as on a folder far away, until it is called."""
    go_on, save = Event(), save_project

    def slowly(*arguments: Any) -> str:
        assert go_on.wait(10)
        return save(*arguments)

    monkeypatch.setattr(project_files, "save_project", slowly)
    yield go_on.set
    go_on.set()


def test_a_slow_save_says_nothing_of_the_project_that_was_begun_meanwhile(
    opened: MainWindow, qtbot: QtBot, tmp_path: Path, slow: Callable[[], None]
) -> None:
    film, went_on = tmp_path / "film.chronoxis", list[str]()
    opened.files.save(film, lambda: went_on.append("went on"))
    opened.files.discard_changes()
    opened.file_actions.new_project()
    opened.loading.bring_in(make_recording(tmp_path / "other.mkv", frames=60))
    planned(qtbot, opened)
    with qtbot.waitSignal(opened.files.saved, timeout=5000):
        slow()
    assert opened.files.path is None  # the next Ctrl+S asks for a name
    assert opened.document.is_modified
    assert not went_on
    assert load_project(film).footage[0].name == "Field from the tower"


def test_what_is_changed_while_it_is_saved_is_asked_about_before_going_on(
    opened: MainWindow, qtbot: QtBot, tmp_path: Path, slow: Callable[[], None]
) -> None:
    opened.files.path = tmp_path / "film.chronoxis"
    hurry(opened)
    opened.file_actions.new_project()
    qtbot.mouseClick(opened.question.buttons[0], Qt.MouseButton.LeftButton)  # Save
    faster = hurry(opened)
    with qtbot.waitSignal(opened.files.saved, timeout=5000):
        slow()
    assert opened.document.project.passage(ONLY).speed == faster
    assert "not saved" in opened.question.text.text()
    qtbot.mouseClick(opened.question.buttons[0], Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: not opened.document.project.footage, timeout=5000)
    assert speed_in(tmp_path / "film.chronoxis") == faster


def test_a_project_that_is_read_while_another_is_begun_does_not_replace_it(
    opened: MainWindow, qtbot: QtBot, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    go_on = Event()
    save_project(opened.document.project, tmp_path / "film.chronoxis")

    def slowly(path: Path) -> tuple[Project, str]:
        assert go_on.wait(10)
        return read_project(path)

    monkeypatch.setattr(project_files, "read_project", slowly)
    opened.files.discard_changes()
    opened.file_actions.open_project(tmp_path / "film.chronoxis")
    faster = hurry(opened)  # while it is read
    go_on.set()
    qtbot.waitUntil(opened.question.isVisible, timeout=5000)
    assert opened.document.project.passage(ONLY).speed == faster
    go_on.clear()
    opened.files.discard_changes()
    opened.file_actions.open_project(tmp_path / "film.chronoxis")
    opened.file_actions.new_project()
    go_on.set()
    qtbot.wait(300)
    assert not opened.document.project.footage


def test_what_somebody_else_saved_is_not_written_over_unasked(
    opened: MainWindow, qtbot: QtBot, tmp_path: Path
) -> None:
    film = tmp_path / "film.chronoxis"
    with qtbot.waitSignal(opened.files.saved, timeout=5000):
        opened.files.save(film)
    theirs, fingerprint = read_project(film)
    theirs = pacing.set_speed(theirs, [ONLY], Fraction(77))
    save_project(theirs, film, fingerprint)  # another window does
    with pytest.raises(AlteredError, match="was changed by another window or program"):
        save_project(theirs, film, fingerprint)
    faster = hurry(opened)
    opened.file_actions.save()
    qtbot.waitUntil(opened.question.isVisible, timeout=5000)
    assert "film.chronoxis was changed by another" in opened.question.text.text()
    assert speed_in(film) == 77
    with qtbot.waitSignal(opened.files.saved, timeout=5000):
        qtbot.mouseClick(opened.question.buttons[0], Qt.MouseButton.LeftButton)  # beside it
    assert [speed_in(path) for path in (film, tmp_path / "film 2.chronoxis")] == [77, faster]
    assert opened.files.path == tmp_path / "film 2.chronoxis"
    assert not opened.document.is_modified
    os.utime(opened.files.path)  # touched, not changed: nothing to ask
    faster = hurry(opened)
    with qtbot.waitSignal(opened.files.saved, timeout=5000):
        opened.file_actions.save()
    assert speed_in(tmp_path / "film 2.chronoxis") == faster
    (tmp_path / "film 2.chronoxis").write_text("something else altogether")
    faster = hurry(opened)
    opened.file_actions.save()
    qtbot.waitUntil(opened.question.isVisible, timeout=5000)
    with qtbot.waitSignal(opened.files.saved, timeout=5000):
        qtbot.mouseClick(opened.question.buttons[1], Qt.MouseButton.LeftButton)  # replace it
    assert speed_in(tmp_path / "film 2.chronoxis") == faster


def test_cancelling_the_counting_of_what_a_project_has_only_stops_the_counting(
    window: MainWindow, qtbot: QtBot, tmp_path: Path
) -> None:
    take = make_long_recording(tmp_path / "long.mkv", frames=4000, size=(32, 32))
    project = arranging.begin_with(Project(), recording_of(take, Fraction(25), Fraction(160), counted=True))
    save_project(project, tmp_path / "film.chronoxis")
    open_project(qtbot, window, tmp_path / "film.chronoxis")
    card, document = window.shelf.cards["long"], window.document
    qtbot.waitUntil(card.give_up.isVisible, timeout=5000)
    qtbot.mouseClick(card.give_up, Qt.MouseButton.LeftButton)
    qtbot.wait(200)
    assert [footage.key for footage in document.project.footage] == ["long"]
    assert len(document.project.shots) == len(document.history.saved.shots) == 1
    assert not document.is_modified
    assert not document.known.sources
    assert "not counted" in card.caution.text()
    qtbot.mouseClick(card.count, Qt.MouseButton.LeftButton)
    planned(qtbot, window)
    assert not card.count.isVisible()
    assert not card.caution.text()


def test_cancelling_what_was_only_just_brought_in_leaves_no_trace_but_work_on_it_stays(
    window: MainWindow, qtbot: QtBot, tmp_path: Path
) -> None:
    take, document = make_long_recording(tmp_path / "long.mkv", frames=4000, size=(32, 32)), window.document
    for worked_on in (False, True):
        with qtbot.waitSignal(window.loading.loader.opened, timeout=5000):
            window.loading.bring_in(take)
        if worked_on:
            hurry(window)
        qtbot.mouseClick(window.shelf.cards["long"].give_up, Qt.MouseButton.LeftButton)
        qtbot.wait(100)
        assert bool(document.project.shots) == worked_on
        assert (document.history.undo_label == "Set speed") == worked_on
    document.undo()
    document.undo()
    assert not document.project.footage


@pytest.mark.thorough
def test_steady_editing_is_kept_within_five_seconds(opened: MainWindow, qtbot: QtBot) -> None:
    begun = time.monotonic()
    while time.monotonic() - begun < 5:
        if opened.document.history.undo_label == "Set speed":
            opened.document.undo()
        else:
            hurry(opened)
        qtbot.wait(200)
    kept = autosaves()
    assert len(kept) == 1
    assert kept[0].footage == opened.document.project.footage


def test_what_was_thrown_away_while_it_was_being_kept_is_not_offered_again(
    opened: MainWindow, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    go_on, keep = Event(), Autosave.keep

    def slowly(*arguments: Any) -> None:
        assert go_on.wait(10)
        keep(*arguments)

    monkeypatch.setattr(Autosave, "keep", slowly)
    hurry(opened)
    opened.files._ask_keep()
    opened.files.discard_changes()
    go_on.set()
    opened.files._keeper.close()
    assert not autosaves()


def test_corrections_are_there_when_a_project_is_opened_again_in_the_same_window(
    opened: MainWindow, qtbot: QtBot, tmp_path: Path
) -> None:
    film = tmp_path / "film.chronoxis"
    opened.document.apply("Even out", lambda p: correcting.set_even_out(p, [0], EvenOut(1.0)))
    opened.document.apply("Steady", lambda p: correcting.set_steady(p, [0], Steady(SteadyMode.SMOOTH)))
    for _ in range(2):
        qtbot.waitUntil(lambda: not planned(qtbot, opened).unmeasured, timeout=60_000)
        plan = planned(qtbot, opened)
        assert plan.corrections[0]
        assert plan.warps[0] is not None
        with qtbot.waitSignal(opened.files.saved, timeout=5000):
            opened.files.save(film)
        open_project(qtbot, opened, film)


@pytest.mark.thorough
def test_a_timeline_that_was_opened_can_be_exported(opened: MainWindow, qtbot: QtBot, tmp_path: Path) -> None:
    export_timeline(opened.document.project, tmp_path / "cut.otio")
    wanted = opened.document.project.settings.format
    assert read_timeline(tmp_path / "cut.otio").project.settings.format is wanted
    opened.files.discard_changes()
    open_project(qtbot, opened, tmp_path / "cut.otio")
    qtbot.waitUntil(lambda: planned(qtbot, opened).is_whole, timeout=10_000)
    opened.show_export()
    panel = opened.export_panel
    panel.choices.output.setText(str(tmp_path / "out.mp4"))
    panel.start()
    exports_ended(qtbot, opened)
    assert (tmp_path / "out.mp4").stat().st_size > 0
