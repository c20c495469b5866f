"""What is made of lulls: passages that hurry through them, or cuts that leave them out."""

from bisect import bisect_right
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from fractions import Fraction
from functools import cache, partial
from typing import NamedTuple, TypeVar

import numpy as np
import numpy.typing as npt

from chronoxis.core.errors import PlanError
from chronoxis.core.model import arranging, pacing
from chronoxis.core.model.project import Place, Project, Shot
from chronoxis.core.timing.lulls import Lull
from chronoxis.core.timing.pace import PacePiece, PaceProfile
from chronoxis.core.timing.ramps import Ramp, RampShape
from chronoxis.core.timing.reckoner import Quantity
from chronoxis.core.timing.speed import checked_speed
from chronoxis.core.timing.timecode import format_time

LullsOf = Mapping[int, Sequence[Lull]]
"""Lulls in recorded seconds, ascending, by the number of their shot."""

LEAST_FRAMES = 2
"""Recorded frames that a lull of which something can be made has at least."""

_SPEED_ROUNDS = 6  # of finding a speed, which ramps and their places follow
_PARTS_OF_SECOND = 10**6  # parts of a second in which a joint is placed
_NEGLIGIBLE = 1e-9


@dataclass(frozen=True)
class Hurry:
    """How lulls are hurried through.

    Attributes:
        speed: of them.
        ramp: result seconds in which the speed changes at either end, inside the lull.
        shape: of that.
    """

    speed: Fraction
    ramp: Fraction = Fraction(1, 2)
    shape: RampShape = RampShape.SMOOTH


def hurry(project: Project, lulls: LullsOf, wish: Hurry) -> Project:
    """Have lulls played at a speed; what is held, or was given a pace by hand, stays as it is.

    Raises:
        PlanError: the speed is out of range, or nothing is left of the lulls.
    """
    checked_speed(wish.speed)
    made, places = _hurried(project, lulls, wish)
    if not places:
        raise PlanError("No lull is long enough for that; choose a shorter ramp, or other lulls.")
    return made


def hurry_to_length(project: Project, lulls: LullsOf, length: Fraction, wish: Hurry) -> Project:
    """Have lulls played as fast as makes the whole result so long.

    Raises:
        PlanError: no speed of the lulls gives that; the message says by how much.
    """
    for _ in range(_SPEED_ROUNDS):
        made, places = _hurried(project, lulls, wish)
        if not places:
            raise PlanError("No lull is long enough for that; choose a shorter ramp, or other lulls.")
        try:
            fitted = pacing.fit_places_to_length(made, places, length)
        except PlanError as error:
            raise PlanError(_out_of_reach(made, length)) from error
        speed = fitted.passage(places[0]).speed
        if speed == wish.speed:
            break
        wish = replace(wish, speed=speed)
    return fitted


def _out_of_reach(made: Project, length: Fraction) -> str:
    wished = format_time(length)
    if length < made.result_length:
        return f"Lulls alone cannot make the result as short as {wished}: count more as nothing."
    return f"Lulls alone cannot make the result as long as {wished}: choose a shorter length."


def length_hurried(project: Project, lulls: LullsOf, wish: Hurry | None) -> float:
    """Result seconds of all, with lulls hurried through, or left out for None: at once, and nearly exact."""
    length = float(project.result_length)
    for number, of_shot in lulls.items():
        shot = project.shots[number]
        base, (first, last) = usual_speed(shot, of_shot), shot.span
        ends = np.array([[max(lull.begin, first), min(lull.end, last)] for lull in of_shot])
        recorded = ends[:, 1] - ends[:, 0]
        length -= float(recorded.sum() / base)
        if wish is None:
            continue
        sides = (ends != [first, last]).sum(axis=1)  # at the ends of the shot there is no ramp
        has_ramps = wish.ramp > 0 and wish.speed != base
        ramped = sides * float(sum(_reach(base, wish))) if has_ramps else np.zeros(len(sides))
        share = np.minimum(recorded / np.maximum(ramped, _NEGLIGIBLE), 1)
        plain = recorded - share * ramped
        in_ramps = sides * float(wish.ramp) * share if has_ramps else 0.0
        length += float((plain / float(wish.speed) + in_ramps).sum())
    return length


def leave_out(project: Project, lulls: LullsOf) -> Project:
    """Cut lulls out; what is held, or was given a pace by hand, stays as it is.

    Raises:
        PlanError: nothing is left of the lulls, or of the result.
    """
    cuts, shots = 0, list[Shot]()
    for number, shot in enumerate(project.shots):
        of_shot = lulls.get(number, ())
        stretches = _stretches(project, number, of_shot, usual_speed(shot, of_shot))
        cuts += len(stretches)
        shots += _without(shot, stretches)
    if not cuts:
        raise PlanError("No lull is there that could be left out.")
    if not shots:
        raise PlanError("Nothing would be left; count less as nothing.")
    return replace(project, shots=tuple(shots))


def _without(shot: Shot, stretches: list[tuple[Fraction, Fraction]]) -> list[Shot]:
    """What is left of a shot without some stretches, seconds since its start."""
    kept, rest, covered = list[Shot](), shot, Fraction(0)
    for begin, end in stretches:
        if begin > covered:
            before, rest = arranging.halved(rest, begin - covered)
            kept.append(before)
        if end == shot.recorded_length:
            return kept
        _, rest = arranging.halved(rest, end - begin)
        covered = end
    return [*kept, rest]


def free_lulls(project: Project, number: int, lulls: Sequence[Lull]) -> list[Lull]:
    """The parts of lulls that something can be made of, in recorded seconds."""
    shot = project.shots[number]
    least = float(LEAST_FRAMES / project.footage_of(shot).rate)
    covered = _free(shot, usual_speed(shot, lulls)).spans
    spans = shot.span[1] - covered[::-1, ::-1] if shot.backwards else shot.span[0] + covered
    parts = [(begin, end) for begin, end in spans.tolist()]
    return [Lull(*span) for span in _overlaps(lulls, parts, least)]


def _hurried(project: Project, lulls: LullsOf, wish: Hurry) -> tuple[Project, list[Place]]:
    """With passages in the lulls; where these are."""
    places: list[Place] = []
    for number in sorted(lulls):
        shot = project.shots[number]
        base = usual_speed(shot, lulls[number])
        frame = LEAST_FRAMES / project.footage_of(shot).rate
        stretches = _stretches(project, number, lulls[number], base)
        spans = [_inside(shot, begin, end, base, wish, frame) for begin, end in stretches]
        there = set(shot.joints)
        ramps = {joint: ramp for *ends, ramp in spans for joint in ends if joint not in there}
        project = project.with_shot(number, pacing.divided(shot, ramps))
        numbers = {joint: place for place, joint in enumerate(project.shots[number].joints)}
        hurried = [Place(number, numbers[begin]) for begin, *_ in spans]
        project = pacing.set_speed(project, hurried, wish.speed)
        ramped = {
            Place(number, numbers[joint] - 1): partial(replace, ramp=Ramp(ramp, wish.shape))
            for joint, ramp in ramps.items()
        }
        project = pacing.changed_each(project, ramped)
        places += hurried
    return project, places


def _inside(
    shot: Shot, begin: Fraction, end: Fraction, speed: Fraction, wish: Hurry, least: Fraction
) -> tuple[Fraction, Fraction, Fraction]:
    """Where the joints of a hurried lull lie, so that its ramps begin and end with it; and their length."""
    if speed == wish.speed or not wish.ramp:
        return begin, end, Fraction(0)
    is_new = begin not in shot.joints, end not in shot.joints  # at others, somebody has seen to the ramp
    sides = sum(is_new)
    reach, within = _reach(speed, wish)
    share = Fraction(1)
    if (needed := sides * (reach + within)) > end - begin - least:  # a shorter ramp covers as many times less
        share = max((end - begin - least) / needed, Fraction(0))
    return begin + is_new[0] * share * reach, end - is_new[1] * share * reach, share * wish.ramp


@cache
def _reach(speed: Fraction, wish: Hurry) -> tuple[Fraction, Fraction]:
    """Recorded seconds that a ramp covers outside of the passage that hurries, and within it."""
    long = 4 * wish.ramp
    pieces = [PacePiece(speed * long, speed), PacePiece(wish.speed * long, wish.speed)]
    pace = PaceProfile(pieces, [Ramp(wish.ramp, wish.shape)])
    middle, half = float(pace.joints[1]), float(wish.ramp) / 2
    begin, end = (Fraction(float(at)) for at in pace.recorded_at([middle - half, middle + half]))
    joint = speed * long
    return (joint - begin).limit_denominator(_PARTS_OF_SECOND), (end - joint).limit_denominator(
        _PARTS_OF_SECOND
    )


def _stretches(
    project: Project, number: int, lulls: Sequence[Lull], base: Fraction
) -> list[tuple[Fraction, Fraction]]:
    """Lulls as far as they lie in free passages: seconds since the shot's start, on frames, ascending.

    ``base`` is the shot's usual speed.
    """
    shot = project.shots[number]
    frame = 1 / project.footage_of(shot).rate
    spans = (sorted(shot.covered(_on_frame(second, frame)) for second in lull) for lull in lulls)
    ends = sorted((begin, end) for begin, end in spans)
    there, together = set(shot.joints), list[tuple[Fraction, Fraction]]()
    # Two that were split are one again if nothing came between them.
    for low, high in _overlaps(ends, _free(shot, base).exact(shot), LEAST_FRAMES * frame):
        touches = together and together[-1][1] == low and low not in there
        together.append((together.pop()[0] if touches else low, high))
    return together


_Time = TypeVar("_Time", Fraction, float)


def _overlaps(
    spans: Sequence[tuple[_Time, _Time]], parts: Sequence[tuple[_Time, _Time]], least: _Time
) -> list[tuple[_Time, _Time]]:
    """What spans and parts, both ascending and apart, have in common; at least so much."""
    found, begins = [], [begin for begin, _ in parts]
    for first, last in spans:
        for begin, end in parts[max(bisect_right(begins, first) - 1, 0) :]:
            if begin >= last:
                break
            low, high = max(begin, first), min(end, last)
            if high - low >= least:
                found.append((low, high))
    return found


def usual_speed(shot: Shot, lulls: Sequence[Lull]) -> Fraction:
    """The speed of most of a shot that is no lull: what has another was given it by hand, or hurried."""
    if len(shot.passages) == 1:
        return shot.passages[0].speed
    edges = _edges(shot)
    spans = np.array([[begin, end] for begin, end in lulls], np.float64).reshape(-1, 2)
    spans = np.sort(np.abs(spans - shot.rows.enters[0]).ravel()).reshape(-1, 2)
    in_lulls = np.cumsum(np.insert(np.diff(spans, axis=1).ravel(), 0, 0.0))
    # So much of the lulls has passed at each of their ends.
    passed = np.interp(edges, np.insert(spans.ravel(), 0, 0.0), np.repeat(in_lulls, 2)[:-1])
    covered = np.diff(edges) - np.diff(passed)
    lengths: dict[Fraction, float] = {}
    for passage, length in zip(shot.passages, covered.tolist(), strict=True):
        lengths[passage.speed] = lengths.get(passage.speed, 0.0) + length
    speed = max(lengths, key=lambda speed: lengths[speed])
    return speed if lengths[speed] > 0 else shot.longest.speed


class _Free(NamedTuple):
    """What of a shot plays at its usual speed, without the ramps to others; a row for each such passage.

    Attributes:
        passages: their numbers.
        spans: seconds since the shot's start, shape (rows, 2).
        in_ramps: whether that is where a ramp ends or begins, and not where a joint lies; the same shape.
    """

    passages: npt.NDArray[np.int64]
    spans: npt.NDArray[np.float64]
    in_ramps: npt.NDArray[np.bool_]

    def exact(self, shot: Shot) -> list[tuple[Fraction, Fraction]]:
        """The same in exact seconds."""
        rows = zip(self.passages.tolist(), self.spans.tolist(), self.in_ramps.tolist(), strict=True)
        return [
            (
                _fine(span[0]) if in_ramp[0] else shot.joints[number],
                _fine(span[1]) if in_ramp[1] else shot.joints[number + 1],
            )
            for number, span, in_ramp in rows
        ]


def _free(shot: Shot, base: Fraction) -> _Free:
    edges = _edges(shot)
    halves = np.append(shot.pace.ramp_lengths / 2, 0.0)  # the last joint is the end, which has no ramp
    places = shot.pace.joints[1:]
    before, after = (np.asarray(shot.pace.recorded_at(places + way * halves)) for way in (-1, 1))
    ends = np.minimum(before, edges[1:])
    begins = np.concatenate(([0.0], np.maximum(after, edges[1:])[:-1]))
    in_ramps = np.stack([np.concatenate(([False], halves[:-1] > 0)), halves > 0], axis=1)
    spans = np.where(in_ramps, np.stack([begins, ends], axis=1), np.stack([edges[:-1], edges[1:]], axis=1))
    held = np.array([bool(passage.held & _HOLDING) for passage in shot.passages])
    rows = np.flatnonzero((shot.rows.speeds == float(base)) & ~held & (spans[:, 1] > spans[:, 0]))
    return _Free(rows, spans[rows], in_ramps[rows])


def _edges(shot: Shot) -> npt.NDArray[np.float64]:
    """The shot's joints, its begin and its end among them: seconds since its start, rounded."""
    return np.concatenate(([0.0], np.abs(shot.rows.leaves - shot.rows.enters[0])))


def _fine(seconds: float) -> Fraction:
    return Fraction(round(seconds * _PARTS_OF_SECOND), _PARTS_OF_SECOND)


_HOLDING = frozenset((Quantity.SPEED, Quantity.RESULT_LENGTH, Quantity.COUNT))


def _on_frame(second: float, frame: Fraction) -> Fraction:
    return round(second / frame) * frame
