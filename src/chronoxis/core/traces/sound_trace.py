"""What is measured of the sound of footage, in one pass beside: levels, speech, beats of music."""

from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from fractions import Fraction
from functools import cached_property
from typing import Any

import numpy as np
import numpy.typing as npt

from chronoxis.core.footage.source import Source
from chronoxis.core.model.beats import NONE, Beats
from chronoxis.core.sound.samples import LAYOUT, RATE, Samples
from chronoxis.core.traces.beat_finding import BeatListener
from chronoxis.core.traces.levels import PER_SECOND, LevelListener, Levels, glance
from chronoxis.core.traces.speech import Probabilities, SpeechListener, knows_voices
from chronoxis.core.traces.store import TraceStore, fingerprint

_NAME = "sound-4"  # counts up when something else is measured
_LONG_SECONDS = 240  # seconds from which a first glance comes before the rest
_BLOCK_SAMPLES = 4 * RATE
_REPORT_SAMPLES = 20 * RATE  # samples between two looks at how far it is


@dataclass(frozen=True, eq=False)
class SoundTrace:
    """What is known of some sound.

    Attributes:
        levels: peaks, `PER_SECOND` of them a second, from the footage's beginning.
        beats: what was found.
        speech: how probable it is that somebody speaks, for every `WINDOW_SECONDS`; nothing of music.
        by_voice: whether that was told by what voices are like, and not by level alone.
        is_whole: whether all of it was listened to.
    """

    levels: Levels
    beats: Beats = NONE
    speech: Probabilities = field(default_factory=lambda: np.zeros(0, np.float16))
    by_voice: bool = True
    is_whole: bool = False

    def peaks(
        self, begins: npt.NDArray[np.float64], ends: npt.NDArray[np.float64]
    ) -> npt.NDArray[np.float32]:
        """The greatest level between each two seconds of the footage, whichever is earlier."""
        if not len(self.levels):
            return np.zeros(len(begins), np.float32)
        one, other = (
            np.clip(np.rint(seconds * PER_SECOND).astype(np.int64), 0, len(self.levels) - 1)
            for seconds in (begins, ends)
        )
        least, most = np.minimum(one, other), np.maximum(one, other) + 1
        runs = np.stack([least, most], axis=1).ravel()
        return np.asarray(np.maximum.reduceat(self._padded, runs)[::2])

    @cached_property
    def _padded(self) -> npt.NDArray[np.float32]:
        return np.append(self.levels, np.float16(0)).astype(np.float32)


_COLUMNS = {"levels", "times", "bar", "speech", "by_voice"}
NOTHING = SoundTrace(np.zeros(0, np.float16))


def listen(
    source: Source,
    store: TraceStore,
    shown: Callable[[SoundTrace, float], None] = lambda _trace, _share: None,
) -> SoundTrace:
    """Measure the sound of footage, unless that was done before.

    Args:
        source: opened and counted, with sound.
        store: where it is kept.
        shown: called with what is known so far, and the share done; it may raise `Cancelled` to stop.

    Raises:
        FootageError: the sound cannot be read.
        Cancelled: ``shown`` raised it.
    """
    kept = kept_sound(source, store)
    if kept is not None:
        return kept
    early = NOTHING
    if source.length > _LONG_SECONDS:
        path = source.files[0]
        early = SoundTrace(glance(path, source.start, source.length, lambda: shown(NOTHING, 0.0)))
        shown(early, 0.0)
    trace = _whole(source, early, shown)
    beats = trace.beats
    columns: dict[str, npt.NDArray[Any]] = {
        "levels": trace.levels,
        "times": np.array(beats.times, np.float64),
        "bar": np.array([beats.bar, beats.first]),
        "speech": trace.speech,
        "by_voice": np.array(trace.by_voice),
    }
    store.keep(fingerprint(source.files), _NAME, columns)
    return trace


def kept_sound(source: Source, store: TraceStore) -> SoundTrace | None:
    """What was measured of the sound of footage before, or None.

    Raises:
        FootageError: its file cannot be read.
    """
    kept = store.kept(fingerprint(source.files), _NAME)
    if kept is None or not set(kept) >= _COLUMNS:
        return None
    by_voice = bool(kept["by_voice"])
    if knows_voices() and not by_voice:
        return None  # it was measured where they were not known yet
    bar, first = kept["bar"].astype(int).tolist()
    times = tuple(kept["times"].astype(float).tolist())
    levels, speech = (kept[name].astype(np.float16) for name in ("levels", "speech"))
    return SoundTrace(levels, Beats(times, bar, first), speech, by_voice, is_whole=True)


def _together(blocks: Iterator[Samples]) -> Iterator[Samples]:
    """Blocks of some seconds: many small ones would cost more than what they hold."""
    waiting: list[Samples] = []
    for block in blocks:
        waiting.append(block)
        if sum(part.shape[1] for part in waiting) >= _BLOCK_SAMPLES:
            yield np.concatenate(waiting, axis=1)
            waiting = []
    if waiting:
        yield np.concatenate(waiting, axis=1)


def _whole(source: Source, early: SoundTrace, shown: Callable[[SoundTrace, float], None]) -> SoundTrace:
    levels, beats, speech = LevelListener(), BeatListener(), SpeechListener()
    heard = due = 0
    total = max(1, round(source.length * RATE))
    with source.sound_between(Fraction(0), source.length, RATE, LAYOUT) as blocks:
        for block in _together(blocks):
            levels.hear(block)
            if source.has_pictures:
                speech.hear(block)
            else:  # it is music
                beats.hear(block)
            heard += block.shape[1]
            if heard >= due:
                due = heard + _REPORT_SAMPLES
                known = levels.levels()
                so_far = np.append(known, early.levels[len(known) :])
                shown(SoundTrace(so_far, speech=speech.speech(), by_voice=knows_voices()), heard / total)
    return SoundTrace(levels.levels(), beats.beats(), speech.speech(), knows_voices(), is_whole=True)
