"""Which recorded frames make each result frame, and with what weight.

Preview, export, threads, the listing of the plan and every check read the same `Schedule`, so what is
seen is what is exported.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum
from fractions import Fraction
from math import ceil

import numpy as np
import numpy.typing as npt

from chronoxis.core.errors import PlanError
from chronoxis.core.timing.pace import PaceProfile, Seconds, running_sums

Frames = npt.NDArray[np.int64]

MAX_SHUTTER = 720
MAX_RESULT_FRAMES = 20_000_000

# Mapped times are right to far less than this, and no display interval is as short: a time this close
# before a frame's start is that start, rounded.
_SAME_TIME = 1e-6


class EachFrame(StrEnum):
    """How one result frame is made out of recorded frames."""

    ONE = "one"
    LONG_EXPOSURE = "long-exposure"


@dataclass(frozen=True, eq=False)
class ShotTiming:
    """What the schedule needs to know of a shot.

    Attributes:
        pace: maps result time to recorded time covered since the shot starts to play.
        edges: float64, shape (recorded frames + 1,); frame i of its recording is on display over
            ``edges[i]:edges[i + 1]`` recorded seconds.
        in_point: recorded seconds.
        shutters: degrees, one for each passage; with 0 a result frame is one recorded frame, else a
            long exposure.
        backwards: whether the shot plays from its out point to its in point.
    """

    pace: PaceProfile
    edges: Seconds
    in_point: Fraction
    shutters: tuple[float, ...]
    backwards: bool = False


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
    """

    rate: Fraction
    shots: Frames
    offsets: Frames
    frames: Frames
    weights: Seconds

    def __len__(self) -> int:
        return len(self.shots)

    @property
    def length(self) -> Fraction:
        """Result length in seconds."""
        return len(self) / self.rate

    def sources(self, result_frame: int) -> tuple[Frames, Seconds]:
        """The recorded frames of one result frame and their weights."""
        row = slice(self.offsets[result_frame], self.offsets[result_frame + 1])
        return self.frames[row], self.weights[row]

    def portion(self, start: int, stop: int) -> "Schedule":
        """The schedule of result frames ``start`` to ``stop`` alone, renumbered from 0."""
        offsets = self.offsets[start : stop + 1]
        row = slice(offsets[0], offsets[-1])
        return Schedule(
            self.rate, self.shots[start:stop], offsets - offsets[0], self.frames[row], self.weights[row]
        )

    def backwards(self) -> "Schedule":
        """The same rows, last one first."""
        counts = np.diff(self.offsets)[::-1]
        offsets = np.concatenate(([0], np.cumsum(counts)))
        rows = np.repeat(np.arange(len(self))[::-1], counts)
        places = np.arange(len(self.frames)) - np.repeat(offsets[:-1], counts) + self.offsets[rows]
        return Schedule(self.rate, self.shots[::-1], offsets, self.frames[places], self.weights[places])


def result_frame_count(result_length: Fraction, rate: Fraction) -> int:
    """How many result frames open before the result ends.

    A part of a frame at the end counts, as keeping every tenth of 6001 frames keeps 601.
    """
    return ceil(result_length * rate - Fraction(1, 1_000_000))


def make_schedule(shots: Sequence[ShotTiming], rate: Fraction) -> Schedule:
    """Work out the schedule of shots that follow one another.

    Result frame k opens at ``k / rate``. *One frame* takes the recorded frame on display then; *long
    exposure* takes every recorded frame whose display interval meets the open window of
    ``shutter / 360 / rate`` result seconds, weighted by the overlap in recorded time. The window does
    not reach out of its shot. A shot that plays backwards shows at an edge the frame before it.

    Raises:
        PlanError: the result would have no frame or absurdly many, a shutter is out of range, or a
            shot lies outside its recording.
    """
    starts = running_sums(shot.pace.result_length for shot in shots)
    firsts = [result_frame_count(start, rate) for start in starts]
    if firsts[-1] < 1:
        raise PlanError("The result would have no frame; choose a longer stretch or a lower speed.")
    if firsts[-1] > MAX_RESULT_FRAMES:
        raise PlanError(f"The result would have {firsts[-1]:,} frames; the limit is {MAX_RESULT_FRAMES:,}.")
    parts = []
    for shot, start, first, stop in zip(shots, starts, firsts, firsts[1:], strict=False):
        opens = np.maximum(float(first - start * rate) + np.arange(stop - first), 0.0) / float(rate)
        parts.append(_rows(shot, opens, rate))
    counts, frames, weights = (np.concatenate(column) for column in zip(*parts, strict=True))
    numbers = np.repeat(np.arange(len(shots)), np.diff(firsts))
    return Schedule(rate, numbers, np.concatenate(([0], np.cumsum(counts))), frames, weights)


def _rows(shot: ShotTiming, opens: Seconds, rate: Fraction) -> tuple[Frames, Frames, Seconds]:
    """How many recorded frames each result frame of a shot has, which, and with what weight.

    ``opens`` are result seconds since the shot's start.
    """
    if not all(0 <= shutter <= MAX_SHUTTER for shutter in shot.shutters):
        raise PlanError(f"A shutter lies between 0° and {MAX_SHUTTER}°.")
    edges, pace = shot.edges, shot.pace
    begin, end = float(shot.in_point), float(shot.in_point + pace.recorded_length)
    if begin < 0 or end > edges[-1] + _SAME_TIME:
        raise PlanError("The stretch reaches outside the recording.")
    shutters = np.array(shot.shutters)
    if len(shutters) > 1:
        shutters = shutters[np.clip(np.searchsorted(pace.joints, opens, "right") - 1, 0, len(shutters) - 1)]
    covered = pace.recorded_at(opens)
    gathers = np.broadcast_to(shutters > 0, opens.shape)
    until = covered
    if gathers.any():
        length = float(pace.recorded_length)
        until = np.minimum(pace.recorded_at(opens + shutters / 360 / float(rate)), length)
    if shot.backwards:
        opened, closed = end - until, end - covered
        final = np.maximum(_last_before(edges, closed), _on_display(edges, np.array([begin]))[0])
        first = np.where(gathers, np.minimum(_on_display(edges, opened), final), final)
    else:
        opened, closed = begin + covered, begin + until
        last = max(_last_before(edges, np.array([end]))[0], _on_display(edges, np.array([begin]))[0])
        first = np.minimum(_on_display(edges, opened), last)
        final = np.where(gathers, np.clip(_last_before(edges, closed), first, last), first)
    if not gathers.any():
        return np.ones(len(first), np.int64), first, np.ones(len(first))
    return _weighted(edges, opened, closed, first, final)


def _weighted(
    edges: Seconds, opened: Seconds, closed: Seconds, first: Frames, final: Frames
) -> tuple[Frames, Frames, Seconds]:
    lengths = final - first + 1
    offsets = np.concatenate(([0], np.cumsum(lengths)))
    rows = np.repeat(np.arange(len(first)), lengths)
    frames = np.arange(offsets[-1]) - offsets[rows] + first[rows]
    overlap = np.minimum(edges[frames + 1], closed[rows]) - np.maximum(edges[frames], opened[rows])
    overlap = np.where(lengths[rows] == 1, 1.0, overlap)
    kept = overlap > _SAME_TIME  # two frames may carry one stamp: the first is then never on display
    counts = np.bincount(rows[kept], minlength=len(first))
    weights = overlap[kept]
    weights /= np.repeat(np.add.reduceat(weights, np.cumsum(counts) - counts), counts)
    return counts.astype(np.int64), frames[kept].astype(np.int64), weights


def _on_display(edges: Seconds, t: Seconds) -> Frames:
    """Number of the frame on display at t; a time at an edge belongs to the frame that begins there."""
    number = np.searchsorted(edges, t + _SAME_TIME, "right") - 1
    return np.clip(number, 0, len(edges) - 2).astype(np.int64)


def _last_before(edges: Seconds, t: Seconds) -> Frames:
    """Number of the last frame that is on display before t."""
    number = np.searchsorted(edges, t - _SAME_TIME, "left") - 1
    return np.clip(number, 0, len(edges) - 2).astype(np.int64)
