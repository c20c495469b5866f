"""What sound is heard through: the machine's own output, or a stand-in that keeps what it was given."""

import os
import threading
import time
from collections.abc import Callable, Generator
from pathlib import Path
from typing import Protocol

import numpy as np
import numpy.typing as npt

from chronoxis.core.sound.samples import CHANNELS, RATE

Pcm = npt.NDArray[np.int16]
"""Shape (samples, channels)."""

Pull = Callable[[int], Pcm]
"""Gives the next so many samples. Called on the device's own thread."""

_PERIOD = 0.02  # seconds that devices take at a time
_BUFFER = 120  # milliseconds between what a device takes and what is heard
_SOCKETS = ("pulse/native", "pipewire-0")


class DeviceError(Exception):
    """There is no sound device, or it is gone; the text says so."""


class Device(Protocol):
    """Takes samples at its own true rate."""

    def start(self, pull: Pull) -> None:
        """Begin to take samples. Raises DeviceError."""

    def stop(self) -> None:
        """Stop playing: no further samples are taken."""

    @property
    def heard(self) -> float:
        """Seconds of what it took that were heard since the start."""

    @property
    def is_lost(self) -> bool:
        """Whether it went away while it played."""

    def close(self) -> None:
        """Close the device."""


class _Clock:
    """How much was taken when, so that the time between is known as well."""

    def __init__(self, latency: float) -> None:
        self._latency = latency
        self._taken, self._at = 0, time.monotonic()
        self._last = 0.0
        self._lock = threading.Lock()

    def take(self, samples: int) -> None:
        with self._lock:
            self._at = time.monotonic()
            self._taken += samples
            self._last = samples / RATE

    def heard(self) -> float:
        with self._lock:
            since = min(time.monotonic() - self._at, 4 * max(self._last, _PERIOD))
            return max(0.0, (self._taken / RATE) - self._last + since - self._latency)

    @property
    def idle(self) -> float:
        return time.monotonic() - self._at


class OutputDevice:
    """The machine's own output."""

    def __init__(self) -> None:
        """Raises DeviceError if there is none."""
        import miniaudio  # noqa: PLC0415 - it looks for devices as soon as it is imported

        if not _may_have_output():
            raise DeviceError("This machine has no sound device.")
        try:
            self._device = miniaudio.PlaybackDevice(
                output_format=miniaudio.SampleFormat.SIGNED16,
                nchannels=CHANNELS,
                sample_rate=RATE,
                buffersize_msec=_BUFFER,
                app_name="Chronoxis",
            )
        except miniaudio.MiniaudioError as error:
            raise DeviceError("The sound device of this machine cannot be opened.") from error
        self._error = miniaudio.MiniaudioError
        self._clock = _Clock(_BUFFER / 1000)

    def start(self, pull: Pull) -> None:
        """Begin to take samples. Raises DeviceError."""
        self._clock = clock = _Clock(_BUFFER / 1000)

        def samples() -> Generator[bytes, int, None]:
            wanted = yield b""
            while True:
                clock.take(wanted)
                wanted = yield pull(wanted).tobytes()

        given = samples()
        next(given)
        try:
            self._device.start(given)
        except self._error as error:
            raise DeviceError("The sound device does not start.") from error

    def stop(self) -> None:
        """Stop playing: no further samples are taken."""
        self._device.stop()

    @property
    def heard(self) -> float:
        """Seconds that were heard since the start."""
        return self._clock.heard()

    @property
    def is_lost(self) -> bool:
        """Whether it has taken nothing for a while."""
        return self._clock.idle > 1.0

    def close(self) -> None:
        """Close the device."""
        self._device.close()


class SimulatedDevice:
    """Takes samples at the true rate and keeps them, with the times at which it took them.

    Attributes:
        kept: what it was given since the last start, block by block, each with its second of the clock.
    """

    def __init__(self) -> None:
        self.kept: list[tuple[float, Pcm]] = []
        self._clock = _Clock(_PERIOD)
        self._thread: threading.Thread | None = None
        self._going = threading.Event()
        self._lost = False

    def start(self, pull: Pull) -> None:
        """Begin to take samples."""
        self.stop()
        if self._lost:
            raise DeviceError("The sound device is gone.")
        self.kept, self._clock = [], _Clock(_PERIOD)
        self._going.set()
        self._thread = threading.Thread(target=self._run, args=(pull,), name="sound device", daemon=True)
        self._thread.start()

    def lose(self) -> None:
        """Go away, as if somebody pulled the plug."""
        self._lost = True
        self._going.clear()

    def stop(self) -> None:
        """Stop playing: no further samples are taken."""
        self._going.clear()
        if self._thread is not None and self._thread is not threading.current_thread():
            self._thread.join(1)
        self._thread = None

    @property
    def heard(self) -> float:
        """Seconds that would have been heard since the start."""
        return self._clock.heard()

    @property
    def is_lost(self) -> bool:
        """Whether the device was unplugged, or failed."""
        return self._lost

    @property
    def sound(self) -> Pcm:
        """All that it was given since the start."""
        return np.concatenate([np.zeros((0, CHANNELS), np.int16), *(block for _, block in self.kept)])

    def close(self) -> None:
        """Stop playing: no further samples are taken."""
        self.stop()

    def _run(self, pull: Pull) -> None:
        began, taken = time.monotonic(), 0
        while self._going.is_set():
            due = round((time.monotonic() - began + _PERIOD) * RATE)
            if due > taken:
                self._clock.take(due - taken)
                self.kept.append((time.monotonic(), pull(due - taken)))
                taken = due
            time.sleep(_PERIOD / 2)


def open_device() -> Device:
    """The device to play through. ``CHRONOXIS_SOUND`` may be ``simulated`` or ``none``.

    Raises:
        DeviceError: there is none.
    """
    wish = os.environ.get("CHRONOXIS_SOUND", "")
    if wish == "simulated":
        return SimulatedDevice()
    if wish == "none":
        raise DeviceError("There is no sound device.")
    return OutputDevice()


def _may_have_output() -> bool:
    """Whether it makes sense to ask: asking where there is nothing takes long, and is told on the console."""
    runtime = os.environ.get("XDG_RUNTIME_DIR")
    sockets = runtime and any((Path(runtime) / name).exists() for name in _SOCKETS)
    return bool(os.environ.get("PULSE_SERVER") or sockets or Path("/dev/snd").exists())
