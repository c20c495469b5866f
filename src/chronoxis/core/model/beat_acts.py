"""Shaping shots to beats: pulses, alternation, settling, cutting; each from one project to the next.

What a beat is meant for lies on it to far less than a result frame: joints are laid at the times of beats
and the footage of each passage follows.
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from enum import StrEnum
from fractions import Fraction
from typing import NamedTuple

import numpy as np
import numpy.typing as npt

from chronoxis.core.errors import PlanError
from chronoxis.core.model.arranging import cut_shot
from chronoxis.core.model.beats import ResultBeats
from chronoxis.core.model.laid_passages import on_grid, with_laid_passages
from chronoxis.core.model.marker import Marker
from chronoxis.core.model.project import Passage, Place, Project, Shot
from chronoxis.core.timing.laying import Laid, covering, scaled_to
from chronoxis.core.timing.pace import Seconds
from chronoxis.core.timing.ramps import ABRUPT, Ramp, RampShape, Run
from chronoxis.core.timing.reckoner import Quantity
from chronoxis.core.timing.speed import checked_speed

_LEAST_FRAMES = 2  # that a passage lasts
_SAME_TIME = 1e-9  # result seconds within which two times are one
_MARK_REACH = 0.05  # seconds from a mark in which a beat is meant by it
_REACH_BEATS = 3  # beats on either side that a joint may go to


class Which(StrEnum):
    """Which beats an act takes."""

    EVERY = "every beat"
    SECOND = "every other"
    BARS = "the first of each bar"
    MARKED = "those with a mark"


def beats_of(
    beats: ResultBeats, which: Which, begin: float, end: float, markers: Sequence[Marker] = ()
) -> Seconds:
    """Result seconds of the beats in a stretch that an act takes; ``markers`` are those of the result."""
    times = beats.times[beats.bars] if which is Which.BARS else beats.times
    if which is Which.MARKED:
        marks = np.array([float(marker.at) for marker in markers])
        near = np.abs(times[:, None] - marks) <= _MARK_REACH
        times = times[near.any(axis=1)]
    inside = times[(times > begin + 1e-6) & (times < end - 1e-6)]
    if which is Which.SECOND:
        # Those that bars begin with are among them, wherever the stretch begins.
        inside = inside[_first_of_bar(inside, beats) % 2 :: 2]
    return inside


def _first_of_bar(times: Seconds, beats: ResultBeats) -> int:
    """Number of the first of some beats that begins a bar; 0 if none does."""
    firsts = np.flatnonzero(np.isin(times, beats.times[beats.bars]))
    return int(firsts[0]) if len(firsts) else 0


@dataclass(frozen=True)
class Pulse:
    """A burst of speed on beats.

    Attributes:
        speed: of the burst.
        length: result seconds of it, from the beat on.
        ramp: result seconds of the ramp into it and out of it.
        shape: of these.
    """

    speed: Fraction
    length: Fraction
    ramp: Fraction = Fraction(0)
    shape: RampShape = RampShape.SMOOTH


def pulse(project: Project, shots: Sequence[int], times: Seconds, wish: Pulse, *, keep: bool) -> Project:
    """Put a burst of speed on each of some beats of shots.

    The burst begins on the beat: the ramp into it has its middle there. With ``keep`` shots last as long as
    before, and what is not held goes as much slower; else they end sooner.

    Raises:
        PlanError: there is no beat, bursts would meet, or there is not enough footage.
    """
    checked_speed(wish.speed)

    def laid(shot: Shot, own: Seconds) -> tuple[Laid, list[Passage]]:
        length = float(wish.length)
        gaps = np.diff(own)
        if length <= 0 or (len(gaps) and length > gaps.min() - _LEAST_FRAMES / float(project.rate)):
            raise PlanError("A pulse must end before the next one begins; choose a shorter one.")
        return _with_bursts(shot, own, wish, 1 / float(project.rate))

    return _on_shots(project, shots, times, laid, keep=keep, burst=wish.speed)


def alternate(
    project: Project,
    shots: Sequence[int],
    times: Seconds,
    speeds: tuple[Fraction, Fraction],
    ramp: Ramp = ABRUPT,
    *,
    keep: bool,
) -> Project:
    """Let shots change between two speeds from beat to beat.

    With ``keep`` they last as long as before, at speeds of the same ratio.

    Raises:
        PlanError: there is no beat, or a speed is out of range.
    """
    for speed in speeds:
        checked_speed(speed)

    def laid(shot: Shot, own: Seconds) -> tuple[Laid, list[Passage]]:
        joints = np.concatenate(([0.0], own, [float(shot.pace.result_length)]))
        count = len(joints) - 1
        sequence = np.array([float(speeds[number % 2]) for number in range(count)])
        template = replace(shot.passages[0], held=frozenset(), effect=None)
        made = Laid(
            joints,
            sequence,
            np.full(count - 1, float(ramp.length)),
            [ramp.shape] * (count - 1),
            _fitted_runs(shot),
        )
        return made.with_ramps_that_fit(), [template] * count

    return _on_shots(project, shots, times, laid, keep=keep)


def set_pulse_speed(project: Project, place: Place, speed: Fraction) -> Project:
    """Change how strong one pulse is; every joint of its shot stays where it is in the result.

    Raises:
        PlanError: the speed is out of range, or there is not enough footage.
    """
    checked_speed(speed)
    shot = project.shots[place.shot]
    speeds = shot.rows.speeds.copy()
    speeds[place.passage] = float(speed)
    made = replace(_laid(shot), speeds=speeds)
    free = _free(shot.passages)
    free[place.passage] = False
    made = scaled_to(made, float(shot.recorded_length), free)
    return project.with_shot(place.shot, with_laid_passages(shot, made, list(shot.passages)))


def settle(project: Project, shots: Sequence[int], beats: Seconds) -> Project:
    """Move the joints and cuts of neighbouring shots to beats, by changing speeds as little as possible.

    All of them together last as long as before. Held speeds stay; there footage changes hands.

    Raises:
        PlanError: shots are not neighbours, or there are too few beats.
    """
    chosen = sorted(set(shots))
    if not chosen or chosen[-1] - chosen[0] != len(chosen) - 1:
        raise PlanError("Select neighbouring shots to settle them on beats.")
    begins = project.shot_rows.begins
    joints = [begins[number] + project.shots[number].pace.joints for number in chosen]
    whole = np.concatenate([joints[0][:1], *(part[1:] for part in joints)])
    to = _settled(whole, beats, 1 / float(project.rate))
    at = 0
    for number in chosen:
        shot = project.shots[number]
        count = len(shot.passages)
        project = project.with_shot(number, _relaid(shot, to[at : at + count + 1] - to[at]))
        at += count
    return project


def cut_on_beats(project: Project, shots: Sequence[int], beats: ResultBeats, every: int) -> Project:
    """Divide shots into shots of so many beats; where a ramp goes over a beat, there is no cut.

    Raises:
        PlanError: there is no beat to cut at.
    """
    if every < 1:
        raise PlanError("A shot lasts one beat or more.")
    cuts = 0
    for number in sorted(set(shots), reverse=True):
        shot, start = project.shots[number], float(project.shot_rows.begins[number])
        inside = beats_of(beats, Which.EVERY, start, start + float(shot.pace.result_length))
        first = _first_of_bar(inside, beats) % every
        for at in reversed((inside[first::every] - start).tolist()):
            covered = on_grid(float(project.shots[number].pace.recorded_at(at)))
            if _is_on_ramp(shot, at) or not 0 < covered < project.shots[number].recorded_length:
                continue
            project = cut_shot(project, number, covered)
            cuts += 1
    if not cuts:
        raise PlanError("There is no beat to cut at in the selected shots.")
    return project


def _on_shots(
    project: Project,
    shots: Sequence[int],
    times: Seconds,
    laid: Callable[[Shot, Seconds], tuple[Laid, list[Passage]]],
    *,
    keep: bool,
    burst: Fraction | None = None,
) -> Project:
    if not shots:
        raise PlanError("Select the shots that should follow the beats.")
    # From the last shot on, so that those before stay where their beats are.
    touched = 0
    for number in sorted(set(shots), reverse=True):
        shot, start = project.shots[number], float(project.shot_rows.begins[number])
        least = _LEAST_FRAMES / float(project.rate)
        own = times - start
        own = own[(own > least) & (own < float(shot.pace.result_length) - least)]
        if not len(own):
            continue
        touched += len(own)
        made, passages = laid(shot, own)
        if keep:
            made = scaled_to(made, float(shot.recorded_length), _free(passages))
        project = project.with_shot(number, with_laid_passages(shot, made, passages, burst))
    if not touched:
        raise PlanError("There is no beat in the selected shots; lay music under them, or tap beats along.")
    return project


class _Part(NamedTuple):
    """A stretch of a shot that is to be a passage.

    Attributes:
        begin: result seconds.
        passage: what it plays.
        ramp: result seconds in which the speed changes at its end.
        shape: of that.
    """

    begin: float
    passage: Passage
    ramp: float
    shape: RampShape


def _with_bursts(shot: Shot, own: Seconds, wish: Pulse, frame: float) -> tuple[Laid, list[Passage]]:
    """A shot's passages in result time, with bursts over them; less than a ``frame`` of one is dropped."""
    end, taken = float(shot.pace.joints[-1]), 0.0
    parts: list[_Part] = []
    for at in own.tolist():
        parts += _left_between(shot, taken, at, wish, frame)
        taken = min(at + float(wish.length), end)
        if taken > at:
            parts.append(_burst(_passage_at(shot, at), at, wish))
    parts += _left_between(shot, taken, end, wish, frame)
    made = Laid(
        np.array([0.0, *(part.begin for part in parts[1:]), end]),
        np.array([float(part.passage.speed) for part in parts]),
        np.array([part.ramp for part in parts[:-1]]),
        [part.shape for part in parts[:-1]],
        _fitted_runs(shot),
    )
    return made.with_ramps_that_fit(), [part.passage for part in parts]


def _left_between(shot: Shot, begin: float, end: float, wish: Pulse, frame: float) -> list[_Part]:
    """What is left of passages between two bursts: all but the last one end as they did."""
    joints, ramps = shot.pace.joints, shot.pace.ramp_lengths
    first, stop = np.searchsorted(joints, begin, "right") - 1, np.searchsorted(joints, end, "left")
    left = []
    for number in range(max(int(first), 0), min(int(stop), len(shot.passages))):
        passage = shot.passages[number]
        low, high = max(float(joints[number]), begin), min(float(joints[number + 1]), end)
        if high - low < frame:
            continue
        if number < len(ramps) and high >= joints[number + 1] - _SAME_TIME and high < end - _SAME_TIME:
            left.append(_Part(low, passage, float(ramps[number]), passage.ramp.shape))
        else:
            left.append(_Part(low, replace(passage, effect=None), float(wish.ramp), wish.shape))
    return left


def _burst(passage: Passage, at: float, wish: Pulse) -> _Part:
    """A passage sped up from a beat on; its speed is held."""
    ramp = Ramp(wish.ramp, wish.shape)
    fast = replace(passage, speed=wish.speed, ramp=ramp, effect=None, held=frozenset({Quantity.SPEED}))
    return _Part(at, fast, float(wish.ramp), wish.shape)


def _passage_at(shot: Shot, at: float) -> Passage:
    place = int(np.searchsorted(shot.pace.joints, at, "right")) - 1
    return shot.passages[min(max(place, 0), len(shot.passages) - 1)]


def _laid(shot: Shot) -> Laid:
    shapes = [passage.ramp.shape for passage in shot.passages[:-1]]
    return Laid(shot.pace.joints, shot.rows.speeds, shot.pace.ramp_lengths, shapes, _fitted_runs(shot))


def _fitted_runs(shot: Shot) -> tuple[Run | None, Run | None]:
    """The runs of a shot, as long as they really are."""
    entering, leaving = (
        replace(run, length=Fraction(length)) if run and length else None
        for run, length in zip(shot.runs, shot.pace.run_lengths, strict=True)
    )
    return entering, leaving


def _free(passages: Sequence[Passage]) -> npt.NDArray[np.bool_]:
    return np.array([Quantity.SPEED not in passage.held for passage in passages])


def _relaid(shot: Shot, joints: Seconds) -> Shot:
    """A shot with its joints at other result times; free passages cover what they covered."""
    made = replace(_laid(shot), joints=joints).with_ramps_that_fit()
    recorded = np.array([float(passage.recorded_length) for passage in shot.passages])
    free, total = _free(shot.passages), float(shot.recorded_length)
    if not free.any():
        raise PlanError("Every speed here is held; let go of one to settle its joints on beats.")
    for _ in range(8):
        held = made.recorded()[~free].sum()
        share = recorded * ((total - held) / recorded[free].sum())
        if total <= held:
            raise PlanError("The held speeds leave no footage for the others; let go of one.")
        made = covering(made, share, free)
        if not (~free).any():
            break
    return with_laid_passages(shot, made, list(shot.passages))


def _is_on_ramp(shot: Shot, at: float) -> bool:
    inner = shot.pace.joints[1:-1]
    return bool((np.abs(inner - at) < shot.pace.ramp_lengths / 2).any())


def _settled(joints: Seconds, beats: Seconds, frame: float) -> Seconds:
    """Where each joint goes; the first and the last one stay.

    Dynamic programming over joints and the beats near each: what counts is the square of the octaves by
    which each passage's length changes.
    """
    inner = joints[1:-1]
    if not len(inner):
        raise PlanError("There is no joint and no cut between the selected shots to settle on a beat.")
    beats = beats[(beats > joints[0] + frame) & (beats < joints[-1] - frame)]
    if len(beats) < len(inner):
        raise PlanError(f"There are {len(inner)} joints and cuts, and only {len(beats)} beats for them.")
    old = np.diff(joints)
    reach = max(_REACH_BEATS, len(inner))
    score = np.zeros(1)
    at = joints[:1]
    back: list[npt.NDArray[np.int64]] = []
    places: list[Seconds] = []
    for number, joint in enumerate(inner.tolist()):
        nearest = int(np.searchsorted(beats, joint))
        near = beats[max(0, nearest - reach) : nearest + reach]
        cost = score[:, None] + _change(at, near, old[number], frame)
        back.append(cost.argmin(axis=0))
        score, at = cost.min(axis=0), near
        places.append(near)
    score = score + _change(at, joints[-1:], old[-1], frame)[:, 0]
    if not np.isfinite(score.min()):
        raise PlanError("The joints here lie too close together for the beats; merge some passages first.")
    place = int(score.argmin())
    to = [joints[-1]]
    for near, step in zip(reversed(places), reversed(back), strict=True):
        to.append(near[place])
        place = int(step[place])
    return np.array([*to, joints[0]][::-1])


def _change(before: Seconds, after: Seconds, old: float, frame: float) -> npt.NDArray[np.float64]:
    """What it costs to have a passage between two times, by the square of the octaves of its change."""
    lengths = after[None] - before[:, None]
    possible = lengths >= _LEAST_FRAMES * frame
    octaves = np.log2(np.where(possible, lengths, 1.0) / old)
    return np.where(possible, octaves**2, np.inf)
