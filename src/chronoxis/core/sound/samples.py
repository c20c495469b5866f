"""Sound as numbers: what all of it is inside the program."""

import numpy as np
import numpy.typing as npt

Samples = npt.NDArray[np.float32]
"""Shape (channels, samples), -1 to 1."""

Places = npt.NDArray[np.float64]
"""Positions in sound, in samples and parts of them."""

RATE = 48_000
"""Samples per second of all sound inside."""

LAYOUT = "stereo"
CHANNELS = 2


def gain_of(level: float) -> float:
    """The factor of a level in dB."""
    return float(10 ** (level / 20))


def silence(count: int) -> Samples:
    """So many samples of nothing."""
    return np.zeros((CHANNELS, count), np.float32)
