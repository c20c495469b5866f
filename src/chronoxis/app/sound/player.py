"""Playing the result's sound in step with its pictures: the device's clock is the one that both follow."""

import threading
from collections.abc import Callable

import numpy as np
from PySide6.QtCore import QObject, Signal

from chronoxis.app.background import in_one_line
from chronoxis.app.sound.devices import Device, DeviceError, Pcm
from chronoxis.app.sound.sound_ahead import SoundAhead
from chronoxis.app.workers import QueueWorker
from chronoxis.core.sound.samples import CHANNELS, RATE

_FASTEST_SHUTTLE = 4  # times the true rate at which sound still says something
_GRAIN = round(0.09 * RATE)  # samples heard at each moment that is scrubbed over
_GRAIN_EDGE = round(0.02 * RATE)


class Player(QObject):
    """Gives a device what is due.

    Signals:
        said: a message for the person.
    """

    said = Signal(str)

    def __init__(self, ahead: SoundAhead, opens: Callable[[], Device]) -> None:
        super().__init__()
        self._ahead, self._opens = ahead, opens
        self._opener = QueueWorker(lambda _: self._open(), "sound device")
        self._opener.done.connect(lambda _question, _answer: self._let_hear_what_waits())
        self._device: Device | None = None
        self._asked = self._silent_for_good = False
        self._lock = threading.Lock()
        self._next = 0
        self._shuttle = 1
        self._grain: Pcm | None = None
        self._awaits_device: Pcm | None = None
        self._grain_at = 0
        self._playing = False
        self.scrubs = True

    @property
    def is_opening(self) -> bool:
        """Whether a device is being looked for."""
        return self._asked and self._device is None and not self._silent_for_good

    def look_for_device(self) -> None:
        """Open a device beside the interface thread, unless that was tried."""
        if not self._asked:
            self._asked = True
            self._opener.ask(None)

    def start(self, frame_begin: float, shuttle: int) -> bool:
        """Play from a result second on, at so many times the true rate; whether there is a clock then."""
        self.stop()
        if self._device is None or self._ahead.is_silent or abs(shuttle) > _FASTEST_SHUTTLE:
            return False
        with self._lock:
            self._next, self._shuttle = round(frame_begin * RATE), shuttle
        try:
            self._device.start(self._pull)
        except DeviceError as error:
            self._lose(str(error))
            return False
        self._playing = True
        return True

    def stop(self) -> None:
        """Play no more."""
        if self._device is not None and (self._playing or self._grain is not None):
            self._device.stop()
        self._playing = False
        self._grain = None

    def passed(self) -> float | None:
        """Seconds that were heard since the start; None if the device is gone or nothing plays."""
        if not self._playing or self._device is None:
            return None
        if self._device.is_lost:
            self._lose("The sound device is gone; the picture plays on without sound.")
            return None
        return self._device.heard

    def set_scrubs(self, on: bool) -> None:
        """Whether what is scrubbed over is heard."""
        self.scrubs = on

    def scrub_over(self, result_seconds: float) -> None:
        """Let a short grain be heard."""
        if not self.scrubs or self._ahead.is_silent:
            return
        first = round(result_seconds * RATE)
        grain = self._ahead.between(first, first + _GRAIN).astype(np.float32)
        edge = np.linspace(0, 1, _GRAIN_EDGE, dtype=np.float32)[:, None]
        grain[:_GRAIN_EDGE] *= edge
        grain[-_GRAIN_EDGE:] *= edge[::-1]
        self.let_hear(grain.astype(np.int16))

    def let_hear(self, samples: Pcm) -> None:
        """Play something by itself, once, as soon as there is a device; nothing while the result plays."""
        self.look_for_device()
        if self._device is None:
            self._awaits_device = samples if self.is_opening else None
            return
        if self._playing:
            return
        idle = self._grain is None
        with self._lock:
            self._grain, self._grain_at = samples, 0
        if idle:
            try:
                self._device.start(self._pull_grain)
            except DeviceError as error:
                self._lose(str(error))

    def _let_hear_what_waits(self) -> None:
        samples, self._awaits_device = self._awaits_device, None
        if samples is not None and self._device is not None:
            self.let_hear(samples)

    def close(self) -> None:
        """Let go of the device."""
        self.stop()
        self._opener.close()
        self._silent_for_good = True
        if self._device is not None:
            self._device.close()

    def _open(self) -> None:
        try:
            device = self._opens()
            if self._silent_for_good:  # nobody waits for it any more
                device.close()
            else:
                self._device = device
        except DeviceError as error:
            self._silent_for_good = True
            self.said.emit(f"{error} The result plays without sound, at its true rate.")
        except Exception as error:
            self._silent_for_good = True
            self.said.emit(in_one_line(error))

    def _lose(self, why: str) -> None:
        self._device, self._silent_for_good, self._playing = None, True, False
        self.said.emit(why)

    def _pull(self, count: int) -> Pcm:
        with self._lock:
            shuttle, first = self._shuttle, self._next
            self._next += count * shuttle
        span = count * abs(shuttle)
        low = first if shuttle > 0 else first - span
        taken = self._ahead.between(low, low + span)
        if shuttle < 0:
            taken = taken[::-1]
        if abs(shuttle) > 1:
            grouped = taken.reshape(count, abs(shuttle), CHANNELS)
            taken = grouped.mean(axis=1).astype(np.int16)
        return np.ascontiguousarray(taken)

    def _pull_grain(self, count: int) -> Pcm:
        taken = np.zeros((count, CHANNELS), np.int16)
        with self._lock:
            if self._grain is not None:
                part = self._grain[self._grain_at : self._grain_at + count]
                taken[: len(part)] = part
                self._grain_at += len(part)
        return taken
