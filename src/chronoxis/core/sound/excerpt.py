"""Recorded sound of a stretch, cut to the sample."""

from collections.abc import Iterator
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
import numpy.typing as npt
from av.audio.frame import AudioFrame
from av.audio.resampler import AudioResampler
from av.container import InputContainer

from chronoxis.core.errors import FootageError


def excerpt(
    container: InputContainer, path: Path, begin: Fraction, end: Fraction, sample_format: str
) -> Iterator[AudioFrame]:
    """Decode the main sound between two times on the file's own clock, in seconds.

    Yields frames in ``sample_format``, stamped in samples from 0 at ``begin``; where the sound begins
    later, so do the stamps.

    Raises:
        FootageError: the sound cannot be decoded.
    """
    stream = container.streams.audio[0]
    context = stream.codec_context
    rate = context.sample_rate
    resampler = AudioResampler(sample_format, context.layout, rate)
    if stream.time_base:
        container.seek(int(max(begin - 1, Fraction(0)) / stream.time_base), stream=stream, backward=True)
    try:
        for decoded in container.decode(stream):
            for frame in resampler.resample(decoded):
                if frame.pts is None or frame.time_base is None:
                    continue
                first = round((frame.pts * frame.time_base - begin) * rate)
                if first >= (end - begin) * rate:
                    return
                kept = _cut(frame, first, round((end - begin) * rate))
                if kept is not None:
                    yield kept
    except av.FFmpegError as error:
        raise FootageError(f"The sound of {path.name} cannot be decoded: {error.strerror}.") from error


def _cut(frame: AudioFrame, first: int, stop: int) -> AudioFrame | None:
    """The part of a frame, whose first sample has number ``first``, that lies in 0 to ``stop``."""
    low, high = max(0, -first), min(frame.samples, stop - first)
    if low >= high:
        return None
    samples = frame.to_ndarray()
    step = 1 if frame.format.is_planar else len(frame.layout.channels)
    part: npt.NDArray[np.float32] = np.ascontiguousarray(samples[:, low * step : high * step])
    cut = AudioFrame.from_ndarray(part, frame.format.name, frame.layout.name)
    cut.sample_rate = frame.sample_rate
    cut.time_base = Fraction(1, frame.sample_rate)
    cut.pts = first + low
    return cut
