"""Beats of music as they were found, as a person wants them, and where they lie in a result."""

from collections.abc import Mapping
from dataclasses import dataclass, replace
from fractions import Fraction

import numpy as np
import numpy.typing as npt

from chronoxis.core.errors import PlanError
from chronoxis.core.model.music import BeatChoices, Music, MusicPiece
from chronoxis.core.model.project import Project

_MOST_TAPS = 20_000
_LEAST_LOOP = Fraction(1, 4)  # seconds that music must last to begin again and again
_LEAST_APART = Fraction(1, 20)  # seconds: fingers and eyes tell no more apart


@dataclass(frozen=True)
class Beats:
    """What was found.

    Attributes:
        times: seconds of the sound, ascending; none where there is no beat.
        bar: beats in a bar.
        first: number of the first beat that begins a bar.
    """

    times: tuple[float, ...]
    bar: int = 4
    first: int = 0

    @property
    def tempo(self) -> float | None:
        """Beats a minute, as most of them are apart."""
        count = min(8, len(self.times) - 1)  # over several, so that what is off of each does not count
        if count < 2:
            return None
        times = np.array(self.times)
        return 60 * count / float(np.median(times[count:] - times[:-count]))

    def begins_bar(self, number: int) -> bool:
        """Whether a beat is the first of a bar."""
        return (number - self.first) % self.bar == 0


NONE = Beats(())


@dataclass(frozen=True, eq=False)
class ResultBeats:
    """The beats of a result, ascending.

    Attributes:
        times: result seconds, float64.
        bars: whether each begins a bar.
    """

    times: npt.NDArray[np.float64]
    bars: npt.NDArray[np.bool_]

    def __len__(self) -> int:
        return len(self.times)


def chosen_beats(found: Beats, choices: BeatChoices) -> Beats:
    """Beats as a person wants them: tapped or found, more or fewer, shifted, and single ones moved."""
    taps = [float(tap) for tap in choices.taps]
    beats = replace(found, times=tuple(taps), first=0) if taps else found
    times = np.array(beats.times)
    first = beats.first
    factor = choices.factor
    if len(times) > 1 and factor > 1:
        parts = factor.numerator
        places = np.arange((len(times) - 1) * parts + 1) / parts
        times = np.interp(places, np.arange(len(times)), times)
        first *= parts
    elif factor < 1:
        every = factor.denominator
        # What begins a bar stays a beat.
        times, first = times[first % every :: every], first // every
    first = (first + choices.first) % beats.bar
    times = times + float(choices.shift)
    for was, to in choices.moved:
        if len(times):
            nearest = int(np.abs(times - float(was)).argmin())
            if abs(times[nearest] - float(was)) < 1e-3:
                times[nearest] = float(to)
    order = np.argsort(times, kind="stable")
    return Beats(tuple(times[order].tolist()), beats.bar, first)


def beats_in_result(project: Project, number: int, beats: Beats, until: Fraction) -> ResultBeats:
    """The beats of a music where it lies, each time it plays, up to a result second."""
    piece = project.music[number]
    times, bars = [], []
    own = np.array(beats.times)
    begins = np.array([beats.begins_bar(place) for place in range(len(own))], np.bool_)
    available = project.footage_named(piece.footage).stored_length
    for begin, end, source in turns(piece, available, until):
        inside = (own >= source - 1e-9) & (own < source + end - begin)
        times.append(own[inside] - source + begin)
        bars.append(begins[inside])
    joined = np.concatenate([np.empty(0), *times])
    return ResultBeats(joined, np.concatenate([np.empty(0, np.bool_), *bars]))


def turns(
    piece: MusicPiece, available: Fraction, result_length: Fraction
) -> list[tuple[float, float, float]]:
    """Each time that music plays: result seconds at which it begins and ends, and its own second there."""
    begin, end = piece.in_point, piece.end_in(available)
    at = piece.at
    if at < 0:
        begin, at = begin - at, Fraction(0)
    found = []
    while begin < end and at < result_length:
        lasting = min(end - begin, result_length - at)
        found.append((float(at), float(at + lasting), float(begin)))
        if not piece.loops or end - piece.in_point < _LEAST_LOOP:
            break
        at, begin = at + lasting, piece.in_point
    return found


def all_beats(project: Project, found: Mapping[str, Beats], until: Fraction | None = None) -> ResultBeats:
    """The beats of all music under a result, from those found, by footage.

    They go on to a result second, or to the end of the result. Where one music plays over another, the
    beats of the one that began later count.
    """
    until = project.result_length if until is None else until
    times, bars = np.empty(0), np.empty(0, np.bool_)
    for number in sorted(range(len(project.music)), key=lambda n: project.music[n].at):
        piece = project.music[number]
        footage = project.footage_named(piece.footage)
        if piece.footage not in found:
            continue
        choices = footage.beats if isinstance(footage, Music) else BeatChoices()
        placed = beats_in_result(project, number, chosen_beats(found[piece.footage], choices), until)
        if not len(placed):
            continue
        spans = turns(piece, footage.stored_length, until)
        outside = (times < spans[0][0] - 1e-9) | (times > spans[-1][1])
        times, bars = times[outside], bars[outside]
        times, bars = np.concatenate((times, placed.times)), np.concatenate((bars, placed.bars))
    order = np.argsort(times, kind="stable")
    return ResultBeats(times[order], bars[order])


def with_tap(choices: BeatChoices, at: Fraction) -> BeatChoices:
    """Choices with a beat tapped at a second of the music; what lies too near to it goes.

    Raises:
        PlanError: there are absurdly many.
    """
    if len(choices.taps) >= _MOST_TAPS:
        raise PlanError(f"There are {_MOST_TAPS:,} beats already.")
    kept = [tap for tap in choices.taps if abs(tap - at) >= _LEAST_APART]
    return replace(choices, taps=tuple(sorted((*kept, at))), factor=Fraction(1), moved=())


def with_factor(choices: BeatChoices, by: Fraction) -> BeatChoices:
    """Choices with so many times as many beats. Raises PlanError beyond four times or a quarter."""
    factor = choices.factor * by
    if not Fraction(1, 4) <= factor <= 4:
        raise PlanError("Beats can be doubled or halved twice.")
    return replace(choices, factor=factor, moved=())


def with_moved(choices: BeatChoices, was: Fraction, to: Fraction) -> BeatChoices:
    """Choices with the beat at one second of the music, as it is now, moved to another."""
    moved = [(found, to if now == was else now) for found, now in choices.moved]
    if all(now != was for _, now in choices.moved):
        moved.append((was, to))
    return replace(choices, moved=tuple(moved))
