"""Sound at a speed that changes all the time, at its own pitch.

A phase vocoder with identity phase locking (J. Laroche and M. Dolson, *Improved phase vocoder time-scale
modification of audio*, IEEE Transactions on Speech and Audio Processing 7(3), 1999). Each frame that is
laid down takes its spectrum from the very place of the sound that is due at its middle, so that nothing
adds up, however the speed changes; how far phases turn from frame to frame is read from a second
spectrum, one hop before that place. Around an onset the sound is laid down as it is, at its own speed and
with its own phases, so that it is neither smeared nor moved (after A. Röbel, *A new approach to transient
processing in the phase vocoder*, DAFx 2003).
"""

from collections.abc import Callable

import numpy as np
import numpy.typing as npt

from chronoxis.core.sound.onsets import MARGIN, onsets
from chronoxis.core.sound.samples import CHANNELS, Places, Samples, silence

Spectra = npt.NDArray[np.complex64]

WINDOW = 2048
HOP = WINDOW // 4
_FFT_BINS = WINDOW // 2 + 1
_FRAMES_AT_ONCE = 32  # frames that are worked out at once
_HANN = np.hanning(WINDOW + 1)[:-1].astype(np.float32)
# Both windows together, at four frames a window, sum to 1.5 everywhere.
_SYNTHESIS_WINDOW = (_HANN / 1.5).astype(np.float32)
# The phases of both channels are turned alike, by those of this sum: what is opposite in both, stays in it.
_LEFT_SHARE, _RIGHT_SHARE = np.float32(1.0), np.float32(0.9)

Between = Callable[[int, int], Samples]
Map = Callable[[Places], Places]


class PitchHeld:
    """Makes one stretch, block after block."""

    def __init__(self, sound: Between, place_at: Map, laid_at: Map, begin: int, end: int) -> None:
        """Nothing is read yet.

        Args:
            sound: gives samples of the source by their numbers, which rise from call to call.
            place_at: for samples of the result, the place in the source that is due, rising.
            laid_at: the inverse.
            begin: number of the first sample of the result to be made.
            end: and of the one behind the last.
        """
        self._sound, self._place_at, self._laid_at = sound, place_at, laid_at
        self._next, self._end = begin, end
        self._frame = -(-begin // HOP) - 2  # middles of frames lie on whole hops: the first that reaches in
        self._over = silence(WINDOW - HOP)  # what was laid down and is not whole yet
        self._ready = [silence(0)]
        self._ready_from = (self._frame - 2) * HOP
        self._turned: npt.NDArray[np.complex64] | None = None

    def take(self, count: int) -> Samples:
        """The next samples, up to the end."""
        stop = min(self._next + count, self._end)
        while self._ready_from + sum(block.shape[1] for block in self._ready) < stop:
            self._ready.append(self._made(self._frame))
            self._frame += _FRAMES_AT_ONCE
        whole = np.concatenate(self._ready, axis=1)
        taken = whole[:, self._next - self._ready_from : stop - self._ready_from]
        self._ready, self._ready_from = [whole[:, stop - self._ready_from :]], stop
        self._next = stop
        return taken

    def _made(self, first: int) -> Samples:
        """What becomes whole by some more frames: ``_FRAMES_AT_ONCE`` hops."""
        from scipy import fft  # noqa: PLC0415 - slow to import, and not always needed

        middles = np.arange(first, first + _FRAMES_AT_ONCE, dtype=np.float64) * HOP
        places, resets = self._pinned(middles)
        low, high = int(places.min()) - HOP - WINDOW // 2, int(places.max()) + WINDOW // 2
        sound = self._sound(low, high)
        starts = places - WINDOW // 2 - low
        span = np.arange(WINDOW)
        frames = np.stack([channel[starts[:, None] + span] for channel in sound]) * _HANN
        mixed = _LEFT_SHARE * sound[0] + _RIGHT_SHARE * sound[1]
        before = fft.rfft(mixed[(starts - HOP)[:, None] + span] * _HANN, axis=-1)
        spectra = fft.rfft(frames, axis=-1)
        spectra *= self._turns(_LEFT_SHARE * spectra[0] + _RIGHT_SHARE * spectra[1], before, resets)
        laid = fft.irfft(spectra, WINDOW, axis=-1)
        laid *= _SYNTHESIS_WINDOW
        whole = np.zeros((CHANNELS, _FRAMES_AT_ONCE * HOP + WINDOW - HOP), np.float32)
        whole[:, : WINDOW - HOP] = self._over
        for number in range(_FRAMES_AT_ONCE):
            whole[:, number * HOP : number * HOP + WINDOW] += laid[:, number]
        self._over = whole[:, _FRAMES_AT_ONCE * HOP :]
        return whole[:, : _FRAMES_AT_ONCE * HOP]

    def _pinned(self, middles: Places) -> tuple[npt.NDArray[np.int64], npt.NDArray[np.bool_]]:
        """Where in the source each frame is taken, and before which of them phases begin anew."""
        due = self._place_at(middles)
        half = WINDOW // 2
        low, high = int(due[0]) - 2 * WINDOW - MARGIN, int(due[-1]) + 2 * WINDOW
        found = onsets(self._sound(low, high), low)
        found = found[found >= low + MARGIN]
        resets = np.zeros(len(middles), np.bool_)
        if not len(found):
            return np.rint(due).astype(np.int64), resets
        laid = self._laid_at(found.astype(np.float64))
        nearest = _nearest(laid, middles)
        since = middles - laid[nearest]
        at_onset = np.abs(since) <= half
        # A frame that is not due at the onset must not contain it: it would be heard twice.
        around = found[_nearest(found.astype(np.float64), due)]
        kept_off = np.where(due < around, np.minimum(due, around - half), np.maximum(due, around + half))
        places = np.where(at_onset, found[nearest] + since, kept_off)
        # The first frame at each onset lets phases begin anew. It is told by its own place alone.
        resets |= at_onset & (since - HOP < -half)
        return np.rint(places).astype(np.int64), resets

    def _turns(self, mixed: Spectra, before: Spectra, resets: npt.NDArray[np.bool_]) -> Spectra:
        """By how much the phases of each frame are turned; shape (frames, bins), of unit length."""
        peaks = _peaks(mixed)
        turns = np.ones(mixed.shape, np.complex64)
        turned = self._turned
        for number in range(len(mixed)):
            if turned is None or resets[number]:
                turned = mixed[number]
                continue
            tops = np.flatnonzero(peaks[number])
            if len(tops):
                turn = turned[tops] * before[number][tops].conj()
                turn /= np.maximum(np.abs(turn), np.float32(1e-30))
                turn[turn == 0] = 1
                borders = np.concatenate(([0], (tops[1:] + tops[:-1] + 1) >> 1, [_FFT_BINS]))
                turns[number] = np.repeat(turn, borders[1:] - borders[:-1])
            turned = mixed[number] * turns[number]
        self._turned = turned
        return turns


def _peaks(spectra: Spectra) -> npt.NDArray[np.bool_]:
    """Which bins are louder than both neighbours on each side."""
    power = spectra.real**2 + spectra.imag**2
    inner = power[:, 2:-2]
    found = np.zeros(power.shape, np.bool_)
    found[:, 2:-2] = (
        (inner > power[:, 1:-3])
        & (inner >= power[:, 3:-1])
        & (inner > power[:, :-4])
        & (inner >= power[:, 4:])
    )
    return found


def _nearest(ascending: Places, values: Places) -> npt.NDArray[np.intp]:
    """For each value, the number of the nearest of some ascending ones."""
    after = np.clip(np.searchsorted(ascending, values), 1, len(ascending) - 1) if len(ascending) > 1 else None
    if after is None:
        return np.zeros(len(values), np.intp)
    return np.asarray(np.where(values - ascending[after - 1] <= ascending[after] - values, after - 1, after))
