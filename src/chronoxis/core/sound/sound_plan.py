"""What is heard when: every stretch of the result with its sound, in which manner, how loud.

Preview, export, the listing of the plan and the lanes read the same `SoundPlan`, as pictures read one
schedule.
"""

from collections.abc import Callable, Iterable, Iterator, Mapping
from dataclasses import dataclass
from fractions import Fraction
from itertools import pairwise
from math import exp, log

import numpy as np

from chronoxis.core.model.beats import turns
from chronoxis.core.model.music import MusicPiece
from chronoxis.core.model.project import Passage, Project, Shot
from chronoxis.core.model.sound import Effect, EffectKind, Manner

_PULSE = 1.0  # result seconds that a faster passage lasts at most to be a pulse
_TAIL = 0.7  # result seconds that an effect needs at most to die away beyond its ramp
_SHORTEST = 1e-4  # result seconds: what is shorter is no stretch


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
    pace, joints = shot.pace, shot.pace.joints
    begin, end = float(joints[place]), float(joints[place + 1])
    manner = passage.sound.manner
    if manner is Manner.SILENT:
        yield begin, end, False
        return
    slowest, fastest = (bound * scale for bound in manner.audible)
    fastest = min(fastest, most)
    entering = float(pace.ramp_lengths[place - 1]) / 2 if place else 0.0
    leaving = float(pace.ramp_lengths[place]) / 2 if place + 1 < len(shot.passages) else 0.0
    speed = passage.piece.rounded[1]
    if not entering and not leaving:
        yield begin, end, bool(slowest <= passage.speed <= fastest)
        return
    bounds = float(slowest), float(fastest)
    marks = [(begin, speed)]
    if entering:
        marks = _half_of_ramp(shot, place - 1, begin, bounds, second=True)
    marks.append((max(end - leaving, marks[-1][0]), speed))
    if leaving:
        marks += _half_of_ramp(shot, place, end, bounds, second=False)
    yield from _joined(marks, end, bounds)


def _joined(
    marks: list[tuple[float, float]], end: float, bounds: tuple[float, float]
) -> Iterator[tuple[float, float, bool]]:
    """Stretches between some times and the speeds there, as long as what is heard stays the same."""
    joined: list[tuple[float, float, bool]] = []
    for (low, before), (high, after) in pairwise(marks):
        # No bound lies between two marks: any speed between theirs tells. Bounds belong to what is heard.
        between = (before * after) ** 0.5
        heard = bounds[0] * (1 - 1e-9) <= between <= bounds[1] * (1 + 1e-9)
        if high - low < _SHORTEST and joined:
            heard = joined[-1][2]
        if joined and joined[-1][2] == heard:
            joined[-1] = (joined[-1][0], high, heard)
        elif high > low:
            joined.append((low, high, heard))
    if joined:
        joined[-1] = (joined[-1][0], end, joined[-1][2])
    yield from joined


def _half_of_ramp(
    shot: Shot, place: int, joint: float, bounds: tuple[float, float], *, second: bool
) -> list[tuple[float, float]]:
    """Times and speeds at both ends of half a ramp, and where it passes a bound between them."""
    before, after = (shot.passages[n].piece.rounded[1] for n in (place, place + 1))
    length, shape = float(shot.pace.ramp_lengths[place]), shot.passages[place].ramp.shape
    ends = (0.5, 1.0) if second else (0.0, 0.5)
    ratio = log(after / before)
    found = [(u, before * exp(ratio * shape.share_at(u))) for u in ends]
    low, high = sorted(speed for _, speed in found)
    for bound in bounds:
        if low < bound < high:
            u = shape.place_of(log(bound / before) / ratio)
            found.append((u, bound))
    return [(joint + (u - 0.5) * length, speed) for u, speed in sorted(found)]


def _of_music(piece: MusicPiece, place: int, available: Fraction, length: Fraction) -> Iterator[Stretch]:
    """Each time that music plays, in the order of the result."""
    for begin, end, source in turns(piece, available, length):
        yield Stretch(begin, end, piece.footage, source, source + end - begin, None, piece.level, place)


def _events(project: Project, number: int, shot: Shot, start: float) -> Iterator[EffectEvent]:
    """The effects of a shot."""
    rules = {rule.effect.kind: rule for rule in project.mix.rules}
    lengths, joints = shot.pace.ramp_lengths, shot.pace.joints
    for place in np.flatnonzero(lengths > 0).tolist():
        before, after = shot.passages[place], shot.passages[place + 1]
        top, middle, half = max(before.speed, after.speed), joints[place + 1], lengths[place] / 2
        chosen = {
            kind: rule.effect for kind, rule in rules.items() if kind.follows_ramps and top >= rule.above
        }
        if before.effect is not None:
            chosen[before.effect.kind] = before.effect
        climbs = after.speed > before.speed
        begin, end = start + middle - half, start + middle + half
        for effect in chosen.values():
            if climbs:
                yield EffectEvent(effect, begin, end, end + _TAIL, number)
            else:
                yield EffectEvent(effect, max(begin - _TAIL, 0.0), begin, end, number, climbs=False)
    for place, passage in enumerate(shot.passages):
        begin, end = start + float(joints[place]), start + float(joints[place + 1])
        whirr, tick = rules.get(EffectKind.WHIRR), rules.get(EffectKind.TICK)
        if whirr and (shot.backwards or passage.speed >= whirr.above):
            yield EffectEvent(whirr.effect, begin, (begin + end) / 2, end, number)
        if tick and passage.speed >= tick.above and _is_pulse(shot, place):
            yield EffectEvent(tick.effect, begin, begin, begin + 0.1, number)


def _is_pulse(shot: Shot, place: int) -> bool:
    """Whether a passage is short and faster than both of its neighbours."""
    lasting = float(shot.pace.joints[place + 1] - shot.pace.joints[place])
    return lasting <= _PULSE and shot.is_peak(place)


def runs_of(stretches: Iterable[Stretch]) -> Iterator[tuple[Stretch, ...]]:
    """Recorded stretches that play as one: of one shot, in one manner, one after another."""
    run: list[Stretch] = []
    for stretch in stretches:
        if run and (
            stretch.shot != run[-1].shot
            or stretch.manner is not run[-1].manner
            or abs(stretch.begin - run[-1].end) > _SHORTEST
        ):
            yield tuple(run)
            run = []
        if stretch.manner is not Manner.SILENT:
            run.append(stretch)
    if run:
        yield tuple(run)
