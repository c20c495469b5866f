"""Which recorded frames make each result frame, and with what weight.

Preview, export, threads, the listing of the plan and every check read the same `Schedule`, so what is
seen is what is exported.
"""

from dataclasses import dataclass
from enum import StrEnum
from fractions import Fraction
from math import ceil

import numpy as np
import numpy.typing as npt

from chronoxis.core.errors import PlanError
from chronoxis.core.timing.pace import PaceProfile, Seconds

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
class Schedule:
    """For every result frame, its recorded frames and their weights, in compressed rows.

    Attributes:
        rate: result frames per second.
        offsets: int64, shape (count + 1,); row k of the arrays below is ``offsets[k]:offsets[k + 1]``.
        frames: int64, recorded frame numbers in order of display, counted from 0; ascending in a row.
        weights: float64, positive, summing to 1 in each row.
    """

    rate: Fraction
    offsets: Frames
    frames: Frames
    weights: Seconds

    def __len__(self) -> int:
        return len(self.offsets) - 1

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
        return Schedule(self.rate, offsets - offsets[0], self.frames[row], self.weights[row])


def result_frame_count(result_length: Fraction, rate: Fraction) -> int:
    """How many result frames open before the result ends.

    A part of a frame at the end counts, as keeping every tenth of 6001 frames keeps 601.
    """
    return ceil(result_length * rate - Fraction(1, 1_000_000))


def make_schedule(
    pace: PaceProfile,
    edges: Seconds,
    in_point: Fraction,
    rate: Fraction,
    each: EachFrame,
    shutter: float = 360.0,
) -> Schedule:
    """Work out the schedule of one shot.

    Result frame k opens at ``k / rate``. *One frame* takes the recorded frame on display then; *long
    exposure* takes every recorded frame whose display interval meets the open window of
    ``shutter / 360 / rate`` result seconds, weighted by the overlap in recorded time. The window does
    not reach past the out point.

    Args:
        pace: maps result time to recorded time since the in point.
        edges: float64, shape (recorded frames + 1,); frame i is on display over ``edges[i]:edges[i + 1]``
            recorded seconds.
        in_point: recorded seconds.
        rate: result frames per second.
        each: how a result frame is made.
        shutter: shutter angle in degrees, 0 to 720; with 0 a long exposure is one frame.

    Raises:
        PlanError: the result would have no frame or absurdly many, the shutter is out of range, or the
            stretch lies outside the recording.
    """
    if not 0 <= shutter <= MAX_SHUTTER:
        raise PlanError(f"A shutter of {shutter:g}° is out of range; it lies between 0° and {MAX_SHUTTER}°.")
    count = result_frame_count(pace.result_length, rate)
    if count < 1:
        raise PlanError("The result would have no frame; choose a longer stretch or a lower speed.")
    if count > MAX_RESULT_FRAMES:
        raise PlanError(f"The result would have {count:,} frames; the limit is {MAX_RESULT_FRAMES:,}.")
    begin, end = float(in_point), float(in_point + pace.recorded_length)
    if begin < 0 or end > edges[-1] + _SAME_TIME:
        raise PlanError("The stretch reaches outside the recording.")
    last = max(_last_before(edges, np.array([end]))[0], _on_display(edges, np.array([begin]))[0])
    opens = np.arange(count) * float(rate.denominator) / float(rate.numerator)
    opened = begin + pace.recorded_at(opens)
    first = np.minimum(_on_display(edges, opened), last)
    if each is EachFrame.ONE or shutter == 0:
        return Schedule(rate, np.arange(count + 1), first, np.ones(count))
    closed = np.minimum(begin + pace.recorded_at(opens + shutter / 360 / float(rate)), end)
    final = np.clip(_last_before(edges, closed), first, last)
    return _weighted(rate, edges, opened, closed, first, final)


def _weighted(
    rate: Fraction, edges: Seconds, opened: Seconds, closed: Seconds, first: Frames, final: Frames
) -> Schedule:
    lengths = final - first + 1
    offsets = np.concatenate(([0], np.cumsum(lengths)))
    rows = np.repeat(np.arange(len(first)), lengths)
    frames = np.arange(offsets[-1]) - offsets[rows] + first[rows]
    overlap = np.minimum(edges[frames + 1], closed[rows]) - np.maximum(edges[frames], opened[rows])
    overlap = np.where(lengths[rows] == 1, 1.0, overlap)
    kept = overlap > _SAME_TIME  # two frames may carry one stamp: the first is then never on display
    counts = np.bincount(rows[kept], minlength=len(first))
    offsets = np.concatenate(([0], np.cumsum(counts)))
    weights = overlap[kept]
    weights /= np.repeat(np.add.reduceat(weights, offsets[:-1]), counts)
    return Schedule(rate, offsets.astype(np.int64), frames[kept].astype(np.int64), weights)


def _on_display(edges: Seconds, t: Seconds) -> Frames:
    """Number of the frame on display at t; a time at an edge belongs to the frame that begins there."""
    number = np.searchsorted(edges, t + _SAME_TIME, "right") - 1
    return np.clip(number, 0, len(edges) - 2).astype(np.int64)


def _last_before(edges: Seconds, t: Seconds) -> Frames:
    """Number of the last frame that is on display before t."""
    number = np.searchsorted(edges, t - _SAME_TIME, "left") - 1
    return np.clip(number, 0, len(edges) - 2).astype(np.int64)
