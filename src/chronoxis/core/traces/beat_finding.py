"""Where the beats of music are, and which of them begins a bar.

Beats by dynamic programming (D. P. W. Ellis, *Beat tracking by dynamic programming*, Journal of New Music
Research 36(1), 2007) over the flux of a log-mel spectrum. The period that beats are tied to is itself the
best path through a tempogram (P. Grosche, M. Müller and F. Kurth, *Cyclic tempogram*, ICASSP 2010), so that
it may drift. Whether half or twice of it is what people tap is told by how strong what lies between is.
"""

import numpy as np
import numpy.typing as npt

from chronoxis.core.model.beats import NONE, Beats
from chronoxis.core.sound.samples import RATE, Samples

Floats = npt.NDArray[np.float64]

HOP = 480
"""Samples from one frame to the next: 10 ms."""
_FRAMES_PER_SECOND = RATE / HOP  # a second
_WINDOW_SAMPLES = 2048
_BANDS = 40
_BEGINNING_FRAMES = 4  # frames that reach over the beginning
_BASS_BANDS = 6  # bands of the bass, up to about 160 Hz
_LEAST_TEMPO, _GREATEST_TEMPO = 50.0, 210.0  # beats a minute
_TAPPED_TEMPO, _TEMPO_SPREAD = 118.0, 0.9  # where people tap, and how many octaves around it
_LEAST_TAPPED_TEMPO, _GREATEST_TAPPED_TEMPO = 62.0, 190.0
_TIGHTNESS = 600.0
_TEMPO_FRAMES = 800  # frames that a tempo is told from: 8 s
_TEMPO_STEP = 100  # frames from one tempo to the next
_WEAK_BEAT_RATIO = 0.45  # of a beat's strength: every other beat that is weaker is none
_BETWEEN_BEATS_RATIO = 0.82  # what lies between beats and is as strong, is one
_QUIET_SHARE = 0.4  # of the usual flux: stretches that are quieter are not raised further
_LEAST_FLUX = 0.004  # of the flux: what rises less is no onset, however regular
# Mean square of a strength that is about 1: what is flatter does not repeat, it ripples.
_LEAST_VARIATION = 0.05
_FLUX_LEAD = 0.0023  # seconds by which the flux of an onset lies before it
_LEAST_AUTOCORRELATION = 0.12  # of the autocorrelation at no lag: what repeats less has no beat


class BeatListener:
    """Listens to sound, block after block, and then tells its beats."""

    def __init__(self) -> None:
        self._rest = np.zeros(_WINDOW_SAMPLES // 2, np.float32)
        self._before: Floats | None = None
        self._filters = _mel_filters()
        self._flux: list[Floats] = []
        self._heard = 0  # frames

    def hear(self, samples: Samples) -> None:
        """Listen to the next block."""
        from scipy import fft  # noqa: PLC0415 - slow to import, and not always needed

        sound = np.concatenate((self._rest, samples.mean(axis=0)))
        count = max(0, (len(sound) - _WINDOW_SAMPLES) // HOP + 1)
        self._rest = sound[count * HOP :]
        if not count:
            return
        frames = np.lib.stride_tricks.sliding_window_view(sound, _WINDOW_SAMPLES)[::HOP][:count]
        power = np.abs(fft.rfft(frames * np.hanning(_WINDOW_SAMPLES).astype(np.float32), axis=1)) ** 2
        level = np.log1p(power @ self._filters * 200.0)
        rows = level if self._before is None else np.concatenate((self._before[None], level))
        rise = np.maximum(np.diff(rows, axis=0), 0.0)
        if self._before is None:
            rise = np.concatenate((np.zeros((1, _BANDS)), rise))
        rise[: max(0, _BEGINNING_FRAMES - self._heard)] = 0.0  # that a file begins is no onset
        self._heard += count
        self._before = level[-1]
        self._flux.append(np.stack([rise.mean(axis=1), rise[:, :_BASS_BANDS].mean(axis=1)], axis=1))

    def beats(self) -> Beats:
        """What was found; `NONE` where nothing repeats."""
        if not self._flux:
            return NONE
        flux, bass = np.concatenate(self._flux).T
        strength = _evened(flux) + 0.7 * _evened(bass)
        periods = _periods(strength)
        if periods is None:
            return NONE
        frames = _as_tapped(strength, periods)
        if len(frames) < 4:
            return NONE
        bar, first = _bars(_evened(bass), _evened(flux), frames)
        times = (frames + _finer(strength, frames)) / _FRAMES_PER_SECOND + _FLUX_LEAD
        return Beats(tuple(np.round(np.maximum(times, 0.0), 6).tolist()), bar, first)


def _mel_filters() -> npt.NDArray[np.float32]:
    """Triangles even on the mel scale, from 30 Hz to 11 kHz; shape (bins, bands)."""

    def mel(hertz: float) -> float:
        return 2595 * float(np.log10(1 + hertz / 700))

    edges = 700 * (10 ** (np.linspace(mel(30), mel(11_000), _BANDS + 2) / 2595) - 1)
    hertz = np.fft.rfftfreq(_WINDOW_SAMPLES, 1 / RATE)[:, None]
    up = (hertz - edges[:-2]) / (edges[1:-1] - edges[:-2])
    down = (edges[2:] - hertz) / (edges[2:] - edges[1:-1])
    filters = np.maximum(np.minimum(up, down), 0.0)
    # A low band may be narrower than a bin; it then has that bin.
    nearest = np.abs(hertz - edges[1:-1]).argmin(axis=0)
    filters[nearest, np.arange(_BANDS)] = np.maximum(filters[nearest, np.arange(_BANDS)], 0.5)
    return np.asarray(filters / filters.sum(axis=0) / _WINDOW_SAMPLES, np.float32)


def _evened(flux: Floats) -> Floats:
    """Without what lasts, and as strong in quiet stretches as in loud ones."""
    from scipy.ndimage import uniform_filter1d  # noqa: PLC0415 - slow to import, and not always needed

    size = min(len(flux), 301)
    raised = np.maximum(flux - uniform_filter1d(flux, size, mode="nearest"), 0.0)
    spread = np.sqrt(uniform_filter1d(raised**2, min(len(flux), 801), mode="nearest"))
    return np.asarray(
        raised / np.maximum(spread, max(_QUIET_SHARE * np.sqrt((raised**2).mean()), _LEAST_FLUX))
    )


def _periods(strength: Floats) -> Floats | None:
    """Frames from one beat to the next, for every frame; None where nothing repeats."""
    lags = np.arange(
        int(_FRAMES_PER_SECOND * 60 / _GREATEST_TEMPO), int(_FRAMES_PER_SECOND * 60 / _LEAST_TEMPO) + 1
    )
    if len(strength) < 4 * lags[-1]:
        return None
    span = min(_TEMPO_FRAMES, len(strength))
    starts = np.arange(0, max(1, len(strength) - span + 1), _TEMPO_STEP)
    rows = []
    # A stretch with little in it says little, and the tempo of what lies around it goes on.
    usual = max(_LEAST_VARIATION, float(strength.var())) * span
    for start in starts.tolist():
        part = strength[start : start + span]
        part = part - part.mean()
        spectrum = np.fft.rfft(part, 2 * span)
        repeats = np.fft.irfft(np.abs(spectrum) ** 2)[: 2 * lags[-1] + 2]
        repeats = repeats / max(repeats[0], usual) * span / (span - np.arange(len(repeats)).clip(0, span - 1))
        rows.append(repeats[lags] + 0.5 * repeats[2 * lags])
    tempogram = np.maximum(np.array(rows), 0.0)
    if np.median(tempogram.max(axis=1)) < _LEAST_AUTOCORRELATION:
        return None
    liked = np.exp(-0.5 * (np.log2(60 * _FRAMES_PER_SECOND / lags / _TAPPED_TEMPO) / _TEMPO_SPREAD) ** 2)
    path = _best_path(tempogram * liked, np.log2(lags))
    chosen = np.array([_peak_near(row, lag) for row, lag in zip(tempogram, path, strict=True)]) + lags[0]
    return np.asarray(np.interp(np.arange(len(strength)), starts + span / 2, chosen))


def _best_path(likely: Floats, pitch: Floats) -> npt.NDArray[np.int64]:
    """The column of each row, where changes from row to row cost as the octaves they go."""
    cost = 40.0 * (pitch[:, None] - pitch[None]) ** 2
    score, back = likely[0], []
    for row in likely[1:]:
        reached = score[:, None] - cost
        back.append(reached.argmax(axis=0))
        score = reached.max(axis=0) + row
    path = [int(score.argmax())]
    for step in reversed(back):
        path.append(int(step[path[-1]]))
    return np.array(path[::-1])


def _peak_near(row: Floats, place: int) -> float:
    """The top of a parabola through a value and its neighbours."""
    low, high = max(0, place - 1), min(len(row) - 1, place + 1)
    place = low + int(row[low : high + 1].argmax())
    if not 0 < place < len(row) - 1:
        return float(place)
    before, at, after = row[place - 1 : place + 2].tolist()
    bend = before - 2 * at + after
    return place if bend >= 0 else place + 0.5 * (before - after) / bend


def _as_tapped(strength: Floats, periods: Floats) -> npt.NDArray[np.int64]:
    """Frames of beats at the tempo that people would tap."""
    frames = _tied(strength, periods)
    tempo = 60 * _FRAMES_PER_SECOND / float(np.median(periods))
    if tempo / 2 >= _LEAST_TAPPED_TEMPO:
        at = _around(strength, frames)
        odd, even = at[1::2].mean(), at[::2].mean()
        if min(odd, even) < _WEAK_BEAT_RATIO * max(odd, even):
            return _tied(strength, periods * 2)
    if tempo * 2 <= _GREATEST_TAPPED_TEMPO:
        between = (frames[1:] + frames[:-1]) // 2
        if _around(strength, between).mean() > _BETWEEN_BEATS_RATIO * _around(strength, frames).mean():
            return _tied(strength, periods / 2)
    return frames


def _around(strength: Floats, frames: npt.NDArray[np.int64]) -> Floats:
    """The greatest strength within 30 ms of some frames."""
    near = np.clip(frames[:, None] + np.arange(-3, 4), 0, len(strength) - 1)
    return np.asarray(strength[near].max(axis=1))


def _tied(strength: Floats, periods: Floats) -> npt.NDArray[np.int64]:
    """Frames of beats: strong ones, as near as can be to a period apart."""
    from scipy.ndimage import gaussian_filter1d  # noqa: PLC0415 - slow to import, and not always needed

    local = gaussian_filter1d(strength, 2.0)
    local = local / max(local.std(), 1e-9)
    score = local.copy()
    back = np.full(len(local), -1, np.int64)
    widest = int(2 * periods.max()) + 1
    logs = np.log(np.arange(1, widest + 1))
    for frame in range(1, len(local)):
        period = periods[frame]
        nearest, farthest = int(period / 2), min(int(2 * period), frame)
        if farthest <= nearest:
            continue
        away = logs[nearest:farthest] - np.log(period)
        reached = score[frame - farthest : frame - nearest][::-1] - _TIGHTNESS * away**2
        best = int(reached.argmax())
        if reached[best] > 0:
            score[frame] = local[frame] + reached[best]
            back[frame] = frame - nearest - 1 - best
    last = len(score) - int(periods[-1])
    frame = max(last, 0) + int(score[max(last, 0) :].argmax())
    found = [frame]
    while back[frame] >= 0:
        frame = int(back[frame])
        found.append(frame)
    return np.array(found[::-1])


def _finer(strength: Floats, frames: npt.NDArray[np.int64]) -> Floats:
    """How far within a frame each beat is, by the parabola through its neighbours."""
    inner = np.clip(frames, 1, len(strength) - 2)
    before, at, after = strength[inner - 1], strength[inner], strength[inner + 1]
    bend = before - 2 * at + after
    off = np.where(bend < -1e-9, 0.5 * (before - after) / np.where(bend < -1e-9, bend, -1.0), 0.0)
    return np.clip(off, -0.5, 0.5)


def _bars(bass: Floats, flux: Floats, frames: npt.NDArray[np.int64]) -> tuple[int, int]:
    """Beats in a bar, and the number of the first beat that begins one."""
    weight = _around(bass, frames) + 0.3 * _around(flux, frames)
    weight = (weight - weight.mean()) / max(weight.std(), 1e-9)
    found = []
    for bar, liked in ((4, 1.0), (3, 0.85)):
        if len(frames) < 2 * bar:
            continue
        for first in range(bar):
            on = np.zeros(len(frames), np.bool_)
            on[first::bar] = True
            found.append((liked * float(weight[on].mean() - weight[~on].mean()), bar, first))
    return max(found)[1:] if found else (4, 0)
