"""Exports in the window: they go on by themselves, and a list tells of them, pauses and cancels them."""

import os
import signal
from contextlib import suppress
from fractions import Fraction
from pathlib import Path

import pytest
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QFileDialog
from pytestqt.qtbot import QtBot

from chronoxis.app.main_window import MainWindow
from chronoxis.core.cluster.machines import Machines
from chronoxis.core.footage.recording.frame_index import build_index
from chronoxis.core.model import making, pacing
from chronoxis.core.model.export_formats import MKV
from chronoxis.core.queue.export_queue import ExportQueue
from chronoxis.core.queue.jobs import JobState
from chronoxis.core.queue.runner import is_running
from chronoxis.core.render.treated_alike import treated_alike
from chronoxis.core.timing.frame_making import EachFrame
from tests.app.driving import ONLY, disk_answered, exports_ended, planned
from tests.core.test_cluster import free_port
from tests.footage_makers import make_recording

LEFT = Qt.MouseButton.LeftButton


class Told:
    """A desktop that notes what it is to show."""

    def __init__(self) -> None:
        self.titles: list[str] = []

    def tell(self, title: str, _words: str) -> None:
        self.titles.append(title)


def begin(qtbot: QtBot, window: MainWindow, output: Path, speed: Fraction = Fraction(1, 20)) -> None:
    """Have the result exported at a speed, and wait until it stands in the queue."""
    window.document.apply("", lambda p: pacing.set_speed(p, [ONLY], speed))
    planned(qtbot, window)
    window.show_export()
    window.export_panel.choices.output.setText(str(output))
    qtbot.mouseClick(window.export_panel.choices.start, LEFT)
    disk_answered(qtbot, window)
    qtbot.waitUntil(lambda: any(job.output == output for job in window.exports.jobs), timeout=10_000)


def runner_pids() -> list[int]:
    """Of the runners of this test's queue."""
    state, found = os.environ["XDG_STATE_HOME"].encode(), list[int]()
    for process in Path("/proc").glob("[0-9]*"):
        with suppress(OSError):
            started = (process / "cmdline").read_bytes()
            if b"chronoxis.core.queue.runner" in started and state in (process / "environ").read_bytes():
                found.append(int(process.name))
    return found


def test_several_exports_go_on_in_turn_and_later_edits_do_not_change_them(
    opened: MainWindow, qtbot: QtBot, tmp_path: Path
) -> None:
    opened.notifications = told = Told()
    begin(qtbot, opened, tmp_path / "slow.mp4", Fraction(1, 2))
    count = opened.document.frame_count
    begin(qtbot, opened, tmp_path / "quick.mp4", Fraction(4))
    assert opened.head.exports_button.isVisible()
    assert "export" in opened.head.exports_button.text()
    exports_ended(qtbot, opened)
    assert len(build_index(tmp_path / "slow.mp4")) == count
    assert len(build_index(tmp_path / "quick.mp4")) == opened.document.frame_count
    assert sorted(told.titles) == ["quick.mp4 is done", "slow.mp4 is done"]
    assert not opened.head.exports_button.isVisible()
    rows = opened.export_panel.list.rows.values()
    assert all("done" in row.facts_text for row in rows)
    assert all(row.button("Play").isVisible() and not row.button("Pause").isVisible() for row in rows)
    qtbot.mouseClick(opened.export_panel.list.clear, LEFT)
    qtbot.waitUntil(lambda: not opened.export_panel.list.rows, timeout=5000)


@pytest.mark.thorough
def test_one_is_paused_and_goes_on_and_another_comes_first(
    opened: MainWindow, qtbot: QtBot, tmp_path: Path
) -> None:
    for name in ("one", "two", "three"):
        begin(qtbot, opened, tmp_path / f"{name}.mp4", Fraction(1, 2))
    one, two, three = (job.id for job in opened.exports.jobs)
    rows = opened.export_panel.list.rows
    qtbot.waitUntil(lambda: rows[one].job.state is JobState.UNDER_WAY, timeout=20_000)
    assert len(runner_pids()) == 1
    qtbot.mouseClick(rows[three].button("First"), LEFT)
    qtbot.mouseClick(rows[one].button("Pause"), LEFT)
    qtbot.waitUntil(lambda: rows[three].job.state is JobState.UNDER_WAY, timeout=20_000)
    assert rows[one].job.state is JobState.PAUSED
    assert rows[two].job.state is JobState.WAITING
    qtbot.mouseClick(rows[two].button("Cancel"), LEFT)
    qtbot.mouseClick(rows[one].button("Go on"), LEFT)
    exports_ended(qtbot, opened)
    there = sorted(path.name for path in tmp_path.iterdir())
    assert there == ["one.mp4", "three.mp4"]


def test_exports_outlive_the_window_and_a_kill_and_are_shown_again(
    opened: MainWindow, qtbot: QtBot, tmp_path: Path
) -> None:
    begin(qtbot, opened, tmp_path / "film.mp4", Fraction(1, 12))
    qtbot.waitUntil(lambda: any(job.done > 300 for job in opened.exports.jobs), timeout=60_000)
    (killed,) = runner_pids()
    os.kill(killed, signal.SIGKILL)
    qtbot.waitUntil(lambda: runner_pids() not in ([], [killed]), timeout=20_000)  # the window starts another
    opened.files.discard_changes()
    opened.close()
    assert not opened.isVisible()
    queue = ExportQueue()
    assert queue.jobs()[0].is_open
    later = MainWindow()
    qtbot.waitUntil(lambda: bool(later.exports.jobs), timeout=10_000)
    assert not later.question.isVisible()
    exports_ended(qtbot, later)
    assert later.exports.jobs[0].state is JobState.DONE
    later.end()
    queue.close()


@pytest.mark.thorough
def test_what_was_interrupted_is_offered_to_go_on(opened: MainWindow, qtbot: QtBot, tmp_path: Path) -> None:
    begin(qtbot, opened, tmp_path / "film.mp4", Fraction(1, 4))
    opened.files.discard_changes()
    opened.close()
    for pid in runner_pids():
        os.kill(pid, signal.SIGKILL)
    queue = ExportQueue()
    qtbot.waitUntil(lambda: not is_running(queue.file), timeout=10_000)
    queue.close()
    later = MainWindow()
    later.show()
    qtbot.waitUntil(later.question.isVisible, timeout=10_000)
    assert "interrupted" in later.question.text.text()
    qtbot.wait(800)
    assert runner_pids() == []
    qtbot.mouseClick(later.question.buttons[1], LEFT)  # not now
    later.show_exports()
    assert [str(job.state) for job in later.exports.jobs] == ["waiting"]
    qtbot.mouseClick(later.export_panel.list.go_on, LEFT)
    exports_ended(qtbot, later)
    assert (tmp_path / "film.mp4").exists()
    later.end()


@pytest.mark.thorough
def test_what_fails_says_why_and_is_tried_again(opened: MainWindow, qtbot: QtBot, tmp_path: Path) -> None:
    folder = tmp_path / "results"
    folder.mkdir()
    begin(qtbot, opened, folder / "film.mp4", Fraction(1, 3))
    qtbot.waitUntil(lambda: any(job.done for job in opened.exports.jobs), timeout=30_000)
    folder.rename(tmp_path / "elsewhere")
    (job,) = exports_ended(qtbot, opened)
    assert job.state is JobState.FAILED
    row = opened.export_panel.list.rows[job.id]
    assert "results is not there" in row.caution.text()
    assert row.button("Remove").isVisible()
    (tmp_path / "elsewhere").rename(folder)
    qtbot.mouseClick(row.button("Try again"), LEFT)
    qtbot.waitUntil(lambda: bool(opened.exports.going_on), timeout=5000)
    (job,) = exports_ended(qtbot, opened)
    assert job.state is JobState.DONE


@pytest.mark.thorough
def test_footage_that_was_moved_away_is_located(
    opened: MainWindow, qtbot: QtBot, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    take = make_recording(tmp_path / "take.mkv", frames=100, size=(96, 64))
    project = treated_alike(take, opened.document.project)
    moved = take.rename(tmp_path / "moved.mkv")
    opened.exports.add(project, tmp_path / "film.mp4", overwrite=False, expected=None)
    (job,) = exports_ended(qtbot, opened)
    assert "take.mkv" in job.why
    opened.show_exports()
    row = opened.export_panel.list.rows[job.id]
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_: (str(moved), ""))
    qtbot.mouseClick(row.button("Locate…"), LEFT)
    qtbot.waitUntil(lambda: row.job.state is JobState.DONE, timeout=30_000)
    assert (tmp_path / "film.mp4").exists()


@pytest.mark.thorough
def test_other_recordings_are_condensed_the_same_way(
    opened: MainWindow, qtbot: QtBot, tmp_path: Path
) -> None:
    takes = [make_recording(tmp_path / f"take {n}.mkv", frames=100, size=(96, 64)) for n in range(2)]
    (tmp_path / "notes.txt").write_text("no recording")
    opened.document.apply("", lambda p: pacing.set_speed(p, [ONLY], Fraction(4)))
    opened.document.apply("", lambda p: making.set_each_frame(p, [ONLY], EachFrame.LONG_EXPOSURE))
    planned(qtbot, opened)
    opened.show_export()
    panel = opened.export_panel
    panel.choices.output.setText(str(tmp_path / "film.mp4"))
    panel.condense_alike([*takes, tmp_path / "notes.txt"])
    qtbot.waitUntil(lambda: "notes.txt: " in panel.message_text, timeout=20_000)
    qtbot.waitUntil(lambda: len(opened.exports.jobs) == 2, timeout=20_000)
    exports_ended(qtbot, opened)
    for number in range(2):
        assert len(build_index(tmp_path / f"take {number}-4x.mp4")) == 25
    queue = ExportQueue()
    project = queue.project(opened.exports.jobs[0].id)
    assert project.passage(ONLY).making.each == EachFrame.LONG_EXPOSURE
    queue.close()


def test_other_machines_are_chosen_by_their_address(opened: MainWindow, qtbot: QtBot, tmp_path: Path) -> None:
    panel, made = opened.export_panel, opened.export_panel.choices.made
    opened.show_export()
    assert not made.trust.isVisible()
    made.box.setCurrentText("192.0.2.7")
    assert made.trust.isVisible()
    panel.choices.output.setText(str(tmp_path / "film.mkv"))
    panel.choices.choose_format(MKV)
    planned(qtbot, opened)
    panel.start()
    qtbot.waitUntil(lambda: "192.0.2.7 is another machine" in panel.message_text, timeout=5000)


@pytest.mark.thorough
def test_where_nobody_waits_at_an_address_it_goes_on_here(
    opened: MainWindow, qtbot: QtBot, tmp_path: Path
) -> None:
    panel, made = opened.export_panel, opened.export_panel.choices.made
    opened.show_export()
    panel.choices.choose_format(MKV)
    nobody = f"127.0.0.1:{free_port()}"
    made.box.setCurrentText(nobody)
    begin(qtbot, opened, tmp_path / "film.mkv", Fraction(2))
    (job,) = opened.exports.jobs
    assert job.machines == Machines(nobody)
    (row,) = panel.list.rows.values()
    qtbot.waitUntil(lambda: "goes on here" in row.caution.text(), timeout=30_000)
    assert f"at {nobody}" in row.facts_text
    made.box.setCurrentIndex(0)
    assert made.machines is None
    assert made.box.itemText(1) == nobody
