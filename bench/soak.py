"""Damage, kills and rough hands at random: ``python -m bench.soak [PART]... [--inputs N] [--kills N] ...``.

Bytes of recordings in several formats, project files and timelines are changed at random and read; saves,
autosaves, exports, plans and the queue's runners are killed at random moments. What must come of it: a result
or a refusal in one line, within ten seconds; nothing lost; nothing left behind once the next one begins.

Windows are soaked as well: pairs of them save one file, windows are killed while somebody edits steadily,
and everything that can have a name gets markup, characters that steer, or no end for one.
"""

import argparse
import collections
import os
import random
import signal
import tempfile
import time
import traceback
from collections.abc import Callable
from fractions import Fraction
from pathlib import Path

import av

from bench import soak_queue, soak_windows
from chronoxis.core.errors import ChronoxisError
from chronoxis.core.files.atomic import sweep_unfinished
from chronoxis.core.files.autosave import Autosave, left_behind, sweep
from chronoxis.core.files.interchange import export_timeline, import_timeline
from chronoxis.core.files.project_file import load_project, save_project
from chronoxis.core.footage.kinds import footage_of, open_source
from chronoxis.core.model import arranging, pacing
from chronoxis.core.model.export_formats import MKV
from chronoxis.core.model.project import Place, Project
from chronoxis.core.model.settings import ResultSettings
from chronoxis.core.render.export import export
from chronoxis.core.render.planning import make_plan

_PARTS = ("inputs", "kills", "queue", "pairs", "edits", "names")
_PATIENCE = 10  # seconds for one input
_BATCH = 50  # inputs for each process: a crash costs no more than one of them
_FORMATS = ("mp4", "mkv", "mov", "avi", "flv", "ts", "mpg", "webm", "h264", "ogv")
_CODECS = {"webm": "libvpx", "mpg": "mpeg2video", "ogv": "libtheora"}
_NAMES = {"mpg": "mpeg", "ogv": "ogg"}
Outcomes = collections.Counter[str]


def main() -> None:
    """Do as many as asked, or as many as the time allows, and print what came of them."""
    parser = argparse.ArgumentParser(prog="python -m bench.soak", description=__doc__)
    parser.add_argument("parts", nargs="*", metavar="PART", help=f"{', '.join(_PARTS)}; all if none is named")
    parser.add_argument("--inputs", type=int, default=10_000)
    parser.add_argument("--kills", type=int, default=1_000)
    parser.add_argument("--windows", type=int, default=40)
    parser.add_argument("--seconds", type=float, default=1800)
    parser.add_argument("--seed", type=int, default=1)
    asked = parser.parse_args()
    end, rng = time.monotonic() + asked.seconds, random.Random(asked.seed)
    with tempfile.TemporaryDirectory(prefix="chronoxis-soak-") as scratch:
        folder = Path(scratch)
        os.environ["XDG_STATE_HOME"] = str(folder / "state")
        seeds = make_seeds(folder / "seeds")
        parts: dict[str, Callable[[], Outcomes]] = {
            "inputs": lambda: damage(seeds, folder, asked.inputs, end, rng),
            "kills": lambda: kill(folder, seeds[1], asked.kills, end, rng),
            "queue": lambda: soak_queue.kill_runners(folder, seeds[1], asked.kills, end, rng),
            "pairs": lambda: soak_windows.pairs(folder, seeds[1], asked.windows, end, rng),
            "edits": lambda: soak_windows.killed_edits(folder, seeds[1], asked.windows, end, rng),
            "names": lambda: soak_windows.names(folder, asked.windows, end, rng),
        }
        for part in asked.parts or _PARTS:
            report(part, parts[part]())


def report(title: str, outcomes: Outcomes) -> None:
    """What came of it, the most frequent first."""
    print(f"{title}: {sum(outcomes.values())}")
    for outcome, count in outcomes.most_common():
        print(f"  {count:6d}  {outcome}")


def make_seeds(folder: Path) -> list[Path]:
    """Small recordings in every format that can be written here, a project and a timeline."""
    folder.mkdir()
    made = []
    for ending in _FORMATS:
        path = folder / f"take.{ending}"
        try:
            _encode(path, _CODECS.get(ending, "libx264"), _NAMES.get(ending))
            made.append(path)
        except (av.FFmpegError, ValueError):
            path.unlink(missing_ok=True)  # this build of the library cannot write it
    project = _project(made[1])
    save_project(project, folder / "film.chronoxis")
    export_timeline(project, folder / "film.otio")
    return [*made, folder / "film.chronoxis", folder / "film.otio"]


def _encode(path: Path, codec: str, form: str | None) -> None:
    with av.open(str(path), "w", format=form) as container:
        stream = container.add_stream(codec, rate=25)
        assert isinstance(stream, av.VideoStream)
        stream.width, stream.height, stream.pix_fmt = 64, 48, "yuv420p"
        for number in range(40):
            frame = av.VideoFrame(64, 48, "yuv420p")
            for plane in frame.planes:
                plane.update(bytes([number * 5 % 256]) * plane.buffer_size)
            frame.pts, frame.time_base = number, Fraction(1, 25)
            container.mux(stream.encode(frame))
        container.mux(stream.encode(None))


def _project(recording: Path) -> Project:
    source = open_source(recording)
    project = arranging.begin_with(Project(settings=ResultSettings(MKV)), footage_of(source.facts))
    return pacing.set_speed(pacing.divide(project, 0, Fraction(1, 2)), [Place(0, 0)], Fraction(2))


def damage(seeds: list[Path], folder: Path, inputs: int, end: float, rng: random.Random) -> Outcomes:
    """Change bytes of the seeds and read them, each batch in a process of its own."""
    outcomes: Outcomes = collections.Counter()
    while sum(outcomes.values()) < inputs and time.monotonic() < end:
        outcomes += _in_a_child(lambda tell: _read_batch(seeds, folder, rng.random(), tell))
    return outcomes


def _read_batch(seeds: list[Path], folder: Path, seed: float, tell: Callable[[str], None]) -> None:
    rng = random.Random(seed)
    for _ in range(_BATCH):
        source = rng.choice(seeds)
        spoilt = folder / f"spoilt{source.suffix}"
        spoilt.write_bytes(_spoilt(source.read_bytes(), rng))
        begun = time.monotonic()
        try:
            _use(spoilt)
            outcome = "a result"
        except ChronoxisError as error:
            outcome = "a refusal" if "\n" not in str(error) else f"SEVERAL LINES: {error!r}"
        except Exception:
            outcome = f"TRACEBACK {source.suffix}: {traceback.format_exc(limit=-2)[-300:]!r}"
        if time.monotonic() - begun > _PATIENCE:
            outcome = f"TOO LONG {source.suffix}"
        tell(outcome)


def _spoilt(content: bytes, rng: random.Random) -> bytes:
    spoilt = bytearray(content)
    for _ in range(rng.choice((1, 2, 8, 40))):
        at = rng.randrange(len(spoilt))
        spoilt[at] = rng.randrange(256)
    way = rng.random()
    if way < 0.15:
        del spoilt[rng.randrange(len(spoilt)) :]
    elif way < 0.25:
        at = rng.randrange(len(spoilt))
        del spoilt[at : at + rng.randrange(200)]
    elif way < 0.3:
        at = rng.randrange(len(spoilt))
        spoilt[at:at] = spoilt[: rng.randrange(400)]
    return bytes(spoilt)


def _use(path: Path) -> None:
    """What a person does first with a file."""
    if path.suffix == ".chronoxis":
        project = load_project(path)
        _ = project.rows, project.result_length
        save_project(project, path)
    elif path.suffix == ".otio":
        import_timeline(path)
    else:
        source = open_source(path)
        count = len(source.edges) - 1
        with source.reader() as reader:
            for _ in reader.frames(range(0, count, max(1, count // 5))):
                pass


def kill(folder: Path, recording: Path, kills: int, end: float, rng: random.Random) -> Outcomes:
    """Kill saves, autosaves, exports and plans at random moments, and look at what is left."""
    outcomes: Outcomes = collections.Counter()
    place = folder / "work"
    place.mkdir()
    film, project = place / "film.chronoxis", _project(recording)
    save_project(project, film)
    while sum(outcomes.values()) < kills and time.monotonic() < end:
        name, work = rng.choice(_deeds(place, project, recording))
        child = os.fork()
        if child == 0:
            _quietly(work)
        time.sleep(rng.random() ** 2 * 0.25)
        os.kill(child, signal.SIGKILL)
        os.waitpid(child, 0)
        outcomes[f"{name}: {_looked_at(place, film)}"] += 1
    for left in place.rglob("*.chronoxis-part"):
        os.utime(left, (0, 0))
    sweep_unfinished()
    outcomes[f"LEFT BEHIND: {len(list(place.rglob('*.chronoxis-part')))} files"] += 0
    if left_over := list(place.rglob("*.chronoxis-part")):
        outcomes[f"LEFT BEHIND: {left_over[:3]}"] += 1
    return +outcomes


def _deeds(place: Path, project: Project, recording: Path) -> list[tuple[str, Callable[[], object]]]:
    def keep() -> None:
        autosave = Autosave(place / "autosave")
        for _ in range(50):
            autosave.keep(project, None)

    def save() -> None:
        for _ in range(50):
            save_project(project, place / "film.chronoxis")

    def render() -> None:
        plan = make_plan(project, {project.footage[0].key: open_source(recording)})
        for _ in range(20):
            export(plan, place / "out.mkv", overwrite=True)

    def listing() -> None:
        from chronoxis.cli.main import cli  # noqa: PLC0415

        arguments = [str(recording), "--every", "2", "--csv", str(place / "plan.csv"), "--overwrite"]
        for _ in range(30):
            cli(["plan", *arguments], standalone_mode=False)

    return [("save", save), ("autosave", keep), ("export", render), ("plan", listing)]


def _looked_at(place: Path, film: Path) -> str:
    try:
        load_project(film)
        out, listed, kept = place / "out.mkv", place / "plan.csv", place / "autosave"
        if out.exists() and len(open_source(out).edges) < 2:
            return "A RESULT WITHOUT FRAMES"
        if listed.exists() and not listed.read_text().endswith("\n"):
            return "HALF A PLAN"
        sweep(kept)
        for found in left_behind(kept):
            found.discard()
        if list(kept.glob("*.unreadable")) if kept.is_dir() else ():
            return "AN UNREADABLE AUTOSAVE"
    except ChronoxisError as error:
        return f"DAMAGED: {error}"
    return "whole"


def _in_a_child(work: Callable[[Callable[[str], None]], None]) -> Outcomes:
    """Outcomes that the work tells of, in a process that may crash or hang."""
    read, write = os.pipe()
    child = os.fork()
    if child == 0:
        os.close(read)
        _quietly(lambda: work(lambda outcome: _send(write, outcome)))
    os.close(write)
    os.set_blocking(read, False)
    told, last = b"", time.monotonic()
    outcomes: Outcomes = collections.Counter()
    while True:
        try:
            piece = os.read(read, 65536)
            if not piece:
                break
            told, last = told + piece, time.monotonic()
        except BlockingIOError:
            if time.monotonic() - last > 2 * _PATIENCE:
                os.kill(child, signal.SIGKILL)
                outcomes["HUNG"] += 1
                break
            time.sleep(0.01)
    os.close(read)
    _, status = os.waitpid(child, 0)
    for outcome in told.decode(errors="replace").split("\0")[:-1]:
        outcomes[outcome] += 1
    if os.WIFSIGNALED(status) and not outcomes["HUNG"]:
        outcomes[f"CRASH by signal {os.WTERMSIG(status)}"] += 1
    return outcomes


def _send(pipe: int, outcome: str) -> None:
    os.write(pipe, outcome.encode() + b"\0")


def _quietly(work: Callable[[], object]) -> None:
    """Do work in a forked process, with nothing written anywhere, and end it."""
    nowhere = os.open(os.devnull, os.O_WRONLY)
    os.dup2(nowhere, 1)
    os.dup2(nowhere, 2)
    try:
        work()
    finally:
        os._exit(0)


if __name__ == "__main__":
    main()
