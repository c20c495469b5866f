"""Trials in the window: kept, played in step with the result, told apart, taken and exported."""

import shutil
from fractions import Fraction
from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import QPointF, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QAbstractButton
from pytestqt.qtbot import QtBot

from chronoxis.app.main_window import MainWindow
from chronoxis.app.pictures.compared import MOST_BESIDE
from chronoxis.app.pictures.stage import Mode
from chronoxis.app.trials.trial_row import TrialRow
from chronoxis.core.files.project_file import save_project
from chronoxis.core.model import arranging, making, nesting, pacing, trials
from chronoxis.core.model.project import Project
from chronoxis.core.queue.jobs import Job, JobState
from chronoxis.core.render.in_step import Step
from chronoxis.core.timing.frame_making import EachFrame
from tests.app.driving import open_project, planned
from tests.footage_makers import decode_all


def click(button: QAbstractButton | None) -> None:
    assert button is not None
    QTest.mouseClick(button, Qt.MouseButton.LeftButton)


def go_at(window: MainWindow, qtbot: QtBot, speed: int) -> None:
    window.document.apply("", lambda p: pacing.set_speed(p, p.places(), Fraction(speed)))
    planned(qtbot, window)


@pytest.fixture
def tried(opened: MainWindow, qtbot: QtBot) -> MainWindow:
    """Three trials at 2×, 4× and 8×, the last one a long exposure, and the result at 3×."""
    for speed in (2, 4, 8):
        go_at(opened, qtbot, speed)
        if speed == 8:
            opened.document.apply("", lambda p: making.set_each_frame(p, p.places(), EachFrame.LONG_EXPOSURE))
        QTest.keyClick(opened, Qt.Key.Key_4, Qt.KeyboardModifier.ShiftModifier)
    opened.document.apply("", lambda p: making.set_each_frame(p, p.places(), EachFrame.ONE))
    go_at(opened, qtbot, 3)
    QTest.keyClick(opened, Qt.Key.Key_4, Qt.KeyboardModifier.ControlModifier)
    assert opened.trials.isVisible()
    return opened


def row_of(window: MainWindow, name: str) -> TrialRow:
    return next(row for row in window.trials.rows if row.name == name)


def recorded_at(window: MainWindow, number: int) -> list[float]:
    """The recorded seconds that stand beside each other, those of the result first."""
    plan = window.document.plan
    assert plan is not None
    found = [float(plan.schedule.opened[number])]
    for beside in window.compared.beside:
        assert beside.plan is not None
        found.append(float(beside.plan.schedule.opened[beside.number_at(number)]))
    return found


@pytest.mark.thorough
def test_four_results_play_in_step(tried: MainWindow, qtbot: QtBot) -> None:
    document, compared, stage = tried.document, tried.compared, tried.pictures.stage
    for row in tried.trials.rows:
        if row.beside is not None and not row.beside.isChecked():
            click(row.beside)
    assert len(compared.beside) == MOST_BESIDE
    click(tried.trials.steps[Step.MOMENT])
    qtbot.waitUntil(lambda: all(each.plan is not None for each in compared.beside), timeout=20_000)
    document.move_playhead(Fraction(0))
    qtbot.waitUntil(lambda: all(view.image is not None for view in stage.others), timeout=20_000)
    assert [caption.whole for caption in stage.captions] == ["Trial 1", "Trial 2", "Trial 3", "as it is now"]
    assert all(view.isVisible() for view in (*stage.others, stage.result))
    boxes = [view.geometry() for view in (*stage.others, stage.result)]
    assert not any(a.intersects(b) for n, a in enumerate(boxes) for b in boxes[n + 1 :])
    plan = planned(qtbot, tried)
    for number in range(len(plan.schedule)):
        now, *others = recorded_at(tried, number)
        for moment, beside in zip(others, compared.beside, strict=True):
            assert beside.plan is not None
            step = float(np.median(np.diff(beside.plan.schedule.opened)))
            assert abs(moment - now) <= step / 2 + 1e-9
    click(tried.trials.steps[Step.RESULT_TIME])
    qtbot.waitUntil(lambda: compared.beside[0].number_at(5) == 5)
    assert [each.number_at(10_000) for each in compared.beside] == [
        99,
        74,
        37,
    ]  # the last ones
    tried.transport.toggle()
    qtbot.waitUntil(lambda: document.result_frame > 8 and compared.has(document.result_frame), timeout=30_000)
    tried.transport.toggle()
    tried.pictures.show_mode(Mode.RESULT)
    assert compared.beside == []
    assert not any(view.isVisible() for view in stage.others)


def test_a_line_lies_between_a_trial_and_the_result(tried: MainWindow, qtbot: QtBot) -> None:
    panel, stage = tried.trials, tried.pictures.stage
    assert [row.name for row in panel.rows if row.beside and row.beside.isChecked()] == ["Trial 1"]
    click(panel.line)
    qtbot.waitUntil(lambda: stage.others[0].image is not None and stage.result.image is not None)
    assert not stage.others[0].isVisible()
    before = stage.result.grab().toImage()
    view, middle = stage.result, QPointF(stage.result.rect().center()).toPoint()
    QTest.mousePress(view, Qt.MouseButton.LeftButton, pos=middle)
    QTest.mouseMove(view, middle / 2)
    QTest.mouseRelease(view, Qt.MouseButton.LeftButton, pos=middle / 2)
    assert view.grab().toImage() != before
    assert not view.exact
    click(row_of(tried, "Trial 2").beside)
    assert not panel.line.isEnabled()
    assert stage.others[0].isVisible()


@pytest.mark.thorough
def test_rows_tell_trials_apart_and_what_to_expect(tried: MainWindow, qtbot: QtBot) -> None:
    rows = tried.trials.rows
    assert [row.facts_text for row in rows] == ["3× → 2×", "3× → 4×", "3× → 8×, long exposure"]
    qtbot.waitUntil(lambda: all("…" not in row.words for row in rows), timeout=60_000)
    assert [row.words[:3] for row in rows] == [
        ["0:06.0", "150", "2×"], ["0:03.0", "75", "4×"], ["0:01.5", "38", "8×"]
    ]  # fmt: skip
    assert all("MB" in row.words[3] and row.words[4] for row in rows)


def test_a_trial_is_taken_renamed_and_removed_in_steps_of_undo(tried: MainWindow, qtbot: QtBot) -> None:
    document = tried.document
    before = document.project
    click(row_of(tried, "Trial 3").take)
    assert document.project.shots == before.trials[2].state.shots
    assert document.project.trials == before.trials
    document.undo()
    assert document.project == before
    click(row_of(tried, "Trial 1").rename)
    assert tried.question.field is not None
    tried.question.field.setText("slow")
    QTest.keyClick(tried.question.field, Qt.Key.Key_Return)
    assert [row.name for row in tried.trials.rows] == ["slow", "Trial 2", "Trial 3"]
    assert [trial.name for trial in tried.compared.chosen] == ["slow"]
    click(row_of(tried, "slow").remove)
    assert [row.name for row in tried.trials.rows] == ["Trial 2", "Trial 3"]
    qtbot.waitUntil(lambda: tried.compared.beside[0].trial is None)  # nothing chosen: without corrections
    document.undo()
    document.undo()
    assert document.project == before
    while len(document.project.trials) < 8:
        click(tried.trials.keep)
    assert not tried.trials.keep.isEnabled()
    document.show_project(Project())
    assert tried.compared.chosen == []


@pytest.mark.thorough
def test_trials_are_exported_under_their_names(tried: MainWindow, qtbot: QtBot, tmp_path: Path) -> None:
    tried.export_panel.choices.output.setText(str(tmp_path / "film.mp4"))
    click(tried.trials.export_all)
    jobs: list[Job] = []

    def ended() -> bool:
        jobs[:] = [job for job in tried.exports.jobs if job.state in (JobState.DONE, JobState.FAILED)]
        return len(jobs) == 3

    qtbot.waitUntil(ended, timeout=120_000)
    assert [job.state for job in jobs] == [JobState.DONE] * 3
    written = sorted(tmp_path.glob("*.mp4"))
    assert len(written) == 3
    assert all(path.stem.endswith(f"Trial-{number}") for number, path in enumerate(written, 1))
    assert [len(decode_all(path)) for path in written] == [150, 75, 38]


def test_the_sound_of_a_trial_can_be_heard(tried: MainWindow, qtbot: QtBot) -> None:
    compared, panel = tried.compared, tried.trials
    qtbot.waitUntil(lambda: compared.beside[0].plan is not None, timeout=20_000)
    assert panel.sound.count() == 2
    panel.sound.setCurrentIndex(1)
    panel.sound.activated.emit(1)
    assert compared.heard_plan is compared.beside[0].plan
    click(panel.steps[Step.MOMENT])
    assert compared.heard_plan is None
    assert not panel.sound.isEnabled()


def test_inside_a_run_a_trial_of_the_whole_is_kept(opened: MainWindow, qtbot: QtBot) -> None:
    document = opened.document
    document.apply("", lambda p: nesting.nest(p, [0]))
    document.apply("", lambda p: nesting.open_run(p, p.shots[0].footage))
    planned(qtbot, opened)
    opened.show_trials()
    click(opened.trials.keep)
    assert document.project.outside is not None
    click(row_of(opened, "Trial 1").take)
    assert document.project.outside is None


def test_footage_that_only_a_trial_has_comes_with_it_and_is_located_with_it(
    opened: MainWindow, qtbot: QtBot, recording: Path, tmp_path: Path
) -> None:
    document = opened.document
    planned(qtbot, opened)
    opened.trials.keep_this()
    document.apply("", lambda p: arranging.drop_footage(p, p.footage[0].key))
    save_project(document.project, tmp_path / "film.chronoxis")
    opened.files.discard_changes()
    open_project(qtbot, opened, tmp_path / "film.chronoxis")
    assert not document.project.footage
    document.apply("", lambda p: trials.take_trial(p, 0))
    opened.trials.taken.emit()
    planned(qtbot, opened)
    assert document.project.footage[0].files == (recording,)
    moved = shutil.copy(recording, tmp_path / "moved.mp4")
    opened.loading.found(document.project.footage[0].key, Path(moved))
    qtbot.waitUntil(lambda: document.project.footage[0].files == (Path(moved),), timeout=10_000)
    assert document.project.trials[0].state.footage[0].files == (Path(moved),)
