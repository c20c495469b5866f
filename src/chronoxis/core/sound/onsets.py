"""Where sound begins abruptly, to a fraction of a millisecond."""

import numpy as np
import numpy.typing as npt

from chronoxis.core.sound.samples import Samples

_HOP_SAMPLES = 64
_HOPS_BEFORE = 32  # hops whose mean an onset stands out from
_STANDS_OUT = 16.0
_LEAST_ENERGY = 1e-6  # mean square of differences: what is quieter is no onset
APART = 2400
"""Samples between two onsets, at least; of nearer ones the first counts."""

MARGIN = _HOP_SAMPLES * (_HOPS_BEFORE + 2)
"""Samples that must be known before a place to tell whether there is an onset."""


def onsets(sound: Samples, first: int) -> npt.NDArray[np.int64]:
    """Sample numbers of the onsets in a stretch, ascending, at least `APART` from one another.

    The energy of the difference signal in a hop is compared with its mean in the 43 ms before. It does not
    depend on where the stretch begins, except in its first `MARGIN` samples, of which nothing is said.

    Args:
        sound: the stretch.
        first: number of its first sample; the hops lie on whole multiples of their length.
    """
    skip = -first % _HOP_SAMPLES
    mono = sound[:, skip:].sum(axis=0, dtype=np.float64)
    steps = np.diff(mono, prepend=mono[:1])
    count = len(steps) // _HOP_SAMPLES
    if count <= _HOPS_BEFORE:
        return np.empty(0, np.int64)
    energy = (steps[: count * _HOP_SAMPLES].reshape(count, _HOP_SAMPLES) ** 2).mean(axis=1)
    summed = np.concatenate(([0.0], np.cumsum(energy)))
    usual = (summed[_HOPS_BEFORE:-1] - summed[: -_HOPS_BEFORE - 1]) / _HOPS_BEFORE
    there = (
        np.flatnonzero(energy[_HOPS_BEFORE:] > _STANDS_OUT * np.maximum(usual, _LEAST_ENERGY / _STANDS_OUT))
        + _HOPS_BEFORE
    )
    found: list[int] = []
    for hop in there.tolist():
        inside = steps[hop * _HOP_SAMPLES : (hop + 1) * _HOP_SAMPLES]
        place = first + skip + hop * _HOP_SAMPLES + int(np.argmax(np.abs(inside)))
        if not found or place - found[-1] >= APART:
            found.append(place)
    return np.array(found, np.int64)
