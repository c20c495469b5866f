"""Checks in the window: found at rest, gone to, mended, put aside and taken up again."""

from fractions import Fraction

import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QAbstractButton
from pytestqt.qtbot import QtBot

from chronoxis.app.checks import found_checks
from chronoxis.app.checks.checks_panel import CheckRow
from chronoxis.app.main_window import MainWindow
from chronoxis.core.checks.glances import ShotGlance
from chronoxis.core.files.kept_limits import limits_named
from chronoxis.core.model import pacing
from chronoxis.core.model.limits import Limits
from chronoxis.core.model.project import Project
from tests.app.driving import planned


def click(button: QAbstractButton | None) -> None:
    assert button is not None
    QTest.mouseClick(button, Qt.MouseButton.LeftButton)


def row_of(window: MainWindow, kind: str) -> CheckRow | None:
    rows = (*window.checks.rows, *window.checks.put_aside)
    return next((row for row in rows if row.check.kind == kind), None)


@pytest.fixture
def flawed(opened: MainWindow, qtbot: QtBot) -> MainWindow:
    """A recording at 1.6×, one frame each."""
    opened.document.apply("", lambda p: pacing.set_speed(p, p.places(), Fraction(8, 5)))
    planned(qtbot, opened)
    QTest.keyClick(
        opened, Qt.Key.Key_K, Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier
    )
    qtbot.waitUntil(lambda: row_of(opened, "judder") is not None, timeout=20_000)
    return opened


def test_a_finding_is_gone_to_and_mended_in_a_step_of_undo(flawed: MainWindow, qtbot: QtBot) -> None:
    document = flawed.document
    before, row = document.project, row_of(flawed, "judder")
    assert row is not None
    document.move_playhead(Fraction(3))
    click(row.go)
    assert document.playhead == 0
    click(row.mend)
    assert document.project.shots[0].passages[0].speed == 2
    qtbot.waitUntil(lambda: row_of(flawed, "judder") is None, timeout=20_000)
    document.undo()
    assert document.project == before
    qtbot.waitUntil(lambda: row_of(flawed, "judder") is not None, timeout=20_000)


def test_what_is_meant_to_be_so_is_put_aside_and_taken_up(flawed: MainWindow, qtbot: QtBot) -> None:
    document, line = flawed.document, flawed.pictures.checks
    row = row_of(flawed, "judder")
    assert row is not None
    key, many = row.check.key, len(line.checks)
    click(row.aside)
    assert document.project.aside == (key,)
    assert len(line.checks) == many - 1
    assert [each.check.key for each in flawed.checks.put_aside] == [key]
    document.undo()
    assert len(line.checks) == many
    document.redo()
    planned(qtbot, flawed)
    qtbot.waitUntil(lambda: len(flawed.checks.put_aside) == 1, timeout=20_000)
    row = row_of(flawed, "judder")
    assert row is not None
    assert row.mend is None
    click(row.aside)
    assert not document.project.aside
    assert len(line.checks) == many


@pytest.mark.thorough
def test_shots_are_looked_at_once_and_never_while_it_plays(
    opened: MainWindow, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    looked: list[int] = []

    def glance(_plan: object, number: int, *_: object) -> ShotGlance:
        looked.append(number)
        return ShotGlance(0.5, 0.0)

    monkeypatch.setattr(found_checks, "glance_of", glance)
    opened.found_checks._glances.clear()
    opened.transport.set_shuttle(1)
    opened.document.apply("", lambda p: pacing.set_speed(p, p.places(), Fraction(3)))
    planned(qtbot, opened)
    qtbot.wait(600)
    assert looked == []
    opened.transport.rest()
    kinds = lambda: [check.kind for check in opened.found_checks.found]  # noqa: E731
    qtbot.waitUntil(lambda: "overexposed" in kinds(), timeout=20_000)
    opened.document.apply("", lambda p: pacing.set_speed(p, p.places(), Fraction(4)))
    planned(qtbot, opened)
    qtbot.wait(800)
    assert looked == [0]
    assert "overexposed" in kinds()
    opened.document.show_project(Project())
    assert opened.found_checks.found == []


def test_a_whole_that_is_too_quiet_is_told_once_it_was_heard(opened: MainWindow, qtbot: QtBot) -> None:
    opened.document.apply("", lambda p: pacing.set_speed(p, p.places(), Fraction(1)))
    planned(qtbot, opened)
    opened.show_checks()
    opened.found_checks.hear(-40.0)
    qtbot.waitUntil(lambda: row_of(opened, "loudness") is not None, timeout=20_000)
    row = row_of(opened, "loudness")
    assert row is not None
    click(row.mend)
    assert opened.document.project.mix.loudness == -14


def test_a_result_is_held_to_what_its_place_takes(opened: MainWindow, qtbot: QtBot) -> None:
    document, place = opened.document, opened.export_panel.choices.place
    opened.show_export()
    row = next(row for row in range(place.place.count()) if place.place.itemText(row) == "a message")
    place.place.setCurrentIndex(row)
    place.place.activated.emit(row)
    assert document.project.settings.goes_to == "a message"
    planned(qtbot, opened)
    assert not place.longest.isVisible()
    click(place.change)
    assert place.longest.text() == "3:00"
    place.longest.setFocus()
    place.longest.selectAll()
    QTest.keyClicks(place.longest, "0:02")
    QTest.keyClick(place.longest, Qt.Key.Key_Return)
    assert limits_named("a message") == Limits("a message", Fraction(2), 16_000_000)
    opened.document.apply("", lambda p: pacing.set_speed(p, p.places(), Fraction(2)))
    planned(qtbot, opened)
    opened.show_checks()
    qtbot.waitUntil(lambda: row_of(opened, "too long") is not None, timeout=20_000)
    found = row_of(opened, "too long")
    assert found is not None
    click(found.mend)
    assert document.project.result_length == 2
    planned(qtbot, opened)
    opened.show_export()
    place.shape.setFocus()
    place.shape.selectAll()
    QTest.keyClicks(place.shape, "wide")
    QTest.keyClick(place.shape, Qt.Key.Key_Return)
    assert "wide" in opened.export_panel.message_text
    click(place.add)
    assert opened.question.field is not None
    opened.question.field.setText("the hall")
    QTest.keyClick(opened.question.field, Qt.Key.Key_Return)
    assert document.project.settings.goes_to == "the hall"
    planned(qtbot, opened)
    assert limits_named("the hall") == Limits("the hall")
    click(place.remove)
    assert document.project.settings.goes_to == ""
    assert limits_named("the hall") is None
