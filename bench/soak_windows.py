"""Windows under rough hands, each in a process of its own: two on one file, killed ones, strange names."""

import collections
import json
import os
import random
import string
import subprocess
import sys
import time
from dataclasses import replace
from fractions import Fraction
from pathlib import Path

from chronoxis.core.files.autosave import left_behind
from chronoxis.core.files.project_file import load_project, save_project
from chronoxis.core.footage.kinds import footage_of, open_source
from chronoxis.core.model import arranging, keeping, nesting, pacing
from chronoxis.core.model.join import Join, Side, Surge
from chronoxis.core.model.project import Place, Project
from chronoxis.core.model.recording import Recording

Outcomes = collections.Counter[str]

_ONLY = Place(0, 0)
_MOST_LOST = 5.0  # seconds of work that a kill may cost
_STRANGE = (
    "<img src='/dev/zero'>",
    "<b>&amp;x</b>",
    "\u202e\u2066",
    "\x1b[2J\x07",
    "\n\r\t",
    "A" * 220,
    "اَلْ",
    "🎈" * 40,
)


class Window:
    """A window in a process of its own, told what to do line by line: `bench.soaked_window`."""

    def __init__(self, state: Path) -> None:
        environment = {**os.environ, "QT_QPA_PLATFORM": "offscreen", "XDG_STATE_HOME": str(state)}
        command = [sys.executable, "-m", "bench.soaked_window"]
        self._process = subprocess.Popen(
            command, stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True, env=environment
        )
        self.said: dict[str, object] = self._heard()

    def do(self, what: str, value: object = None) -> dict[str, object]:
        """Have it do something, and what came of it."""
        assert self._process.stdin is not None
        self._process.stdin.write(json.dumps([what, value]) + "\n")
        self._process.stdin.flush()
        return self._heard()

    def kill(self) -> None:
        """End it without a word."""
        self._process.kill()
        self._process.wait()

    def _heard(self) -> dict[str, object]:
        assert self._process.stdout is not None
        heard: dict[str, object] = json.loads(self._process.stdout.readline() or '{"outcome": "CRASH"}')
        return heard


def pairs(folder: Path, recording: Path, count: int, end: float, rng: random.Random) -> Outcomes:
    """Two windows open one file, edit and save it by turns: no save may go without a question or a copy."""
    outcomes: Outcomes = collections.Counter()
    place = folder / "pairs"
    place.mkdir()
    windows = [Window(place / f"state-{number}") for number in range(2)]
    for number in range(count):
        if time.monotonic() > end:
            break
        film = place / f"film-{number}.chronoxis"
        save_project(_project(recording), film)
        for window in windows:
            window.do("open", str(film))
        saved: set[str] = set()  # what each window was told is safe
        for _ in range(rng.randrange(2, 6)):
            window = rng.choice(windows)
            speed = str(window.do("speed", rng.randrange(2, 900))["speed"])
            answer = window.do("save", rng.choice(["beside", "neither", "replace"]))
            outcomes[f"save: {answer['outcome']}"] += 1
            if answer["outcome"] in ("saved", "saved beside"):
                saved.add(speed)
            if answer["outcome"] == "replaced":  # asked for: what the other one saved there is given up
                saved = {s for s in saved if s not in _speeds(place, film) or s == speed} | {speed}
        here = _speeds(place, film)
        last = saved & here
        outcomes["a last save that is on the disk" if last or not saved else "LOST A SAVE"] += 1
    for window in windows:
        window.kill()
    return outcomes


def _speeds(place: Path, film: Path) -> set[str]:
    """The speeds in a film, and in the copies beside it."""
    return {str(load_project(path).passage(_ONLY).speed) for path in place.glob(f"{film.stem}*.chronoxis")}


def killed_edits(folder: Path, recording: Path, count: int, end: float, rng: random.Random) -> Outcomes:
    """Kill windows in which somebody edits several times a second, and see how old is what was kept."""
    outcomes: Outcomes = collections.Counter()
    for number in range(count):
        if time.monotonic() > end:
            break
        state = folder / f"edits-{number}"
        film = folder / f"edits-{number}.chronoxis"
        save_project(_project(recording), film)
        window = Window(state)
        window.do("open", str(film))
        made: dict[str, float] = {}
        stop = time.monotonic() + rng.uniform(4, 12)
        while time.monotonic() < stop:
            speed = str(window.do("speed", 2 + len(made))["speed"])
            made[speed] = time.monotonic()
            time.sleep(rng.uniform(0.1, 1.2))  # never so long that it looks like a pause
        window.kill()
        killed = time.monotonic()
        kept = left_behind(state / "chronoxis" / "autosave")
        first = next(iter(made.values()))
        known = made.get(str(kept[0].project.passage(_ONLY).speed), first) if kept else first
        later = [at for at in made.values() if at > known] if kept else list(made.values())
        lost = killed - later[0] if later else 0.0
        outcomes["at most 5 s of work lost" if lost <= _MOST_LOST else f"LOST {lost:.1f} s"] += 1
    return outcomes


def names(folder: Path, count: int, end: float, rng: random.Random) -> Outcomes:
    """Open projects in which everything is called something strange, and go through all pages."""
    outcomes: Outcomes = collections.Counter()
    window = Window(folder / "names")
    for number in range(count):
        if time.monotonic() > end:
            break
        name = "".join(rng.choices([*_STRANGE, *string.printable], k=rng.randrange(1, 5)))[:300]
        film = folder / f"names-{number}.chronoxis"
        save_project(_named(name, folder), film)
        window.do("open", str(film))
        answer = window.do("pages")
        outcomes[str(answer["outcome"])] += 1
        if answer["outcome"] == "CRASH":
            outcomes[f"CRASH of {name!r}"] += 1
            window = Window(folder / "names")
    window.kill()
    return outcomes


def _project(recording: Path) -> Project:
    project = arranging.begin_with(Project(), footage_of(open_source(recording).facts))
    return pacing.set_speed(project, [_ONLY], Fraction(1))


def _named(name: str, folder: Path) -> Project:
    gone = Recording(
        key="gone",
        path=folder / (name.replace("/", "_").replace("\0", "_")[:60] + ".mkv"),
        stored_rate=Fraction(25),
        stored_length=Fraction(4),
        counted=True,
    )
    project = arranging.begin_with(Project(), gone)
    project = nesting.nest(arranging.begin_with(project, replace(gone, key="again")), [1], name)
    for key in (None, "gone"):
        project = arranging.add_marker(project, key, Fraction(1, 5), name)
    surge = Surge(Fraction(20), Side(Fraction(1)), Side(Fraction(1)))
    return keeping.keep_look(project, name if name.strip() else "look", Join(surge))
