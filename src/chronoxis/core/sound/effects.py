"""Effects, synthesised: noise and tones whose height and strength follow the speed.

Everything comes from one seed and from result time, so that the same project sounds the same.
"""

from collections.abc import Callable
from functools import cache
from itertools import pairwise

import numpy as np
import numpy.typing as npt

from chronoxis.core.model.sound import Effect, EffectKind
from chronoxis.core.sound.samples import CHANNELS, RATE, Places, Samples, gain_of
from chronoxis.core.sound.sound_plan import EffectEvent

Floats = npt.NDArray[np.float64]

_NOISE_SAMPLES = 1 << 18  # samples after which noise repeats
_LONGEST_BLOCK = RATE  # samples that are asked for at once
_AUDIBLE_WIDTHS = 2.4  # widths from the middle beyond which a band is not heard
_NOISE_BANDS = np.geomspace(90, 11_000, 15)  # middles of the bands that noise is kept in, Hz
_CUSP_SECONDS = 0.12  # seconds in which a peak rises out of what leads to it
_SAMPLE_PEAK, _SAMPLE_SECONDS = 0.9, 1.5  # of an effect by itself
_WHIRR_FADE = 0.08  # seconds that a whirr comes and goes in


class EffectVoice:
    """Makes one event, block after block."""

    def __init__(self, event: EffectEvent, speed_at: Callable[[Places], Places]) -> None:
        """``speed_at`` gives speeds at result seconds."""
        self.event = event
        self._speed_at = speed_at
        self.begin, self.end = round(event.begin * RATE), round(event.end * RATE)
        self._turn = 0.0
        at_peak = max(event.peak - 1e-6, event.begin) if event.climbs else event.peak + 1e-6
        other = event.begin if event.climbs else event.end - 1e-6
        self._top, self._bottom = (float(speed_at(np.array(t))) for t in (at_peak, other))

    def take(self, first: int, end: int) -> Samples:
        """Samples ``first`` to ``end`` of the result, one block behind the other."""
        numbers = np.arange(first, end)
        t = numbers / RATE
        effect = self.event.effect
        make = {
            EffectKind.RUSH: self._rush,
            EffectKind.BURNER: self._burner,
            EffectKind.WHIRR: self._whirr,
            EffectKind.TICK: self._tick,
        }[effect.kind]
        return (make(numbers, t, effect.colour) * gain_of(effect.level)).astype(np.float32)

    def close(self) -> None:
        """Nothing is open."""

    def _height(self, t: Floats) -> Floats:
        """0 to 1: how far up to the peak; along the ramp as the speed has it, beyond it dying away."""
        event = self.event
        on_ramp = t < event.peak if event.climbs else t > event.peak
        inside = np.clip(t, event.begin, event.end)
        span = np.log(self._top / self._bottom)
        climbed = np.log(np.maximum(self._speed_at(inside), 1e-9) / self._bottom) / span
        other = event.end - event.peak if event.climbs else event.peak - event.begin
        away = 1 - np.abs(t - event.peak) / max(other, 1e-6)
        return np.clip(np.where(on_ramp, climbed, away), 0.0, 1.0)

    def _cusp(self, t: Floats) -> Floats:
        """What makes the peak one, however gently the speed comes to it."""
        return np.asarray(0.35 + 0.65 * np.exp(-np.abs(t - self.event.peak) / _CUSP_SECONDS))

    def _tone(self, hertz: Floats) -> Floats:
        """A sine whose phase goes on from block to block."""
        turns = self._turn + np.cumsum(hertz) / RATE
        self._turn = float(turns[-1] % 1.0) if len(turns) else self._turn
        return np.asarray(np.sin(2 * np.pi * turns))

    def _rush(self, numbers: npt.NDArray[np.int64], t: Floats, colour: float) -> Floats:
        height = self._height(t)
        middle = 220 * 2 ** (colour * 2.5 + height * 3.5)
        noise = _banded(numbers, middle, 0.8) * 0.9
        tone = self._tone(60 * 2 ** (colour + height * 2.2)) * 0.18
        return np.asarray((noise + tone) * height**2 * self._cusp(t))

    def _burner(self, numbers: npt.NDArray[np.int64], t: Floats, colour: float) -> Floats:
        height = self._height(t)
        roar = _banded(numbers, np.full(len(t), 160 * 2 ** (colour * 2.5)), 1.6)
        return np.asarray(roar * (0.9 + 0.1 * _slow(numbers)) * height**2 * self._cusp(t))

    def _whirr(self, numbers: npt.NDArray[np.int64], t: Floats, colour: float) -> Floats:
        event = self.event
        speed = np.log2(np.maximum(self._speed_at(np.clip(t, event.begin, event.end)), 0.5) + 1)
        flutter = 0.65 + 0.35 * np.sin(2 * np.pi * (9.0 + 2 * speed.mean()) * t)
        noise = _banded(numbers, 500 * 2 ** (colour * 2 + speed * 0.35), 0.5) * 0.5
        tone = self._tone(180 * 2 ** (colour + speed * 0.3)) * 0.25
        edges = np.clip(np.minimum(t - event.begin, event.end - t) / _WHIRR_FADE, 0, 1)
        return np.asarray((noise + tone) * flutter * edges)

    def _tick(self, numbers: npt.NDArray[np.int64], t: Floats, colour: float) -> Floats:
        since = t - self.event.begin
        ring = np.sin(2 * np.pi * 900 * 2 ** (colour * 1.6) * since) * np.exp(-np.maximum(since, 0) * 70)
        knock = _banded(numbers, np.full(len(t), 2500.0), 1.0) * np.exp(-np.maximum(since, 0) * 400)
        strike = np.where(since >= 0, ring + 0.5 * knock, 0.0)
        return np.broadcast_to(strike * 0.8, (CHANNELS, len(t)))


def sample_of(effect: Effect) -> Samples:
    """An effect by itself, with a ramp from 1× to 16×; shape (channels, samples)."""
    event = EffectEvent(effect, 0.0, _SAMPLE_PEAK, _SAMPLE_SECONDS, 0)
    voice = EffectVoice(event, lambda t: 16.0 ** np.clip(np.asarray(t) / _SAMPLE_PEAK, 0, 1))
    edges = [*range(0, voice.end, _LONGEST_BLOCK), voice.end]
    return np.concatenate([voice.take(*span) for span in pairwise(edges)], axis=1)


def _banded(numbers: npt.NDArray[np.int64], middle: Floats, octaves: float) -> Samples:
    """Stereo noise around a frequency that changes, of about unit peak; shape (channels, samples)."""
    made = np.zeros((CHANNELS, len(numbers)), np.float32)
    if not len(numbers):
        return made
    power = np.zeros(len(numbers), np.float32)
    pitch = np.log2(middle).astype(np.float32)
    low, high = float(pitch.min()) - _AUDIBLE_WIDTHS * octaves, float(pitch.max()) + _AUDIBLE_WIDTHS * octaves
    first = int(numbers[0]) % _NOISE_SAMPLES
    for band, own in enumerate(np.log2(_NOISE_BANDS).tolist()):
        if not low <= own <= high:
            continue
        weight = np.exp(np.float32(-0.5 / octaves**2) * (pitch - np.float32(own)) ** 2)
        made += _noise()[band][:, first : first + len(numbers)] * weight
        power += weight**2
    made *= 0.3 / np.sqrt(np.maximum(power, 1e-9))
    return made


def _slow(numbers: npt.NDArray[np.int64]) -> Floats:
    """A slow wavering between -1 and 1."""
    t = numbers / RATE
    return np.asarray((np.sin(t * 47) + np.sin(t * 31.3 + 1) + np.sin(t * 17.7 + 2)) / 3)


@cache
def _noise() -> npt.NDArray[np.float32]:
    """Noise in bands half an octave wide, each of unit strength; shape (bands, channels, samples)."""
    random = np.random.default_rng(2711)
    white = np.fft.rfft(random.standard_normal((CHANNELS, _NOISE_SAMPLES)), axis=1)
    hertz = np.maximum(np.fft.rfftfreq(_NOISE_SAMPLES, 1 / RATE), 1.0)
    bands = []
    for middle in _NOISE_BANDS:
        kept = np.fft.irfft(
            white * np.exp(-0.5 * (np.log2(hertz / middle) / 0.3) ** 2), _NOISE_SAMPLES, axis=1
        )
        kept /= kept.std()
        bands.append(np.concatenate((kept, kept[:, :_LONGEST_BLOCK]), axis=1))
    return np.array(bands, np.float32)
