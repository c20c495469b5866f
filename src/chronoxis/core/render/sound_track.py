"""Writing kept sound into a file."""

from fractions import Fraction

import numpy as np
from av.audio.fifo import AudioFifo
from av.audio.frame import AudioFrame
from av.audio.resampler import AudioResampler
from av.audio.stream import AudioStream
from av.container.output import OutputContainer

from chronoxis.core.model.export_format import ExportFormat
from chronoxis.core.sound.samples import LAYOUT, RATE, Samples

_SOUND_CHUNK = 4096


class SoundTrack:
    """The sound of one file being written."""

    def __init__(self, container: OutputContainer, format_: ExportFormat) -> None:
        """Add it to a file whose header is not written yet."""
        stream = container.add_stream(format_.sound_codec, rate=RATE)
        assert isinstance(stream, AudioStream)
        stream.layout = LAYOUT
        stream.format = format_.sound_format
        stream.time_base = Fraction(1, RATE)
        if format_.sound_bitrate:
            stream.bit_rate = format_.sound_bitrate
        self._container, self._stream = container, stream
        self._fifo = AudioFifo()
        self._converter = AudioResampler(format_.sound_format, LAYOUT, RATE)
        self._samples = self._encoded = 0

    @property
    def seconds(self) -> Fraction:
        """Result time up to which samples were given."""
        return Fraction(self._samples, self._stream.rate)

    def write(self, samples: Samples) -> None:
        """Write the next samples."""
        frame = AudioFrame.from_ndarray(np.ascontiguousarray(samples), "fltp", LAYOUT)
        frame.sample_rate = self._stream.rate
        self._samples += samples.shape[1]
        for converted in self._converter.resample(frame):
            converted.pts = None
            self._fifo.write(converted)
        self._encode(self._fifo.read_many(self._stream.codec_context.frame_size or _SOUND_CHUNK))

    def finish(self) -> None:
        """Write what is left."""
        rest = self._fifo.read(0, partial=True)
        self._encode([rest] if rest else [])
        self._container.mux(self._stream.encode(None))

    def _encode(self, frames: list[AudioFrame]) -> None:
        for frame in frames:
            frame.pts, frame.time_base = self._encoded, Fraction(1, self._stream.rate)
            self._encoded += frame.samples
            self._container.mux(self._stream.encode(frame))
