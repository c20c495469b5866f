"""How loud a sound is as people hear it: integrated loudness by EBU R 128, measured by FFmpeg."""

from fractions import Fraction

import av
import numpy as np
from av.audio.frame import AudioFrame
from av.filter import Graph

from chronoxis.core.sound.samples import LAYOUT, RATE, Samples

LEAST_MEASURED = Fraction(2, 5)
"""Seconds of sound that loudness can be measured of (EBU R 128: its shortest window)."""

SILENT = -70.0
"""LUFS of what is not heard at all."""


class LoudnessMeter:
    """Listens to blocks that follow one another."""

    def __init__(self) -> None:
        self._graph = Graph()
        self._source = self._graph.add_abuffer(sample_rate=RATE, format="fltp", layout=LAYOUT)
        meter = self._graph.add("ebur128", "metadata=1")
        sink = self._graph.add("abuffersink")
        self._source.link_to(meter)
        meter.link_to(sink)
        self._graph.configure()
        self._heard = 0
        self._found = SILENT

    def hear(self, samples: Samples) -> None:
        """Listen to the next block."""
        if not samples.shape[1]:
            return
        frame = AudioFrame.from_ndarray(np.ascontiguousarray(samples), "fltp", LAYOUT)
        frame.sample_rate, frame.pts = RATE, self._heard
        self._heard += samples.shape[1]
        self._source.push(frame)
        self._drain()

    def loudness(self) -> float:
        """LUFS of all that was heard; `SILENT` at least. Ends the listening."""
        self._source.push(None)
        self._drain()
        return self._found

    def _drain(self) -> None:
        while True:
            try:
                measured = self._graph.pull()
            except (av.BlockingIOError, av.EOFError):
                return
            if (said := measured.metadata.get("lavfi.r128.I")) is not None:  # a rest at the end says nothing
                found = float(said)
                self._found = max(found, SILENT) if np.isfinite(found) else SILENT
