"""Joins, accents and nested runs, driven in the real window."""

from fractions import Fraction
from functools import partial
from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QAbstractButton, QLineEdit
from pytestqt.qtbot import QtBot

from chronoxis.app.bench.accents_page import Owner
from chronoxis.app.main_window import MainWindow
from chronoxis.app.weave.pace_curve import curve_y
from chronoxis.core.checks.check import Check
from chronoxis.core.files.project_file import load_project
from chronoxis.core.model import arranging, joining, nesting, pacing
from chronoxis.core.model.accent import Accent, ByJoin, ByPoints, BySpeed, Flash, Grain, Lines
from chronoxis.core.model.amounts import amounts_at, placed_accents
from chronoxis.core.model.join import CUT, Join, Surge
from chronoxis.core.model.nested import Nested
from chronoxis.core.model.project import Place
from tests.app.driving import SECONDS, planned

JOIN_PAGE, ACCENTS_PAGE = 6, 5


@pytest.fixture
def pair(opened: MainWindow, qtbot: QtBot) -> MainWindow:
    """Two shots of one recording: six seconds each, at twice the speed."""
    document = opened.document
    planned(qtbot, opened)
    document.apply("", lambda p: pacing.set_speed(p, [Place(0, 0)], Fraction(2)))
    document.apply("", lambda p: arranging.cut_shot(p, 0, Fraction(SECONDS, 2)))
    document.selection.select([Place(0, 0)])
    planned(qtbot, opened)
    return opened


def click(button: QAbstractButton) -> None:
    QTest.mouseClick(button, Qt.MouseButton.LeftButton)


def type_in(field: QLineEdit, text: str) -> None:
    field.selectAll()
    QTest.keyClicks(field, text)
    QTest.keyClick(field, Qt.Key.Key_Return)


def surge_of(window: MainWindow) -> Surge:
    surge = window.document.project.shots[0].join.surge
    assert surge is not None
    return surge


def test_a_surge_is_made_shaped_and_undone_on_its_page(pair: MainWindow, qtbot: QtBot) -> None:
    document, page = pair.document, pair.bench.join
    before = document.project
    pair.show_bench_page(JOIN_PAGE)
    assert "Join 1 of 1" in pair.bench.title.text()
    click(page.surge)
    assert surge_of(pair).peak == 8
    type_in(page.peak, "20x")
    type_in(page.lengths[False], "0.5")
    surge = surge_of(pair)
    assert surge.peak == 20
    assert surge.run_up == surge.run_out  # they are linked
    assert surge.run_up.length == Fraction(1, 2)
    click(page.linked)
    type_in(page.lengths[True], "0.8")
    assert [surge_of(pair).run_up.length, surge_of(pair).run_out.length] == [Fraction(1, 2), Fraction(4, 5)]
    type_in(page.lengths[True], "999")
    assert "side of a Surge" in pair.bench.caution.text()
    assert surge_of(pair).run_out.length == Fraction(4, 5)
    length = document.project.result_length
    click(page.slides[3])
    assert document.project.shots[0].out_point > before.shots[0].out_point
    assert float(document.project.result_length) == pytest.approx(float(length), abs=1e-6)
    plan = planned(qtbot, pair)
    assert len(plan.schedule) == document.frame_count
    click(page.plain)
    assert document.project.shots[0].join == CUT
    while document.history.undo_label and document.project != before:
        document.undo()
    assert document.project == before
    qtbot.keyClick(pair, Qt.Key.Key_U)
    assert surge_of(pair)
    qtbot.keyClick(pair, Qt.Key.Key_U)
    assert document.project == before


def test_handles_on_the_rail_and_the_curve_are_dragged(pair: MainWindow, qtbot: QtBot) -> None:
    document, weave = pair.document, pair.weave
    document.apply("", lambda p: joining.make_surges(p, [0]))
    rails = weave.rails()
    assert rails is not None
    cut = rails.result_x(float(document.project.starts[1]))
    begun, project = surge_of(pair), document.project

    def drag(start: QPointF, by: QPoint) -> None:
        QTest.mousePress(weave, Qt.MouseButton.LeftButton, pos=start.toPoint())
        for share in (0.4, 1.0):
            QTest.mouseMove(weave, start.toPoint() + QPoint(round(by.x() * share), round(by.y() * share)))
        assert weave.readout_text
        QTest.mouseRelease(weave, Qt.MouseButton.LeftButton, pos=start.toPoint() + by)

    drag(QPointF(cut, rails.result.center().y()), QPoint(40, 0))
    assert pair.bench.page == JOIN_PAGE  # what is grasped is shown
    assert document.project.shots[0].out_point > project.shots[0].out_point
    assert float(document.project.result_length) == pytest.approx(float(project.result_length), abs=1e-6)
    document.undo()
    drag(QPointF(cut, curve_y(rails, float(begun.peak))), QPoint(0, -12))
    assert surge_of(pair).peak > begun.peak
    document.undo()
    run_up = document.project.shots[0].pace.run_lengths[1] * rails.result_scale
    drag(QPointF(cut - run_up, rails.curve.center().y()), QPoint(30, 0))
    assert surge_of(pair).run_up.length < begun.run_up.length
    document.undo()
    assert document.project == project


def test_accents_are_added_ordered_measured_and_kept(pair: MainWindow, qtbot: QtBot) -> None:
    document, page = pair.document, pair.bench.accents
    pair.show_bench_page(ACCENTS_PAGE)
    for look in (Flash, Grain):
        click(page.adds[look])
    assert [type(accent.look) for accent in document.project.shots[0].accents] == [Flash, Grain]
    click(page.list.rows[1].earlier)
    assert [type(accent.look) for accent in document.project.shots[0].accents] == [Grain, Flash]
    type_in(page.look.numbers[0], "7 % of white")
    assert document.project.shots[0].accents[0].look == Grain(level=0.07)
    type_in(page.look.numbers[0], "sand")
    assert "not a number" in pair.bench.caution.text()
    type_in(page.look.numbers[0], "700")
    assert "lies between" in pair.bench.caution.text()
    page.list.rows[0].strength.setValue(50)
    page.list.rows[0].on.click()
    assert not document.project.shots[0].accents[0].on
    (grain, flash) = placed_accents(document.project)
    times = np.array([grain.begin])
    assert amounts_at(document.project, grain, times) == 0.0
    assert amounts_at(document.project, flash, times) == 1.0
    page.list.rows[0].on.click()
    assert page.list.rows[0].name.isChecked()
    click(page.amount.follows[BySpeed])
    type_in(page.amount.full_at, "40")
    amount = document.project.shots[0].accents[0].amount
    assert isinstance(amount, BySpeed)
    assert amount.full_at == 40
    click(page.amount.follows[ByPoints])
    curve = page.amount.curve
    QTest.mouseClick(curve, Qt.MouseButton.LeftButton, pos=QPoint(curve.width() // 2, curve.height() - 9))
    made = document.project.shots[0].accents[0]
    assert isinstance(made.amount, ByPoints)
    assert len(made.amount.points) == 2
    assert made.strength == 0.5
    QTest.keyClick(curve, Qt.Key.Key_Delete)
    assert len(document.project.shots[0].accents[0].amount.points) == 1  # type: ignore[union-attr]
    click(page.looks.keep)
    assert pair.question.field is not None
    type_in(pair.question.field, "Dust")
    assert document.project.looks[0].join == Join(None, document.project.shots[0].accents)
    document.selection.select([Place(1, 0)])
    page.looks.box.activated.emit(page.looks.box.findText("Dust"))
    assert document.project.shots[1].accents == document.project.shots[0].accents
    click(page.owners[Owner.JOIN])
    page.looks.box.activated.emit(page.looks.box.findText("Balloon rush"))
    assert document.project.shots[0].join.surge is not None
    assert all(isinstance(accent.amount, ByJoin) for accent in document.project.shots[0].join.accents)
    click(page.owners[Owner.WHOLE])
    click(page.adds[Lines])
    assert document.project.accents == (Accent(Lines()),)
    click(page.list.rows[0].remove)
    assert not document.project.accents
    planned(qtbot, pair)


def test_shots_are_taken_together_opened_changed_and_left(
    pair: MainWindow, qtbot: QtBot, tmp_path: Path
) -> None:
    document = pair.document
    before = document.project
    document.selection.select(before.places())
    qtbot.keyClick(pair, Qt.Key.Key_G)
    assert pair.question.field is not None
    type_in(pair.question.field, "Both of them")
    assert len(document.project.shots) == 1
    run = document.project.footage_of(document.project.shots[0])
    assert isinstance(run, Nested)
    assert run.title == "Both of them"
    assert document.project.result_length == before.result_length
    planned(qtbot, pair)
    qtbot.waitUntil(lambda: pair.shelf.thumbnail(run.origin) is not None, timeout=10_000)
    assert "2 shots as one" in " ".join(document.known.facts[run.origin].summary())
    qtbot.keyClick(pair, Qt.Key.Key_Return, Qt.KeyboardModifier.ControlModifier)
    assert pair.head.title == "Inside Both of them"
    assert pair.head.back_button.isVisible()
    assert len(document.project.shots) == 2
    document.apply("Faster", lambda p: pacing.set_speed(p, p.places(), Fraction(4)))
    with qtbot.waitSignal(pair.files.saved, timeout=5000):
        pair.files.save(tmp_path / "nest.chronoxis")
    assert load_project(tmp_path / "nest.chronoxis") == nesting.outermost(document.project)
    click(pair.head.back_button)
    assert document.project.outside is None
    assert float(document.project.result_length) == pytest.approx(float(before.result_length) / 2, abs=0.05)
    planned(qtbot, pair)
    document.selection.select([Place(0, 0)])
    qtbot.keyClick(pair, Qt.Key.Key_G, Qt.KeyboardModifier.ShiftModifier)
    assert [shot.passages[0].speed for shot in document.project.shots] == [4, 4]
    while document.history.undo_label and document.project != before:
        document.undo()
    assert document.project == before


@pytest.mark.thorough
def test_checks_say_what_is_wrong_and_mend_it(pair: MainWindow, qtbot: QtBot) -> None:
    document, line = pair.document, pair.pictures.checks
    document.apply("", lambda p: joining.set_surges(p, [0], lambda s: s))
    long = joining.first_surge(document.project, 0)
    document.apply("", lambda p: arranging.set_points(p, 0, Fraction(0), Fraction(3)))
    document.apply("", lambda p: joining.set_surges(p, [0], lambda _: long))
    blinding = Accent(Flash(8.0))
    document.apply("", lambda p: joining.set_accents(p, lambda _: (blinding,), shots=[1]))
    made_here = ("Surge shortened", "flash")

    def found() -> list[Check]:
        """Those of what was made wrong; the recording has some of its own."""
        return [check for check in line.checks if check.kind in made_here]

    def is_gone(kind: str) -> bool:
        return kind not in [check.kind for check in found()]

    qtbot.waitUntil(lambda: len(found()) == 2, timeout=15_000)
    assert line.isVisible()
    assert [check.kind for check in found()] == ["Surge shortened", "flash"]
    for kind in made_here:
        for _ in line.checks:
            if any(check.kind == kind and check.words in line.words.whole for check in found()):
                break
            click(line.next)
        click(line.mend)
        planned(qtbot, pair)
        qtbot.waitUntil(partial(is_gone, kind), timeout=15_000)
    assert not joining.lacks_footage(document.project.shots[0], at_end=True)
    look = document.project.shots[1].accents[0].look
    assert isinstance(look, Flash)
    assert 0 < look.stops < 5


@pytest.mark.thorough
def test_the_camera_at_a_cut_is_told(pair: MainWindow, qtbot: QtBot) -> None:
    pair.show_bench_page(JOIN_PAGE)
    words = pair.bench.join.camera.words
    qtbot.waitUntil(lambda: "stands still" in words.text(), timeout=30_000)
    assert words.text().startswith("On both sides")
