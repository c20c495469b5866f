"""How soon the window shows what a person points at, and how truly it plays; in the real window.

Decoding is held against the library's own, of the same frames from the key frame before them.
"""

import os
import tempfile
import time
from collections import Counter
from dataclasses import dataclass
from fractions import Fraction
from functools import partial
from pathlib import Path

import av
import numpy as np
from PySide6.QtWidgets import QApplication

from bench.frame_making import make_footage, repeat
from bench.memory import peak
from bench.photos import make_photos
from bench.report import application, report, run, settle, timed, wait
from chronoxis.app.document.history import Edit
from chronoxis.app.main_window import MainWindow
from chronoxis.app.measuring.proxies import ProxyChoice
from chronoxis.core.footage.kinds import open_source
from chronoxis.core.footage.source import Source
from chronoxis.core.model import pacing
from chronoxis.core.model.accent import Accent, Grain, Lines, Wobble
from chronoxis.core.model.joining import set_accents
from chronoxis.core.model.making import set_each_frame
from chronoxis.core.model.project import Project
from chronoxis.core.timing.frame_making import EachFrame
from chronoxis.core.traces.trace_kinds import PICTURES

_JUMPS = 20
_STEPS = 20
_PLAYED = 6.0  # seconds
_PATIENCE = 120.0  # seconds in which a picture comes
_SPEED = Fraction(10)


def measure(runs: int) -> None:
    """Make the footage, then point, step and play, in a window of its own for each."""
    application()
    with tempfile.TemporaryDirectory(prefix="chronoxis-bench-") as scratch:
        folder = Path(scratch)
        os.environ["XDG_STATE_HOME"] = os.environ["XDG_CACHE_HOME"] = scratch
        for number in range(1, runs + 1):
            for footage in _footage(folder):
                window, source = opened(footage)
                with run(f"seeing {footage.name}, run {number}"):
                    _measure_pointing(window, source)
                    _measure_playing(window)
                make_proxy(window, source)
                with run(f"seeing {footage.name}, with a proxy, run {number}"):
                    _measure_pointing(window, source)
                    _measure_playing(window)
                window.files.discard_changes()
                window.close()
                QApplication.processEvents()
        report("memory of the window, at most so far", peak(), "MB")


@dataclass(frozen=True)
class _Footage:
    """What is looked at.

    Attributes:
        name: in words.
        origin: where it lies.
        speed: at which it is condensed.
    """

    name: str
    origin: Path
    speed: Fraction


def _footage(folder: Path) -> list[_Footage]:
    """Recordings of a minute, and photos; made once."""
    long_groups, short_groups = folder / "groups of 10 s.mp4", folder / "groups of 1 s.mp4"
    large, photos = folder / "2160p.mp4", folder / "photos"
    if not photos.exists():
        repeat(make_footage(folder / "long.mp4", 30, group=250), long_groups, 2)
        repeat(make_footage(folder / "short.mp4", 20, group=25), short_groups, 3)
        choices = {"codec": "libx265", "pixel_format": "yuv420p10le", "preset": "ultrafast"}
        repeat(make_footage(folder / "part.mp4", 10, size=(3840, 2160), group=250, **choices), large, 6)
        make_photos(photos, 48)
    return [
        _Footage("1080p, groups of 10 s", long_groups, _SPEED),
        _Footage("1080p, groups of 1 s", short_groups, _SPEED),
        _Footage("2160p of 10 bits", large, _SPEED),
        _Footage("photos of 24 megapixels", photos, Fraction(1)),
    ]


def _edit(window: MainWindow, edit: Edit) -> None:
    window.document.apply("Change", edit)
    wait(lambda: window.document.planner.is_current)


def make_proxy(window: MainWindow, source: Source) -> None:
    """Have all of the footage's proxy made."""
    origin, begun = source.facts.origin, time.perf_counter()
    window.proxies.choose(ProxyChoice.ALWAYS)
    wait(lambda: (proxy := window.proxies.proxy(origin)) is not None and proxy.is_whole, 600)
    report("making the proxy", time.perf_counter() - begun, "s")
    settle(1)


def opened(footage: _Footage) -> tuple[MainWindow, Source]:
    """A window with the footage condensed, at rest."""
    source = open_source(footage.origin)
    window = MainWindow()
    window.resize(1280, 800)
    window.show()
    window.proxies.choose(ProxyChoice.NEVER)
    window.loading.bring_in(footage.origin)
    wait(lambda: window.document.plan is not None and not window.document.known.pending)
    _edit(window, lambda project: pacing.set_speed(project, project.places(), footage.speed))
    wait(lambda: not window.measuring.is_busy(PICTURES), 600)  # what is measured beside it
    settle(1)
    return window, source


def _measure_pointing(window: MainWindow, source: Source) -> None:
    plan = window.document.plan
    assert plan is not None
    places = np.random.default_rng(5).permutation(len(plan.schedule))[:_JUMPS].tolist()
    something, exact, recorded, shares = [], [], [], []
    for number in places:
        _forget_made(window)
        seen = _pointed(window, number)
        something.append(seen["something"])
        exact.append(seen["result"])
        recorded.append(seen["recorded"])
        bare = timed(partial(_bare, source, int(plan.schedule.sources(number)[0][0])))
        shares.append(seen["result"] / bare)
        settle(0.2)
    for name, found in (("something", something), ("the result", exact), ("what was recorded", recorded)):
        _report_two(f"pointing: {name}", 1e3 * np.array(found), "ms")
    _report_two("pointing: the result / bare decode", np.array(shares), "×")
    for name, by in (("on", 1), ("back", -1)):
        _forget_made(window)
        _pointed(window, len(plan.schedule) // 2)
        took = [_pointed(window, window.document.result_frame + by)["result"] for _ in range(_STEPS)]
        _report_two(f"a step {name}", 1e3 * np.array(took[1:]), "ms")


def _measure_playing(window: MainWindow) -> None:
    cases: dict[str, Edit] = {
        "single frames": lambda project: project,
        "long exposure": lambda project: set_each_frame(project, project.places(), EachFrame.LONG_EXPOSURE),
        "three accents": _accented,
    }
    base = window.document.project
    for name, edit in cases.items():
        _edit(window, lambda _, edit=edit: edit(base))  # type: ignore[misc]
        settle(0.5)
        _measure_played(window, name)


def _accented(project: Project) -> Project:
    return set_accents(project, lambda _: (Accent(Grain()), Accent(Lines()), Accent(Wobble())), whole=True)


def _measure_played(window: MainWindow, name: str) -> None:
    """Play from a place where nothing is made, and see what comes and what is said of it."""
    transport, view = window.transport, window.pictures.result
    transport.scrub(window.document.project.result_length / 3)
    _forget_made(window)
    shown, said, image = list[float](), Counter[str](), view.image
    transport.set_shuttle(1)
    begun = time.perf_counter()

    def note(_: float) -> None:
        nonlocal image
        now = time.perf_counter() - begun
        said[window.pictures.bar.words] += 1
        if view.image is not image:
            image = view.image
            shown.append(now)

    wait(lambda: time.perf_counter() - begun > _PLAYED, _PATIENCE, note)
    transport.rest()
    rate = (len(shown) - 1) / (_PLAYED - shown[0]) if shown else 0.0
    report(f"playing, {name}: begins after", shown[0] if shown else _PLAYED, "s")
    report(
        f"playing, {name}: pictures a second from then on, of {float(window.document.project.rate):g}",
        rate,
        "",
    )
    turns = said.total()
    for text, times in said.most_common(3):
        report(f"    said “{text}”", 100 * times / turns, "% of the time")


def _forget_made(window: MainWindow) -> None:
    """All places are cold again."""
    plan = window.document.plan
    window.preview.follow(plan and window.proxies.proxied_plan(plan))


def _pointed(window: MainWindow, number: int) -> dict[str, float]:
    """Seconds until each picture shows a result frame that is pointed at."""
    pictures, plan = window.pictures, window.document.plan
    assert plan is not None
    before = {"result": pictures.result.image, "recorded": pictures.recorded.image}
    seen: dict[str, float] = {}
    begun = time.perf_counter()
    window.transport.scrub(Fraction(number) / plan.schedule.rate)

    def look() -> bool:
        for name, view in (("result", pictures.result), ("recorded", pictures.recorded)):
            if view.image is not before[name]:
                seen.setdefault("something", time.perf_counter() - begun)
                if not view.is_near:
                    seen.setdefault(name, time.perf_counter() - begun)
        return len(seen) == 3

    wait(look, _PATIENCE)
    return seen


def _bare(source: Source, number: int) -> None:
    """The library's own way to a frame: from the key frame before it, on all its threads."""
    path = source.files[0]
    if path.suffix != ".mp4":
        with av.open(str(source.files[number])) as still:
            next(still.decode(video=0))
        return
    with av.open(str(path)) as container:
        stream = container.streams.video[0]
        stream.thread_type = "AUTO"
        begin = source.begins(number)
        container.seek(int(begin / Fraction(stream.time_base or 1)), stream=stream)
        for frame in container.decode(stream):
            if frame.pts is not None and frame.pts * Fraction(stream.time_base or 1) >= begin:
                return


def _report_two(name: str, values: np.ndarray, unit: str) -> None:
    report(f"{name}, median", float(np.median(values)), unit)
    report(f"{name}, 95%", float(np.quantile(values, 0.95)), unit)
