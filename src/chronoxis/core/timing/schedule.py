"""Which recorded frames make each result frame, and with what weight.

Preview, export, threads, the listing of the plan and every check read the same `Schedule`, so what is
seen is what is exported.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum
from fractions import Fraction
from functools import cached_property
from math import ceil
from typing import Literal

import numpy as np
import numpy.typing as npt

from chronoxis.core.errors import PlanError
from chronoxis.core.timing.pace import GRID_BITS, PaceProfile, Seconds, grid_sums, off_grid

Frames = npt.NDArray[np.int64]

MAX_SHUTTER = 720
MAX_RESULT_FRAMES = 20_000_000

# Mapped times are right to far less than this, and no display interval is as short: a time this close
# before a frame's start is that start, rounded.
SAME_TIME = 1e-6
"""Seconds by which two times may differ and still be the same, rounded."""

# A part of a result frame as small as one of so many parts comes of rounding, and makes no frame.
_MOST_OVERHANG = 1_000_000


class EachFrame(StrEnum):
    """How one result frame is made out of recorded frames."""

    ONE = "one"
    LONG_EXPOSURE = "long-exposure"

    @property
    def gathers(self) -> bool:
        """Whether it is made of all that is on display while the shutter is open."""
        return self is not EachFrame.ONE


_WAYS = tuple(EachFrame)
_CODES = {way: code for code, way in enumerate(_WAYS)}
_GATHERS = np.array([way.gathers for way in _WAYS])


@dataclass(frozen=True, eq=False)
class ShotTiming:
    """What the schedule needs to know of a shot.

    Attributes:
        pace: maps result time to recorded time covered since the shot starts to play.
        edges: float64, shape (recorded frames + 1,); frame i of its recording is on display over
            ``edges[i]:edges[i + 1]`` recorded seconds.
        in_point: recorded seconds.
        ways: of each passage, how its result frames are made.
        shutters: degrees, one for each passage; of no effect where one recorded frame is kept.
        backwards: whether the shot plays from its out point to its in point.
    """

    pace: PaceProfile
    edges: Seconds
    in_point: Fraction
    ways: tuple[EachFrame, ...]
    shutters: tuple[float, ...]
    backwards: bool = False

    @cached_property
    def span(self) -> tuple[float, float]:
        """The in and the out point."""
        return float(self.in_point), float(self.in_point + self.pace.recorded_length)


@dataclass(frozen=True, eq=False)
class Schedule:
    """For every result frame, its recorded frames and their weights, in compressed rows.

    Attributes:
        rate: result frames per second.
        shots: int64, shape (count,); number of the shot that each result frame belongs to, ascending.
        offsets: int64, shape (count + 1,); row k of the arrays below is ``offsets[k]:offsets[k + 1]``.
        frames: int64, frame numbers of the shot's recording in order of display, counted from 0;
            ascending in a row.
        weights: float64, positive, summing to 1 in each row.
        ways: uint8, shape (count,); how each result frame is made, as `way` tells.
    """

    rate: Fraction
    shots: Frames
    offsets: Frames
    frames: Frames
    weights: Seconds
    ways: npt.NDArray[np.uint8]

    def __len__(self) -> int:
        return len(self.shots)

    @property
    def length(self) -> Fraction:
        """Result length in seconds."""
        return len(self) / self.rate

    @property
    def gathers(self) -> bool:
        """Whether any result frame is made of several recorded ones."""
        return len(self.frames) > len(self)

    def way(self, result_frame: int) -> EachFrame:
        """How a result frame is made."""
        return _WAYS[int(self.ways[result_frame])]

    def sources(self, result_frame: int) -> tuple[Frames, Seconds]:
        """The recorded frames of one result frame and their weights."""
        row = slice(self.offsets[result_frame], self.offsets[result_frame + 1])
        return self.frames[row], self.weights[row]

    def portion(self, start: int, stop: int) -> "Schedule":
        """The schedule of result frames ``start`` to ``stop`` alone, renumbered from 0."""
        offsets = self.offsets[start : stop + 1]
        row = slice(offsets[0], offsets[-1])
        return Schedule(
            self.rate,
            self.shots[start:stop],
            offsets - offsets[0],
            self.frames[row],
            self.weights[row],
            self.ways[start:stop],
        )

    def backwards(self) -> "Schedule":
        """The same rows, last one first."""
        counts = np.diff(self.offsets)[::-1]
        offsets = np.concatenate(([0], np.cumsum(counts)))
        rows = np.repeat(np.arange(len(self))[::-1], counts)
        places = np.arange(len(self.frames)) - np.repeat(offsets[:-1], counts) + self.offsets[rows]
        frames, weights = self.frames[places], self.weights[places]
        return Schedule(self.rate, self.shots[::-1], offsets, frames, weights, self.ways[::-1])


def result_frame_count(result_length: Fraction, rate: Fraction) -> int:
    """How many result frames open before the result ends.

    A part of a frame at the end counts, as keeping every tenth of 6001 frames keeps 601.
    """
    return ceil(result_length * rate - Fraction(1, _MOST_OVERHANG))


def make_schedule(shots: Sequence[ShotTiming], rate: Fraction, joined: PaceProfile | None = None) -> Schedule:
    """Work out the schedule of shots that follow one another.

    Result frame k opens at ``k / rate``. *One frame* takes the recorded frame on display then; the
    ways that gather take every recorded frame whose display interval meets the open window of
    ``shutter / 360 / rate`` result seconds, weighted by the overlap in recorded time. The window does
    not reach out of its shot. A shot that plays backwards shows at an edge the frame before it.

    Args:
        shots: in playing order.
        rate: result frames per second.
        joined: the pace of all shots together, if it is at hand.

    Raises:
        PlanError: the result would have no frame or absurdly many, a shutter is out of range, or a
            shot lies outside its recording.
    """
    starts = grid_sums(shot.pace.result_length for shot in shots)
    frame = rate.denominator << GRID_BITS  # so that first frames are found in whole numbers
    firsts = [-((frame // _MOST_OVERHANG - start * rate.numerator) // frame) for start in starts]
    if firsts[-1] < 1:
        raise PlanError("The result would have no frame; choose a longer stretch or a lower speed.")
    if firsts[-1] > MAX_RESULT_FRAMES:
        raise PlanError(f"The result would have {firsts[-1]:,} frames; the limit is {MAX_RESULT_FRAMES:,}.")
    for shot in shots:
        _check(shot)
    columns, pace = _Shots(shots), joined or PaceProfile.joined([shot.pace for shot in shots])
    numbers = np.repeat(np.arange(len(shots)), np.diff(firsts))
    opens = np.arange(firsts[-1]) * rate.denominator / rate.numerator
    ways, shutters = columns.making(pace, numbers, opens)
    windows = columns.windows(pace, numbers, opens, shutters / 360 / float(rate))
    rows = _rows(columns, numbers, *windows, shutters > 0)
    counts, frames, weights = _weighted(columns, numbers, *windows, *rows)
    return Schedule(rate, numbers, np.concatenate(([0], np.cumsum(counts))), frames, weights, ways)


def _check(shot: ShotTiming) -> None:
    if not all(0 <= shutter <= MAX_SHUTTER for shutter in shot.shutters):
        raise PlanError(f"A shutter lies between 0° and {MAX_SHUTTER}°.")
    begin, end = shot.span
    if begin < 0 or end > shot.edges[-1] + SAME_TIME:
        raise PlanError("The stretch reaches outside the recording.")


def _rows(
    shots: "_Shots", numbers: Frames, opened: Seconds, closed: Seconds, gathers: npt.NDArray[np.bool_]
) -> tuple[Frames, Frames]:
    """The first and the last recorded frame of each result frame."""
    every = np.arange(len(shots.backwards))
    least = shots.on_display(every, shots.begins)
    most = np.maximum(shots.last_before(every, shots.ends), least)
    first = np.minimum(shots.on_display(numbers, opened), most[numbers])
    if not gathers.any() and not shots.backwards.any():
        return first, first
    final = np.maximum(shots.last_before(numbers, closed), least[numbers])
    back = shots.backwards[numbers]
    # Forwards the window's first frame is the one that is shown if it is not gathered, backwards its last.
    final = np.where(back, final, np.where(gathers, np.clip(final, first, most[numbers]), first))
    return np.where(back, np.where(gathers, np.minimum(first, final), final), first), final


def _weighted(
    shots: "_Shots", numbers: Frames, opened: Seconds, closed: Seconds, first: Frames, final: Frames
) -> tuple[Frames, Frames, Seconds]:
    """How many recorded frames each result frame has, which, and with what weight."""
    lengths = final - first + 1
    if np.all(lengths == 1):
        return lengths, first, np.ones(len(first))
    offsets = np.concatenate(([0], np.cumsum(lengths)))
    rows = np.repeat(np.arange(len(first)), lengths)
    frames = np.arange(offsets[-1]) - offsets[rows] + first[rows]
    begins, ends = shots.display(numbers[rows], frames)
    overlap = np.minimum(ends, closed[rows]) - np.maximum(begins, opened[rows])
    overlap = np.where(lengths[rows] == 1, 1.0, overlap)
    kept = overlap > SAME_TIME  # two frames may carry one stamp: the first is then never on display
    counts = np.bincount(rows[kept], minlength=len(first))
    weights = overlap[kept]
    weights /= np.repeat(np.add.reduceat(weights, np.cumsum(counts) - counts), counts)
    return counts.astype(np.int64), frames[kept], weights


class _Shots:
    """All shots as columns; shots of one recording share its display intervals.

    Attributes:
        begins: recorded seconds of the in points, shape (shots,).
        ends: of the out points.
        backwards: whether each plays from its out point to its in point.
    """

    def __init__(self, shots: Sequence[ShotTiming]) -> None:
        self.begins, self.ends = np.array([shot.span for shot in shots]).T
        self.backwards = np.array([shot.backwards for shot in shots])
        self._covered = off_grid(grid_sums(shot.pace.recorded_length for shot in shots)[:-1])
        self._ways = np.array([_CODES[way] for shot in shots for way in shot.ways], np.uint8)
        degrees = np.array([shutter for shot in shots for shutter in shot.shutters], np.float64)
        self._degrees = np.where(_GATHERS[self._ways], degrees, 0.0)
        self._passages = np.concatenate(([0], np.cumsum([len(shot.shutters) for shot in shots])))
        distinct = {id(shot.edges): shot.edges for shot in shots}
        seats = {name: number for number, name in enumerate(distinct)}
        self._recordings = list(distinct.values())
        self._of_shot = np.array([seats[id(shot.edges)] for shot in shots])
        self._edges = self._recordings[0] if len(distinct) == 1 else np.concatenate(self._recordings)
        self._bases = np.concatenate(([0], np.cumsum([len(edges) for edges in self._recordings])))

    def making(
        self, pace: PaceProfile, numbers: Frames, opens: Seconds
    ) -> tuple[npt.NDArray[np.uint8], Seconds]:
        """Of result frames of these shots, how they are made, and the shutter that counts, in degrees."""
        first, stop = self._passages[numbers], self._passages[numbers + 1]
        passages = np.clip(np.searchsorted(pace.joints, opens, "right") - 1, first, stop - 1)
        return self._ways[passages], self._degrees[passages]

    def windows(
        self, pace: PaceProfile, numbers: Frames, opens: Seconds, lasting: Seconds
    ) -> tuple[Seconds, Seconds]:
        """The recorded times between which result frames are open, in their shots' recordings."""
        before, begin, end = self._covered[numbers], self.begins[numbers], self.ends[numbers]
        covered = np.maximum(pace.recorded_at(opens) - before, 0.0)
        until = covered
        if lasting.any():
            until = np.clip(pace.recorded_at(opens + lasting) - before, covered, end - begin)
        back = self.backwards[numbers]
        return np.where(back, end - until, begin + covered), np.where(back, end - covered, begin + until)

    def display(self, shots: Frames, frames: Frames) -> tuple[Seconds, Seconds]:
        """When frames of the shots' recordings begin and end."""
        places = frames + self._bases[self._of_shot[shots]]
        return self._edges[places], self._edges[places + 1]

    def on_display(self, shots: Frames, t: Seconds) -> Frames:
        """Numbers of the frames on display at t; a time at an edge is of the frame that begins there."""
        return self._frames_at(shots, t + SAME_TIME, "right")

    def last_before(self, shots: Frames, t: Seconds) -> Frames:
        """Numbers of the last frames that are on display before t."""
        return self._frames_at(shots, t - SAME_TIME, "left")

    def _frames_at(self, shots: Frames, t: Seconds, side: Literal["left", "right"]) -> Frames:
        found = np.empty(t.shape, np.int64)
        recordings = self._of_shot[shots]
        for number in np.unique(recordings).tolist():
            edges, chosen = self._recordings[number], recordings == number
            frames = np.searchsorted(edges, t[chosen], side) - 1
            found[chosen] = np.clip(frames, 0, len(edges) - 2)
        return found
