"""What is heard when: every stretch of the result with its sound, in which manner, how loud.

Preview, export, the listing of the plan and the lanes read the same `SoundPlan`, as pictures read one
schedule.
"""

from collections.abc import Callable, Iterable, Iterator, Mapping
from dataclasses import dataclass
from fractions import Fraction
from itertools import pairwise
from math import exp, inf, log

import numpy as np

from chronoxis.core.model.beats import turns
from chronoxis.core.model.music import MusicPiece
from chronoxis.core.model.project import Passage, Project, Shot
from chronoxis.core.model.sound import Effect, EffectKind, Manner
from chronoxis.core.timing.ramps import RampShape

_LONGEST_PULSE = 1.0  # result seconds that a faster passage lasts at most to be a pulse
_EFFECT_TAIL = 0.7  # result seconds that an effect needs at most to die away beyond its ramp
_SHORTEST_STRETCH = 1e-4  # result seconds: what is shorter is no stretch


@dataclass(frozen=True)
class Stretch:
    """A stretch of the result in which one sound plays in one manner.

    Attributes:
        begin: result seconds.
        end: likewise.
        source: key of the footage.
        source_begin: seconds of its own clock; above ``source_end`` where it plays backwards.
        source_end: likewise.
        manner: how recorded sound plays; None for music.
        level: dB.
        shot: number of the shot that it belongs to; of music, its place in the project's.
        passage: number of the passage.
    """

    begin: float
    end: float
    source: str
    source_begin: float
    source_end: float
    manner: Manner | None
    level: float
    shot: int
    passage: int = 0


@dataclass(frozen=True)
class EffectEvent:
    """An effect where it sounds.

    Attributes:
        effect: which.
        begin: result seconds.
        peak: where it is loudest.
        end: where it has died away.
        shot: number of the shot.
        climbs: whether the speed climbs towards the peak; else it falls from it.
    """

    effect: Effect
    begin: float
    peak: float
    end: float
    shot: int
    climbs: bool = True


@dataclass(frozen=True, eq=False)
class SoundPlan:
    """All that is heard of a result.

    Attributes:
        project: whose.
        length: result seconds, whole frames.
        stretches: recorded sound, silent ones included, in the order of the result.
        music: stretches of music; one for each time it begins again.
        events: effects, by kind and beginning.
    """

    project: Project
    length: Fraction
    stretches: tuple[Stretch, ...]
    music: tuple[Stretch, ...]
    events: tuple[EffectEvent, ...]

    @property
    def is_heard(self) -> bool:
        """Whether anything sounds."""
        return bool(self.music or self.events or next(self.heard(), None))

    def heard(self) -> Iterator[Stretch]:
        """The recorded stretches that sound."""
        return (stretch for stretch in self.stretches if stretch.manner is not Manner.SILENT)

    def rows(self) -> list[Stretch | EffectEvent]:
        """All of it, in the order of the result."""
        return sorted((*self.stretches, *self.music, *self.events), key=lambda row: (row.begin, row.end))


def make_sound_plan(
    project: Project, length: Fraction, has_sound: Callable[[str], bool], lengths: Mapping[str, Fraction]
) -> SoundPlan:
    """Work out what is heard of a project.

    Args:
        project: the choices.
        length: result seconds, whole frames.
        has_sound: whether footage has sound, by its key.
        lengths: of the sound of footage that music is made of, in its own seconds, by key.
    """
    starts = project.shot_rows.begins if project.shots else np.empty(0)
    stretches: list[Stretch] = []
    for number, shot in enumerate(project.shots):
        sounds = has_sound(shot.footage)
        stretches += _of_shot(project, number, float(starts[number]), sounds=sounds)
    music = [
        stretch
        for place, piece in enumerate(project.music)
        if piece.footage in lengths and has_sound(piece.footage)
        for stretch in _of_music(piece, place, lengths[piece.footage], length)
    ]
    events = [
        event
        for number, shot in enumerate(project.shots)
        for event in _events(project, number, shot, float(starts[number]))
    ]
    return SoundPlan(project, length, tuple(stretches), tuple(music), tuple(events))


def _of_shot(project: Project, number: int, start: float, *, sounds: bool) -> Iterator[Stretch]:
    shot = project.shots[number]
    scale = project.footage_of(shot).scale
    origin = (shot.out_point if shot.backwards else shot.in_point) / scale
    direction = -1 if shot.backwards else 1
    parts: list[tuple[float, float, int, bool]] = []
    for place, passage in enumerate(shot.passages):
        if not sounds:
            joints = shot.pace.joints
            parts.append((float(joints[place]), float(joints[place + 1]), place, False))
            continue
        for begin, end, heard in _parts(shot, place, passage, scale, project.mix.silent_above):
            parts.append((begin, end, place, heard))
    times = np.array([(begin, end) for begin, end, _, _ in parts])
    sources = float(origin) + direction * shot.pace.recorded_at(times) / float(scale)
    for (begin, end, place, heard), (first, last) in zip(parts, sources.tolist(), strict=True):
        sound = shot.passages[place].sound
        manner = sound.manner if heard else Manner.SILENT
        yield Stretch(
            start + begin, start + end, shot.footage, first, last, manner, sound.level, number, place
        )


def _parts(
    shot: Shot, place: int, passage: Passage, scale: Fraction, most: Fraction
) -> Iterator[tuple[float, float, bool]]:
    """Stretches of a passage that are heard or not, in result seconds of the shot."""
    joints = shot.pace.joints
    begin, end = float(joints[place]), float(joints[place + 1])
    manner = passage.sound.manner
    if manner is Manner.SILENT:
        yield begin, end, False
        return
    slowest, fastest = (bound * scale for bound in manner.audible)
    fastest = min(fastest, most)
    speed = passage.piece.rounded[1]
    entering, leaving = _turn(shot, place), _turn(shot, place + 1)
    if entering is None and leaving is None:
        yield begin, end, bool(slowest <= passage.speed <= fastest)
        return
    bounds = float(slowest), float(fastest)
    marks = entering.marks(bounds, since=begin) if entering else [(begin, speed)]
    marks.append((max(leaving.begin if leaving else end, marks[-1][0]), speed))
    if leaving:
        marks += leaving.marks(bounds, until=end)
    yield from _joined(marks, end, bounds)


@dataclass(frozen=True)
class _Turn:
    """A change of speed: at a joint, or a run at an edge of its shot; in result seconds of the shot."""

    begin: float
    length: float
    before: float
    after: float
    shape: RampShape

    def marks(
        self, bounds: tuple[float, float], since: float = -inf, until: float = inf
    ) -> list[tuple[float, float]]:
        """Times and speeds at both ends of what lies between two times, and where it passes a bound there."""
        low, high = (min(max((t - self.begin) / self.length, 0.0), 1.0) for t in (since, until))
        ratio = log(self.after / self.before)
        found = [(u, self.before * exp(ratio * self.shape.share_at(u))) for u in (low, high)]
        least, most = sorted(speed for _, speed in found)
        passed = (bound for bound in bounds if least < bound < most)
        found += [(self.shape.place_of(log(bound / self.before) / ratio), bound) for bound in passed]
        return [(self.begin + u * self.length, speed) for u, speed in sorted(found)]


def _turn(shot: Shot, number: int) -> _Turn | None:
    """The change of speed before a passage, or behind the last one; None where there is none."""
    pace, speeds = shot.pace, shot.rows.speeds
    if number == 0:
        run, length = shot.runs.entering, pace.run_lengths[0]
        return _Turn(0.0, length, float(run.peak), speeds[0], run.shape) if run and length else None
    if number == len(shot.passages):
        run, length = shot.runs.leaving, pace.run_lengths[1]
        begin = float(pace.joints[-1]) - length
        return _Turn(begin, length, speeds[-1], float(run.peak), run.shape) if run and length else None
    length = float(pace.ramp_lengths[number - 1])
    if not length:
        return None
    begin = float(pace.joints[number]) - length / 2
    shape = shot.passages[number - 1].ramp.shape
    return _Turn(begin, length, speeds[number - 1], speeds[number], shape)


def _joined(
    marks: list[tuple[float, float]], end: float, bounds: tuple[float, float]
) -> Iterator[tuple[float, float, bool]]:
    """Stretches between some times and the speeds there, as long as what is heard stays the same."""
    joined: list[tuple[float, float, bool]] = []
    for (low, before), (high, after) in pairwise(marks):
        # No bound lies between two marks: any speed between theirs tells. Bounds belong to what is heard.
        between = (before * after) ** 0.5
        heard = bounds[0] * (1 - 1e-9) <= between <= bounds[1] * (1 + 1e-9)
        if high - low < _SHORTEST_STRETCH and joined:
            heard = joined[-1][2]
        if joined and joined[-1][2] == heard:
            joined[-1] = (joined[-1][0], high, heard)
        elif high > low:
            joined.append((low, high, heard))
    if joined:
        joined[-1] = (joined[-1][0], end, joined[-1][2])
    yield from joined


def _of_music(piece: MusicPiece, place: int, available: Fraction, length: Fraction) -> Iterator[Stretch]:
    """Each time that music plays, in the order of the result."""
    for begin, end, source in turns(piece, available, length):
        yield Stretch(begin, end, piece.footage, source, source + end - begin, None, piece.level, place)


def _events(project: Project, shot_number: int, shot: Shot, start: float) -> Iterator[EffectEvent]:
    """The effects of a shot."""
    rules = {rule.effect.kind: rule for rule in project.mix.rules}
    joints = shot.pace.joints
    for number in range(len(shot.passages) + 1):
        turn = _turn(shot, number)
        if turn is None:
            continue
        top = max(turn.before, turn.after)
        chosen = {
            kind: rule.effect for kind, rule in rules.items() if kind.follows_ramps and top >= rule.above
        }
        if 0 < number < len(shot.passages) and (own := shot.passages[number - 1].effect) is not None:
            chosen[own.kind] = own
        begin, end = start + turn.begin, start + turn.begin + turn.length
        for effect in chosen.values():
            if turn.after > turn.before:
                yield EffectEvent(effect, begin, end, end + _EFFECT_TAIL, shot_number)
            elif number:  # a run that falls from a cut goes on with what climbed to it
                yield EffectEvent(
                    effect, max(begin - _EFFECT_TAIL, 0.0), begin, end, shot_number, climbs=False
                )
    for place, passage in enumerate(shot.passages):
        begin, end = start + float(joints[place]), start + float(joints[place + 1])
        whirr, tick = rules.get(EffectKind.WHIRR), rules.get(EffectKind.TICK)
        if whirr and (shot.backwards or passage.speed >= whirr.above):
            yield EffectEvent(whirr.effect, begin, (begin + end) / 2, end, shot_number)
        if tick and passage.speed >= tick.above and _is_pulse(shot, place):
            yield EffectEvent(tick.effect, begin, begin, begin + 0.1, shot_number)


def _is_pulse(shot: Shot, place: int) -> bool:
    """Whether a passage is short and faster than both of its neighbours."""
    lasting = float(shot.pace.joints[place + 1] - shot.pace.joints[place])
    return lasting <= _LONGEST_PULSE and shot.is_peak(place)


def runs_of(stretches: Iterable[Stretch]) -> Iterator[tuple[Stretch, ...]]:
    """Recorded stretches that play as one: of one shot, in one manner, one after another."""
    run: list[Stretch] = []
    for stretch in stretches:
        if run and (
            stretch.shot != run[-1].shot
            or stretch.manner is not run[-1].manner
            or abs(stretch.begin - run[-1].end) > _SHORTEST_STRETCH
        ):
            yield tuple(run)
            run = []
        if stretch.manner is not Manner.SILENT:
            run.append(stretch)
    if run:
        yield tuple(run)
