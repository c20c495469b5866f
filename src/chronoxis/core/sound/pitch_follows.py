"""Sound at a speed that changes all the time, whose pitch follows as that of a tape does.

Each sample is interpolated from the source by a windowed sinc (J. O. Smith, *Digital audio resampling*,
CCRMA, 2002) that lets pass only what the result can hold. Where the source runs faster than twice, it is
first halved as often as need be, so that the sinc stays short.
"""

from collections.abc import Callable
from functools import cache

import numpy as np

from chronoxis.core.sound.samples import CHANNELS, Places, Samples

Between = Callable[[int, int], Samples]
Map = Callable[[Places], Places]

_KERNEL_REACH = 24  # samples on either side that each is made of
_PHASES = 4096
_CUTOFFS = 16
_KAISER_BETA = 8.0
_BLOCK_SAMPLES = 4096
_HALVING_REACH = 63


class PitchFollows:
    """Makes one stretch, block after block."""

    def __init__(self, sound: Between, place_at: Map, begin: int, end: int) -> None:
        """The terms are those of `PitchHeld`."""
        self._sound, self._place_at = sound, place_at
        self._next, self._end = begin, end

    def take(self, count: int) -> Samples:
        """The next samples, up to the end."""
        stop = min(self._next + count, self._end)
        parts = []
        # Cuts lie on whole blocks, so that the same samples come out however they are asked for.
        while self._next < stop:
            block_end = min((self._next // _BLOCK_SAMPLES + 1) * _BLOCK_SAMPLES, stop)
            parts.append(self._block(self._next, block_end))
            self._next = block_end
        return np.concatenate(parts, axis=1) if parts else np.zeros((CHANNELS, 0), np.float32)

    def _block(self, begin: int, end: int) -> Samples:
        whole = begin // _BLOCK_SAMPLES * _BLOCK_SAMPLES
        places = self._place_at(np.arange(whole, whole + _BLOCK_SAMPLES + 1, dtype=np.float64))
        steps = np.maximum(np.diff(places), 1e-9)
        places, steps = places[begin - whole : end - whole], steps[begin - whole : end - whole]
        lowest, highest = _level(float(steps.min())), _level(float(steps.max()))
        if lowest == highest:
            return self._interpolated(places, steps, lowest)
        made = np.empty((CHANNELS, end - begin), np.float32)
        levels = np.floor(np.log2(np.maximum(steps, 1.0)))
        for level in range(lowest, highest + 1):
            chosen = levels == level
            if chosen.any():
                made[:, chosen] = self._interpolated(places[chosen], steps[chosen], level)
        return made

    def _interpolated(self, places: Places, steps: Places, level: int) -> Samples:
        """At some rising places, from the source halved so many times."""
        every = 1 << level
        low = (int(places[0]) // every - _KERNEL_REACH) * every
        high = (int(places[-1]) // every + _KERNEL_REACH + 2) * every
        # Each halving needs some samples on either side of what it gives.
        margin = sum(_HALVING_REACH << number for number in range(level))
        margin = -(-margin // every) * every
        sound = self._sound(low - margin, high + margin)
        for _ in range(level):
            sound = _halved(sound)
        first = (low - margin) // every
        return _sinc_at(sound, places / every - first, np.maximum(steps / every, 1.0))


def _level(step: float) -> int:
    """How often the source is halved for a step."""
    return int(np.floor(np.log2(max(step, 1.0))))


def _halved(sound: Samples) -> Samples:
    """Every other sample of a sound, without what they could not hold."""
    from scipy import signal  # noqa: PLC0415 - slow to import, and not always needed

    low = signal.firwin(2 * _HALVING_REACH + 1, 0.46, window=("kaiser", 9.0)).astype(np.float32)
    return np.asarray(signal.oaconvolve(sound, low[None], mode="same", axes=1)[:, ::2], np.float32)


def _sinc_at(sound: Samples, places: Places, steps: Places) -> Samples:
    """Samples of a sound at some places, without what is higher than 1 over each step allows."""
    base = np.floor(places).astype(np.int64)
    phases = np.rint((places - base) * _PHASES).astype(np.int64)
    cutoffs = np.ceil((steps - 1) * _CUTOFFS - 1e-6).astype(np.int64)
    weights = _sincs()[np.clip(cutoffs, 0, _CUTOFFS), phases]
    windows = np.lib.stride_tricks.sliding_window_view(sound, 2 * _KERNEL_REACH, axis=1)
    return np.stack([np.einsum("ij,ij->i", rows[base - _KERNEL_REACH + 1], weights) for rows in windows])


@cache
def _sincs() -> Samples:
    """Weights by cutoff, by phase between two samples, and by sample from the farthest one before."""
    cutoffs = 1 / (1 + np.arange(_CUTOFFS + 1) / _CUTOFFS)
    cutoffs[1:] *= 0.96
    phases = np.arange(_PHASES + 1) / _PHASES
    off = phases[:, None] - np.arange(-_KERNEL_REACH + 1, _KERNEL_REACH + 1)
    window = np.i0(_KAISER_BETA * np.sqrt(np.clip(1 - (off / _KERNEL_REACH) ** 2, 0, None)))
    weights = np.stack([np.sinc(off * cutoff) * window for cutoff in cutoffs])
    weights /= weights.sum(axis=2, keepdims=True)
    return weights.astype(np.float32)
