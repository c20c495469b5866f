"""The sound of the result, made in the background from the very plan that export reads."""

import os
import tempfile
import threading
import time
from collections.abc import Callable
from contextlib import closing

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
        self._pcm: Pcm = np.zeros((0, CHANNELS), np.int16)
        self._done = 0
        self._silent = True
        self._hurries = False
        self._knows = True
        self._rate = 0.0  # seconds made in a second, lately
        self._work = NewestWorker(self._answer, "sound")
        self._work.failed.connect(self.failed)

    def hurry(self, on: bool) -> None:
        """Somebody waits for it, or no longer does."""
        self._hurries = on

    def follow(self, plan: Plan | None) -> None:
        """Work for another plan; what was made is forgotten."""
        with self._lock:
            self._plan = plan
            self._done, self._silent = 0, True
            self._knows = plan is None or not plan.settings.sound
        if plan is not None:
            self._work.ask(plan)

    @property
    def is_silent(self) -> bool:
        """Whether there is nothing to be heard, as far as is known."""
        return self._silent

    @property
    def is_known(self) -> bool:
        """Whether it is known by now if there is anything to be heard."""
        return self._knows

    @property
    def ready(self) -> float:
        """Result seconds that are made."""
        return self._done / RATE

    def has(self, begin: float, end: float) -> bool:
        """Whether a stretch of the result, in seconds, is made, as far as the result goes."""
        return self._silent or self._done >= min(round(max(begin, end) * RATE), len(self._pcm))

    def seconds_left(self, until: float) -> float:
        """How long it takes until a result second is made, as it goes at present."""
        return max(0.0, until - self.ready) / self._rate if self._rate else 0.0

    def between(self, first: int, end: int) -> Pcm:
        """Samples of the result; silence where nothing is made or there is no result."""
        taken = np.zeros((end - first, CHANNELS), np.int16)
        low, high = max(first, 0), min(end, self._done)
        if low < high and not self._silent:
            taken[low - first : high - first] = self._pcm[low:high]
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
                self._silent = self._knows = True
            raise

    def _make(self, plan: Plan, check: Callable[[], None]) -> None:
        self._wait_for_rest(check)
        if not plan.settings.sound or not plan.sound.is_heard:
            with self._lock:
                self._check_plan(plan)
                self._knows = True
            return
        total = round(plan.schedule.length * RATE)
        pcm = _room_for(total)
        with self._lock:
            self._check_plan(plan)
            self._pcm, self._done, self._silent, self._knows = pcm, 0, False, True
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
                    self._done = at
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
