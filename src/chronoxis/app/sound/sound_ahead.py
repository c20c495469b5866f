"""The sound of the result, made in the background from the very plan that export reads."""

import os
import tempfile
import threading
import time
from contextlib import closing

import numpy as np
from PySide6.QtCore import QObject, Signal

from chronoxis.app.background import give_way, in_one_line, stand_aside
from chronoxis.app.sound.devices import Pcm
from chronoxis.core.errors import Cancelled, ExportError
from chronoxis.core.render.plan import Plan
from chronoxis.core.sound.loudness import LoudnessMeter
from chronoxis.core.sound.mixing import as_int16, measured, mixed
from chronoxis.core.sound.samples import CHANNELS, RATE

_REST = 0.4  # seconds without an edit after which it is worth beginning
_LOOK = 0.02
_MOST_IN_MEMORY = 512 * 1024 * 1024  # bytes
_BREATH = 0.01  # seconds between blocks in which others have the interpreter


class SoundAhead(QObject):
    """Makes all sound of a plan from the beginning on, and keeps it on the disk while it is of use.

    Signals:
        made: seconds of the result that are made, and the length of all.
        failed: a message for the person.
        measured_loudness: LUFS of the whole.
    """

    made = Signal(float, float)
    failed = Signal(str)
    measured_loudness = Signal(float)

    def __init__(self) -> None:
        super().__init__()
        self._condition = threading.Condition()
        self._plan: Plan | None = None
        self._version = 0
        self._waits = self._closed = False
        self._pcm: Pcm = np.zeros((0, CHANNELS), np.int16)
        self._done = 0
        self._silent = True
        self._hurries = False
        self._knows = True
        self._rate = 0.0  # seconds made in a second, lately
        self._thread = threading.Thread(target=self._run, name="sound", daemon=True)
        self._thread.start()

    def hurry(self, on: bool) -> None:
        """Somebody waits for it, or no longer does."""
        self._hurries = on

    def follow(self, plan: Plan | None) -> None:
        """Work for another plan; what was made is forgotten."""
        with self._condition:
            self._plan, self._waits = plan, True
            self._version += 1
            self._done, self._silent = 0, True
            self._knows = plan is None or not plan.settings.sound
            self._condition.notify()

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
        with self._condition:
            self._closed = True
            self._version += 1
            self._condition.notify()
        self._thread.join(5)

    def _run(self) -> None:
        give_way()
        while True:
            with self._condition:
                self._condition.wait_for(lambda: self._closed or self._waits)
                if self._closed:
                    return
                plan, version, self._waits = self._plan, self._version, False
            if plan is None:
                continue
            try:
                self._make(plan, version)
            except Cancelled:
                continue
            except Exception as error:
                if version == self._version:
                    self._silent = self._knows = True
                    self.failed.emit(in_one_line(error))

    def _make(self, plan: Plan, version: int) -> None:
        self._wait_for_rest(version)
        if not plan.settings.sound or not plan.sound.is_heard:
            with self._condition:
                self._check(version)
                self._knows = True
            return
        total = round(plan.schedule.length * RATE)
        pcm = _room_for(total)
        with self._condition:
            self._check(version)
            self._pcm, self._done, self._silent, self._knows = pcm, 0, False, True
        gain = 1.0
        if plan.project.mix.loudness is not None:
            gain = measured(plan.sound, plan.sounds(), lambda: self._check(version)).gain
        meter = LoudnessMeter()
        began, at = time.monotonic(), 0
        with closing(mixed(plan.sound, plan.sounds(), gain)) as blocks:
            for block in blocks:
                stand_aside()
                self._check(version)
                pcm[at : at + block.shape[1]] = as_int16(block)
                meter.hear(block)
                at += block.shape[1]
                with self._condition:
                    self._check(version)
                    self._done = at
                self._rate = at / RATE / max(time.monotonic() - began, 1e-3)
                if not self._hurries:
                    time.sleep(_BREATH)  # threads share the interpreter's lock
                self.made.emit(at / RATE, total / RATE)
        self.measured_loudness.emit(meter.loudness())

    def _wait_for_rest(self, version: int) -> None:
        """Until nothing was edited for a while, or somebody wants to hear it."""
        until = time.monotonic() + _REST
        while time.monotonic() < until and not self._hurries:
            time.sleep(_LOOK)
            self._check(version)
        stand_aside()

    def _check(self, version: int) -> None:
        if version != self._version:
            raise Cancelled


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
