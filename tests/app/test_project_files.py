"""Choosing files, saving and closing, as a person does it: through the menus and the questions asked."""

from collections.abc import Callable
from fractions import Fraction
from pathlib import Path

import pytest
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QFileDialog
from pytestqt.qtbot import QtBot

from chronoxis.app.files.recent_projects import recent_projects
from chronoxis.app.main_window import MainWindow
from chronoxis.core.files.interchange import import_timeline
from chronoxis.core.files.project_file import load_project
from chronoxis.core.model import pacing
from tests.app.driving import ONLY, disk_answered, open_project, planned

Answer = Callable[[Path | None], None]


@pytest.fixture
def answer(monkeypatch: pytest.MonkeyPatch) -> Answer:
    """Sets what a person chooses in the next dialogs, or that they give up."""
    chosen: list[Path | None] = [None]

    def one(*_: object, **__: object) -> tuple[str, str]:
        return str(chosen[0] or ""), ""

    def several(*_: object) -> tuple[list[str], str]:
        return [str(chosen[0])] if chosen[0] else [], ""

    monkeypatch.setattr(QFileDialog, "getOpenFileNames", several)
    monkeypatch.setattr(QFileDialog, "getOpenFileName", one)
    monkeypatch.setattr(QFileDialog, "getSaveFileName", one)

    def choose(path: Path | None) -> None:
        chosen[0] = path

    return choose


def press(window: MainWindow, menu: str, entry: str) -> None:
    """Choose an entry of a menu by what it says."""
    (chosen,) = (a for a in window.menuBar().actions() if a.text().replace("&", "") == menu)
    actions = chosen.menu().actions()  # type: ignore[attr-defined]
    (action,) = (a for a in actions if a.text().replace("&", "").rstrip("…") == entry)
    assert action.isEnabled(), f"{entry} cannot be chosen"
    action.trigger()


def hurry(window: MainWindow) -> None:
    """Change something that a person would want to keep."""
    faster = window.document.project.passage(ONLY).speed * 2
    window.document.apply("Set speed", lambda p: pacing.set_speed(p, [ONLY], faster))


def test_a_film_is_begun_saved_and_begun_anew(
    window: MainWindow, qtbot: QtBot, tmp_path: Path, recording: Path, answer: Answer
) -> None:
    press(window, "File", "Bring in footage")
    assert window.document.project.footage == ()
    answer(recording)
    press(window, "File", "Bring in footage")
    planned(qtbot, window)
    answer(None)
    press(window, "File", "Save")  # it has no name yet, so one is asked for; and nothing is chosen
    assert window.document.is_modified
    film = tmp_path / "film.chronoxis"
    answer(film)
    with qtbot.waitSignal(window.files.saved, timeout=5000):
        press(window, "File", "Save")
    assert load_project(film) == window.document.project
    assert window.windowTitle() == "film – Chronoxis"
    assert not window.menus.save.isEnabled()
    hurry(window)
    assert window.windowTitle() == "film • – Chronoxis"
    with qtbot.waitSignal(window.files.saved, timeout=5000):
        press(window, "File", "Save")
    other = tmp_path / "another.chronoxis"
    answer(other)
    hurry(window)
    with qtbot.waitSignal(window.files.saved, timeout=5000):
        press(window, "File", "Save as")
    assert load_project(other).passage(ONLY).speed == 2 * load_project(film).passage(ONLY).speed
    press(window, "File", "New project")
    assert window.document.project.footage == ()
    answer(film)
    with qtbot.waitSignal(window.document.replaced, timeout=5000):
        press(window, "File", "Open project")
    assert window.document.project == load_project(film)
    planned(qtbot, window)
    assert recent_projects()[:2] == [film, other]


def test_a_timeline_is_written_and_opened(
    opened: MainWindow, qtbot: QtBot, tmp_path: Path, answer: Answer
) -> None:
    hurry(opened)
    project = opened.document.project
    answer(tmp_path / "cut.otio")
    with qtbot.waitSignal(opened.files.saved, timeout=5000):
        press(opened, "File", "Write a timeline")
    assert import_timeline(tmp_path / "cut.otio").project.shots == project.shots
    assert opened.document.is_modified  # a timeline is for others; the project itself is not saved by it
    press(opened, "File", "Open project")
    with qtbot.waitSignal(opened.document.replaced, timeout=10_000):
        qtbot.mouseClick(opened.question.buttons[1], Qt.MouseButton.LeftButton)
    assert opened.document.project.shots == project.shots


def test_closing_asks_and_does_what_is_answered(
    opened: MainWindow, qtbot: QtBot, tmp_path: Path, own_state: Path, answer: Answer
) -> None:
    keep, stay = 0, 2
    hurry(opened)
    opened.close()
    assert opened.isVisible()
    qtbot.mouseClick(opened.question.buttons[stay], Qt.MouseButton.LeftButton)
    assert opened.isVisible()
    assert not opened.question.isVisible()
    answer(None)
    opened.close()
    qtbot.mouseClick(opened.question.buttons[keep], Qt.MouseButton.LeftButton)
    qtbot.wait(100)
    assert opened.isVisible()  # no name was chosen, so nothing was saved, and nothing is lost
    with qtbot.waitSignal(opened.files.failed, timeout=5000):
        opened.files.save(Path("/proc/film.chronoxis"), opened.close)
    answer(tmp_path / "film")
    (tmp_path / "film.chronoxis").write_text("another's")
    press(opened, "File", "Save")
    disk_answered(qtbot, opened)
    assert "film.chronoxis is already there" in opened.question.text.text()
    qtbot.mouseClick(opened.question.buttons[1], Qt.MouseButton.LeftButton)
    qtbot.wait(100)
    assert (tmp_path / "film.chronoxis").read_text() == "another's"
    press(opened, "File", "Save")
    disk_answered(qtbot, opened)
    with qtbot.waitSignal(opened.files.saved, timeout=5000):
        qtbot.mouseClick(opened.question.buttons[0], Qt.MouseButton.LeftButton)
    qtbot.wait(100)
    assert opened.isVisible()  # nobody asked to close this time
    hurry(opened)
    opened.close()
    project = opened.document.project
    qtbot.mouseClick(opened.question.buttons[keep], Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: not opened.isVisible(), timeout=5000)
    assert load_project(tmp_path / "film.chronoxis") == project
    assert not list(own_state.rglob("*.autosave"))


def test_a_missing_recording_is_located_from_its_card(
    opened: MainWindow, qtbot: QtBot, tmp_path: Path, recording: Path, answer: Answer
) -> None:
    lost, film = tmp_path / "lost.mp4", tmp_path / "film.chronoxis"
    lost.write_bytes(recording.read_bytes())
    with qtbot.waitSignal(opened.files.saved, timeout=5000):
        opened.files.save(film)
    opened.file_actions.new_project()
    opened.loading.bring_in(lost)
    planned(qtbot, opened)
    with qtbot.waitSignal(opened.files.saved, timeout=5000):
        opened.files.save(film)
    lost.unlink()
    open_project(qtbot, opened, film)
    card = opened.shelf.card_of(lost)
    qtbot.waitUntil(card.locate.isVisible, timeout=5000)
    qtbot.mouseClick(card.locate, Qt.MouseButton.LeftButton)
    assert lost in opened.document.known.missing
    answer(recording)
    qtbot.mouseClick(card.locate, Qt.MouseButton.LeftButton)
    disk_answered(qtbot, opened)
    planned(qtbot, opened)
    assert opened.document.project.footage[0].files == (recording,)
    assert opened.document.project.shots[0].out_point == Fraction(12)


def test_where_an_export_goes_is_browsed_for(
    opened: MainWindow, qtbot: QtBot, tmp_path: Path, answer: Answer
) -> None:
    opened.show_export()
    choices = opened.export_panel.choices
    suggested = choices.output.text()
    qtbot.mouseClick(choices.browse, Qt.MouseButton.LeftButton)
    assert choices.output.text() == suggested
    answer(tmp_path / "My film")
    qtbot.mouseClick(choices.browse, Qt.MouseButton.LeftButton)
    assert choices.output.text() == str(tmp_path / "My film.mp4")
    choices.output.setText(str(tmp_path / "My film.mov"))
    opened.export_panel.start()
    disk_answered(qtbot, opened)
    assert "My film.mov" in opened.export_panel.message_text
    assert opened.exports.jobs == []
