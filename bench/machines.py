"""Several machines: how much sooner two workers are done than one, and what becomes of killed ones."""

import os
import random
import signal
import socket
import subprocess
import sys
import tempfile
import threading
import time
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from fractions import Fraction
from pathlib import Path

from bench.frame_making import make_footage
from bench.report import report, run, timed
from chronoxis.core.cluster.elsewhere import elsewhere
from chronoxis.core.cluster.machines import Machines
from chronoxis.core.footage.kinds import footage_of, open_source
from chronoxis.core.model import arranging, making, pacing
from chronoxis.core.model.export_format import ExportFormat
from chronoxis.core.model.export_formats import MKV, MP4
from chronoxis.core.model.project import Project
from chronoxis.core.model.settings import ResultSettings, SizeWish
from chronoxis.core.render.export import export
from chronoxis.core.render.opened_project import planned
from chronoxis.core.render.plan import Plan
from chronoxis.core.timing.frame_making import EachFrame

_SECONDS, _SHORT_SECONDS = 120, 24  # of footage
_KILLS = 10
_KILLED_AFTER = 0.5, 8.0  # seconds


def measure(runs: int) -> None:
    """Each worker is held to a core of its own; this process may use all of them."""
    with tempfile.TemporaryDirectory(prefix="chronoxis-bench-") as scratch:
        folder = Path(scratch)
        os.environ["XDG_CACHE_HOME"] = str(folder / "cache")
        footage = make_footage(folder / "bench.mp4", _SECONDS)
        plan, brief = (planned(_project(footage, MP4, Fraction(speed))) for speed in (2, 7))
        for number in range(1, runs + 1):
            with run(f"several machines, run {number}"):
                one, two = (_seconds(plan, brief, folder, cores) for cores in ([0], [0, 1]))
                report("one worker", one, "s")
                report("one worker / two workers (at least 1.7)", one / two, "×")
        short = make_footage(folder / "short.mp4", _SHORT_SECONDS, size=(640, 360))
        _kill(planned(_project(short, MKV, Fraction(1))), folder)


def _project(footage: Path, format_: ExportFormat, speed: Fraction) -> Project:
    settings = ResultSettings(format_, SizeWish.parse("720p"))
    project = arranging.begin_with(Project(settings=settings), footage_of(open_source(footage).facts))
    project = making.set_each_frame(project, project.places(), EachFrame.LONG_EXPOSURE)
    return pacing.set_speed(project, project.places(), speed)


def _seconds(plan: Plan, brief: Plan, folder: Path, cores: Sequence[int]) -> float:
    with _cluster(cores) as (machines, _):
        _made(brief, folder / "brief.mp4", machines)  # workers load all they need when they are asked first
        return timed(lambda: _made(plan, folder / "film.mp4", machines))


def _made(plan: Plan, output: Path, machines: Machines) -> list[str]:
    told: list[str] = []
    with elsewhere(machines, told.append) as make:
        export(plan, output, overwrite=True, make=make)
    return told


def _kill(plan: Plan, folder: Path) -> None:
    """Kill one of two workers at a random moment, again and again; the file has to be that made here."""
    export(plan, folder / "here.mkv")
    rng, right, fell_back = random.Random(1), 0, 0
    for _ in range(_KILLS):
        with _cluster([0, 1]) as (machines, workers):
            hit = threading.Timer(
                rng.uniform(*_KILLED_AFTER), rng.choice(workers).send_signal, [signal.SIGKILL]
            )
            hit.start()
            told = _made(plan, folder / "there.mkv", machines)
            hit.cancel()
        right += (folder / "here.mkv").read_bytes() == (folder / "there.mkv").read_bytes()
        fell_back += any("goes on here" in line for line in told)
    report(f"of {_KILLS} runs with a worker killed, those with the right file", right, "")
    report("of these, made here in the end (0: the other worker goes on)", fell_back, "")


@contextmanager
def _cluster(cores: Sequence[int]) -> Iterator[tuple[Machines, list[subprocess.Popen[bytes]]]]:
    """A scheduler, and a worker on each of some cores."""
    with socket.socket() as opened:
        opened.bind(("127.0.0.1", 0))
        port = opened.getsockname()[1]
    command = [sys.executable, "-m", "distributed.cli.dask_scheduler", "--no-dashboard"]
    nothing = subprocess.DEVNULL
    scheduler = subprocess.Popen([*command, "--host", "127.0.0.1", "--port", str(port)], stderr=nothing)
    workers = [_worker(port, core) for core in cores]
    try:
        time.sleep(0.5)
        yield Machines(f"127.0.0.1:{port}"), workers
    finally:
        for process in (*workers, scheduler):
            process.kill()
            process.communicate()


def _worker(port: int, core: int) -> subprocess.Popen[bytes]:
    """One that waits for pieces."""
    command = [
        "taskset",
        "-c",
        str(core),
        sys.executable,
        "-m",
        "chronoxis.cli",
        "worker",
        f"127.0.0.1:{port}",
    ]
    worker = subprocess.Popen(command, stderr=subprocess.PIPE)
    assert worker.stderr is not None
    worker.stderr.readline()
    return worker
