"""*Field from the tower*, heard: air over the field, a few birds, and the burners."""

import numpy as np
import numpy.typing as npt

from chronoxis.demo.tower_truth import BALLOONS, roars

SAMPLE_RATE = 48_000

_BLOCK = SAMPLE_RATE
_BLEND = 2048


def field_sound(seconds: float) -> npt.NDArray[np.float32]:
    """Mono samples, -1..1, shape (seconds * 48000,)."""
    count = round(seconds * SAMPLE_RATE)
    random = np.random.default_rng(23)
    air = low_noise(random, count, 320) * 0.05
    sound = air * (1 + 0.35 * np.sin(np.arange(count) / SAMPLE_RATE * 0.4))
    roar = low_noise(random, _BLOCK * 2, 900) * 0.9 + low_noise(random, _BLOCK * 2, 4000) * 0.2
    for balloon in BALLOONS:
        for begin, end in roars(balloon):
            lay(sound, roar * balloon.width * 3, begin, end)
    for begin in np.arange(70, seconds - 1, 5.3):
        _chirp(sound, begin + random.uniform(0, 3), random.uniform(2600, 4200))
    return np.clip(sound, -1, 1).astype(np.float32)


def low_noise(random: np.random.Generator, count: int, cutoff: float) -> npt.NDArray[np.float64]:
    """Noise below a cutoff in Hz, of unit strength, made in the frequency domain in blocks that overlap."""
    block = np.fft.rfft(random.standard_normal(_BLOCK * 8))
    pitch = np.fft.rfftfreq(_BLOCK * 8, 1 / SAMPLE_RATE)
    looped = np.fft.irfft(block / (1 + (pitch / cutoff) ** 2))
    looped = looped / looped.std()
    return np.tile(looped, -(-count // len(looped)))[:count] * 0.3


def lay(sound: npt.NDArray[np.float64], roar: npt.NDArray[np.float64], begin: float, end: float) -> None:
    """Add a sound to another between two seconds, faded in and out."""
    first = round(begin * SAMPLE_RATE)
    if first >= len(sound):
        return
    part = roar[: round((end - begin) * SAMPLE_RATE)]
    part = part[: len(sound) - first].copy()
    rise = min(_BLEND, len(part) // 2)
    if rise:
        part[:rise] *= np.linspace(0, 1, rise)
        part[-rise:] *= np.linspace(1, 0, rise)
    sound[first : first + len(part)] += part


def _chirp(sound: npt.NDArray[np.float64], begin: float, pitch: float) -> None:
    t = np.arange(round(0.18 * SAMPLE_RATE)) / SAMPLE_RATE
    call = np.sin(6.2832 * (pitch * t + 900 * np.sin(t * 40) / 40)) * np.sin(np.pi * t / 0.18) ** 2 * 0.05
    first = round(begin * SAMPLE_RATE)
    end = min(first + len(call), len(sound))
    if first < end:
        sound[first:end] += call[: end - first]
