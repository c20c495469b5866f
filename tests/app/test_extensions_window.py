"""What packages add, in the window: beside the program's own, set on the Bench, and once they are gone."""

from pathlib import Path

import pytest
from PySide6.QtCore import Qt
from pytestqt.qtbot import QtBot

from chronoxis.app.bench.number_field import NumberField
from chronoxis.app.main_window import MainWindow
from chronoxis.core.extensions import ACCENTS, usable
from chronoxis.core.model.project import Place
from chronoxis.core.timing.frame_making import EachFrame
from tests.added_packages import GLOW, GREEN, MEDIAN, with_packages
from tests.app.driving import planned, wear_theme

ONLY = Place(0, 0)


@pytest.fixture
def extended(installed: Path, opened: MainWindow) -> MainWindow:
    """A window that was started with the packages."""
    return opened


def typed(qtbot: QtBot, field: NumberField, text: str) -> None:
    field.setFocus()
    field.selectAll()
    qtbot.keyClicks(field, text)
    qtbot.keyClick(field, Qt.Key.Key_Return)


@pytest.mark.thorough
def test_a_way_is_chosen_set_and_seen(extended: MainWindow, qtbot: QtBot) -> None:
    document, page = extended.document, extended.bench.frames
    extended.show_bench_page(1)
    chip = page.choices[EachFrame.named(MEDIAN)]
    qtbot.mouseClick(chip, Qt.MouseButton.LeftButton)
    assert document.project.passage(ONLY).making.each == EachFrame.named(MEDIAN)
    assert chip.isChecked()
    assert page.settings.isVisible()
    (field,) = [each for each in page.settings.numbers if each.isVisible()]
    assert field.text() == "100 %"
    typed(qtbot, field, "40")
    assert document.project.passage(ONLY).making.each.settings.share == 0.4
    assert chip.isChecked()
    refused: list[str] = []
    page.refused.connect(refused.append)
    typed(qtbot, field, "400")
    assert "between 0 and 100 %" in refused[-1]
    assert field.text() == "40 %"
    plan = planned(qtbot, extended)
    assert len(plan.schedule.sources(1)[0]) == 3
    qtbot.waitUntil(lambda: extended.preview.has(document.result_frame), timeout=20_000)
    document.undo()
    assert document.project.passage(ONLY).making.each == EachFrame.named(MEDIAN)


def test_an_accent_is_added_and_set(extended: MainWindow, qtbot: QtBot) -> None:
    page = extended.bench.accents
    extended.show_bench_page([name for name, _ in extended.bench.pages].index("Accents"))
    look = usable(ACCENTS)[GLOW]
    qtbot.mouseClick(page.adds[look], Qt.MouseButton.LeftButton)
    (accent,) = extended.document.project.shots[0].accents
    assert accent.look == look()
    (box,) = [each for each in page.look.choices if each.isVisible()]
    box.activated.emit(1)
    assert extended.document.project.shots[0].accents[0].look.tint == "warm"  # type: ignore[attr-defined]


@pytest.mark.thorough
def test_a_pace_follows_what_a_package_measures(extended: MainWindow, qtbot: QtBot) -> None:
    page = extended.bench.happening
    extended.show_bench_page([name for name, _ in extended.bench.pages].index("Happening"))
    page.follows["motion"].setChecked(False)
    page.follows[GREEN].setChecked(True)
    qtbot.waitUntil(page.do.isEnabled, timeout=20_000)
    qtbot.mouseClick(page.do, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: len(extended.document.project.shots[0].passages) > 1, timeout=10_000)


def test_a_project_whose_package_is_gone_says_so(
    packages: Path, window: MainWindow, recording: Path, qtbot: QtBot, tmp_path: Path
) -> None:
    path = tmp_path / "film.chronoxis"
    with with_packages(packages):
        wear_theme()
        made = MainWindow()
        made.loading.bring_in(recording)
        qtbot.waitUntil(lambda: made.document.plan is not None, timeout=10_000)
        qtbot.mouseClick(made.bench.frames.choices[EachFrame.named(MEDIAN)], Qt.MouseButton.LeftButton)
        made.files.save(path)
        qtbot.waitUntil(path.exists, timeout=5_000)
        made.files.discard_changes()
        made.end()
    window.file_actions.open_files([path])
    qtbot.waitUntil(lambda: window.document.plan is not None, timeout=10_000)
    window.show_bench_page(1)
    page = window.bench.frames
    assert MEDIAN in page.about
    assert "not here" in page.about
    assert not any(chip.isChecked() for chip in page.choices.values())
    assert not page.settings.isVisible()
    qtbot.mouseClick(page.choices[EachFrame.CLEAR], Qt.MouseButton.LeftButton)  # another can be chosen
    qtbot.waitUntil(lambda: page.about == "", timeout=10_000)
