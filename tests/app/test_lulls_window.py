"""Lulls and the pace by what happens, worked by hand and by keys."""

from fractions import Fraction

import numpy as np
import pytest
from PySide6.QtCore import QPoint, QPointF, Qt
from pytestqt.qtbot import QtBot

from chronoxis.app.main_window import MainWindow
from chronoxis.app.measuring.found_lulls import FoundLulls, Known
from chronoxis.core.model import lull_acts, pacing
from chronoxis.core.timing.lulls import Course, LullsBy
from tests.app.driving import SECONDS, drag, planned

KEY, SHIFT = Qt.Key, Qt.KeyboardModifier.ShiftModifier
NONE = Qt.KeyboardModifier.NoModifier

SPOKEN, CHANGED = [(0.2, 4.0), (7.0, 9.0)], [(3.0, 5.0), (10.0, 11.0)]


def course(busy: list[tuple[float, float]], faint: tuple[float, float] = (0, 0)) -> Course:
    edges = np.arange(SECONDS * 25 + 1, dtype=np.float64) / 25
    middle = (edges[1:] + edges[:-1]) / 2
    values = np.zeros(len(middle), np.float64)
    for begin, end in busy:
        values[(middle > begin) & (middle < end)] = 1
    values[(middle > faint[0]) & (middle < faint[1])] = 0.1
    return Course(edges, values)


KNOWN = Known(speech=course(SPOKEN, (5.5, 6.0)), change=course(CHANGED), motion=course(CHANGED))


@pytest.fixture
def lulled(opened: MainWindow, monkeypatch: pytest.MonkeyPatch, qtbot: QtBot) -> MainWindow:
    """The page of lulls, over a recording at 1× in which somebody speaks twice."""
    monkeypatch.setattr(FoundLulls, "known", lambda _self, _footage: KNOWN)
    opened.document.apply("", lambda p: pacing.set_speed(p, p.places(), Fraction(1)))
    opened.show_page(opened.bench.lulls)
    planned(qtbot, opened)
    return opened


def spans(window: MainWindow) -> list[tuple[float, float]]:
    return [(round(each.lull.begin, 2), round(each.lull.end, 2)) for each in window.lulls.all()]


def told(window: MainWindow, qtbot: QtBot, text: str) -> None:
    qtbot.waitUntil(lambda: window.bench.lulls.count.text() == text, timeout=10_000)


def press(window: MainWindow, qtbot: QtBot, key: Qt.Key, modifiers: Qt.KeyboardModifier = NONE) -> None:
    window.weave.setFocus()
    qtbot.keyClick(window.weave, key, modifiers)


def go(window: MainWindow, second: float) -> None:
    window.document.move_playhead(Fraction(second))


def test_what_counts_as_a_lull_is_chosen_and_told_live(lulled: MainWindow, qtbot: QtBot) -> None:
    page, document = lulled.bench.lulls, lulled.document
    assert spans(lulled) == [(4.3, 6.7), (9.3, 12)]
    told(lulled, qtbot, "2 Lulls · 0:12.0 → 0:08.1")
    page.nothing.setValue(20)  # what is faint counts now: the first lull falls apart into short ones
    assert document.project.lulls.nothing == 0.2
    qtbot.waitUntil(lambda: page.count.text().startswith("1 Lull · 0:12.0 → 0:"), timeout=10_000)
    page.bys[LullsBy.CHANGE].click()
    assert spans(lulled) == [(0, 2.66), (5.3, 9.66)]
    page.least.setFocus()
    page.least.selectAll()
    qtbot.keyClicks(page.least, "3s")
    qtbot.keyClick(page.least, KEY.Key_Return)
    assert spans(lulled) == [(5.3, 9.66)]
    for _ in range(3):
        document.undo()
    assert spans(lulled) == [(4.3, 6.7), (9.3, 12)]


def test_lulls_are_dragged_and_drawn_on_the_lane(lulled: MainWindow, qtbot: QtBot) -> None:
    weave, document = lulled.weave, lulled.document
    rails = weave.rails()
    assert rails is not None
    end = QPointF(rails.recorded_x(0, 6.7), rails.recorded.center().y())
    drag(qtbot, lulled, end, -rails.recorded_scale * 0.7)
    assert spans(lulled)[0] == pytest.approx((4.3, 6.0), abs=0.05)
    drag(qtbot, lulled, QPointF(rails.recorded_x(0, 6.0), end.y()), -rails.recorded_scale * 9)
    assert spans(lulled)[0] == pytest.approx((4.3, 4.38), abs=0.01)  # two frames at least
    document.undo()
    start = rails.recorded.center().toPoint()
    start.setX(round(rails.recorded_x(0, 1.0)))
    qtbot.mousePress(weave, Qt.MouseButton.LeftButton, SHIFT, start)
    qtbot.mouseMove(weave, start + QPoint(round(rails.recorded_scale), 0))
    assert weave.readout_text.endswith("0:01.00")
    qtbot.mouseRelease(
        weave, Qt.MouseButton.LeftButton, SHIFT, start + QPoint(round(rails.recorded_scale), 0)
    )
    assert spans(lulled)[0] == pytest.approx((1.0, 2.0), abs=0.05)
    assert document.history.undo_label == "Draw lull"
    document.undo()
    document.undo()
    assert spans(lulled) == [(4.3, 6.7), (9.3, 12)]
    qtbot.mousePress(weave, Qt.MouseButton.LeftButton, NONE, end.toPoint())
    qtbot.mouseMove(weave, end.toPoint() + QPoint(-40, 0))
    qtbot.keyClick(weave, KEY.Key_Escape)
    assert spans(lulled) == [(4.3, 6.7), (9.3, 12)]


def test_keys_go_from_lull_to_lull_and_correct_them(lulled: MainWindow, qtbot: QtBot) -> None:
    document = lulled.document
    press(lulled, qtbot, KEY.Key_BracketRight)
    assert float(document.playhead) == pytest.approx(4.32)
    press(lulled, qtbot, KEY.Key_BracketRight)
    assert float(document.playhead) == pytest.approx(9.32)
    press(lulled, qtbot, KEY.Key_Backspace)
    assert spans(lulled) == [(4.3, 6.7)]
    lulled.bench.lulls.nothing.setValue(90)
    assert all(end <= 9.3 for _, end in spans(lulled))  # it stays refused
    document.undo()
    press(lulled, qtbot, KEY.Key_Backspace)
    assert spans(lulled) == [(4.3, 6.7), (9.3, 12)]
    go(lulled, 5.0)
    press(lulled, qtbot, KEY.Key_X, SHIFT)
    assert spans(lulled) == [(4.3, 5), (5, 6.7), (9.3, 12)]
    press(lulled, qtbot, KEY.Key_BracketLeft)
    assert float(document.playhead) == pytest.approx(4.32)
    go(lulled, 4.6)
    press(lulled, qtbot, KEY.Key_I, SHIFT)
    go(lulled, 7.2)
    press(lulled, qtbot, KEY.Key_O, SHIFT)
    assert spans(lulled) == [(4.6, 5), (5, 7.2), (9.3, 12)]
    go(lulled, 1.0)
    press(lulled, qtbot, KEY.Key_I, SHIFT)
    assert spans(lulled)[0] == (1, 3)
    assert lulled.bench.lulls.take_back.isVisible()
    lulled.bench.lulls.take_back.click()
    assert spans(lulled) == [(4.3, 6.7), (9.3, 12)]
    document.undo()
    assert spans(lulled)[0] == (1, 3)


def test_lulls_are_hurried_or_left_out_in_one_step(lulled: MainWindow, qtbot: QtBot) -> None:
    page, document = lulled.bench.lulls, lulled.document
    told(lulled, qtbot, "2 Lulls · 0:12.0 → 0:08.1")
    before = document.project
    qtbot.mouseClick(page.do, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: len(document.project.places()) == 4, timeout=10_000)
    assert document.project.result_length == pytest.approx(8.1, abs=0.05)
    assert spans(lulled) == []
    assert page.count.text() == "No Lull here"
    document.undo()
    assert document.project is before
    page.leaves_out.click()
    told(lulled, qtbot, "2 Lulls · 0:12.0 → 0:06.9")
    page.do.click()
    qtbot.waitUntil(lambda: len(document.project.shots) == 2, timeout=10_000)
    planned(qtbot, lulled)


def test_a_wished_length_is_met_or_refused_in_a_line(lulled: MainWindow, qtbot: QtBot) -> None:
    page, document = lulled.bench.lulls, lulled.document
    qtbot.keyClicks(page.length, "2")
    qtbot.waitUntil(lambda: "cannot make the result as short" in lulled.bench.caution.text(), timeout=10_000)
    page.do.click()
    page.length.clear()
    qtbot.keyClicks(page.length, "9")
    told(lulled, qtbot, "2 Lulls · 0:12.0 → 0:09.0")
    assert not lulled.bench.caution.isVisible() or "cannot" not in lulled.bench.caution.text()
    page.do.click()  # pressed before it is worked out, it is done as soon as it is
    qtbot.waitUntil(lambda: abs(document.project.result_length - 9) < Fraction(1, 10**6), timeout=10_000)


def test_only_what_was_pressed_for_is_done(lulled: MainWindow, qtbot: QtBot) -> None:
    page, document = lulled.bench.lulls, lulled.document
    page.speed.setText("9×")
    page.speed.textEdited.emit("9×")
    page.do.click()
    document.apply("Faster", lambda p: pacing.set_speed(p, p.places(), Fraction(2)))
    told(lulled, qtbot, "2 Lulls · 0:06.0 → 0:04.5")
    assert len(document.project.places()) == 1
    assert document.project == pacing.set_speed(document.project, document.project.places(), Fraction(2))


@pytest.mark.thorough
def test_playing_goes_from_lull_to_lull(lulled: MainWindow, qtbot: QtBot) -> None:
    seen: list[float] = []
    lulled.document.playhead_moved.connect(seen.append)
    press(lulled, qtbot, KEY.Key_Space, SHIFT)
    assert seen[0] == pytest.approx(3.52)
    lulled.transport.set_fewer(True)
    qtbot.waitUntil(lambda: any(second > 8.4 for second in seen), timeout=30_000)
    # From the first place behind the lull and what is played around it, however late that frame comes, it
    # goes to the next lull at once.
    assert len([second for second in seen if 7.5 < second < 8.4]) <= 1
    press(lulled, qtbot, KEY.Key_Space, SHIFT)
    assert not lulled.transport.playing
    assert not lulled.lull_commands.plays_lulls


def test_a_pace_by_what_happens_is_shown_before_it_is_taken(
    lulled: MainWindow, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    page, document = lulled.bench.happening, lulled.document
    lulled.show_page(page)
    qtbot.waitUntil(lambda: "passages" in page.said.text(), timeout=10_000)
    (line,) = lulled.proposed.lines(document.project)
    at = np.interp([4.0, 8.0], line.times, line.speeds)
    assert at[1] > 4 * at[0]
    assert len(document.project.places()) == 1
    qtbot.keyClicks(page.length, "4")
    qtbot.wait(20)
    page.do.click()
    qtbot.waitUntil(lambda: abs(document.project.result_length - 4) < Fraction(1, 10**6), timeout=10_000)
    assert len(document.project.places()) > 2
    document.undo()
    assert len(document.project.places()) == 1
    page.follows["level"].click()
    qtbot.waitUntil(lambda: lulled.bench.caution.text() != "", timeout=10_000)
    assert lulled.proposed.lines(document.project) == []
    lulled.show_bench_page(0)
    assert lulled.proposed.lines(document.project) == []


def test_what_is_not_measured_yet_is_waited_for(
    lulled: MainWindow, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(FoundLulls, "known", lambda _self, _footage: Known())
    lulled.sound_traces.changed.emit()
    assert lulled.bench.lulls.count.text() == "Listening and looking…"
    assert not lulled.bench.lulls.do.isEnabled()
    monkeypatch.setattr(
        FoundLulls, "known", lambda _self, _footage: KNOWN._replace(speech=None, has_sound=False)
    )
    lulled.sound_traces.changed.emit()
    assert lulled.bench.lulls.note == "There is no sound: only change counts."
    assert spans(lulled) == [(0, 2.66), (5.3, 9.66)]
    assert lull_acts.free_lulls(lulled.document.project, 0, []) == []
