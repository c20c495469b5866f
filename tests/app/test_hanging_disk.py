"""Disks that do not answer, such as a share whose server is gone, keep nobody waiting."""

import os
import sys
import threading
import time
from collections.abc import Callable, Iterator
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
import pytest
from PySide6.QtCore import QProcess
from pytestqt.qtbot import QtBot

from chronoxis.app import ends
from chronoxis.app.main_window import MainWindow
from chronoxis.app.workers import QueueWorker
from chronoxis.core.errors import Cancelled
from chronoxis.core.files.autosave import autosave_folder
from chronoxis.core.files.project_file import save_project
from chronoxis.core.footage.own_process import Told, run_in_own_process
from chronoxis.core.footage.source import Progress
from chronoxis.core.model import arranging, correcting, pacing
from chronoxis.core.model.project import Project
from chronoxis.core.model.steady import Steady, SteadyMode
from tests.app.driving import ONLY, open_project, planned
from tests.footage_makers import make_recording, recording_of


class Share:
    """A folder on a disk that may cease to answer."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self._answers = threading.Event()
        self._answers.set()
        self.waiting = 0

    def die(self) -> None:
        self._answers.clear()

    def answer(self) -> None:
        self._answers.set()

    def wait(self, path: object) -> None:
        inside = isinstance(path, str | os.PathLike) and str(self.folder) in str(path)
        if inside and not self._answers.is_set():
            assert threading.current_thread() is not threading.main_thread(), "the window waits for a disk"
            self.waiting += 1
            self._answers.wait()
            self.waiting -= 1


@pytest.fixture
def share(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Iterator[Share]:
    made = Share(tmp_path / "share")
    made.folder.mkdir()

    def on_it(call: Callable[..., Any]) -> Callable[..., Any]:
        def asked(path: object, *more: object, **named: object) -> Any:
            made.wait(path)
            return call(path, *more, **named)

        return asked

    for owner, name in ((os, "stat"), (av, "open"), (Path, "stat"), (Path, "open")):
        monkeypatch.setattr(owner, name, on_it(getattr(owner, name)))
    yield made
    made.answer()


def children() -> list[str]:
    """What runs as a child of this process, apart from what the tests themselves keep."""
    found = []
    for task in Path("/proc/self/task").iterdir():
        for child in (task / "children").read_text().split():
            words = Path(f"/proc/{child}/cmdline").read_bytes().replace(b"\0", b" ").decode()
            found += [words] if "chronoxis" in words and "forkserver" not in words else []
    return found


def test_a_window_closes_while_all_that_it_does_hangs(
    window: MainWindow, qtbot: QtBot, share: Share, tmp_path: Path
) -> None:
    take = make_recording(share.folder / "take.mkv", frames=200)
    other = make_recording(share.folder / "other.mkv", frames=20)
    save_project(Project(), share.folder / "film.chronoxis")
    window.loading.bring_in(take)
    planned(qtbot, window)
    share.die()
    document = window.document
    document.apply("", lambda p: correcting.set_steady(p, [0], Steady(SteadyMode.SMOOTH)))
    document.apply("", lambda p: pacing.set_speed(p, [ONLY], Fraction(2)))
    window.loading.bring_in(other)
    window.show_export()
    window.export_panel.choices.output.setText(str(share.folder / "out.mp4"))
    planned(qtbot, window)
    window.export_panel.start()
    window.files.open(share.folder / "film.chronoxis")
    window.files.save(share.folder / "mine.chronoxis")
    window.transport.scrub(Fraction(1))
    window.menus.list_recent()
    qtbot.waitUntil(lambda: share.waiting > 5, timeout=20_000)
    document.move_playhead(Fraction(1, 2))  # the window is as quick as ever
    begun = time.monotonic()
    window.end()
    assert time.monotonic() - begun < ends.DEADLINE + 0.5
    assert not window.isVisible()
    assert {"opening files", "saving", "asking"} <= set(window.left_running)
    assert children() == []
    (kept,) = autosave_folder().glob("*.autosave")
    assert '"smooth"' in kept.read_text()


@pytest.mark.thorough
def test_footage_on_a_dead_disk_keeps_no_other_waiting(
    window: MainWindow, qtbot: QtBot, share: Share, tmp_path: Path
) -> None:
    dead = make_recording(share.folder / "dead.mkv", frames=20)
    good = make_recording(tmp_path / "good.mkv", frames=20)
    save_project(
        arranging.begin_with(Project(), recording_of(dead, Fraction(25), Fraction(20, 25))),
        share.folder / "dead.chronoxis",
    )
    share.die()
    window.files.open(share.folder / "dead.chronoxis")
    window.loading.bring_in(dead)
    window.loading.bring_in(good)
    qtbot.waitUntil(lambda: good in window.document.known.sources, timeout=10_000)
    planned(qtbot, window)
    assert [footage.name for footage in window.document.project.footage] == ["good"]
    project = save_to(tmp_path / "good.chronoxis", window.document.project)
    window.files.discard_changes()
    open_project(qtbot, window, project)
    planned(qtbot, window)
    share.answer()  # what comes late of what was given up changes nothing
    qtbot.wait(300)
    assert [footage.name for footage in window.document.project.footage] == ["good"]


def save_to(path: Path, project: Project) -> Path:
    save_project(project, path)
    return path


def test_work_that_hangs_is_overtaken_and_told_all_the_same_once_it_is_done(qtbot: QtBot) -> None:
    hold, done = threading.Event(), list[int]()

    def work(number: int) -> int:
        if number == 0:
            hold.wait()
        return number

    worker = QueueWorker(work, "test", patience=0.2)
    worker.done.connect(lambda _, number: done.append(number))
    for number in range(4):
        worker.ask(number)
    qtbot.waitUntil(lambda: done == [1, 2, 3], timeout=5000)
    hold.set()
    qtbot.waitUntil(lambda: done == [1, 2, 3, 0], timeout=5000)
    worker.close()
    assert ends.wait_for_ends() == []


def test_so_many_hanging_threads_and_no_more(qtbot: QtBot) -> None:
    hold, begun = threading.Event(), list[int]()

    def work(number: int) -> None:
        begun.append(number)
        hold.wait()

    worker = QueueWorker(work, "test", patience=0.05)
    for number in range(20):
        worker.ask(number)
    qtbot.wait(1000)
    assert begun == [0, 1, 2, 3]
    hold.set()
    qtbot.waitUntil(lambda: len(begun) == 20, timeout=5000)
    worker.close()
    assert ends.wait_for_ends() == []


def test_a_child_that_does_not_end_is_killed_in_time(qtbot: QtBot) -> None:
    ignore = "import signal, time; signal.signal(signal.SIGTERM, signal.SIG_IGN)"
    stubborn = f"{ignore}; print(1, flush=True); time.sleep(60)"
    processes = [QProcess() for _ in range(3)]
    for process in processes:
        process.start(sys.executable, ["-c", stubborn])
    for process in processes:
        assert process.waitForReadyRead(10_000)
        process.terminate()
        ends.expect_end(process)
    begun = time.monotonic()
    ends.wait_for_ends(0.5)
    assert time.monotonic() - begun < 1.5
    assert all(process.state() is QProcess.ProcessState.NotRunning for process in processes)


def hang(_paths: list[str], _progress: Progress) -> Told:
    """For a process of its own."""
    time.sleep(60)
    raise AssertionError


def test_a_reader_in_a_process_of_its_own_is_given_up_while_it_hangs(qtbot: QtBot) -> None:
    def give_up(_share: float) -> None:
        raise Cancelled

    begun = time.monotonic()
    with pytest.raises(Cancelled):
        run_in_own_process(hang, [], give_up, "take")
    assert time.monotonic() - begun < 5
