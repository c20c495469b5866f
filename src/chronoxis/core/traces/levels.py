"""How loud sound is along footage: what waveforms are drawn from."""

from collections.abc import Callable, Iterator
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
import numpy.typing as npt
from av.audio.frame import AudioFrame
from av.container import InputContainer

from chronoxis.core.errors import FootageError
from chronoxis.core.footage.recording.containers import open_container
from chronoxis.core.sound.samples import RATE, Samples

Levels = npt.NDArray[np.float16]
"""Peaks of stretches of 10 ms, 0 to 1."""

PER_SECOND = 100
_SAMPLES_PER_LEVEL = RATE // PER_SECOND
_INDEXED_FORMATS = ("mp4", "matroska")  # file formats that tell at once where their packets are
_MOST_LEAPS = 1500  # places at which such a file is looked into: more than a lane has bars
_PACKETS_PER_LEAP = 32  # packets, of which a few are decoded at a glance
_LEADING_PACKETS = 5  # of these, what the one that is taken may need before it: MP3 reaches back that far


class LevelListener:
    """Listens to blocks that follow one another."""

    def __init__(self) -> None:
        self._rest = np.zeros(0, np.float32)
        self._peaks: list[Levels] = []

    def hear(self, samples: Samples) -> None:
        """Listen to the next block."""
        loud = np.concatenate((self._rest, np.abs(samples).max(axis=0)))
        count = len(loud) // _SAMPLES_PER_LEVEL
        self._peaks.append(
            loud[: count * _SAMPLES_PER_LEVEL]
            .reshape(count, _SAMPLES_PER_LEVEL)
            .max(axis=1)
            .astype(np.float16)
        )
        self._rest = loud[count * _SAMPLES_PER_LEVEL :]

    def levels(self) -> Levels:
        """The levels of all sound that came so far."""
        rest = [np.array([self._rest.max()], np.float16)] if len(self._rest) else []
        return np.concatenate([np.zeros(0, np.float16), *self._peaks, *rest])


def glance(path: Path, start: Fraction, length: Fraction, check: Callable[[], None]) -> Levels:
    """Levels told by some packets of a file's main sound, in a fraction of the time.

    Args:
        path: of the file.
        start: second of its own clock at which levels begin.
        length: seconds.
        check: called now and then; may raise to stop.

    Raises:
        FootageError: it cannot be opened, or has no sound.
    """
    levels = np.zeros(round(length * PER_SECOND) + 1, np.float16)
    known = np.zeros(len(levels), np.bool_)
    with open_container(path) as container:
        if not container.streams.audio:
            raise FootageError(f"{path.name} has no sound.")
        leaps = any(name in container.format.name for name in _INDEXED_FORMATS)
        frames = _by_leaps(container, start, length, check) if leaps else _some_frames(container, check)
        for frame in frames:
            assert frame.pts is not None and frame.time_base is not None
            first = round((frame.pts * frame.time_base - start) * PER_SECOND)
            lasting = max(1, round(frame.samples / frame.sample_rate * PER_SECOND))
            if 0 <= first < len(levels):
                levels[first : first + lasting] = _peak(frame)
                known[first : first + lasting] = True
    there = np.flatnonzero(known)
    if len(there):
        nearest = there[np.clip(np.searchsorted(there, np.arange(len(levels))), 0, len(there) - 1)]
        levels = levels[nearest]
    return levels


def _by_leaps(
    container: InputContainer, start: Fraction, length: Fraction, check: Callable[[], None]
) -> Iterator[AudioFrame]:
    """Frames from all over a file that knows where its packets are; however long it is, as many of them."""
    stream = container.streams.audio[0]
    tick = Fraction(stream.time_base or 1)
    for number in range(_MOST_LEAPS):
        if number % 50 == 0:
            check()
        container.seek(int((start + length * number / _MOST_LEAPS) / tick), stream=stream, backward=True)
        for place, packet in enumerate(container.demux(stream)):
            try:
                frames = packet.decode()
            except av.InvalidDataError:
                frames = []
            if place == 1:
                yield from (frame for frame in frames if frame.pts is not None)
                break


def _some_frames(container: InputContainer, check: Callable[[], None]) -> Iterator[AudioFrame]:
    """The frames of some packets; what cannot be decoded is passed over: others are near."""
    for number, packet in enumerate(container.demux(container.streams.audio[0])):
        if number % 500 == 0:
            check()
        if number % _PACKETS_PER_LEAP > _LEADING_PACKETS:
            continue
        try:
            frames = packet.decode()
        except av.InvalidDataError:
            continue
        if number % _PACKETS_PER_LEAP == _LEADING_PACKETS:
            yield from (frame for frame in frames if frame.pts is not None)


def _peak(frame: AudioFrame) -> float:
    samples = frame.to_ndarray()
    peak = float(np.abs(samples.astype(np.float32)).max())
    return peak / 2.0 ** (8 * samples.dtype.itemsize - 1) if samples.dtype.kind == "i" else peak
