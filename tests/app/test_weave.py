"""The Weave, the Bench and the project's file, driven by hand and keyboard."""

import json
import os
import signal
import subprocess
import sys
import time
from collections.abc import Callable
from dataclasses import replace
from fractions import Fraction
from functools import partial
from math import ceil
from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import QPoint, QPointF, QRect, Qt
from PySide6.QtGui import QContextMenuEvent, QImage, QWheelEvent
from PySide6.QtWidgets import QApplication, QMenu, QPushButton
from pytestqt.qtbot import QtBot

from chronoxis.app.document.history import Edit
from chronoxis.app.files.recent_projects import recent_projects
from chronoxis.app.main_window import MainWindow
from chronoxis.app.weave.grips import marks_of
from chronoxis.app.weave.pace_curve import curve_y, joint_speed
from chronoxis.app.weave.rails import Rails
from chronoxis.app.weave.recorded_rail import RecordedRail
from chronoxis.core.errors import PlanError
from chronoxis.core.files.project_file import load_project, save_project
from chronoxis.core.model import arranging, pacing
from chronoxis.core.model.export_formats import MKV
from chronoxis.core.model.playing import played_at, result_span
from chronoxis.core.model.project import Place
from chronoxis.core.timing.ramps import RampShape
from chronoxis.core.timing.reckoner import Quantity
from tests.app.driving import SECONDS, disk_answered, enter, open_project, planned
from tests.footage_makers import make_recording, recording_of


@pytest.fixture
def shaped(opened: MainWindow) -> MainWindow:
    """The recording in four passages with ramps, and once more as a second shot of three."""
    document = opened.document
    document.apply("", lambda p: arranging.add_shot(p, p.footage[0].key))
    for number, end in ((0, 3), (0, 5), (0, 9), (1, 4), (1, 8)):
        document.apply("", partial(pacing.divide, number=number, covered=Fraction(end)))
    for place, speed in zip(document.project.places(), (6, 1, 4, 8, 3, 2, 5), strict=True):
        document.apply("", partial(pacing.set_speed, places=[place], speed=Fraction(speed)))
    document.apply("", lambda p: pacing.set_ramps(p, p.places(), length=Fraction(1, 4)))
    document.selection.select([Place(0, 1)])
    return opened


def pull(qtbot: QtBot, window: MainWindow, start: QPointF, dx: float, dy: float = 0.0) -> str:
    """Drag from a point and return what the label at the pointer said before letting go."""
    weave, begin = window.weave, start.toPoint()
    qtbot.mousePress(weave, Qt.MouseButton.LeftButton, pos=begin)
    for share in (0.3, 0.7, 1.0):
        qtbot.mouseMove(weave, begin + QPoint(round(dx * share), round(dy * share)))
    said = weave.readout_text
    qtbot.mouseRelease(weave, Qt.MouseButton.LeftButton, pos=begin + QPoint(round(dx), round(dy)))
    return said


def speeds(window: MainWindow, shot: int = 0) -> list[float]:
    return [float(passage.speed) for passage in window.document.project.shots[shot].passages]


def test_a_joint_means_footage_above_and_length_below(shaped: MainWindow, qtbot: QtBot) -> None:
    document, rails = shaped.document, shaped.weave.rails()
    assert rails is not None
    before = document.project
    above = QPointF(rails.recorded_x(0, 5.0), rails.recorded.center().y())
    said = pull(qtbot, shaped, above, 40)
    moved = document.project.shots[0]
    assert speeds(shaped) == [6, 1, 4, 8]
    assert moved.passages[1].recorded_length > 2
    assert moved.recorded_length == SECONDS
    assert said.startswith("0:05.00 → ")
    document.undo()
    assert document.project == before
    end = result_span(before, Place(0, 1))[1]
    said = pull(qtbot, shaped, QPointF(rails.result_x(end), rails.result.center().y()), -40)
    after = document.project
    assert [p.recorded_length for p in after.shots[0].passages] == [3, 2, 4, 3]
    assert after.passage(Place(0, 1)).speed > 1
    assert speeds(shaped)[2:] == [4, 8]
    assert after.starts[1] < before.starts[1]
    assert "→" in said and "×" in said
    document.undo()
    assert document.project == before


def test_the_kept_recorded_rail_looks_like_one_drawn_anew(shaped: MainWindow) -> None:
    document, weave = shaped.document, shaped.weave

    def rail() -> QImage:
        rails = weave.rails()
        assert rails is not None
        weave.redraw()
        return weave.grab(QRect(0, 0, weave.width(), int(rails.threads.top()))).toImage()

    edits: list[tuple[Edit, bool]] = [
        (lambda p: pacing.set_speed(p, [Place(0, 1)], Fraction(7)), False),
        (lambda p: pacing.set_speed(p, [Place(0, 0)], Fraction(200)), True),  # colours the grip
        (lambda p: pacing.move_joint(p, Place(0, 1), Fraction(11, 2)), True),
        (lambda p: arranging.reverse(p, [0]), True),
        (lambda p: arranging.delete_shots(p, [1]), True),
    ]
    document.move_playhead(Fraction(0))
    before = rail()
    for edit, shows in edits:
        assert document.apply("", edit)
        kept = rail()
        assert (kept != before) == shows
        weave._recorded = RecordedRail()
        before = rail()
        assert kept == before


def test_the_pace_curve_is_pulled(shaped: MainWindow, qtbot: QtBot) -> None:
    document, rails = shaped.document, shaped.weave.rails()
    assert rails is not None
    before = document.project
    place = Place(0, 2)
    begin, end = result_span(before, place)
    level = QPointF(rails.result_x((begin + end) / 2), curve_y(rails, 4.0))
    said = pull(qtbot, shaped, level, 0, -12)
    assert document.project.passage(place).speed > 6
    assert said.startswith("4× → ")
    document.undo()
    half = float(before.shots[0].pace.ramp_lengths[1]) / 2
    said = pull(qtbot, shaped, QPointF(rails.result_x(begin + half), rails.curve.top() + 8), 12)
    assert document.project.passage(Place(0, 1)).ramp.length > Fraction(1, 4)
    assert said.startswith("ramp 0.25 s → ")
    document.undo()
    joint = QPointF(rails.result_x(begin), curve_y(rails, joint_speed(before, Place(0, 1))))
    pull(qtbot, shaped, joint, 12)
    slid = document.project
    assert slid.passage(Place(0, 1)).speed < 1
    assert slid.passage(Place(0, 2)).speed > 4
    both = [sum(float(p.passage_result_length(Place(0, n))) for n in (1, 2)) for p in (before, slid)]
    assert both[0] == pytest.approx(both[1], abs=1e-3)
    document.undo()
    assert document.project == before


def test_many_passages_are_changed_at_once(shaped: MainWindow, qtbot: QtBot) -> None:
    document, bench = shaped.document, shaped.bench
    before = document.project
    qtbot.keyClick(shaped.weave, Qt.Key.Key_A, Qt.KeyboardModifier.ControlModifier)
    assert len(document.selection.places) == 7
    assert bench.title.text() == "7 passages, 2 shots"
    assert bench.pace.fields[Quantity.SPEED].text() == "several"
    field = bench.pace.ramp_lengths["out"]
    field.selectAll()
    qtbot.keyClicks(field, "0.5")
    qtbot.keyClick(field, Qt.Key.Key_Return)
    bench.pace.ramp_shapes["out"].setCurrentIndex(list(RampShape).index(RampShape.LATE))
    bench.pace.ramp_shapes["out"].activated.emit(3)
    ramps = [p.ramp for shot in document.project.shots for p in shot.passages[:-1]]
    assert {(ramp.length, ramp.shape) for ramp in ramps} == {(Fraction(1, 2), RampShape.LATE)}
    enter(qtbot, shaped, Quantity.SPEED, "12")
    assert set(speeds(shaped) + speeds(shaped, 1)) == {12}
    enter(qtbot, shaped, Quantity.SPEED, "-4")
    assert "-4" in bench.caution.text()
    for _ in range(3):
        shaped.menus.undo.trigger()
    assert document.project == before


def test_fit_reverse_and_undo_all(shaped: MainWindow, qtbot: QtBot) -> None:
    document = shaped.document
    steps = 0
    while document.history.undo_label != "Bring in":
        document.undo()
        steps += 1
    first = document.project
    for _ in range(steps):
        document.redo()
    document.selection.select([Place(0, 1)])
    qtbot.keyClick(shaped.weave, Qt.Key.Key_H)
    assert document.project.passage(Place(0, 1)).held == {Quantity.SPEED}
    shaped.head.fit_field.setText("9")
    qtbot.mouseClick(shaped.head.fit_button, Qt.MouseButton.LeftButton)
    assert len(planned(qtbot, shaped).schedule) == 9 * 25
    assert speeds(shaped)[1] == 1
    shaped.head.fit_field.setText("0:01")
    qtbot.mouseClick(shaped.head.fit_button, Qt.MouseButton.LeftButton)
    assert "too much" in shaped.bench.caution.text()
    qtbot.keyClick(shaped.weave, Qt.Key.Key_R)
    assert document.project.shots[0].backwards
    schedule = planned(qtbot, shaped).schedule
    frames = schedule.frames[schedule.offsets[:-1]]
    assert np.all(np.diff(frames[schedule.shots == 0]) <= 0)
    for _ in range(steps + 3):
        document.undo()
    assert document.project == first


def test_keys_do_what_the_pointer_does(shaped: MainWindow, qtbot: QtBot) -> None:
    document, weave = shaped.document, shaped.weave
    document.move_playhead(Fraction(1, 5))
    qtbot.keyClick(weave, Qt.Key.Key_D)
    assert len(document.project.shots[0].passages) == 5
    qtbot.keyClick(weave, Qt.Key.Key_PageUp)
    assert document.selection.places == {Place(0, 0)}
    document.selection.select([Place(0, 0), Place(0, 1)])
    qtbot.keyClick(weave, Qt.Key.Key_D, Qt.KeyboardModifier.ShiftModifier)
    assert len(document.project.shots[0].passages) == 4
    document.move_playhead(Fraction(1, 5))
    qtbot.keyClick(weave, Qt.Key.Key_X)
    assert len(document.project.shots) == 3
    document.selection.select([Place(2, 0)])
    qtbot.keyClick(
        weave, Qt.Key.Key_Left, Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier
    )
    assert len(document.project.shots[1].passages) == 3
    qtbot.keyClick(weave, Qt.Key.Key_C, Qt.KeyboardModifier.ControlModifier)
    document.selection.select([Place(0, 0)])
    qtbot.keyClick(weave, Qt.Key.Key_V, Qt.KeyboardModifier.ControlModifier)
    assert speeds(shaped, 0) == speeds(shaped, 1)
    qtbot.keyClick(weave, Qt.Key.Key_D, Qt.KeyboardModifier.ControlModifier)
    qtbot.keyClick(weave, Qt.Key.Key_Delete)
    assert len(document.project.shots) == 3
    document.selection.select([Place(0, 1)])
    qtbot.keyClick(weave, Qt.Key.Key_PageDown, Qt.KeyboardModifier.ShiftModifier)
    assert document.selection.places == {Place(0, 1), Place(0, 2)}
    before = [document.project.passage(place).speed for place in sorted(document.selection.places)]
    qtbot.keyClick(weave, Qt.Key.Key_Up, Qt.KeyboardModifier.ControlModifier)
    after = [document.project.passage(place).speed for place in sorted(document.selection.places)]
    assert after == [speed * Fraction(11, 10) for speed in before]
    ramp = document.project.passage(Place(0, 1)).ramp
    qtbot.keyClick(weave, Qt.Key.Key_Period)
    assert document.project.passage(Place(0, 1)).ramp.length == ramp.length + Fraction(1, 10)
    qtbot.keyClick(weave, Qt.Key.Key_H)
    assert all(Quantity.SPEED in document.project.passage(p).held for p in document.selection.places)
    qtbot.keyClick(weave, Qt.Key.Key_A, Qt.KeyboardModifier.ShiftModifier)
    shot = document.project.shots[0]
    assert (shot.in_point, shot.out_point) == (0, SECONDS)
    qtbot.keyClick(weave, Qt.Key.Key_M)
    assert [marker.at for marker in document.project.markers] == [document.playhead]
    qtbot.keyClick(weave, Qt.Key.Key_M, Qt.KeyboardModifier.ShiftModifier)
    assert len(document.project.footage[0].markers) == 1


def test_the_playhead_goes_from_edge_to_edge(shaped: MainWindow, qtbot: QtBot) -> None:
    document, weave = shaped.document, shaped.weave
    document.move_playhead(Fraction(0))
    rate = float(document.project.rate)
    document.apply("", lambda p: arranging.add_marker(p, None, Fraction(1, 5), "here"))
    ends = [*document.project.rows.ends.tolist(), 0.2]
    frames = sorted({min(ceil(end * rate - 1e-6), document.frame_count - 1) for end in ends})
    there = []
    for _ in frames:
        qtbot.keyClick(weave, Qt.Key.Key_Down)
        there.append(document.result_frame)
    assert there == frames
    back = []
    for _ in frames:
        qtbot.keyClick(weave, Qt.Key.Key_Up)
        back.append(document.result_frame)
    assert back == [*reversed(frames[:-1]), 0]


def test_passages_are_chosen_with_the_pointer(shaped: MainWindow, qtbot: QtBot) -> None:
    document, weave, rails = shaped.document, shaped.weave, shaped.weave.rails()
    assert rails is not None
    middles = (document.project.rows.begins + document.project.rows.ends) / 2
    places = document.project.places()

    def click(number: int, key: Qt.KeyboardModifier = Qt.KeyboardModifier.NoModifier) -> set[Place]:
        at = QPoint(round(rails.result_x(float(middles[number]))), round(rails.result.center().y()))
        qtbot.mouseClick(weave, Qt.MouseButton.LeftButton, key, at)
        return set(document.selection.places)

    assert click(1) == {places[1]}
    assert float(document.playhead) == pytest.approx(float(middles[1]), abs=0.05)
    assert click(3, Qt.KeyboardModifier.ControlModifier) == {places[1], places[3]}
    assert click(5, Qt.KeyboardModifier.ShiftModifier) == set(places[1:6])
    assert click(3, Qt.KeyboardModifier.ControlModifier) == {*places[1:3], *places[4:6]}
    shot = document.project.shots[1]
    x = rails.recorded_x(1, (float(shot.joints[0]) + float(shot.joints[1])) / 2)
    above = QPoint(round(x), round(rails.recorded.center().y()))
    qtbot.mouseClick(weave, Qt.MouseButton.LeftButton, pos=above)
    assert document.selection.places == {Place(1, 0)}
    click(1)
    event = QContextMenuEvent(QContextMenuEvent.Reason.Mouse, above, weave.mapToGlobal(above))
    QApplication.sendEvent(weave, event)
    assert document.selection.places == {Place(1, 0)}
    menu = QApplication.activePopupWidget()
    assert isinstance(menu, QMenu)
    next(action for action in menu.actions() if action.text() == "&Reverse").trigger()
    assert document.project.shots[1].backwards
    menu.close()


def test_the_wheel_moves_along_and_zooms(shaped: MainWindow) -> None:
    weave, whole = shaped.weave, shaped.weave.rails()
    assert whole is not None
    over = QPointF(whole.result_x(1.0), whole.result.center().y())

    def turn(steps: int, keys: Qt.KeyboardModifier) -> Rails:
        event = QWheelEvent(
            over,
            weave.mapToGlobal(over),
            QPoint(),
            QPoint(0, 120 * steps),
            Qt.MouseButton.NoButton,
            keys,
            Qt.ScrollPhase.NoScrollPhase,
            False,
        )
        QApplication.sendEvent(weave, event)
        rails = weave.rails()
        assert rails is not None
        return rails

    near = turn(4, Qt.KeyboardModifier.ControlModifier)
    assert near.result_view.length < whole.result_view.length / 2
    assert near.recorded_view == whole.recorded_view
    assert float(near.result_time(over.x())) == pytest.approx(1.0, abs=1e-6)
    moved = turn(-2, Qt.KeyboardModifier.NoModifier)
    assert moved.result_view.start == pytest.approx(near.result_view.start + near.result_view.length / 4)
    assert turn(-100, Qt.KeyboardModifier.NoModifier).result_view.start < whole.result_view.length
    assert turn(-40, Qt.KeyboardModifier.ControlModifier) == whole


def test_zooming_stays_about_the_pointer_and_goes_down_to_frames(shaped: MainWindow, qtbot: QtBot) -> None:
    weave, whole = shaped.weave, shaped.weave.rails()
    assert whole is not None
    at = QPointF(whole.result_x(2.0), whole.result.center().y())
    weave.views.zoom(0.25, at)
    near = weave.rails()
    assert near is not None
    assert float(near.result_time(at.x())) == pytest.approx(2.0, abs=1e-6)
    assert near.recorded_view == whole.recorded_view
    shaped.document.move_playhead(Fraction(2))
    weave.views.zoom_to_frames()
    frames = weave.rails()
    assert frames is not None
    assert frames.result_scale / 25 > 20
    weave.repaint()
    weave.views.zoom_to_selection()
    chosen = weave.rails()
    assert chosen is not None
    begin, end = result_span(shaped.document.project, Place(0, 1))
    assert chosen.result_view.start < begin < end < chosen.result_view.start + chosen.result_view.length
    weave.views.show_all()
    assert weave.rails() == whole


def test_marks_are_set_and_named_on_both_rails(shaped: MainWindow, qtbot: QtBot) -> None:
    document = shaped.document
    document.move_playhead(Fraction(2))
    qtbot.keyClick(shaped.weave, Qt.Key.Key_M)
    assert [float(mark.at) for mark in document.project.markers] == [2.0]
    document.move_playhead(Fraction(1))
    qtbot.keyClick(shaped.weave, Qt.Key.Key_M, Qt.KeyboardModifier.ShiftModifier)
    for playhead, name in ((Fraction(1), "lift-off"), (Fraction(2), "cheers")):
        document.move_playhead(playhead)
        qtbot.keyClick(shaped.weave, Qt.Key.Key_N)
        assert shaped.question.field is not None
        qtbot.keyClicks(shaped.question.field, name)
        qtbot.keyClick(shaped.question.field, Qt.Key.Key_Return)
        assert not shaped.question.isVisible()
    assert [mark.name for mark in document.project.markers] == ["cheers"]
    assert "lift-off" in [mark.name for footage in document.project.footage for mark in footage.markers]


def test_marks_are_dragged_and_never_swallow_each_other(shaped: MainWindow, qtbot: QtBot) -> None:
    document, weave, rails = shaped.document, shaped.weave, shaped.weave.rails()
    assert rails is not None
    key = document.project.footage[0].key
    for where, at in ((key, 2), (key, 4), (None, 1), (None, 2)):
        document.apply("", partial(arranging.add_marker, key=where, at=Fraction(at), name=f"{where} {at}"))

    def places() -> list[list[Fraction]]:
        return [marks_of(document.project, key), marks_of(document.project, None)]

    above = QPointF(rails.recorded_x(0, 2.0), rails.recorded_ruler.center().y())
    qtbot.mouseClick(weave, Qt.MouseButton.LeftButton, pos=above.toPoint())
    assert float(played_at(document.project, float(document.playhead)).recorded) == pytest.approx(2, abs=0.3)
    said = pull(qtbot, shaped, above, rails.recorded_scale)
    assert said == "0:02.00 → 0:03.00"
    below = QPointF(rails.result_x(1.0), rails.result_ruler.center().y())
    pull(qtbot, shaped, below, rails.result_x(1.48) - rails.result_x(1.0))
    assert places()[0] == [3, 4]
    assert float(places()[1][0]) == pytest.approx(1.48, abs=0.1)
    assert document.project.markers[0].name == "None 1"
    assert document.history.undo_label == "Move mark"
    document.undo()
    document.undo()
    assert places() == [[2, 4], [1, 2]]
    weave.repaint()
    pull(qtbot, shaped, above, 2 * rails.recorded_scale)
    assert len(places()[0]) == 2
    with pytest.raises(PlanError, match="already"):
        arranging.move_marker(document.project, None, Fraction(1), Fraction(2))
    ends = arranging.move_marker(document.project, None, Fraction(1), Fraction(10**6))
    assert ends.markers[-1].at == ends.result_length


@pytest.mark.thorough
def test_looping_a_joint_plays_through_the_cut(shaped: MainWindow, qtbot: QtBot) -> None:
    document = shaped.document
    cut = float(document.project.starts[1])
    document.move_playhead(Fraction(cut))
    made = len(planned(qtbot, shaped).schedule)
    qtbot.waitUntil(lambda: len(shaped.preview.made()) == made, timeout=30_000)
    seen: list[int] = []
    document.playhead_moved.connect(lambda _: seen.append(document.result_frame))
    shaped.pictures.loop_joint()
    qtbot.waitUntil(lambda: len(seen) > 20 and seen[-1] < seen[-2], timeout=10_000)
    assert min(seen) == round((cut - 1) * 25)
    assert max(seen) <= round((cut + 1) * 25)


def test_a_project_is_saved_and_opened_again(shaped: MainWindow, qtbot: QtBot, tmp_path: Path) -> None:
    film, project = tmp_path / "film.chronoxis", shaped.document.project
    with qtbot.waitSignal(shaped.files.saved, timeout=5000):
        shaped.files.save(film)
    assert load_project(film) == project
    assert not shaped.document.is_modified
    shaped.document.apply("", lambda p: arranging.reverse(p, [0]))
    shaped.file_actions.open_project(film)
    assert "not saved" in shaped.question.text.text()
    with qtbot.waitSignal(shaped.document.replaced, timeout=5000):
        qtbot.mouseClick(shaped.question.buttons[1], Qt.MouseButton.LeftButton)
    assert shaped.document.project == project
    planned(qtbot, shaped)
    assert recent_projects() == [film]
    film.write_text('{"format": "chronoxis project", "version": 9}')
    shaped.file_actions.open_project(film)
    qtbot.waitUntil(lambda: "newer Chronoxis" in shaped.message_text, timeout=5000)
    assert shaped.document.project == project
    with qtbot.waitSignal(shaped.files.failed, timeout=5000):
        shaped.files.save(Path("/proc/film.chronoxis"))
    assert "film.chronoxis was not written" in shaped.message_text


def test_an_export_is_called_as_the_project_is(
    shaped: MainWindow, qtbot: QtBot, tmp_path: Path, recording: Path
) -> None:
    planned(qtbot, shaped)
    shaped.show_export()
    choices = shaped.export_panel.choices
    first = str(recording.with_name(f"{recording.stem}-condensed.mp4"))
    qtbot.waitUntil(lambda: choices.output.text() == first, timeout=2000)
    with qtbot.waitSignal(shaped.files.saved, timeout=5000):
        shaped.files.save(tmp_path / "A.fine.day.chronoxis")
    (tmp_path / "A.fine.day.mp4").touch()
    shaped.show_export()
    qtbot.waitUntil(lambda: choices.output.text() == str(tmp_path / "A.fine.day-2.mp4"), timeout=2000)
    shaped.document.apply("", lambda p: arranging.set_settings(p, replace(p.settings, format=MKV)))
    planned(qtbot, shaped)
    qtbot.waitUntil(lambda: choices.output.text() == str(tmp_path / "A.fine.day.mkv"), timeout=2000)
    choices.output.setText(str(tmp_path / "mine.mkv"))
    shaped.show_bench()
    shaped.show_export()
    assert choices.output.text() == str(tmp_path / "mine.mkv")


def test_what_is_read_follows_a_gesture_at_its_own_pace(shaped: MainWindow, qtbot: QtBot) -> None:
    document, field, heard = shaped.document, shaped.bench.pace.fields[Quantity.SPEED], []
    document.changed.connect(lambda: heard.append("changed"))
    document.eased.connect(lambda: heard.append("eased"))
    document.begin_gesture("Change speed")
    for speed in range(10, 40):
        document.apply("", partial(pacing.set_speed, places=[Place(0, 1)], speed=Fraction(speed)))
    assert heard.count("changed") == 30
    assert heard.count("eased") < 30
    qtbot.waitUntil(lambda: heard[-1] == "eased", timeout=1000)
    assert field.text() == "39×"
    heard.clear()
    document.apply("", partial(pacing.set_speed, places=[Place(0, 1)], speed=Fraction(40)))
    document.end_gesture()
    assert heard[-1] == "eased"
    assert field.text() == "40×"
    qtbot.wait(100)
    assert heard.count("eased") == 1


def test_missing_footage_is_shown_and_located(window: MainWindow, qtbot: QtBot, tmp_path: Path) -> None:
    (tmp_path / "here").mkdir()
    project = None
    for name in ("one.mkv", "two.mkv"):
        take = make_recording(tmp_path / "here" / name, frames=60)
        start = project or window.document.project
        project = arranging.begin_with(start, recording_of(take, Fraction(25), Fraction(60, 25)))
        project = arranging.measure(project, project.footage[-1].key, Fraction(25), Fraction(60, 25))
    assert project is not None
    save_project(project, tmp_path / "film.chronoxis")
    (tmp_path / "here").rename(tmp_path / "there")
    open_project(qtbot, window, tmp_path / "film.chronoxis")
    qtbot.waitUntil(lambda: len(window.document.known.missing) == 2, timeout=10_000)
    cards = list(window.shelf.cards.values())
    assert all(card.locate.isVisible() and "is not there" in card.caution.text() for card in cards)
    assert replace(window.document.project, canvas=None) == project
    assert not planned(qtbot, window).is_whole
    assert not window.menus.export.isEnabled()
    window.loading.found("one", tmp_path / "there" / "one.mkv")
    disk_answered(qtbot, window)
    planned(qtbot, window)
    assert [footage.files[0].parent.name for footage in window.document.project.footage] == ["there", "there"]
    assert not any(card.caution.isVisible() for card in cards)


def test_footage_that_changed_is_said_and_nothing_cut_silently(
    window: MainWindow,
    qtbot: QtBot,
    tmp_path: Path,
) -> None:
    take = make_recording(tmp_path / "take.mkv", frames=60)
    project = arranging.begin_with(
        window.document.project, recording_of(take, Fraction(25), Fraction(60, 25))
    )
    project = arranging.measure(project, "take", Fraction(25), Fraction(60, 25))
    save_project(project, tmp_path / "film.chronoxis")
    make_recording(take, frames=40)
    open_project(qtbot, window, tmp_path / "film.chronoxis")
    qtbot.waitUntil(lambda: bool(window.document.known.sources), timeout=10_000)
    card = window.shelf.card_of(take)
    assert "take.mkv has changed" in card.caution.text()
    assert replace(window.document.project, canvas=None) == project
    qtbot.mouseClick(card.adopt, Qt.MouseButton.LeftButton)
    assert window.document.project.shots[0].out_point == Fraction(40, 25)
    planned(qtbot, window)
    window.document.undo()
    assert replace(window.document.project, canvas=None) == project


def test_a_capture_rate_makes_real_time(opened: MainWindow, qtbot: QtBot, recording: Path) -> None:
    qtbot.mouseClick(opened.shelf.card_of(recording), Qt.MouseButton.LeftButton)
    capture = opened.bench.footage.capture
    assert capture.isVisible()
    capture.selectAll()
    qtbot.keyClicks(capture, "100")
    qtbot.keyClick(capture, Qt.Key.Key_Return)
    project = opened.document.project
    assert project.shots[0].recorded_length == Fraction(SECONDS, 4)
    frames = planned(qtbot, opened).schedule.frames
    assert frames[1] - frames[0] == 40  # ten times real time at 25 fps, of 100 frames a second


RUN_UNTIL_KILLED = """
import sys, time
from pathlib import Path
from PySide6.QtWidgets import QApplication
from chronoxis.app.main_window import MainWindow
from chronoxis.core.model import arranging
application = QApplication([])
window = MainWindow()
window.show()
window.loading.bring_in(Path(sys.argv[1]))
marked = False
while True:
    application.processEvents()
    time.sleep(0.01)
    if window.document.plan is not None and not marked:
        marked = True
        window.document.apply("Reverse", lambda p: arranging.reverse(p, [0]))
        print("edited", flush=True)
"""


@pytest.mark.thorough
def test_work_is_offered_again_after_a_kill(
    window: MainWindow, qtbot: QtBot, own_state: Path, recording: Path
) -> None:
    command = [sys.executable, "-c", RUN_UNTIL_KILLED, str(recording)]
    environment = {**os.environ, "QT_QPA_PLATFORM": "offscreen"}
    folder = own_state / "autosave"
    with subprocess.Popen(command, env=environment, stdout=subprocess.PIPE) as child:
        assert child.stdout is not None
        assert child.stdout.readline() == b"edited\n"
        kept = patiently(
            lambda: [p for p in folder.glob("*.autosave") if b'"backwards": true' in p.read_bytes()]
        )
        window.file_actions.offer_recovery()
        disk_answered(qtbot, window)
        assert not window.question.isVisible()  # it is held by a window that runs
        child.send_signal(signal.SIGKILL)
    assert json.loads(kept[0].read_bytes())["of"] is None
    window.file_actions.offer_recovery()
    disk_answered(qtbot, window)
    assert "were not saved" in window.question.text.text()
    qtbot.mouseClick(window.question.buttons[0], Qt.MouseButton.LeftButton)
    assert window.document.project.shots[0].backwards
    assert window.document.is_modified
    planned(qtbot, window)
    window.close()
    assert window.isVisible()  # asks first
    assert "not saved" in window.question.text.text()
    assert [button.text() for button in window.question.findChildren(QPushButton) if button.isVisible()]


def patiently(look: Callable[[], list[Path]]) -> list[Path]:
    end = time.monotonic() + 20
    while not (found := look()):
        assert time.monotonic() < end
        time.sleep(0.05)
    return found
