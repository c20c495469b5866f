"""Keeping a mix below a true peak.

The true peak is what a sound comes to between its samples, found by oversampling four times (ITU-R BS.1770-5,
annex 2). The gain is brought down ahead of each peak and up after it along a smooth course that is nowhere
above what any peak within its reach allows: the least of the gains within reach, averaged over as much.
"""

import numpy as np
import numpy.typing as npt

from chronoxis.core.sound.samples import Samples, gain_of, silence

CEILING = -1.0
"""dBTP that nothing exceeds."""

# Another meter's filter may find a little more between the samples than ours.
_LIMIT = gain_of(CEILING - 0.3)
_REACH_SAMPLES = 1440  # samples on either side: 30 ms
_OVERSAMPLING_MARGIN = 32  # samples that oversampling needs on either side
_OVERSAMPLING = 4
# Oversampling cannot more than triple a peak: what stays below a third needs no look.
_SAFE_LEVEL = _LIMIT / 3

LOOK_AHEAD = 2 * _REACH_SAMPLES + _OVERSAMPLING_MARGIN
"""Samples that come out later than they went in."""


class Limiter:
    """Takes blocks one after another, and gives out as many samples, `LOOK_AHEAD` later."""

    def __init__(self) -> None:
        self._held = silence(2 * LOOK_AHEAD)

    def take(self, block: Samples) -> Samples:
        """The samples whose gain is known with these."""
        sound = np.concatenate((self._held, block), axis=1)
        self._held = sound[:, -2 * LOOK_AHEAD :].copy()
        given = sound[:, LOOK_AHEAD : LOOK_AHEAD + block.shape[1]]
        if not block.shape[1] or np.abs(sound).max() < _SAFE_LEVEL:
            return given
        from scipy import ndimage  # noqa: PLC0415 - slow to import, and not always needed

        allowed = np.minimum(1.0, _LIMIT / np.maximum(_true_peaks(sound), 1e-9))
        least = ndimage.minimum_filter1d(allowed, 2 * _REACH_SAMPLES + 1, mode="nearest")
        gain = ndimage.uniform_filter1d(least, 2 * _REACH_SAMPLES + 1, mode="nearest")
        return np.asarray(given * gain[LOOK_AHEAD : LOOK_AHEAD + block.shape[1]], np.float32)


def _true_peaks(sound: Samples) -> npt.NDArray[np.float64]:
    """The highest absolute value of any channel around each sample."""
    from scipy import fft  # noqa: PLC0415 - slow to import, and not always needed

    count = sound.shape[1]
    padded = fft.next_fast_len(count + _OVERSAMPLING_MARGIN, real=True)
    shaped = np.zeros((len(sound), padded), np.float32)
    shaped[:, :count] = sound
    spectrum = fft.rfft(shaped, axis=1)
    over = fft.irfft(spectrum, _OVERSAMPLING * padded, axis=1)[:, : _OVERSAMPLING * count] * _OVERSAMPLING
    peaks = np.abs(over).max(axis=0).reshape(-1, _OVERSAMPLING).max(axis=1)
    return np.asarray(np.maximum(peaks, np.concatenate(([0.0], peaks[:-1]))))
