"""The sound of the result, made in the background from the very plan that export reads."""

import os
import tempfile
import threading
import time
from collections.abc import Callable
from contextlib import closing
from dataclasses import dataclass, replace

import numpy as np
from PySide6.QtCore import QObject, Signal

from chronoxis.app.sound.devices import Pcm
from chronoxis.app.workers import NewestWorker
from chronoxis.core.errors import Cancelled, ExportError
from chronoxis.core.render.plan import Plan
from chronoxis.core.sound.loudness import LoudnessMeter
from chronoxis.core.sound.mixing import as_int16, loudness_gain, mixed
from chronoxis.core.sound.samples import CHANNELS, RATE

_REST_SECONDS = 0.4  # seconds without an edit after which it is worth beginning
_LOOK_SECONDS = 0.02
_MOST_IN_MEMORY = 512 * 1024 * 1024  # bytes
_PAUSE_SECONDS = 0.01  # seconds between blocks in which others have the interpreter


@dataclass(frozen=True, eq=False)
class _Made:
    """What is there of the sound of a plan.

    Attributes:
        pcm: room for all of it.
        done: how many samples are made, from the beginning on.
        silent: whether there is nothing to be heard, as far as is known.
        known: whether it is known if there is anything to be heard.
    """

    pcm: Pcm
    done: int
    silent: bool
    known: bool = True


_NOTHING = _Made(np.zeros((0, CHANNELS), np.int16), done=0, silent=True)


class SoundAhead(QObject):
    """Makes all sound of a plan from the beginning on, and keeps it on the disk while it is of use.

    Signals:
        failed: a message for the person.
        measured_loudness: LUFS of the whole.
    """

    failed = Signal(str)
    measured_loudness = Signal(float)

    def __init__(self) -> None:
        super().__init__()
        self._lock = threading.Lock()
        self._plan: Plan | None = None
        self._made = _NOTHING  # replaced as a whole: a device reads it on a thread of its own
        self._hurries = False
        self._rate = 0.0  # seconds made in a second, lately
        self._work = NewestWorker(self._answer, "sound", awaited=True)
        self._work.failed.connect(self.failed)

    def hurry(self, on: bool) -> None:
        """Somebody waits for it, or no longer does."""
        self._hurries = on

    def follow(self, plan: Plan | None) -> None:
        """Work for another plan; what was made is forgotten."""
        with self._lock:
            self._plan = plan
            self._made = replace(_NOTHING, known=plan is None or not plan.settings.sound)
        if plan is not None:
            self._work.ask(plan)

    @property
    def is_silent(self) -> bool:
        """Whether there is nothing to be heard, as far as is known."""
        return self._made.silent

    @property
    def is_known(self) -> bool:
        """Whether it is known by now if there is anything to be heard."""
        return self._made.known

    @property
    def ready(self) -> float:
        """Result seconds that are made."""
        return self._made.done / RATE

    def has(self, begin: float, end: float) -> bool:
        """Whether a stretch of the result, in seconds, is made, as far as the result goes."""
        made = self._made
        return made.silent or made.done >= min(round(max(begin, end) * RATE), len(made.pcm))

    def seconds_before_playing(self, at: float, end: float, lead: float) -> float | None:
        """How long to wait so that what plays from one result second to another need not stop.

        None if that cannot be told. ``lead`` is what has to be made before it begins at least, in seconds.
        """
        if self.has(at, end):
            return 0.0
        if not self._rate:
            return 0.0 if self.has(at, at + lead) else None
        lacks_first, lacks_last = min(at + lead, end) - self.ready, end - self.ready
        return max(0.0, lacks_first / self._rate, lacks_last / self._rate - (end - at))

    def between(self, first: int, end: int) -> Pcm:
        """Samples of the result; silence where nothing is made or there is no result."""
        taken = np.zeros((end - first, CHANNELS), np.int16)
        made = self._made
        low, high = max(first, 0), min(end, made.done)
        if low < high and not made.silent:
            taken[low - first : high - first] = made.pcm[low:high]
        return taken

    def close(self) -> None:
        """Stop and wait for the thread to end."""
        self._plan = None
        self._work.close()

    def _answer(self, plan: Plan, still_wanted: Callable[[], bool]) -> None:
        """Make all of it; where that fails, the pictures play without."""

        def check() -> None:
            self._check_plan(plan)
            if not still_wanted():
                raise Cancelled

        try:
            self._make(plan, check)
        except Cancelled:
            raise
        except Exception:
            with self._lock:
                self._check_plan(plan)
                self._made = _NOTHING
            raise

    def _make(self, plan: Plan, check: Callable[[], None]) -> None:
        self._wait_for_rest(check)
        if not plan.settings.sound or not plan.sound.is_heard:
            with self._lock:
                self._check_plan(plan)
                self._made = _NOTHING
            return
        total = round(plan.schedule.length * RATE)
        pcm = _room_for(total)
        with self._lock:
            self._check_plan(plan)
            self._made = _Made(pcm, done=0, silent=False)
        gain = loudness_gain(plan.sound, plan.sounds(), check)
        meter = LoudnessMeter()
        began, at = time.monotonic(), 0
        with closing(mixed(plan.sound, plan.sounds(), gain)) as blocks:
            for block in blocks:
                check()
                pcm[at : at + block.shape[1]] = as_int16(block)
                meter.hear(block)
                at += block.shape[1]
                with self._lock:
                    self._check_plan(plan)
                    self._made = _Made(pcm, done=at, silent=False)
                self._rate = at / RATE / max(time.monotonic() - began, 1e-3)
                if not self._hurries:
                    time.sleep(_PAUSE_SECONDS)  # threads share the interpreter's lock
        self.measured_loudness.emit(meter.loudness())

    def _check_plan(self, plan: Plan) -> None:
        """Raises Cancelled if another plan is followed by now. It never waits, so that a lock may be held."""
        if plan is not self._plan:
            raise Cancelled

    def _wait_for_rest(self, check: Callable[[], None]) -> None:
        """Until nothing was edited for a while, or somebody wants to hear it."""
        until = time.monotonic() + _REST_SECONDS
        while time.monotonic() < until and not self._hurries:
            time.sleep(_LOOK_SECONDS)
            check()


def _room_for(total: int) -> Pcm:
    """Room on the disk, gone with the last reference; in memory where the disk has none.

    Raises:
        ExportError: there is none at all.
    """
    shape = (max(total, 1), CHANNELS)
    size = shape[0] * CHANNELS * 2
    try:
        with tempfile.TemporaryFile(prefix="chronoxis-sound-") as file:
            # Reserved, for writing into a mapping that finds no room would end the program.
            os.posix_fallocate(file.fileno(), 0, size)
            return np.memmap(file, np.int16, "r+", shape=shape)
    except OSError as error:
        if size > _MOST_IN_MEMORY:
            raise ExportError(
                f"There is no room on the disk for {size / 1e9:.1f} GB of sound; free some to hear it here."
            ) from error
    return np.zeros(shape, np.int16)
