"""Something regular that moves, such as spokes or pickets: how often it comes by, told from pictures.

Wherever it passes, the light of a pixel goes up and down at one rate, which stands out of its spectrum. What
moves without being regular has light of all rates, and each pixel others.
"""

from collections.abc import Sequence

import numpy as np
import numpy.typing as npt

from chronoxis.core.traces.camera_steps import Grey

PICTURES = 32
"""Consecutive pictures that are looked at."""

_LEAST_DEVIATION = 5.0  # least deviation of codes of a pixel
_LEAST_PURITY = 0.75  # share of its changes that lies at one rate and its multiples
_SLOWEST_BIN = 3  # bin of the spectrum; slower changes are those of anything that moves
_MULTIPLES = 2, 3
_LEAST_SHARE, _FEWEST_PIXELS = 0.001, 60  # of the picture's pixels that agree, and their number
_RATE_TOLERANCE = 0.02  # times a picture, by which rates may differ
_SLOWEST_RATE = 0.105  # below, whatever moves has about one rate by chance
_MOST_AGREE = 0.5  # share of the pixels with one rate that have the same


def passing_rate(pictures: Sequence[Grey]) -> float:
    """How often in the time of a picture something regular comes by, 0.1 to 0.5; 0 if there is nothing.

    ``pictures`` are consecutive, `PICTURES` of them, of one size.
    """
    light = np.stack(pictures).astype(np.float32).reshape(len(pictures), -1)
    usual = np.maximum(np.median(light, axis=1), 1.0)
    light *= (usual.mean() / usual)[:, None]  # lamps that flicker are no wheels
    light -= light.mean(axis=0)
    light = light[:, light.std(axis=0) >= _LEAST_DEVIATION]
    if not light.shape[1]:
        return 0.0
    taper = np.hanning(len(pictures) + 1)[:-1].astype(np.float32)
    power = np.abs(np.fft.rfft(light * taper[:, None], axis=0)) ** 2
    power[0] = 0
    lobes = power.copy()
    lobes[1:-1] += power[:-2] + power[2:]
    peak = _SLOWEST_BIN + np.argmax(lobes[_SLOWEST_BIN:-1], axis=0)
    pixels = np.arange(light.shape[1])
    told = lobes[peak, pixels]
    for times in _MULTIPLES:
        place = np.minimum(times * peak, len(power) - 1)
        told = told + np.where(times * peak < len(power) - 1, lobes[place, pixels], 0.0)
    pure = told >= _LEAST_PURITY * power.sum(axis=0)
    rates = _middles(power[:, pure], peak[pure]) / len(pictures)
    return _agreed(rates, np.prod(pictures[0].shape))


def _middles(power: npt.NDArray[np.float32], peak: npt.NDArray[np.int64]) -> npt.NDArray[np.float64]:
    """Bins about which the power around peaks lies."""
    pixels = np.arange(power.shape[1])
    around = np.stack([power[peak + offset, pixels] for offset in (-1, 0, 1)]).astype(np.float64)
    return np.asarray(peak + (around[2] - around[0]) / np.maximum(around.sum(axis=0), 1e-9))


def _agreed(rates: npt.NDArray[np.float64], pixels: np.int64) -> float:
    """The rate that enough of the pixels have; 0 if there is none."""
    if len(rates) < max(_FEWEST_PIXELS, _LEAST_SHARE * pixels):
        return 0.0
    ordered = np.sort(rates)
    counts = np.searchsorted(ordered, ordered + 2 * _RATE_TOLERANCE, "right") - np.arange(len(ordered))
    best = int(counts.argmax())
    agree = ordered[best : best + int(counts[best])]
    if len(agree) < max(_FEWEST_PIXELS, _LEAST_SHARE * pixels, _MOST_AGREE * len(rates)):
        return 0.0
    rate = float(np.median(agree))
    return rate if rate >= _SLOWEST_RATE else 0.0
