"""Recorded sound of a stretch, without gaps and cut to the sample."""

from collections.abc import Callable, Iterator
from contextlib import suppress
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
from av.audio.frame import AudioFrame
from av.audio.resampler import AudioResampler
from av.audio.stream import AudioStream
from av.container import InputContainer

from chronoxis.core.errors import FootageError
from chronoxis.core.sound.samples import Samples

# Files round stamps to their tick; what is further off than this is a hole, or sound that comes twice.
_TOLERANCE = 0.04
_EDGE_FADE = 0.005  # seconds in which sound that begins or ends abruptly in the stretch comes and goes
_ABRUPT_LEVEL = 1e-3  # of a sample beside silence
_SILENT_SAMPLES = 48_000  # samples of silence given out at a time


def excerpt(
    container: InputContainer,
    path: Path,
    begin: Fraction,
    end: Fraction,
    rate: int,
    layout: str,
    broken: Callable[[Fraction], None] | None = None,
) -> Iterator[Samples]:
    """Decode the main sound between two times on the file's own clock, in seconds.

    Yields blocks that follow one another, as many samples as the stretch is long: where the file has no
    sound, silence.

    Args:
        container: opened for reading.
        path: what it is called in messages.
        begin: where the first sample is.
        end: where the last one ends.
        rate: samples per second to be had.
        layout: of the channels to be had, as FFmpeg names it.
        broken: told where a piece cannot be decoded; silence stands there.

    Raises:
        FootageError: none of the sound can be decoded.
    """
    total, given = round((end - begin) * rate), 0
    channels = len(av.AudioLayout(layout).channels)
    for at, block in _placed(container, path, begin, rate, layout, broken):
        if at >= total:
            break
        for silence in _silences(channels, at - given):
            yield silence
            given += silence.shape[1]
        fresh = block[:, given - at : total - at]
        if fresh.shape[1]:
            yield fresh
            given += fresh.shape[1]
    yield from _silences(channels, total - given)


def _silences(channels: int, samples: int) -> Iterator[Samples]:
    while samples > 0:
        yield np.zeros((channels, min(samples, _SILENT_SAMPLES)), np.float32)
        samples -= _SILENT_SAMPLES


def _placed(
    container: InputContainer,
    path: Path,
    begin: Fraction,
    rate: int,
    layout: str,
    broken: Callable[[Fraction], None] | None,
) -> Iterator[tuple[int, Samples]]:
    """Blocks, each with the number of its first sample, counted from ``begin``."""
    stream = container.streams.audio[0]
    if stream.time_base:
        # Without an index of its sound a file cannot be sought in: it is read from the beginning then.
        with suppress(av.FFmpegError, OSError):
            container.seek(int(max(begin - 1, Fraction(0)) / stream.time_base), stream=stream, backward=True)
    run: _Run | None = None
    try:
        for decoded in _decoded(container, stream, broken):
            if decoded.pts is None or decoded.time_base is None or not decoded.samples:
                continue
            # Fractions would take longer than the decoding; a place is told by them where it counts.
            seconds = decoded.pts * float(decoded.time_base)
            if run is None or abs(seconds - run.seconds) > _TOLERANCE:
                if run is not None:
                    yield from run.take(None)
                at = round((decoded.pts * decoded.time_base - begin) * rate)
                run = _Run(seconds, at, rate, layout, doubled=decoded.layout.nb_channels == 1)
            yield from run.take(decoded)
        if run is not None:
            yield from run.take(None)
    except (av.FFmpegError, ValueError) as error:
        raise FootageError(f"The sound of {path.name} cannot be decoded: {error}.") from error


def _decoded(
    container: InputContainer, stream: AudioStream, broken: Callable[[Fraction], None] | None
) -> Iterator[AudioFrame]:
    """What can be decoded from here on. Raises av.FFmpegError if that is nothing."""
    whole, lost = 0, None
    for packet in container.demux(stream):
        try:
            decoded = packet.decode()
        except av.InvalidDataError as error:
            lost = error
            if broken is not None and packet.pts is not None and packet.time_base is not None:
                broken(packet.pts * packet.time_base)
            continue
        whole += len(decoded)
        yield from decoded
    if lost is not None and not whole:
        raise lost


class _Run:
    """Sound without a hole, resampled as one.

    Where it begins or ends abruptly beside silence it is faded: stretched, that would be heard as a click.
    """

    def __init__(self, seconds: float, at: int, rate: int, layout: str, *, doubled: bool) -> None:
        """``doubled``: one channel is given to all, as loud as it is; the library would halve its power."""
        self.seconds = seconds
        self._copies = len(av.AudioLayout(layout).channels) if doubled else 1
        self._at = at
        self._resampler = AudioResampler("fltp", "mono" if doubled else layout, rate)
        self._edge = round(_EDGE_FADE * rate)
        self._begins_in_silence = at > 0
        self._last: Samples | None = None

    def take(self, decoded: AudioFrame | None) -> Iterator[tuple[int, Samples]]:
        """Samples up to those of the next frame, as far as there are any; at the end, None gives the rest."""
        if decoded is not None:
            self.seconds += decoded.samples / decoded.sample_rate
            decoded.pts = None
        for frame in self._resampler.resample(decoded):
            block = np.asarray(frame.to_ndarray(), np.float32)
            if self._copies > 1:
                block = np.repeat(block, self._copies, axis=0)
            yield from self._give(block)
        if decoded is None:
            yield from self._give(None)

    def _give(self, block: Samples | None) -> Iterator[tuple[int, Samples]]:
        """Give out what came before a block, which may be the last one and has to be faded then."""
        last, self._last = self._last, block
        if last is None:
            if block is not None and self._begins_in_silence:
                _fade(block, self._edge)
            return
        if block is None:
            _fade(last[:, ::-1], self._edge)
        yield self._at, last
        self._at += last.shape[1]


def _fade(block: Samples, edge: int) -> None:
    """Fade the beginning of a block, in place, if it begins abruptly."""
    count = min(edge, block.shape[1])
    if count and np.abs(block[:, 0]).max() > _ABRUPT_LEVEL:
        block[:, :count] *= 0.5 - 0.5 * np.cos(np.pi * (np.arange(count, dtype=np.float32) + 0.5) / count)
