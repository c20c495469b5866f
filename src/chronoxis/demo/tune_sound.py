"""*Morning tune*, played: soft chords over the dawn, then drums, bass and a melody."""

import numpy as np
import numpy.typing as npt

from chronoxis.core.sound.samples import RATE
from chronoxis.demo.tune_truth import BAR, BEAT, BEGIN, DROP_BAR, END_BAR, SECONDS

Mono = npt.NDArray[np.float64]

_ROOTS = (0, -3, -7, -5)  # semitones from A, bar by bar
_CHORDS = ((0, 4, 7, 11), (0, 3, 7, 10), (0, 4, 7, 14), (0, 4, 9, 14))
_MELODY = (7, 11, 12, 14, 12, 11, 7, 4)
_A = 220.0


def tune() -> npt.NDArray[np.float32]:
    """Stereo samples, -1 to 1; shape (2, seconds * 48000)."""
    random = np.random.default_rng(118)
    made = np.zeros((2, SECONDS * RATE))
    bars = int((SECONDS - BEGIN) / BEAT) // BAR
    for bar in range(bars):
        at, root = BEGIN + bar * BAR * BEAT, _A * 2 ** (_ROOTS[bar % 4] / 12)
        _play_chord(made, at, root, _CHORDS[bar % 4], swells=bar < DROP_BAR)
        if bar >= DROP_BAR - 4:
            _play_melody(made, at, root, quiet=bar < DROP_BAR)
        if DROP_BAR <= bar < END_BAR:
            _play_drums(made, random, at)
            _play_bass(made, at, root / 4)
    if bars > DROP_BAR:
        _play_riser(made, random, BEGIN + (DROP_BAR - 1) * BAR * BEAT, BAR * BEAT)
    fade = np.minimum(1.0, (made.shape[1] - np.arange(made.shape[1])) / (2 * RATE))
    return np.asarray(np.tanh(made * fade * 1.1) * 0.72, np.float32)


def _play_chord(
    made: npt.NDArray[np.float64], at: float, root: float, steps: tuple[int, ...], *, swells: bool
) -> None:
    t = _seconds(BAR * BEAT * 1.02)
    edge = np.minimum(1, np.minimum(t / (0.6 if swells else 0.05), t[::-1] / 0.25))
    for place, step in enumerate(steps):
        hertz = root * 2 ** (step / 12)
        for off, side in ((-0.4, -0.5), (0.4, 0.5)):
            tone = np.sin(2 * np.pi * (hertz + off) * t) + 0.25 * np.sin(4 * np.pi * (hertz + off) * t)
            _lay(made, at, tone * edge * 0.045, side * (place - 1.5) / 1.5)


def _play_melody(made: npt.NDArray[np.float64], at: float, root: float, *, quiet: bool) -> None:
    t = _seconds(0.5)
    for number in range(2 * BAR):
        hertz = root * 2 * 2 ** (_MELODY[number % len(_MELODY)] / 12)
        tone = np.sin(2 * np.pi * hertz * t) * np.exp(-t * 9) + 0.3 * np.sin(6 * np.pi * hertz * t) * np.exp(
            -t * 18
        )
        _lay(made, at + number * BEAT / 2, tone * (0.05 if quiet else 0.09), 0.4 * (-1) ** number)


def _play_drums(made: npt.NDArray[np.float64], random: np.random.Generator, at: float) -> None:
    t = _seconds(0.3)
    kick = np.sin(2 * np.pi * (46 * t + 5 * (1 - np.exp(-t * 34)))) * np.exp(-t * 13)
    for beat in range(BAR):
        _lay(made, at + beat * BEAT, kick * (0.75 if beat == 0 else 0.55), 0.0)
        if beat % 2:
            clap = random.standard_normal(len(t)) * np.exp(-t * 26) * 0.16
            _lay(made, at + beat * BEAT, clap, 0.1)
        hat = np.diff(random.standard_normal(len(t) + 1)) * np.exp(-t * 60) * 0.035
        _lay(made, at + (beat + 0.5) * BEAT, hat, -0.3)


def _play_bass(made: npt.NDArray[np.float64], at: float, root: float) -> None:
    t = _seconds(BEAT * 0.9)
    note = (np.sin(2 * np.pi * root * t) + 0.4 * np.sin(4 * np.pi * root * t)) * np.minimum(1, t[::-1] / 0.05)
    for beat in range(BAR):
        _lay(made, at + beat * BEAT, note * np.exp(-t * 2) * (0.26 if beat == 0 else 0.18), 0.0)


def _play_riser(
    made: npt.NDArray[np.float64], random: np.random.Generator, at: float, lasting: float
) -> None:
    t = _seconds(lasting)
    noise = np.diff(random.standard_normal(len(t) + 1))
    _lay(made, at, noise * (t / lasting) ** 3 * 0.07, 0.0)


def _seconds(lasting: float) -> Mono:
    return np.asarray(np.arange(round(lasting * RATE)) / RATE)


def _lay(made: npt.NDArray[np.float64], at: float, part: Mono, side: float) -> None:
    """Add a part from a second on, from the left, -1, to the right, 1."""
    first = round(at * RATE)
    end = min(first + len(part), made.shape[1])
    if first < end:
        made[0, first:end] += part[: end - first] * np.sqrt((1 - side) / 2) * 1.4
        made[1, first:end] += part[: end - first] * np.sqrt((1 + side) / 2) * 1.4
