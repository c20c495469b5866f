"""The page *Frames*, the lane of traces and what hangs on them, driven in the real window."""

from fractions import Fraction
from pathlib import Path

import pytest
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QAbstractButton, QMenu
from pytestqt.qtbot import QtBot

from chronoxis.app.main_window import MainWindow
from chronoxis.app.pictures.transport import Phase
from chronoxis.core.model import correcting, making, pacing
from chronoxis.core.model.even_out import EvenOut
from chronoxis.core.model.project import Place
from chronoxis.core.timing.frame_making import ALL_RECORDED, Between, EachFrame, Fill, PassersBy
from chronoxis.core.traces.vanishing import WINDOWS
from chronoxis.demo.larkfield import draw_field

ONLY = Place(0, 0)


@pytest.fixture
def page(opened: MainWindow, qtbot: QtBot) -> MainWindow:
    opened.show_bench_page(1)
    origin = opened.document.project.footage[0].origin
    qtbot.waitUntil(lambda: opened.picture_traces.share(origin) == 1, timeout=20_000)
    return opened


@pytest.fixture(scope="session")
def crossed(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """Sixteen seconds, in which somebody crosses near the lens after six."""
    path = tmp_path_factory.mktemp("crossed") / "Crossed.mp4"
    draw_field(path, size=(160, 90), start=84, seconds=16)
    return path


def click(button: QAbstractButton) -> None:
    QTest.mouseClick(button, Qt.MouseButton.LeftButton)


def test_every_choice_is_one_step_and_undone(page: MainWindow) -> None:
    document, frames = page.document, page.bench.frames
    before = document.project
    steps = (
        (frames.choices[EachFrame.BRIGHTEST], lambda m: m.each == EachFrame.BRIGHTEST),
        (frames.choices[EachFrame.LONG_EXPOSURE], lambda m: m.each == EachFrame.LONG_EXPOSURE),
        (frames.soft, lambda m: m.soft),
        (frames.between.fills[Fill.GOOD], lambda m: m.fill is Fill.GOOD),
    )
    for button, holds in steps:
        click(button)
        assert holds(document.project.passage(ONLY).making)
    frames.shutter.setValue(90)
    assert document.project.passage(ONLY).making.shutter == 90
    click(frames.all_recorded)
    assert document.project.passage(ONLY).making.shutter == ALL_RECORDED
    click(frames.passers[PassersBy.SKIP])
    assert document.project.shots[0].passers_by is PassersBy.SKIP
    frames.even.setValue(70)
    assert document.project.shots[0].even_out.strength == pytest.approx(0.7)
    while document.project != before:
        assert document.history.undo_label
        document.undo()


def test_what_has_no_effect_cannot_be_chosen(page: MainWindow) -> None:
    frames, document = page.bench.frames, page.document
    click(frames.choices[EachFrame.ONE])
    assert not frames.shutter.isEnabled()
    assert frames.between.betweens[Between.MOTION].isHidden()
    document.apply("slow", lambda p: pacing.set_speed(p, [ONLY], Fraction(1, 4)))
    assert not frames.between.betweens[Between.MOTION].isHidden()
    click(frames.choices[EachFrame.CLEAR])
    assert frames.clear_window.isVisible()
    assert not frames.between.fills[Fill.GOOD].isEnabled()
    frames.clear_window.setFocus()
    frames.clear_window.selectAll()
    QTest.keyClicks(frames.clear_window, "2.5")
    QTest.keyClick(frames.clear_window, Qt.Key.Key_Return)
    assert document.project.passage(ONLY).making.window == Fraction(5, 2)
    frames.clear_window.selectAll()
    QTest.keyClicks(frames.clear_window, "rubbish")
    QTest.keyClick(frames.clear_window, Qt.Key.Key_Return)
    assert document.project.passage(ONLY).making.window == Fraction(5, 2)
    assert page.bench.caution.text()


@pytest.mark.thorough
def test_a_choice_shows_in_the_preview_and_says_what_it_costs(page: MainWindow, qtbot: QtBot) -> None:
    document, frames = page.document, page.bench.frames
    click(frames.choices[EachFrame.LONG_EXPOSURE])
    qtbot.waitUntil(lambda: document.planner.is_current and page.preview.has(0), timeout=10_000)
    assert document.plan is not None
    assert document.plan.schedule.way(0) == EachFrame.LONG_EXPOSURE
    qtbot.waitUntil(lambda: "a second here" in frames.note, timeout=15_000)
    assert page.bench.caution.text() == frames.note


@pytest.mark.thorough
def test_light_is_compared_across_a_line(page: MainWindow, qtbot: QtBot) -> None:
    document, pictures = page.document, page.pictures
    document.apply("even", lambda p: correcting.set_even_out(p, [0], EvenOut(1.0)))
    qtbot.waitUntil(
        lambda: document.planner.is_current and bool(document.plan and document.plan.corrections[0])
    )
    divider = pictures._divider
    assert divider is not None
    view, plan = pictures.result, document.plan
    assert plan is not None
    # The picture itself may still be on its way when the one before is there, and the other way round.
    qtbot.waitUntil(lambda: len(page.preview.made()) == len(plan.schedule), timeout=20_000)
    qtbot.waitUntil(lambda: divider.before is not None and view.image is not None, timeout=15_000)
    middle = QPoint(view.width() // 2, view.height() // 3)
    QTest.mousePress(view, Qt.MouseButton.LeftButton, pos=middle)
    for part in range(1, 6):
        QTest.mouseMove(view, QPoint(middle.x() - part * view.width() // 20, middle.y()))
    QTest.mouseRelease(view, Qt.MouseButton.LeftButton, pos=QPoint(view.width() // 4, middle.y()))
    assert divider._at == pytest.approx(0.25, abs=0.02)
    assert not view.exact  # it was no click on the picture
    page.show_bench_page(0)
    assert pictures._divider is None


@pytest.mark.thorough
def test_a_passer_by_is_marked_and_treated(window: MainWindow, crossed: Path, qtbot: QtBot) -> None:
    window.loading.bring_in(crossed)
    document, weave = window.document, window.weave
    qtbot.waitUntil(lambda: document.plan is not None, timeout=15_000)
    origin = document.project.footage[0].origin
    qtbot.waitUntil(lambda: window.picture_traces.share(origin) == 1, timeout=30_000)
    trace = window.picture_traces.trace(origin)
    assert trace is not None
    assert len(trace.passers) == 1
    first, stop = (int(frame) / 25 for frame in trace.passers[0])
    qtbot.waitUntil(lambda: (rails := weave.rails()) is not None and rails.trace_lane > 0)
    rails = weave.rails()
    assert rails is not None
    at = QPointF(rails.recorded_x(0, (first + stop) / 2), rails.traces.top() + 2)
    with qtbot.waitSignal(weave.passer_pressed):
        QTest.mouseClick(weave, Qt.MouseButton.LeftButton, pos=at.toPoint())
    menu = next(child for child in window.findChildren(QMenu) if child.isVisible())
    next(action for action in menu.actions() if "Clear" in action.text().replace("&", "")).trigger()
    menu.close()
    assert [wish for _, wish in document.project.shots[0].passers_apart] == [PassersBy.CLEAR]
    qtbot.waitUntil(lambda: document.planner.is_current)
    assert document.plan is not None
    ways = {document.plan.schedule.way(number) for number in range(len(document.plan.schedule))}
    assert EachFrame.CLEAR in ways
    document.move_playhead(document.project.result_length * Fraction(first + stop) / 32)
    assert weave.passer_at_playhead() is not None
    document.undo()
    assert not document.project.shots[0].passers_apart


@pytest.mark.thorough
def test_what_comes_too_slowly_can_be_made_first(page: MainWindow, qtbot: QtBot) -> None:
    document, transport = page.document, page.transport
    document.apply("slow", lambda p: pacing.set_speed(p, [ONLY], Fraction(2)))
    document.apply("fine", lambda p: making.set_each_frame(p, [ONLY], EachFrame.LONG_EXPOSURE))
    document.apply("fill", lambda p: making.set_fill(p, [ONLY], Fill.FINEST))
    qtbot.waitUntil(lambda: document.planner.is_current)
    page.pictures.bar.first_button.setChecked(True)
    assert transport.make_first
    transport.loop_over((0.0, 0.4))
    first, stop = transport.span or (0, 0)
    seen: list[bool] = []

    def plays() -> bool:
        made = all(page.preview.has(number) for number in range(first, stop))
        if transport.state.phase is Phase.PLAYS:
            seen.append(made)
        return bool(seen)

    qtbot.waitUntil(plays, timeout=30_000)
    assert seen[0]  # nothing played before all of it was made
    transport.set_shuttle(0)


@pytest.mark.thorough
def test_clear_begins_with_a_window_in_which_people_vanish(opened: MainWindow, qtbot: QtBot) -> None:
    opened.show_bench_page(1)
    page, document = opened.bench.frames, opened.document
    page.choices[EachFrame.CLEAR].click()
    assert document.project.passage(ONLY).making.each == EachFrame.CLEAR
    assert "vanishes" in page.note
    qtbot.waitUntil(lambda: document.project.passage(ONLY).making.window is not None, timeout=30_000)
    window = document.project.passage(ONLY).making.window
    assert window in WINDOWS
    assert f"A window of {float(window):g} s" in page.note
    document.undo()
    assert document.project.passage(ONLY).making.window is None
    document.undo()
    assert document.project.passage(ONLY).making.each == EachFrame.ONE
    page.choices[EachFrame.CLEAR].click()
    page.choices[EachFrame.ONE].click()  # thought better of
    qtbot.wait(300)
    assert document.project.passage(ONLY).making.window is None
