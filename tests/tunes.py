"""Tunes whose beats are known, synthesised."""

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from chronoxis.core.sound.samples import RATE

Sound = npt.NDArray[np.float64]


@dataclass(frozen=True)
class Tune:
    """A tune and what is true of it; seconds."""

    sound: npt.NDArray[np.float32]
    beats: npt.NDArray[np.float64]
    bars: npt.NDArray[np.float64]


def make_tune(
    tempo: float,
    *,
    seconds: float = 60,
    swing: float = 0.5,
    drift: float = 0.0,
    pause: tuple[float, float] | None = None,
    bar: int = 4,
    seed: int = 1,
) -> Tune:
    """Drums, bass and chords.

    ``swing`` is where the second eighth lies in its beat, ``drift`` the share by which the tempo wanders,
    ``pause`` a stretch in which the drums are silent.
    """
    random = np.random.default_rng(seed)
    sound = np.zeros(round(seconds * RATE))
    beats, at = [], 0.37
    while at < seconds - 0.2:
        beats.append(at)
        at += 60 / (tempo * (1 + drift * np.sin(at / 9)))
    chords = random.permutation([0, 5, 7, 9, 2, 4]).tolist()
    for number, (begin, end) in enumerate(zip(beats, [*beats[1:], at], strict=True)):
        place, quiet = number % bar, pause is not None and pause[0] <= begin < pause[1]
        root = 55 * 2 ** (chords[number // bar % len(chords)] / 12)
        if not quiet:
            if place in (0, 2) if bar == 4 else place == 0:
                _lay(sound, begin, _kick())
            else:
                _lay(sound, begin, _snare(random))
            _lay(sound, begin, _hat(random))
            _lay(sound, begin + swing * (end - begin), _hat(random) * 0.8)
        if place == 0:
            _lay(sound, begin, _note(root, (end - begin) * bar * 0.9, 0.25))
            for step in (0, 4, 7):
                _lay(sound, begin, _note(root * 4 * 2 ** (step / 12), (end - begin) * bar * 0.95, 0.06))
        elif random.random() < 0.5:
            _lay(sound, begin, _note(root * 2, (end - begin) * 0.7, 0.1))
    sound += random.standard_normal(len(sound)) * 0.003
    peak = np.abs(sound).max()
    return Tune((sound / peak * 0.8).astype(np.float32), np.array(beats), np.array(beats[::bar]))


def _lay(sound: Sound, begin: float, part: Sound) -> None:
    first = round(begin * RATE)
    end = min(first + len(part), len(sound))
    if first < end:
        sound[first:end] += part[: end - first]


def _kick() -> Sound:
    t = np.arange(round(0.25 * RATE)) / RATE
    return np.asarray(0.9 * np.sin(2 * np.pi * (48 * t + 6 * (1 - np.exp(-t * 30)))) * np.exp(-t * 14))


def _snare(random: np.random.Generator) -> Sound:
    t = np.arange(round(0.2 * RATE)) / RATE
    return np.asarray(
        (0.45 * random.standard_normal(len(t)) + 0.4 * np.sin(2 * np.pi * 190 * t)) * np.exp(-t * 22)
    )


def _hat(random: np.random.Generator) -> Sound:
    t = np.arange(round(0.06 * RATE)) / RATE
    return np.asarray(0.15 * np.diff(random.standard_normal(len(t) + 1)) * np.exp(-t * 70))


def _note(hertz: float, seconds: float, level: float) -> Sound:
    t = np.arange(round(seconds * RATE)) / RATE
    edge = np.minimum(1, np.minimum(t, t[::-1]) / 0.01)
    tone = np.sin(2 * np.pi * hertz * t) + 0.4 * np.sin(4 * np.pi * hertz * t)
    return np.asarray(level * tone * edge * np.exp(-t * 1.2))
