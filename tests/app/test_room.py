"""The window's room: what is large, what folds away, and that nothing is cut at any size."""

import re
from collections.abc import Callable
from dataclasses import replace
from fractions import Fraction
from functools import partial
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QSplitter, QSplitterHandle
from pytestqt.qtbot import QtBot

from chronoxis.app.main_window import MainWindow
from chronoxis.app.pictures.stage import Mode
from chronoxis.app.weave.pace_curve import curve_y
from chronoxis.app.weave.rails import SpeedAxis
from chronoxis.core.model import arranging, pacing
from chronoxis.core.model.project import Passage, Place, Project
from chronoxis.core.timing.reckoner import Quantity
from chronoxis.core.timing.speed import format_exact_speed, format_speed, parse_speed
from chronoxis.core.timing.step import format_exact_step, format_step, parse_step
from tests.app.driving import (
    ONLY,
    assert_nothing_is_cut,
    assert_nothing_is_cut_now,
    drag,
    planned,
    visible_texts,
    window_with_text,
)
from tests.footage_makers import recording_of


def line_of(window: MainWindow) -> QSplitterHandle:
    """The line between the two halves of a window."""
    return window.findChildren(QSplitter, "halves")[0].handle(1)


def test_words_of_german_length_have_room(opened: MainWindow, qtbot: QtBot) -> None:
    planned(qtbot, opened)
    shows: list[Callable[[], None]] = [
        partial(opened.show_bench_page, number) for number in range(len(opened.bench.pages))
    ]
    opened.trials.keep_this()
    shows += [opened.show_export, opened.show_exports, opened.show_presets, opened.presets.show_form]
    shows += [opened.show_trials, opened.show_checks]
    lengthened = set[int]()
    for show in shows:
        show()
        qtbot.wait(20)
        for widget in visible_texts(opened):
            if widget.property("lengthened") is None and re.search(r"[^\W\d_]{2}", widget.text()):
                widget.setProperty("lengthened", True)
                widget.setText(widget.text() + "e" * round(0.4 * len(widget.text().replace("&", ""))))
                lengthened.add(id(widget))
        qtbot.wait(20)
        assert_nothing_is_cut_now(opened, qtbot, (1280, 800))
    assert len(lengthened) > 100


@pytest.mark.sampled(1)
@pytest.mark.parametrize(
    ("size", "scale"),
    [
        ((1280, 800), 1.25),
        ((1280, 800), 1.0),
        ((1366, 768), 1.0),
        ((2560, 1440), 1.0),
        ((1920, 1080), 1.25),
        ((1280, 800), 1.5),
    ],
)
def test_nothing_is_cut_or_covered(
    recording: Path, qtbot: QtBot, size: tuple[int, int], scale: float
) -> None:
    with window_with_text(scale) as window:
        window.loading.bring_in(recording)
        qtbot.waitUntil(lambda: window.document.plan is not None, timeout=10_000)
        planned(qtbot, window)
        assert_nothing_is_cut(window, qtbot, size)
        if scale == 1:
            shown = window.pictures.result.height() * window.pictures.result.aspect
            assert min(window.pictures.result.width(), shown) >= 500


def test_the_pictures_change_places_by_key(opened: MainWindow, qtbot: QtBot) -> None:
    planned(qtbot, opened)
    stage = opened.pictures.stage
    area = {}
    for key, mode in ((Qt.Key.Key_1, Mode.RECORDED), (Qt.Key.Key_3, Mode.BOTH), (Qt.Key.Key_2, Mode.RESULT)):
        qtbot.keyClick(opened, key)
        assert stage.mode is mode
        assert opened.pictures.mode_buttons[mode].isChecked()
        area[mode] = [view.width() * view.height() for view in (stage.recorded, stage.result)]
        parts = [stage.recorded.geometry(), stage.result.geometry(), stage.grid.geometry()]
        for number, part in enumerate(parts):
            assert stage.rect().contains(part)
            assert not any(part.intersects(other) for other in parts[number + 1 :])
    assert area[Mode.RECORDED][0] > 4 * area[Mode.RECORDED][1]
    assert area[Mode.RESULT][1] > 4 * area[Mode.RESULT][0]
    assert area[Mode.BOTH][0] == area[Mode.BOTH][1]


def test_a_click_shows_the_very_pixels_and_dragging_moves_them(opened: MainWindow, qtbot: QtBot) -> None:
    planned(qtbot, opened)
    view = opened.pictures.result
    qtbot.waitUntil(lambda: view.image is not None, timeout=5000)
    qtbot.mouseClick(view, Qt.MouseButton.LeftButton, pos=QPoint(40, 40))
    assert view.exact
    view.resize(200, 100)  # smaller than the picture, so that there is something to move
    size = opened.document.plan.size if opened.document.plan else (0, 0)
    qtbot.waitUntil(lambda: view.image is not None and view.image.width() == size[0], timeout=5000)
    before = view.grab().toImage()
    QTest.mousePress(view, Qt.MouseButton.LeftButton, pos=QPoint(150, 60))
    for x in (130, 110, 90):
        QTest.mouseMove(view, QPoint(x, 60))
    QTest.mouseRelease(view, Qt.MouseButton.LeftButton, pos=QPoint(90, 60))
    after = view.grab().toImage()
    assert view.exact
    moved = [before.pixel(x + 60, 50) == after.pixel(x, 50) for x in range(0, 120, 7)]
    assert all(moved)
    qtbot.keyClick(opened, Qt.Key.Key_0)
    assert not view.exact


def test_full_screen_shows_the_pictures_alone_and_escape_comes_back(opened: MainWindow, qtbot: QtBot) -> None:
    planned(qtbot, opened)
    opened.fold_shelf()
    parts = (opened.weave, opened.bench, opened.head, opened.menuBar())
    assert all(part.isVisible() for part in parts)
    qtbot.keyClick(opened, Qt.Key.Key_F11)
    assert opened.isFullScreen()
    assert opened.pictures.isVisible()
    assert not any(part.isVisible() for part in parts)
    there = opened.document.playhead
    qtbot.keyClick(opened, Qt.Key.Key_Right)  # the keys work on
    assert opened.document.playhead > there
    qtbot.keyClick(opened, Qt.Key.Key_Escape)
    assert not opened.isFullScreen()
    assert all(part.isVisible() for part in parts)
    assert not opened.shelf.isVisible()
    opened.fold_shelf()
    assert opened.shelf.isVisible()


def test_the_line_between_the_halves_is_remembered_and_put_back(opened: MainWindow, qtbot: QtBot) -> None:
    first = opened.weave.height()
    line = line_of(opened)
    QTest.mousePress(line, Qt.MouseButton.LeftButton, pos=QPoint(300, 3))
    for y in (-10, -30, -50):
        QTest.mouseMove(line, QPoint(300, y))
    QTest.mouseRelease(line, Qt.MouseButton.LeftButton, pos=QPoint(300, -50))
    dragged = opened.weave.height()
    assert dragged < first - 20
    path = opened.document.project.footage[0].files[0]
    opened.files.discard_changes()
    opened.close()
    again = MainWindow()
    qtbot.addWidget(again)
    again.show()
    again.loading.bring_in(path)
    planned(qtbot, again)
    assert abs(again.weave.height() - dragged) <= 2
    line = line_of(again)
    QTest.mouseDClick(line, Qt.MouseButton.LeftButton, pos=QPoint(300, 3))
    assert abs(again.weave.height() - first) <= 2
    again.files.discard_changes()
    again.close()


def test_choosing_footage_shows_its_page_and_a_passage_goes_back(
    opened: MainWindow, qtbot: QtBot, recording: Path
) -> None:
    bench, document = opened.bench, opened.document
    opened.show_bench_page(1)
    qtbot.mouseClick(opened.shelf.card_of(recording), Qt.MouseButton.LeftButton)
    assert bench.page == 7
    assert bench.footage.name.text() == "Field from the tower"
    document.selection.select([ONLY])
    assert bench.page == 1
    qtbot.keyClick(opened, Qt.Key.Key_8, Qt.KeyboardModifier.AltModifier)
    assert bench.page == 7
    before = document.project
    qtbot.mouseClick(bench.footage.use, Qt.MouseButton.LeftButton)
    assert len(document.project.shots) == 2
    qtbot.mouseClick(bench.footage.remove, Qt.MouseButton.LeftButton)
    assert not document.project.footage
    document.undo()
    document.undo()
    assert document.project == before


def test_numbers_are_short_until_they_are_edited(opened: MainWindow, qtbot: QtBot) -> None:
    planned(qtbot, opened)
    third = Fraction(67, 4) + Fraction(1, 300)
    opened.document.apply("", lambda p: pacing.set_speed(p, [ONLY], third))
    field = opened.bench.pace.fields[Quantity.SPEED]
    assert field.text() == "16.75×"
    assert "Exactly 1256.5/75" not in field.toolTip()
    assert f"Exactly {format_exact_speed(third)}" in field.toolTip()
    opened.activateWindow()
    field.setFocus()
    qtbot.waitUntil(field.hasFocus, timeout=3000)
    assert parse_speed(field.text()) == third
    qtbot.keyClicks(field, "9")
    typed = field.text()
    opened.document.apply("", lambda p: pacing.set_speed(p, [ONLY], Fraction(3)))
    assert field.text() == typed  # what is being typed stays
    qtbot.keyClick(field, Qt.Key.Key_Return)
    assert opened.document.project.passage(ONLY).speed == parse_speed(typed)
    opened.document.apply("", lambda p: pacing.set_speed(p, [ONLY], Fraction(1, 2)))
    opened.weave.setFocus()
    assert opened.bench.pace.fields[Quantity.STEP].text() == "2 times"
    assert "Each frame stands" in " ".join(
        label.text().replace("&", "") for label in visible_texts(opened.bench)
    )


@given(st.fractions(Fraction(1, 100), 5000, max_denominator=997))
def test_what_is_written_of_a_step_or_speed_reads_back(value: Fraction) -> None:
    assert float(parse_step(format_exact_step(value))) == pytest.approx(float(value), rel=1e-11)
    assert float(parse_step(format_step(value))) == pytest.approx(float(value), rel=1e-3)
    speed = max(value, Fraction(1, 100))
    assert float(parse_speed(format_exact_speed(speed))) == pytest.approx(float(speed), rel=1e-11)
    assert float(parse_speed(format_speed(speed))) == pytest.approx(float(speed), rel=6e-3)


@given(st.lists(st.fractions(Fraction(1, 100), 100_000, max_denominator=100), min_size=1, max_size=5))
def test_the_axis_of_the_pace_curve(speeds: list[Fraction]) -> None:
    take = recording_of(Path("/footage/take.mp4"), Fraction(25), Fraction(len(speeds)))
    project = arranging.begin_with(Project(), take)
    passages = tuple(Passage(Fraction(1), speed) for speed in speeds)
    project = project.with_shot(0, replace(project.shots[0], passages=passages))
    axis = SpeedAxis.of(project)
    shares = axis.share(project.rows.speeds)
    assert shares.min() > 0
    assert shares.max() < 1
    assert axis.high - axis.low >= 4 - 1e-9
    assert 3 <= len(axis.lines) <= 5
    assert 2 ** axis.doublings(20, 50) < 10


def test_a_level_dragged_far_keeps_on_and_the_axis_follows(opened: MainWindow, qtbot: QtBot) -> None:
    weave, document = opened.weave, opened.document
    document.apply("", lambda p: pacing.set_speed(p, [ONLY], Fraction(20_000)))
    document.apply(
        "", lambda p: pacing.set_speed(pacing.divide(p, 0, Fraction(6)), [Place(0, 0)], Fraction(1))
    )
    rails = weave.rails()
    assert rails is not None
    assert rails.speeds.high > 14
    document.undo()
    document.undo()
    begun = document.project.passage(ONLY).speed
    rails = weave.rails()
    assert rails is not None
    at = QPointF(rails.result_x(float(document.project.result_length) / 3), curve_y(rails, float(begun)))
    QTest.mousePress(weave, Qt.MouseButton.LeftButton, pos=at.toPoint())
    for down in (5, 10, 20):
        QTest.mouseMove(weave, at.toPoint() + QPoint(0, -down))
    assert begun * 2 < document.project.passage(ONLY).speed < begun * 10
    QTest.mouseRelease(weave, Qt.MouseButton.LeftButton, pos=at.toPoint() + QPoint(0, -20))
    rails = weave.rails()
    assert rails is not None
    assert 0 < float(rails.speeds.share(document.project.rows.speeds)[0]) < 1


def test_drags_still_land_where_the_pointer_is(opened: MainWindow, qtbot: QtBot) -> None:
    rails = opened.weave.rails()
    assert rails is not None
    end = QPointF(rails.result_x(float(opened.document.project.result_length)) - 2, rails.result.center().y())
    before = opened.document.project.result_length
    drag(qtbot, opened, end, -300)
    after = opened.document.project.result_length
    wish = float(before) * (1 - 300 / rails.result.width())
    assert float(after) == pytest.approx(wish, abs=0.1)
