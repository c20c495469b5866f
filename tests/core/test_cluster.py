"""Results made by other machines: the same files, whatever becomes of machines and connections meanwhile."""

import os
import random
import shutil
import signal
import socket
import subprocess
import sys
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import pytest

from chronoxis import __version__
from chronoxis.core.cluster.elsewhere import elsewhere
from chronoxis.core.cluster.machines import ClusterError, Credentials, Machines, contact
from chronoxis.core.cluster.orders import MachineFacts, moved_path
from chronoxis.core.errors import Cancelled
from chronoxis.core.footage.kinds import footage_of, open_source
from chronoxis.core.model import arranging, composing, correcting, making, nesting, pacing
from chronoxis.core.model.even_out import EvenOut
from chronoxis.core.model.export_format import ExportFormat
from chronoxis.core.model.export_formats import JPEG, MKV, MP4
from chronoxis.core.model.project import Project
from chronoxis.core.model.settings import ResultSettings
from chronoxis.core.queue.export_queue import ExportQueue
from chronoxis.core.queue.jobs import JobState
from chronoxis.core.queue.runner import Runner
from chronoxis.core.render import pieces as pieces_module
from chronoxis.core.render.export import Finished, export
from chronoxis.core.render.opened_project import planned
from chronoxis.core.timing.frame_making import EachFrame
from tests.core.test_queue import wait_for
from tests.footage_makers import make_recording

WORKERS = 2
_OTHER_VERSION = (
    "import chronoxis, sys; chronoxis.__version__ = '0.0.9';"
    "from chronoxis.cli import main; sys.argv[0] = 'chronoxis'; main()"
)


@pytest.fixture(scope="module")
def take(tmp_path_factory: pytest.TempPathFactory) -> Path:
    return make_recording(
        tmp_path_factory.mktemp("shared") / "take.mkv", frames=150, size=(64, 48), sound=True
    )


@pytest.fixture(autouse=True)
def short_pieces(monkeypatch: pytest.MonkeyPatch) -> None:
    # Tests share a machine: a worker that waits for its turn for half a minute is not lost.
    monkeypatch.setattr("chronoxis.core.cluster.elsewhere._SILENT_SECONDS", 120.0)
    monkeypatch.setattr(pieces_module, "PIECE_SECONDS", Fraction(1))
    monkeypatch.setattr(pieces_module, "_LEAST_FRAMES", 6)


def free_port() -> int:
    with socket.socket() as opened:
        opened.bind(("127.0.0.1", 0))
        return int(opened.getsockname()[1])


class Cluster:
    """A scheduler, and workers that are processes of their own, and keep what is measured elsewhere."""

    def __init__(self, folder: Path, *options: str, protocol: str = "tcp") -> None:
        self.folder, self._options = folder, options
        port = free_port()
        self.address = f"{protocol}://127.0.0.1:{port}"
        command = [sys.executable, "-m", "distributed.cli.dask_scheduler", "--no-dashboard"]
        command += ["--host", "127.0.0.1", "--port", str(port), "--protocol", protocol, *options]
        self.scheduler = subprocess.Popen(command, stderr=subprocess.DEVNULL)
        self.workers: list[subprocess.Popen[str]] = []

    @property
    def machines(self) -> Machines:
        return Machines(self.address)

    def add(self, name: str, *options: str, code: str = "") -> subprocess.Popen[str]:
        """One more worker, once it waits for pieces."""
        start = ["-c", code] if code else ["-m", "chronoxis.cli"]
        command = [sys.executable, *start, "worker", self.address, "--name", name, *self._options, *options]
        environment = {
            **os.environ,
            "XDG_CACHE_HOME": str(self.folder / "worker"),
            "TMPDIR": str(self.folder),
        }
        worker = subprocess.Popen(command, stderr=subprocess.PIPE, text=True, env=environment)
        self.workers.append(worker)
        assert worker.stderr is not None
        assert "waits for pieces" in worker.stderr.readline()
        return worker

    def end(self) -> None:
        for worker in self.workers:
            worker.kill()
            worker.communicate()
        self.scheduler.kill()
        self.scheduler.wait()


@pytest.fixture(scope="module")
def shared(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Cluster]:
    cluster = Cluster(tmp_path_factory.mktemp("cluster"))
    for number in range(WORKERS):
        cluster.add(f"shed {number}")
    yield cluster
    cluster.end()


@contextmanager
def another_cluster(folder: Path) -> Iterator[Cluster]:
    cluster = Cluster(folder)
    try:
        yield cluster
    finally:
        cluster.end()


def project_of(path: Path, format_: ExportFormat = MKV) -> Project:
    """Six seconds, six pieces."""
    source = open_source(path)
    settings = ResultSettings(format_, sound=bool(format_.sound_codec))
    project = arranging.begin_with(Project(settings=settings), footage_of(source.facts))
    project = composing.set_canvas(project, source.facts.picture.canvas)
    return pacing.set_speed(project, project.places(), Fraction(1))


def rich_project(path: Path) -> Project:
    """Of what is measured, of frames gathered over the edges of pieces, and of a run inside it."""
    project = project_of(path)
    project = making.set_each_frame(project, project.places(), EachFrame.LONG_EXPOSURE)
    project = correcting.set_even_out(project, [0], EvenOut(1.0))
    return nesting.nest(project, [0])


def made_elsewhere(
    machines: Machines,
    project: Project,
    output: Path,
    told: list[str],
    check: Callable[[], None] = lambda: None,
) -> Finished:
    with elsewhere(machines, told.append) as make:
        return export(planned(project), output, make=make, check=check)


def content(path: Path) -> list[bytes]:
    return [file.read_bytes() for file in (sorted(path.iterdir()) if path.is_dir() else [path])]


def left_behind(folder: Path) -> list[Path]:
    """What workers keep of pieces."""
    return [
        path
        for path in folder.glob("chronoxis-*")
        if path.is_dir() and not (path / "dask-scratch-space").exists()
    ]


@pytest.mark.thorough
@pytest.mark.parametrize("kind", ["rich", "plain", "stills"])
def test_what_others_make_is_what_would_be_made_here(
    shared: Cluster, take: Path, tmp_path: Path, kind: str, caplog: pytest.LogCaptureFixture
) -> None:
    caplog.set_level("INFO", "chronoxis")
    project = rich_project(take) if kind == "rich" else project_of(take, JPEG if kind == "stills" else MKV)
    ending = "" if kind == "stills" else ".mkv"
    told: list[str] = []
    there = made_elsewhere(shared.machines, project, tmp_path / f"film{ending}", told)
    (tmp_path / "here").mkdir()
    here = export(planned(project), tmp_path / "here" / f"film{ending}")
    assert told == [], caplog.text
    assert content(there.path) == content(here.path)
    assert {path.name for path in tmp_path.iterdir()} == {"here", f"film{ending}"}
    measured = {path.name for path in (shared.folder / "worker").rglob("*.trace.npz")}
    assert kind != "rich" or any("picture" in name for name in measured)
    wait_for(lambda: not left_behind(shared.folder))


def test_a_cancelled_export_leaves_nothing_anywhere(shared: Cluster, take: Path, tmp_path: Path) -> None:
    looks = 0

    def check() -> None:
        nonlocal looks
        looks += 1
        if left_behind(shared.folder):
            raise Cancelled

    with pytest.raises(Cancelled):
        made_elsewhere(shared.machines, rich_project(take), tmp_path / "film.mkv", [], check)
    assert looks
    assert list(tmp_path.iterdir()) == []
    wait_for(lambda: not left_behind(shared.folder))


@pytest.mark.thorough
def test_workers_that_are_killed_or_stuck_are_stood_in_for(
    take: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("chronoxis.core.cluster.elsewhere._SILENT_SECONDS", 3.0)
    project, told = rich_project(take), list[str]()
    export(planned(project), tmp_path / "here.mkv")
    with another_cluster(tmp_path) as cluster:
        killed, stuck = (cluster.add(name) for name in ("killed", "stuck"))
        hits = iter([(killed, signal.SIGKILL), (stuck, signal.SIGSTOP)])
        generator = random.Random(3)
        due = time.monotonic() + generator.uniform(0.5, 2)

        def check() -> None:
            nonlocal due
            if time.monotonic() > due and (hit := next(hits, None)):
                hit[0].send_signal(hit[1])
                due = time.monotonic() + generator.uniform(0.2, 1)
                if hit[0] is stuck:
                    cluster.add("fresh")

        made_elsewhere(cluster.machines, project, tmp_path / "there.mkv", told, check)
    assert content(tmp_path / "there.mkv") == content(tmp_path / "here.mkv")
    assert any("killed is lost" in line for line in told)


@pytest.mark.thorough
def test_where_the_scheduler_is_lost_the_export_goes_on_here(
    take: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    project = rich_project(take)
    project = pacing.set_speed(project, project.places(), Fraction(1, 3))
    queue = ExportQueue()
    with another_cluster(tmp_path) as cluster:
        cluster.add("shed")
        number = queue.add(project, tmp_path / "there.mkv", machines=cluster.machines)
        runner = subprocess.Popen([sys.executable, "-m", "chronoxis.core.queue.runner"])
        wait_for(lambda: queue.job(number).done > 0)
        cluster.scheduler.kill()
        told = lambda: "goes on" in queue.job(number).why  # noqa: E731
        wait_for(lambda: told() or queue.job(number).state is JobState.DONE)
        assert queue.job(number).why.endswith("The scheduler is lost. The export goes on here.")
        assert runner.wait(60) == 0
    assert queue.job(number).state is JobState.DONE
    export(planned(project), tmp_path / "here.mkv")
    assert content(tmp_path / "there.mkv") == content(tmp_path / "here.mkv")
    monkeypatch.setattr("chronoxis.core.cluster.connection._PATIENCE_SECONDS", 0.5)
    nowhere = queue.add(
        project_of(take), tmp_path / "again.mkv", machines=Machines(f"127.0.0.1:{free_port()}")
    )
    Runner().run()
    assert queue.job(nowhere).state is JobState.DONE
    queue.close()


@pytest.mark.thorough
def test_machines_that_cannot_make_it_are_told_apart(
    take: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("chronoxis.core.cluster.elsewhere._PATIENCE_SECONDS", 1.0)
    here, there = tmp_path / "here", tmp_path / "there"
    here.mkdir()
    there.mkdir()
    footage = Path(shutil.copy(take, here))
    project, told = project_of(footage), list[str]()
    with another_cluster(tmp_path) as cluster:
        cluster.add("old", code=_OTHER_VERSION)
        cluster.add("mapped", "--map", f"{here}={there}")
        made_elsewhere(cluster.machines, project, tmp_path / "one.mkv", told)
        assert sorted(told) == [
            "No machine is there that can make the pieces. The export goes on here.",
            f"mapped gets no pieces: {there / footage.name} is not there; "
            "--map HERE=THERE says where such files lie.",
            f"old gets no pieces: it has Chronoxis 0.0.9, and here it is {__version__}.",
        ]
        make_recording(there / footage.name, frames=150, size=(64, 48), sound=True, rate=Fraction(30))
        told.clear()
        made_elsewhere(cluster.machines, project, tmp_path / "two.mkv", told)
        assert "mapped gets no pieces: what is called take.mkv there is something else." in told
        shutil.copy(take, there)
        told.clear()
        made_elsewhere(cluster.machines, project, tmp_path / "three.mkv", told)
        assert len(told) == 1
        cluster.add("from here")
        footage.rename(here / "moved.mkv")
        (elsewhere_, away) = tmp_path / "elsewhere", tmp_path / "away"
        elsewhere_.mkdir()
        shutil.copy(take, elsewhere_ / "moved.mkv")
        moved = arranging.locate(project, project.footage[0].key, here / "moved.mkv")
        machines = replace(cluster.machines, moved=((str(here), str(elsewhere_)),))
        away.mkdir()
        made_elsewhere(machines, moved, away / "four.mkv", told)
    assert len({str(content(path)) for path in (*tmp_path.glob("*.mkv"), away / "four.mkv")}) == 1


def test_only_this_machine_is_spoken_with_unless_it_is_encrypted_or_allowed() -> None:
    given = Credentials(Path("ca"), Path("cert"), Path("key"))
    assert contact("localhost", None, insecure=False) == "tcp://localhost:8786"
    assert contact("[::1]:9000", None, insecure=False) == "tcp://[::1]:9000"
    assert contact("192.0.2.7", None, insecure=True) == "tcp://192.0.2.7:8786"
    assert contact("192.0.2.7:9", given, insecure=False) == "tls://192.0.2.7:9"
    assert contact("tls://192.0.2.7", None, insecure=False) == "tls://192.0.2.7:8786"
    with pytest.raises(ClusterError, match="another machine"):
        contact("tcp://192.0.2.7", None, insecure=False)
    for wrong in ("", "http://localhost", "localhost:port", "localhost/x", "a@localhost", "localhost:99999"):
        with pytest.raises(ClusterError, match="no address"):
            contact(wrong, None, insecure=False)
    with pytest.raises(ClusterError, match="not encrypted"):
        contact("tcp://192.0.2.7", given, insecure=False)


def test_what_a_machine_lacks_is_told() -> None:
    facts = MachineFacts.here()
    assert facts.lacks(facts, MP4) == ""
    assert "other libraries" in facts.lacks(replace(facts, code="other"), MP4)
    assert "cannot write MP4" in facts.lacks(replace(facts, formats=frozenset()), MP4)
    old, usual, wide = (replace(facts, level=level) for level in (1, 3, 4))
    assert "exact to the last bit" in usual.lacks(old, MKV)
    assert usual.lacks(old, MP4) == usual.lacks(wide, MKV) == ""


def test_files_are_found_where_they_lie_there() -> None:
    moved = [("/footage", "/mnt/studio"), ("/foot", "/nowhere")]
    assert moved_path(Path("/footage/day 1/a.mp4"), moved) == Path("/mnt/studio/day 1/a.mp4")
    assert moved_path(Path("/footage2/a.mp4"), moved) == Path("/footage2/a.mp4")
