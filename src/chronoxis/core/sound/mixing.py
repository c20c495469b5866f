"""The sound of a result, made block after block from its plan: recorded sound, music, effects, limiter."""

from collections.abc import Callable, Generator, Iterator, Mapping
from contextlib import closing
from fractions import Fraction
from typing import Protocol

import numpy as np
import numpy.typing as npt

from chronoxis.core.model.project import Project
from chronoxis.core.model.sound import Manner
from chronoxis.core.sound.covered_sound import CoveredSound, SoundBetween
from chronoxis.core.sound.effects import EffectVoice
from chronoxis.core.sound.limiter import LOOK_AHEAD, Limiter
from chronoxis.core.sound.loudness import LEAST_MEASURED, SILENT, LoudnessMeter
from chronoxis.core.sound.pitch_follows import PitchFollows
from chronoxis.core.sound.pitch_held import PitchHeld
from chronoxis.core.sound.samples import RATE, Places, Samples, gain_of, silence
from chronoxis.core.sound.sound_plan import SoundPlan, Stretch, runs_of

BLOCK = RATE // 2

_EDGE_FADE = 240  # samples in which sound begins and ends, so that it does not click
_CROSSFADE = 240  # samples in which levels and manners pass into one another, on either side of a joint
_FADE_SAMPLES = 3840  # samples in which sound goes where the pace becomes too fast for it
_DUCK_SECONDS = 0.3  # seconds in which music goes down before recorded sound, and up after it
_LOUDNESS_ROUNDS = 4
_LOUD_ENOUGH = 0.1  # LU that a loudness may be off

Curve = tuple[Places, Places]
"""Sample numbers, ascending, and the gains there; straight lines between them."""


class _Maker(Protocol):
    def take(self, count: int) -> Samples: ...


class _Voice(Protocol):
    """Something that sounds from sample ``begin`` to ``end``; asked for block after block."""

    begin: int
    end: int

    def take(self, first: int, end: int) -> Samples: ...

    def close(self) -> None: ...


def mixed(plan: SoundPlan, sounds: Mapping[str, SoundBetween], gain: float = 1.0) -> Generator[Samples]:
    """The whole sound of a result, in blocks; as many samples as it is long. Close it to let go of files.

    Args:
        plan: what is heard.
        sounds: gives the sound of footage, by key.
        gain: on the whole, before the limiter; as `loudness_gain` gives it.

    Raises:
        FootageError: sound cannot be decoded.
    """
    total = round(plan.length * RATE)
    limiter, skip = Limiter(), LOOK_AHEAD
    with closing(_summed(plan, sounds, total)) as summed:
        for block in _with_silence(summed, LOOK_AHEAD):
            given = limiter.take(block * np.float32(gain))
            if skip:
                given, skip = given[:, skip:], max(0, skip - given.shape[1])
            if given.shape[1]:
                yield given


def loudness_gain(
    plan: SoundPlan, sounds: Mapping[str, SoundBetween], check: Callable[[], None] = lambda: None
) -> float:
    """The gain that brings a mix to the loudness that its project asks for.

    ``check`` is called after each block and may raise to stop.

    Raises:
        FootageError: sound cannot be decoded.
    """
    wish, gain = plan.project.mix.loudness, 1.0
    if wish is None or plan.length < LEAST_MEASURED:
        return gain
    found = loudness_of(plan, sounds, gain, check)
    for _ in range(_LOUDNESS_ROUNDS):
        if found <= SILENT or abs(found - wish) < _LOUD_ENOUGH:
            break
        gain *= gain_of(wish - found)
        found = loudness_of(plan, sounds, gain, check)
    return gain


def loudness_of(
    plan: SoundPlan,
    sounds: Mapping[str, SoundBetween],
    gain: float = 1.0,
    check: Callable[[], None] = lambda: None,
) -> float:
    """LUFS of a whole mix under a gain; `SILENT` at least. Raises FootageError, and what ``check`` raises."""
    meter = LoudnessMeter()
    with closing(mixed(plan, sounds, gain)) as blocks:
        for block in blocks:
            check()
            meter.hear(block)
    return meter.loudness()


def _with_silence(blocks: Iterator[Samples], count: int) -> Iterator[Samples]:
    yield from blocks
    yield silence(count)


def _summed(plan: SoundPlan, sounds: Mapping[str, SoundBetween], total: int) -> Generator[Samples]:
    """All voices together, before the limiter. A file is open while its voice plays, and no longer."""
    waiting = sorted(_voices(plan, sounds), key=lambda voice: voice.begin, reverse=True)
    playing: list[_Voice] = []
    try:
        for first in range(0, total, BLOCK):
            end = min(first + BLOCK, total)
            block = silence(end - first)
            while waiting and waiting[-1].begin < end:
                playing.append(waiting.pop())
            for voice in playing:
                low, high = max(voice.begin, first), min(voice.end, end)
                if low < high:
                    block[:, low - first : high - first] += voice.take(low, high)
                if voice.end <= end:
                    voice.close()
            playing = [voice for voice in playing if voice.end > end]
            yield block
    finally:
        for voice in playing:
            voice.close()


def _voices(plan: SoundPlan, sounds: Mapping[str, SoundBetween]) -> Iterator[_Voice]:
    project = plan.project
    runs = list(runs_of(plan.stretches))
    for number, run in enumerate(runs):
        before = runs[number - 1] if number else None
        after = runs[number + 1] if number + 1 < len(runs) else None
        yield _RecordedVoice(project, run, before, after, sounds[run[0].source])
    heard = [(run[0].begin, run[-1].end) for run in runs]
    by_piece: dict[int, list[Stretch]] = {}
    for stretch in plan.music:
        by_piece.setdefault(stretch.shot, []).append(stretch)
    for stretches in by_piece.values():
        for stretch in stretches:
            yield _MusicVoice(project, stretch, stretches, heard, sounds[stretch.source])
    for event in plan.events:
        yield EffectVoice(event, project.pace.speed_at)


class _RecordedVoice:
    """Recorded sound of one shot in one manner, through all speeds of a run of stretches."""

    def __init__(
        self,
        project: Project,
        run: tuple[Stretch, ...],
        before: tuple[Stretch, ...] | None,
        after: tuple[Stretch, ...] | None,
        sound_between: SoundBetween,
    ) -> None:
        self._run, self._between, self._project = run, sound_between, project
        self._shot = project.shots[run[0].shot]
        self._start = float(project.shot_rows.begins[run[0].shot])
        self._scale = float(project.footage_of(self._shot).scale)
        joins_before = before is not None and _touch(before[-1], run[0])
        joins_after = after is not None and _touch(run[-1], after[0])
        self.begin = round(run[0].begin * RATE) - (_CROSSFADE if joins_before else 0)
        self.end = round(run[-1].end * RATE) + (_CROSSFADE if joins_after else 0)
        self._gains = [self._levels(), self._edges(joins_before, joins_after), *self._fades()]
        self._maker: _Maker | None = None
        self._sound: CoveredSound | None = None

    def close(self) -> None:
        if self._sound is not None:
            self._sound.close()
        self._sound = self._maker = None

    def take(self, first: int, end: int) -> Samples:
        if self._maker is None:
            self._maker = self._opened()
        return _with_gains(self._maker.take(end - first), self._gains, first, end)

    def _opened(self) -> _Maker:
        shot, scale = self._shot, self._project.footage_of(self._shot).scale
        first = int(self._place_at(np.array([self.begin - RATE / 4]))[0])
        sound = self._sound = CoveredSound(
            self._between,
            shot.in_point / scale,
            shot.out_point / scale,
            backwards=shot.backwards,
            first=first,
        )
        places = {passage.speed for passage in shot.passages}
        if self._run[0].manner is Manner.FOLLOWS:
            return PitchFollows(sound.between, self._place_at, self.begin, self.end)
        if places == {Fraction(scale)} and not any(shot.runs):
            return _AsItIs(sound, round(float(self._place_at(np.array([self.begin]))[0])))
        return PitchHeld(sound.between, self._place_at, self._laid_at, self.begin, self.end)

    def _place_at(self, numbers: Places) -> Places:
        covered = self._shot.pace.recorded_at(numbers / RATE - self._start)
        return covered * (RATE / self._scale)

    def _laid_at(self, places: Places) -> Places:
        return (self._shot.pace.result_at(places * (self._scale / RATE)) + self._start) * RATE

    def _levels(self) -> Curve:
        """The level of each passage, passing over at the joints."""
        at, gains = [float(self.begin)], [gain_of(self._run[0].level)]
        for one, next_ in zip(self._run, self._run[1:], strict=False):
            joint = next_.begin * RATE
            at += [max(joint - _CROSSFADE, at[-1]), joint + _CROSSFADE]
            gains += [gain_of(one.level), gain_of(next_.level)]
        return np.array(at), np.array(gains)

    def _edges(self, joins_before: bool, joins_after: bool) -> Curve:
        """Up at the beginning and down at the end; slowly where the pace takes the sound away."""
        begin, end = float(self.begin), float(self.end)
        up = 2 * _CROSSFADE if joins_before else self._edge(self._run[0], self._run[0].begin)
        down = 2 * _CROSSFADE if joins_after else self._edge(self._run[-1], self._run[-1].end)
        share = min(1.0, (end - begin) / (up + down))
        return np.array([begin, begin + up * share, end - down * share, end]), np.array([0.0, 1.0, 1.0, 0.0])

    def _edge(self, stretch: Stretch, t: float) -> int:
        """Slower within a passage, where only the speed ends the sound."""
        joints = self._shot.pace.joints[[stretch.passage, stretch.passage + 1]] + self._start
        return _FADE_SAMPLES if np.abs(joints - t).min() > 1e-3 else _EDGE_FADE

    def _fades(self) -> Iterator[Curve]:
        joints = self._shot.pace.joints + self._start
        for place in sorted({stretch.passage for stretch in self._run}):
            sound = self._shot.passages[place].sound
            begin, end = joints[place] * RATE, joints[place + 1] * RATE
            if sound.fade_in:
                rise = min(float(sound.fade_in) * RATE, end - begin)
                yield np.array([begin - 1, begin, begin + rise]), np.array([1.0, 0.0, 1.0])
            if sound.fade_out:
                fall = min(float(sound.fade_out) * RATE, end - begin)
                yield np.array([end - fall, end, end + 1]), np.array([1.0, 0.0, 1.0])


class _AsItIs:
    """Sound at its own speed throughout: nothing is changed."""

    def __init__(self, sound: CoveredSound, first: int) -> None:
        self._sound, self._next = sound, first

    def take(self, count: int) -> Samples:
        self._next += count
        return self._sound.between(self._next - count, self._next)


class _MusicVoice:
    """Music, once."""

    def __init__(
        self,
        project: Project,
        stretch: Stretch,
        all_of_piece: list[Stretch],
        heard: list[tuple[float, float]],
        sound_between: SoundBetween,
    ) -> None:
        piece = project.music[stretch.shot]
        self._between = sound_between
        self._source_begin = Fraction(stretch.source_begin)
        self.begin, self.end = round(stretch.begin * RATE), round(stretch.end * RATE)
        self._gains: list[Curve] = [_edge_curve(self.begin, self.end)]
        first, last = all_of_piece[0].begin * RATE, all_of_piece[-1].end * RATE
        if piece.fade_in:
            self._gains.append((np.array([first, first + float(piece.fade_in) * RATE]), np.array([0.0, 1.0])))
        if piece.fade_out:
            self._gains.append((np.array([last - float(piece.fade_out) * RATE, last]), np.array([1.0, 0.0])))
        if piece.duck and heard:
            self._gains.append(ducking(heard, gain_of(-piece.duck)))
        self._level = gain_of(piece.level)
        self._sound: CoveredSound | None = None

    def take(self, first: int, end: int) -> Samples:
        if self._sound is None:
            self._sound = CoveredSound(self._between, self._source_begin, self._source_begin, backwards=False)
        made = self._sound.between(first - self.begin, end - self.begin) * np.float32(self._level)
        return _with_gains(made, self._gains, first, end)

    def close(self) -> None:
        if self._sound is not None:
            self._sound.close()
        self._sound = None


def ducking(heard: list[tuple[float, float]], low: float) -> Curve:
    """The gain of music under recorded sound, from result seconds in which that is heard, ascending."""
    joined: list[list[float]] = []
    for begin, end in heard:
        if joined and begin - joined[-1][1] < 2 * _DUCK_SECONDS:
            joined[-1][1] = max(end, joined[-1][1])
        else:
            joined.append([begin, end])
    at: list[float] = []
    for begin, end in joined:
        at += [begin - _DUCK_SECONDS, begin, end, end + _DUCK_SECONDS]
    gains = np.tile(np.array([1.0, low, low, 1.0]), len(joined))
    return np.array(at) * RATE, gains


def _with_gains(made: Samples, curves: list[Curve], first: int, end: int) -> Samples:
    """Samples ``first`` to ``end`` with some gains; those that are 1 throughout cost nothing."""
    for at, gains in curves:
        low, high = np.searchsorted(at, [first, end])
        near = gains[max(low - 1, 0) : high + 1]
        if (near != 1.0).any():
            made = made * np.interp(np.arange(first, end), at, gains).astype(np.float32)
    return made


def _edge_curve(begin: int, end: int) -> Curve:
    edge = min(_EDGE_FADE, (end - begin) / 2)
    return np.array([begin, begin + edge, end - edge, end], np.float64), np.array([0.0, 1.0, 1.0, 0.0])


def _touch(one: Stretch, other: Stretch) -> bool:
    """Whether two stretches of one shot follow one another."""
    return one.shot == other.shot and abs(one.end - other.begin) < 1e-3


def as_int16(samples: Samples) -> npt.NDArray[np.int16]:
    """Samples as sound devices and lossless files take them: interleaved, shape (samples, channels)."""
    return np.ascontiguousarray(np.clip(np.rint(samples * 32768), -32768, 32767).astype(np.int16).T)
