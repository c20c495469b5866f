"""Lulls of three hours of talk, on the page of a real window; and how long listening for speech takes."""

import os
import statistics
import tempfile
from fractions import Fraction
from functools import partial
from pathlib import Path

import numpy as np
from PySide6.QtWidgets import QApplication

from bench.frame_making import SECONDS, make_footage, repeat
from bench.report import application, report, run, settle, timed, wait
from chronoxis.app.main_window import MainWindow
from chronoxis.app.measuring.found_lulls import Known
from chronoxis.core.model import lull_acts, pacing
from chronoxis.core.model.lull_acts import Hurry
from chronoxis.core.sound.samples import RATE
from chronoxis.core.timing.lulls import Course, LullsBy
from chronoxis.core.traces.speech import WINDOW_SECONDS, SpeechListener
from chronoxis.core.traces.trace_kinds import PICTURES
from chronoxis.demo.crew_sound import spoken

_LENGTH = 3 * 3600  # seconds
_TALK, _PAUSE = 6.0, 8.0  # seconds on average
_SIZE = 320, 180
_HEARD = 120  # seconds of sound that are listened to
_HOUR = 3600


def measure(runs: int) -> None:
    """Print how soon the slider shows, and what the rest takes."""
    application()
    with tempfile.TemporaryDirectory(prefix="chronoxis-bench-") as scratch:
        os.environ["XDG_STATE_HOME"] = scratch
        with run("listening"):
            _measure_listening()
        part = make_footage(Path(scratch) / "part.mp4", SECONDS, size=_SIZE)
        window = _opened(repeat(part, Path(scratch) / "talk.mp4", _LENGTH // SECONDS))
        for number in range(1, runs + 1):
            with run(f"lulls of three hours, run {number}"):
                _measure_page(window)
        window.files.discard_changes()
        window.close()


def _opened(path: Path) -> MainWindow:
    """A window with the recording at 1×, over made-up talk and change."""
    window = MainWindow()
    window.resize(1280, 800)
    window.show()
    window.loading.bring_in(path)
    wait(lambda: window.document.plan is not None and path in window.document.known.sources, 120)
    known = made_up(float(window.document.project.footage[0].length))
    window.lulls.known = lambda footage: known  # type: ignore[method-assign]
    document = window.document
    document.apply("", lambda p: pacing.set_speed(p, p.places(), Fraction(1)))
    window.show_page(window.bench.lulls)
    window.measuring.pause(PICTURES, True)  # what it would find is made up, and it takes minutes
    settle(10)
    return window


def made_up(length: float) -> Known:
    """Who speaks when, at random, more and less clearly; and noise with something that changes at times."""
    rng = np.random.default_rng(7)
    step = float(WINDOW_SECONDS)
    edges = np.arange(int(length / step) + 1, dtype=np.float64) * step
    speech = np.zeros(len(edges) - 1)
    at = 0.0
    while at < length:
        begin = at + rng.exponential(_PAUSE)
        at = begin + rng.exponential(_TALK) + 0.5
        speech[np.searchsorted(edges, begin) : np.searchsorted(edges, at)] = rng.uniform(0.05, 1)
    frames = np.arange(int(length * 25) + 1, dtype=np.float64) / 25
    change = rng.random(len(frames) - 1) ** 8
    return Known(
        Course(np.asarray(edges, np.float64), speech), Course(np.asarray(frames, np.float64), change)
    )


def _measure_page(window: MainWindow) -> None:
    page, document = window.bench.lulls, window.document
    for by in LullsBy:
        page.bys[by].click()
        settle(1)
        page.nothing.sliderPressed.emit()
        times = [1e3 * timed(partial(_slide, window, share)) for share in range(20, 80)]
        page.nothing.sliderReleased.emit()
        settle(1)
        many = len(window.lulls.all())
        report(f"slider to screen, {by}, {many} lulls (at most 50)", statistics.median(times), "ms")
        report("  the longest", max(times), "ms")
        document.undo()
    page.bys[LullsBy.SPEECH].click()
    found = window.lulls.by_shot()
    hurry = timed(lambda: lull_acts.hurry(document.project, found, Hurry(Fraction(8))))
    report(f"hurry through {len(found[0])} lulls, beside the window", 1e3 * hurry, "ms")
    cut = timed(lambda: lull_acts.leave_out(document.project, found))
    report(f"leave {len(found[0])} lulls out, beside the window", 1e3 * cut, "ms")
    settle(3)
    pressed = timed(lambda: _press(window))
    report("a press, once that is worked out (at most 50)", 1e3 * pressed, "ms")
    document.undo()


def _slide(window: MainWindow, share: int) -> None:
    window.bench.lulls.nothing.setValue(share)
    window.weave.repaint()
    QApplication.processEvents()


def _press(window: MainWindow) -> None:
    window.bench.lulls.do.click()
    QApplication.processEvents()


def _measure_listening() -> None:
    sound = np.resize(spoken(), _HEARD * RATE)
    both, listener = np.stack([sound, sound]), SpeechListener()

    def listen() -> None:
        for at in range(0, len(sound), RATE):
            listener.hear(both[:, at : at + RATE])

    took = timed(listen)
    report("speech of an hour of sound (at most 60)", took * _HOUR / _HEARD, "s")
