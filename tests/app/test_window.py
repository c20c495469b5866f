"""The real window, driven by hand and keyboard, with an excerpt of the demo's own recording."""

import re
from collections import Counter
from collections.abc import Callable
from fractions import Fraction
from functools import partial
from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import QMimeData, QPoint, QPointF, Qt, QUrl
from PySide6.QtGui import QAccessible, QAccessibleInterface, QDropEvent, QImage
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QLabel,
    QLineEdit,
    QMenu,
    QPushButton,
    QSlider,
    QToolButton,
)
from pytestqt.qtbot import QtBot

from chronoxis.app.main_window import MainWindow
from chronoxis.app.pictures.made_frames import MadeFrames
from chronoxis.core.footage.recording.frame_index import build_index
from chronoxis.core.model import arranging
from chronoxis.core.timing.frame_making import EachFrame
from chronoxis.core.timing.reckoner import Quantity
from chronoxis.demo.tower_truth import PASSERS
from tests.app.driving import (
    ONLY,
    SECONDS,
    disk_answered,
    drag,
    enter,
    exports_ended,
    planned,
    window_with_text,
)
from tests.command_line import chronoxis
from tests.footage_makers import decode_all, make_long_recording


def test_the_quantities_are_linked_and_undone(opened: MainWindow, qtbot: QtBot) -> None:
    first = opened.document.project
    enter(qtbot, opened, Quantity.SPEED, "600%")
    assert opened.bench.pace.fields[Quantity.RESULT_LENGTH].text() == "0:02.00"
    enter(qtbot, opened, Quantity.COUNT, "100")
    assert opened.document.project.passage(ONLY).speed == 3
    qtbot.mouseClick(opened.bench.pace.holds[Quantity.SPEED], Qt.MouseButton.LeftButton)
    enter(qtbot, opened, Quantity.RESULT_LENGTH, "2")
    assert opened.document.project.shots[0].recorded_length == 6
    enter(qtbot, opened, Quantity.RESULT_LENGTH, "30")
    assert "from the in point" in opened.bench.caution.text()
    assert opened.bench.pace.fields[Quantity.RESULT_LENGTH].text() == "0:02.00"
    for _ in range(4):
        opened.menus.undo.trigger()
    assert opened.document.project == first
    assert opened.document.history.undo_label == "Bring in"
    for _ in range(4):
        opened.menus.redo.trigger()
    assert opened.document.project.shots[0].recorded_length == 6


def test_export_waits_for_a_plan(window: MainWindow, qtbot: QtBot, recording: Path) -> None:
    assert not window.menus.export.isEnabled()
    window.loading.bring_in(recording)
    planned(qtbot, window)
    assert window.menus.export.isEnabled()
    window.files.discard_changes()
    window.file_actions.new_project()
    assert not window.menus.export.isEnabled()


def test_what_each_edge_means(opened: MainWindow, qtbot: QtBot) -> None:
    before = opened.document.project.shots[0]
    rails = opened.weave.rails()
    assert rails is not None
    drag(qtbot, opened, QPointF(rails.recorded_x(0, SECONDS) - 1, rails.recorded.center().y()), -300)
    trimmed = opened.document.project.shots[0]
    assert trimmed.passages[0].speed == before.passages[0].speed
    assert trimmed.out_point < before.out_point
    assert (trimmed.out_point * 25).denominator == 1  # snapped to a recorded frame
    end = QPointF(rails.result.right() - 2, rails.result.center().y())
    drag(qtbot, opened, end, -400)
    faster = opened.document.project.shots[0]
    assert (faster.in_point, faster.out_point) == (trimmed.in_point, trimmed.out_point)
    assert faster.passages[0].speed > trimmed.passages[0].speed
    opened.menus.undo.trigger()
    assert opened.document.project.shots[0] == trimmed
    opened.menus.undo.trigger()
    assert opened.document.project.shots[0] == before


def test_points_and_transport_by_keyboard(opened: MainWindow, qtbot: QtBot) -> None:
    document = opened.document
    enter(qtbot, opened, Quantity.STEP, "5")
    opened.weave.setFocus()
    for _ in range(10):
        qtbot.keyClick(opened.weave, Qt.Key.Key_Right)
    assert document.result_frame == 10
    qtbot.keyClick(opened.weave, Qt.Key.Key_I)
    assert document.project.shots[0].in_point == Fraction(50, 25)
    assert document.result_frame == 0
    qtbot.keyClick(opened.weave, Qt.Key.Key_End)
    assert document.result_frame == len(planned(qtbot, opened).schedule) - 1
    qtbot.keyClick(opened.weave, Qt.Key.Key_J)
    assert opened.transport.shuttle == -1
    qtbot.keyClick(opened.weave, Qt.Key.Key_J)
    assert opened.transport.shuttle == -2
    qtbot.keyClick(opened.weave, Qt.Key.Key_K)
    assert not opened.transport.playing


def test_playing_shows_every_frame_that_is_made(opened: MainWindow, qtbot: QtBot) -> None:
    enter(qtbot, opened, Quantity.RESULT_LENGTH, "1")
    plan = planned(qtbot, opened)
    qtbot.waitUntil(lambda: len(opened.preview.made()) == len(plan.schedule), timeout=20_000)
    seen: list[int] = []
    opened.document.playhead_moved.connect(lambda _: seen.append(opened.document.result_frame))
    opened.pictures.bar.loop_button.setChecked(False)
    opened.transport.toggle()
    qtbot.waitUntil(lambda: not opened.transport.playing, timeout=10_000)
    assert seen[-1] == len(plan.schedule) - 1
    assert seen == sorted(seen)


@pytest.mark.thorough
def test_the_preview_keeps_to_its_budget(
    opened: MainWindow, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(opened.preview, "_made", MadeFrames(budget=400_000))
    enter(qtbot, opened, Quantity.STEP, "1")
    opened.document.move_playhead(Fraction(5))
    due = opened.document.result_frame
    qtbot.waitUntil(lambda: opened.preview.has(due + 5), timeout=20_000)
    qtbot.wait(1500)
    kept = opened.preview.made()
    assert due in kept
    assert len(kept) < 60
    opened.document.move_playhead(Fraction(0))
    qtbot.waitUntil(lambda: opened.preview.has(0), timeout=20_000)


def test_pictures_show_the_very_frames(opened: MainWindow, qtbot: QtBot, recording: Path) -> None:
    qtbot.mouseClick(opened.bench.frames.choices[EachFrame.LONG_EXPOSURE], Qt.MouseButton.LeftButton)
    passer = next(p for p in PASSERS if 84 < p.enter < 84 + SECONDS)
    middle = Fraction(round(((passer.enter + passer.leave) / 2 - 84) * 25), 25)
    opened.document.move_playhead(middle / opened.document.project.passage(ONLY).speed)
    qtbot.waitUntil(lambda: opened.preview.has(opened.document.result_frame), timeout=10_000)
    plan = planned(qtbot, opened)
    number = int(plan.schedule.sources(opened.document.result_frame)[0][0])
    wish = decode_all(recording, "rgb24")

    def distance(number: int) -> float:
        """Mean difference of the shown picture from a recorded frame, in codes."""
        shown = opened.pictures.recorded.image
        if shown is None:
            return 255.0
        small = shown.scaled(320, 180, mode=Qt.TransformationMode.SmoothTransformation)
        small = small.convertToFormat(QImage.Format.Format_RGB888)
        rows = np.frombuffer(small.constBits(), np.uint8).reshape(180, small.bytesPerLine())[:, :960]
        return float(np.abs(rows.reshape(180, 320, 3).astype(int) - wish[number]).mean())

    qtbot.waitUntil(lambda: distance(number) < 3, timeout=10_000)
    assert distance(number) < distance(number - 20) / 2


def test_export_is_what_the_plan_says(opened: MainWindow, qtbot: QtBot, tmp_path: Path) -> None:
    enter(qtbot, opened, Quantity.STEP, "6")
    opened.show_export()
    panel = opened.export_panel
    qtbot.waitUntil(lambda: "about" in panel.choices.expected.text(), timeout=20_000)
    out = tmp_path / "out.mp4"
    panel.choices.output.setText(str(out))
    qtbot.mouseClick(panel.choices.start, Qt.MouseButton.LeftButton)
    exports_ended(qtbot, opened)
    assert panel.list.isVisible()
    plan = planned(qtbot, opened)
    assert len(build_index(out)) == len(plan.schedule) == 50
    listed = chronoxis("plan", plan.sources[0].files[0], "--every", 6, "--csv", "-").stdout
    assert len(listed.splitlines()) == 51
    content = out.read_bytes()
    panel.show_choices()
    qtbot.mouseClick(panel.choices.start, Qt.MouseButton.LeftButton)
    disk_answered(qtbot, opened)
    assert panel.choices.replace_it.isVisible()
    assert out.read_bytes() == content


@pytest.mark.thorough
def test_cancelling_an_export_leaves_nothing(opened: MainWindow, qtbot: QtBot, tmp_path: Path) -> None:
    enter(qtbot, opened, Quantity.SPEED, "1/20×")
    opened.show_export()
    panel = opened.export_panel
    panel.choices.output.setText(str(tmp_path / "out.mp4"))
    panel.start()
    qtbot.waitUntil(lambda: any(job.done > 5 for job in opened.exports.jobs), timeout=30_000)
    (row,) = panel.list.rows.values()
    assert "frames" in row.facts_text
    qtbot.mouseClick(row.button("Cancel"), Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: not panel.list.rows, timeout=20_000)
    there = lambda: [path.name for path in tmp_path.iterdir()]  # noqa: E731
    qtbot.waitUntil(lambda: there() == [], timeout=10_000)


def test_a_dropped_bad_file_is_explained(window: MainWindow, qtbot: QtBot, tmp_path: Path) -> None:
    bad = tmp_path / "notes.mp4"
    bad.write_text("not a recording")
    mime = QMimeData()
    mime.setUrls([QUrl.fromLocalFile(str(bad))])
    event = QDropEvent(
        QPointF(50, 50),
        Qt.DropAction.CopyAction,
        mime,
        Qt.MouseButton.LeftButton,
        Qt.KeyboardModifier.NoModifier,
    )
    window.dropEvent(event)
    qtbot.waitUntil(lambda: "notes.mp4" in window.message_text, timeout=10_000)
    assert window.document.project.shots == ()


def test_a_long_file_is_usable_before_it_is_counted(
    window: MainWindow, qtbot: QtBot, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("chronoxis.app.footage.loader._LONG_FRAMES", 3000)
    monkeypatch.setattr("chronoxis.core.footage.recording.recording_kind._MANY_FRAMES", 3000)
    path = make_long_recording(tmp_path / "long.mkv", frames=4000, size=(32, 32))
    with qtbot.waitSignal(window.loading.loader.opened, timeout=5000):
        window.loading.bring_in(path)
    assert window.document.project.shots != ()
    assert "counting frames" in window.pictures.result.accessibleDescription()
    planned(qtbot, window)
    assert window.document.project.footage[0].length == 160
    qtbot.waitUntil(lambda: window.pictures.result.image is not None, timeout=5000)
    window.document.apply("", lambda p: arranging.delete_shots(p, [0]))
    assert "add a recording" in window.pictures.result.accessibleDescription()


def test_counting_can_be_given_up(window: MainWindow, qtbot: QtBot, tmp_path: Path) -> None:
    path = make_long_recording(tmp_path / "long.mkv", frames=4000, size=(32, 32))
    with qtbot.waitSignal(window.loading.loader.opened, timeout=5000):
        window.loading.bring_in(path)
    card = window.shelf.card_of(path)
    assert card.give_up.isVisible()
    assert window.pictures.recorded.image is not None
    qtbot.mouseClick(card.give_up, Qt.MouseButton.LeftButton)
    assert window.document.project.shots == ()
    qtbot.wait(300)
    assert window.document.project.shots == ()


def test_a_recording_that_vanishes_while_open_is_said(
    window: MainWindow, qtbot: QtBot, tmp_path: Path, recording: Path
) -> None:
    copy = tmp_path / "borrowed.mp4"
    copy.write_bytes(recording.read_bytes())
    window.loading.bring_in(copy)
    planned(qtbot, window)
    copy.unlink()
    enter(qtbot, window, Quantity.SPEED, "3")
    qtbot.waitUntil(lambda: "borrowed.mp4 is not there" in window.message_text, timeout=10_000)
    assert window.document.project.passage(ONLY).speed == 3
    window.show_export()
    window.export_panel.choices.output.setText(str(tmp_path / "out.mp4"))
    window.export_panel.start()
    disk_answered(qtbot, window)
    (job,) = exports_ended(qtbot, window)
    assert "borrowed.mp4 is not there" in job.why
    assert [path.name for path in tmp_path.iterdir()] == []


def test_scrubbing_either_rail_moves_both_playheads(opened: MainWindow, qtbot: QtBot) -> None:
    enter(qtbot, opened, Quantity.SPEED, "2")
    rails = opened.weave.rails()
    assert rails is not None
    at = QPointF(rails.recorded_x(0, 6.0), rails.recorded_ruler.center().y()).toPoint()
    qtbot.mouseClick(opened.weave, Qt.MouseButton.LeftButton, pos=at)
    assert float(opened.document.playhead) == pytest.approx(3.0, abs=0.06)
    at = QPointF(rails.result_x(4.5), rails.result.center().y()).toPoint()
    qtbot.mouseClick(opened.weave, Qt.MouseButton.LeftButton, pos=at)
    assert float(opened.document.playhead) == pytest.approx(4.5, abs=0.06)


def test_escape_undoes_a_drag(opened: MainWindow, qtbot: QtBot) -> None:
    before = opened.document.project
    rails = opened.weave.rails()
    assert rails is not None
    start = QPointF(rails.recorded_x(0, 0) + 1, rails.recorded.center().y()).toPoint()
    qtbot.mousePress(opened.weave, Qt.MouseButton.LeftButton, pos=start)
    qtbot.mouseMove(opened.weave, start + QPoint(200, 0))
    assert opened.document.project != before
    qtbot.keyClick(opened.weave, Qt.Key.Key_Escape)
    assert opened.document.project == before
    qtbot.mouseRelease(opened.weave, Qt.MouseButton.LeftButton, pos=start + QPoint(200, 0))
    assert opened.document.project == before


def test_all_keys_are_listed(opened: MainWindow, qtbot: QtBot) -> None:
    opened.shortcuts_page.show_beside()
    listed = {label.text() for label in opened.shortcuts_page.findChildren(QLabel)}
    assert {"Space", "J", "K", "L", "I", "O", "Ctrl+E", "Ctrl+Z"} <= listed
    opened.shortcuts_page.hide()


def test_every_control_has_a_tooltip_and_a_name(opened: MainWindow) -> None:
    kinds = (QPushButton, QToolButton, QLineEdit, QComboBox, QSlider, QCheckBox)
    for kind in kinds:
        for control in opened.findChildren(kind):
            if control.parent() is not None and isinstance(control.parent(), QComboBox):
                continue
            if control.objectName().startswith("qt_"):
                continue
            name = control.accessibleName() or getattr(control, "text", str)()
            assert control.toolTip(), f"{kind.__name__} {name} has no tooltip"
            assert name, f"a {kind.__name__} has no name"
    for menu in opened.menuBar().findChildren(QMenu):
        letters = re.findall("&(.)", " ".join(action.text() for action in menu.actions()).lower())
        assert len(letters) == len(set(letters)), menu.title()


def read_out(window: MainWindow) -> dict[str, int]:
    """How often each name of what can have the focus now is read out by the accessibility tree."""
    names = Counter[str]()

    def look(interface: QAccessibleInterface) -> None:
        state = interface.state()
        if state.invisible:
            return
        if state.focusable and not state.disabled:
            name = interface.text(QAccessible.Text.Name)
            assert name, f"{interface.object()} has no name"
            names[name] += 1
        for number in range(interface.childCount()):
            if (child := interface.child(number)) is not None:
                look(child)

    tree = QAccessible.queryAccessibleInterface(window)
    assert tree is not None
    look(tree)
    return names


def test_the_accessibility_tree_names_every_control(opened: MainWindow, qtbot: QtBot) -> None:
    read = 0
    planned(qtbot, opened)
    opened.trials.keep_this()
    shows: list[Callable[[], None]] = [opened.show_export, opened.show_presets, opened.presets.show_form]
    shows += [opened.show_trials, opened.show_checks]
    shows += [partial(opened.show_bench_page, number) for number in range(len(opened.bench.pages))]
    for show in shows:
        show()
        qtbot.wait(20)
        read += len(read_out(opened))
    assert read > 300
    opened.files.discard_changes()
    opened.file_actions.new_project()
    qtbot.waitUntil(lambda: "Walk to hyperlapse" in read_out(opened))


@pytest.mark.parametrize("scale", [1.0, 1.25])
def test_no_text_is_cut(qtbot: QtBot, recording: Path, scale: float) -> None:
    with window_with_text(scale) as window:
        window.loading.bring_in(recording)
        qtbot.waitUntil(lambda: window.document.plan is not None, timeout=10_000)
        enter(qtbot, window, Quantity.SPEED, "1/3")
        assert "repeat" in window.bench.caution.text()

        def nothing_is_cut() -> None:
            shown = [button for button in window.findChildren(QPushButton) if button.isVisible()]
            needs = [(button, button.sizeHint()) for button in shown]
            assert not [
                button.text()
                for button, need in needs
                if button.width() < need.width() - 1 or button.height() < need.height() - 1
            ]

        for show in (window.show_bench, window.show_export):
            show()
            qtbot.wait(100)
            qtbot.waitUntil(nothing_is_cut, timeout=5000)  # what was said just now finds its room
            assert (window.width(), window.height()) == (1280, 800)
        window.shortcuts_page.show_beside()
        assert window.geometry().contains(window.shortcuts_page.geometry())
        window.shortcuts_page.hide()


def test_what_is_of_the_past_goes_by_itself(window: MainWindow, qtbot: QtBot) -> None:
    line = window._message
    line._passing.setInterval(60)
    line.say("take.mp4 is done.", passing=True)
    assert window.message_text == "take.mp4 is done."
    qtbot.waitUntil(lambda: not window.message_text, timeout=5000)
    line.say("gone soon", passing=True)
    line.say("Field.mp4 cannot be opened.")
    qtbot.wait(150)
    assert window.message_text == "Field.mp4 cannot be opened."
    line.dismiss.click()
    assert line.isHidden()
