"""The queue of exports: it goes on by itself, after anything, and ends in the right files."""

import os
import signal
import sqlite3
import subprocess
import sys
import threading
import time
from collections.abc import Callable, Iterator
from fractions import Fraction
from pathlib import Path

import numpy as np
import pytest

from chronoxis.core.files.atomic import pieces_folder
from chronoxis.core.footage.kinds import footage_of, open_source
from chronoxis.core.model import arranging, composing, making, pacing
from chronoxis.core.model.export_format import ExportFormat
from chronoxis.core.model.export_formats import JPEG, MKV
from chronoxis.core.model.project import Project
from chronoxis.core.model.settings import ResultSettings
from chronoxis.core.queue import runner as runner_module
from chronoxis.core.queue.export_queue import ExportQueue, QueueError
from chronoxis.core.queue.jobs import JobState
from chronoxis.core.queue.runner import Runner, is_running, start_runner
from chronoxis.core.render.export import export
from chronoxis.core.render.opened_project import planned
from chronoxis.core.timing.frame_making import EachFrame
from tests.footage_makers import make_recording

SECONDS = 40  # of each result, at first


@pytest.fixture(scope="module")
def take(tmp_path_factory: pytest.TempPathFactory) -> Path:
    return make_recording(tmp_path_factory.mktemp("queue") / "take.mkv", frames=250, size=(96, 64))


@pytest.fixture(autouse=True)
def quick_looks(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(runner_module, "_LOOK_SECONDS", 0.02)
    monkeypatch.setattr(runner_module, "_ROOM_SECONDS", 0.05)


@pytest.fixture
def queue() -> Iterator[ExportQueue]:
    made = ExportQueue()
    yield made
    made.close()


@pytest.fixture
def out(tmp_path: Path) -> Path:
    folder = tmp_path / "out"
    folder.mkdir()
    return folder


def project_of(path: Path, format_: ExportFormat = MKV, speed: Fraction = Fraction(1, 4)) -> Project:
    """Forty seconds, five pieces."""
    source = open_source(path)
    project = arranging.begin_with(Project(settings=ResultSettings(format_)), footage_of(source.facts))
    project = composing.set_canvas(project, source.facts.picture.canvas)
    project = making.set_each_frame(project, project.places(), EachFrame.LONG_EXPOSURE)
    return pacing.set_speed(project, project.places(), speed)


def states(queue: ExportQueue) -> list[JobState]:
    return [job.state for job in queue.jobs()]


def wait_for(holds: Callable[[], bool], seconds: float = 60) -> None:
    end = time.monotonic() + seconds
    while not holds():
        assert time.monotonic() < end
        time.sleep(0.01)


class Running:
    """A runner on a thread of this process."""

    def __enter__(self) -> Runner:
        self._made, ready = list[Runner](), threading.Event()

        def work() -> None:
            self._made.append(Runner())
            ready.set()
            self._made[0].run()

        self.thread = threading.Thread(target=work)
        self.thread.start()
        ready.wait()
        return self._made[0]

    def __exit__(self, *_: object) -> None:
        self._made[0].stop()
        self.thread.join()


def test_what_is_added_is_worked_off_in_order(queue: ExportQueue, take: Path, out: Path) -> None:
    wishes = [(MKV, out / "one.mkv"), (JPEG, out / "stills"), (MKV, out / "three.mkv")]
    numbers = [queue.add(project_of(take, format_), path) for format_, path in wishes]
    queue.to_top(numbers[2])
    assert [job.id for job in queue.jobs()] == [numbers[2], numbers[0], numbers[1]]
    assert Runner().run()
    assert states(queue) == [JobState.DONE] * 3
    for job in queue.jobs():
        assert job.outcome["frames"] == job.done == job.total == 1000
    export(planned(project_of(take)), out / "alone.mkv")
    assert (out / "one.mkv").read_bytes() == (out / "alone.mkv").read_bytes()
    assert (out / "three.mkv").read_bytes() == (out / "alone.mkv").read_bytes()
    assert len(list((out / "stills").iterdir())) == 1000
    assert sorted(path.name for path in out.iterdir()) == ["alone.mkv", "one.mkv", "stills", "three.mkv"]
    queue.clear()
    assert queue.jobs() == []
    assert not Runner().run()  # nothing to do


def test_pausing_going_on_and_cancelling(queue: ExportQueue, take: Path, out: Path) -> None:
    first, second = (queue.add(project_of(take), out / f"{name}.mkv") for name in ("first", "second"))
    with pytest.raises(QueueError, match=r"already writes .*first\.mkv"):
        queue.add(project_of(take), out / "first.mkv")
    with Running():
        wait_for(lambda: queue.job(first).done > 300)
        queue.pause(first)
        wait_for(lambda: queue.job(second).done > 300)
        assert queue.job(first).state is JobState.PAUSED
        assert list(out.glob(".first*pieces/0*"))
        queue.cancel(second)
        wait_for(lambda: not list(out.glob(".second*")))
        queue.go_on(first)
    begun = queue.job(first).done
    assert begun >= 200  # whole pieces of it were there
    Runner().run()
    assert states(queue) == [JobState.DONE]
    with pytest.raises(QueueError, match="is done"):
        queue.pause(first)
    with pytest.raises(QueueError, match="no export 99"):
        queue.cancel(99)
    again = queue.add(project_of(take), out / "third.mkv")
    queue.cancel(again)
    assert [path.name for path in out.iterdir()] == ["first.mkv"]
    assert (out / "first.mkv").read_bytes() == export(
        planned(project_of(take)), out / "x.mkv"
    ).path.read_bytes()


def test_later_edits_and_one_that_fails_keep_no_other_waiting(
    queue: ExportQueue, take: Path, tmp_path: Path, out: Path
) -> None:
    gone = make_recording(tmp_path / "gone.mkv", frames=100, size=(96, 64))
    fails = queue.add(project_of(gone), out / "gone.mkv")
    folder = queue.add(project_of(take), tmp_path / "no folder" / "film.mkv")
    there = queue.add(project_of(take), out / "there.mkv")
    (out / "there.mkv").write_text("somebody's")
    well = queue.add(project_of(take, speed=Fraction(2)), out / "well.mkv")
    gone.rename(tmp_path / "moved.mkv")
    Runner().run()
    assert "gone.mkv" in queue.job(fails).why
    assert "no folder is not there" in queue.job(folder).why
    assert "already there" in queue.job(there).why
    assert (out / "there.mkv").read_text() == "somebody's"
    assert queue.job(well).state is JobState.DONE
    with pytest.raises(QueueError, match="reads nothing from"):
        queue.locate(fails, take, tmp_path / "moved.mkv")
    queue.locate(fails, gone, tmp_path / "moved.mkv")
    queue.go_on(fails)
    Runner().run()
    assert queue.job(fails).state is JobState.DONE


def test_a_full_disk_is_waited_for(
    queue: ExportQueue, take: Path, out: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    number, room = queue.add(project_of(take), out / "film.mkv"), [1000]
    monkeypatch.setattr(runner_module, "_room_beside", lambda _: room[0])
    with Running():
        wait_for(lambda: queue.job(number).state is JobState.PAUSED)
        assert "MB are free" in queue.job(number).why
        room[0] = 10**12
        wait_for(lambda: queue.job(number).state is JobState.DONE)
    assert (out / "film.mkv").exists()


def test_what_got_its_name_right_before_a_kill_is_done(
    queue: ExportQueue, take: Path, out: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    number = queue.add(project_of(take, speed=Fraction(2)), out / "film.mkv")

    def die(*_: object) -> None:
        raise KeyboardInterrupt

    with monkeypatch.context() as patch, pytest.raises(KeyboardInterrupt):
        patch.setattr(ExportQueue, "end", die)
        Runner().run()
    written = (out / "film.mkv").stat().st_mtime_ns
    assert queue.job(number).state is JobState.UNDER_WAY
    pieces_folder(out / "film.mkv").mkdir()  # the kill came before they went
    Runner().run()
    assert queue.job(number).state is JobState.DONE
    assert [path.name for path in out.iterdir()] == ["film.mkv"]
    assert (out / "film.mkv").stat().st_mtime_ns == written
    assert queue.job(number).outcome["frames"] == 125


def test_one_that_ends_each_time_without_a_word_is_given_up(
    queue: ExportQueue, take: Path, out: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    bad = queue.add(project_of(take), out / "bad.mkv")
    good = queue.add(project_of(take, speed=Fraction(2)), out / "good.mkv")

    def die(project: Project, told: Callable[[str, float], None]) -> object:
        if project.passage(project.places()[0]).speed < 1:
            raise SystemExit
        return planned(project, told)

    monkeypatch.setattr(runner_module, "planned", die)
    for _ in range(10):
        with pytest.raises(SystemExit):
            Runner().run()
    Runner().run()
    assert "10 times" in queue.job(bad).why
    assert queue.job(good).state is JobState.DONE


@pytest.mark.thorough
def test_kills_at_any_moment_end_in_the_right_file(queue: ExportQueue, take: Path, out: Path) -> None:
    number = queue.add(project_of(take), out / "film.mkv")
    generator, kills = np.random.default_rng(5), 0
    while queue.job(number).state is not JobState.DONE:
        with subprocess.Popen([sys.executable, "-m", "chronoxis.core.queue.runner"]) as runner:
            try:
                runner.wait(float(generator.uniform(0.7, 1.2 + 0.8 * kills)))
            except subprocess.TimeoutExpired:
                runner.send_signal(signal.SIGKILL)
                kills += 1
    assert kills
    for left in out.glob(".film*part"):
        os.utime(left, (0, 0))
    export(planned(project_of(take)), out / "alone.mkv")
    assert (out / "film.mkv").read_bytes() == (out / "alone.mkv").read_bytes()
    assert sorted(path.name for path in out.iterdir()) == ["alone.mkv", "film.mkv"]


def test_there_is_one_runner_which_outlives_who_started_it(queue: ExportQueue, take: Path, out: Path) -> None:
    number = queue.add(project_of(take), out / "film.mkv")
    for _ in range(3):
        start_runner()
    wait_for(lambda: is_running(queue.file))
    assert not Runner().run()
    wait_for(lambda: queue.job(number).state is JobState.DONE)
    wait_for(lambda: not is_running(queue.file))
    assert [path.name for path in out.iterdir()] == ["film.mkv"]


@pytest.mark.parametrize("within", [False, True])
def test_a_queue_that_is_damaged_is_kept_and_a_new_one_begun(
    tmp_path: Path, own_state: Path, take: Path, within: bool
) -> None:
    file = own_state / "queue.sqlite"
    queue = ExportQueue()
    for number in range(20):
        queue.add(project_of(take), tmp_path / f"film {number}.mkv")
    queue.close()
    content = file.read_bytes()
    rubbish = b"rubbish " * 1000
    file.write_bytes(content[:8192] + rubbish + content[16192:] if within else rubbish)
    again = ExportQueue()
    assert "was damaged" in again.caution
    assert again.jobs() == []
    again.close()
    assert len(list(file.parent.glob("queue-damaged-*.sqlite"))) == 1
    with sqlite3.connect(file) as database:
        database.execute("PRAGMA user_version = 99")
    database.close()
    with pytest.raises(QueueError, match="newer version"):
        ExportQueue()
