"""Which recorded frames make each result frame, and with what weight.

Preview, export, threads, the listing of the plan and every check read the same `Schedule`, so what is
seen is what is exported.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from fractions import Fraction
from functools import cached_property
from math import ceil

import numpy as np

from chronoxis.core.errors import PlanError
from chronoxis.core.timing.frame_making import MAX_SHUTTER
from chronoxis.core.timing.gathering import gathered, in_between, spared, widened
from chronoxis.core.timing.lining_up import lined_up
from chronoxis.core.timing.pace import GRID_BITS, PaceProfile, Seconds, grid_sums
from chronoxis.core.timing.shot_columns import (
    OWN_TABLE,
    SAME_TIME,
    Codes,
    Frames,
    ShotColumns,
    ShotTiming,
    Way,
    WayTable,
)

MAX_RESULT_FRAMES = 20_000_000

# A part of a result frame as small as one of so many parts comes of rounding, and makes no frame.
_MOST_OVERHANG = 1_000_000


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
        opened: float64, shape (count,); recorded seconds from which each result frame gathers.
        closed: to which; the same where the shutter does not count.
        moved: float64, shape (count,); recorded seconds by which lining up moved each result frame.
        table: what the codes of ``ways`` stand for.
    """

    rate: Fraction
    shots: Frames
    offsets: Frames
    frames: Frames
    weights: Seconds
    ways: Codes
    opened: Seconds
    closed: Seconds
    moved: Seconds
    table: WayTable = OWN_TABLE

    def __len__(self) -> int:
        return len(self.shots)

    @property
    def length(self) -> Fraction:
        """Result length in seconds."""
        return len(self) / self.rate

    @cached_property
    def firsts(self) -> Frames:
        """The first recorded frame of each result frame, shape (count,)."""
        return self.frames[self.offsets[:-1]]

    @property
    def gathers(self) -> bool:
        """Whether any result frame is made of several recorded ones."""
        return len(self.frames) > len(self)

    def way(self, result_frame: int) -> Way:
        """How a result frame is made."""
        return self.table.ways[int(self.ways[result_frame])]

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
            self.opened[start:stop],
            self.closed[start:stop],
            self.moved[start:stop],
            self.table,
        )

    def backwards(self) -> "Schedule":
        """The same rows, last one first."""
        return self.chosen(np.arange(len(self))[::-1])

    def chosen(self, numbers: Frames) -> "Schedule":
        """Some of its rows, in any order, perhaps several times."""
        counts = np.diff(self.offsets)[numbers]
        offsets = np.concatenate(([0], np.cumsum(counts)))
        places = np.arange(offsets[-1]) - np.repeat(offsets[:-1] - self.offsets[numbers], counts)
        return Schedule(
            self.rate,
            self.shots[numbers],
            offsets,
            self.frames[places],
            self.weights[places],
            self.ways[numbers],
            self.opened[numbers],
            self.closed[numbers],
            self.moved[numbers],
            self.table,
        )


def result_frame_count(result_length: Fraction, rate: Fraction) -> int:
    """How many result frames open before the result ends.

    A part of a frame at the end counts, as keeping every tenth of 6001 frames keeps 601.
    """
    return ceil(result_length * rate - Fraction(1, _MOST_OVERHANG))


def make_schedule(shots: Sequence[ShotTiming], rate: Fraction, joined: PaceProfile | None = None) -> Schedule:
    """Work out the schedule of shots that follow one another.

    Result frame k opens at ``k / rate``. *One frame* takes the recorded frame on display then; the
    ways that gather take every recorded frame whose display interval meets the open window of
    ``shutter / 360 / rate`` result seconds, weighted by the overlap in recorded time, or, where a long
    exposure fades, by a raised cosine over the window. The window does not reach out of its shot. A shot
    that plays backwards shows at an edge the frame before it.

    Where there is less than one recorded frame for a result frame, two may serve, by the share of the way
    between their display starts (ends, in a shot that plays backwards). A *filled* frame is the course of
    the picture from recorded frame to recorded frame, each standing at its display start: the weights are
    the integrals of the two-sided ramps about these starts over the window.

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
    columns, pace = ShotColumns(shots), joined or PaceProfile.joined([shot.pace for shot in shots])
    numbers = np.repeat(np.arange(len(shots)), np.diff(firsts))
    opens = np.arange(firsts[-1]) * rate.denominator / rate.numerator
    choices = columns.choices(pace, numbers, opens)
    windows = columns.windows(pace, numbers, opens, choices.shutters / 360 / float(rate))
    asks = choices.between.any() or choices.line_ups.any()
    advance = pace.speed_at(opens) / float(rate) if asks else opens
    moved = _lined_up(shots, firsts, columns, numbers, choices.line_ups, windows, advance)
    lined = _moved(shots, numbers, windows, moved) if moved.any() else windows
    windows = widened(columns, numbers, choices.windows, lined)
    rows = gathered(columns, numbers, choices, windows)
    if choices.between.any():
        rows = in_between(columns, numbers, choices.between, rows, windows, advance)
    for seat, timing in enumerate(shots):
        if len(timing.holes) + len(timing.skipped) + len(timing.cleared):
            part = firsts[seat], firsts[seat + 1]
            rows = spared(rows, part, (int(columns.least[seat]), int(columns.most[seat])), timing)
    return Schedule(
        rate, numbers, rows.offsets, rows.frames, rows.weights, rows.ways, *windows, moved, choices.table
    )


def _lined_up(
    shots: Sequence[ShotTiming],
    firsts: Sequence[int],
    columns: ShotColumns,
    numbers: Frames,
    line_ups: Seconds,
    windows: tuple[Seconds, Seconds],
    advance: Seconds,
) -> Seconds:
    """By how much windows move to line up, where that is wished and the camera's way is known."""
    moved, (opened, closed) = np.zeros(len(numbers)), windows
    for seat, shot in enumerate(shots):
        part = slice(firsts[seat], firsts[seat + 1])
        if shot.sway is None or not line_ups[part].any() or part.stop - part.start < 3:
            continue
        steps = advance[part] * ((len(shot.edges) - 1) / float(shot.edges[-1]))
        if shot.backwards:
            even = columns.last_before(numbers[part], closed[part])
        else:
            even = columns.on_display(numbers[part], opened[part])
        reaches = np.where(steps > 1, line_ups[part] * steps, 0.0)
        taken = lined_up(even, reaches, shot.sway, shot.swaying)
        moved[part] = shot.edges[taken] - shot.edges[even]
    return moved


def _moved(
    shots: Sequence[ShotTiming], numbers: Frames, windows: tuple[Seconds, Seconds], moved: Seconds
) -> tuple[Seconds, Seconds]:
    """Windows that are moved, within their shots."""
    begins, ends = np.array([shot.span for shot in shots], np.float64).T[:, numbers]
    opened, closed = windows
    return np.clip(opened + moved, begins, ends), np.clip(closed + moved, begins, ends)


def _check(shot: ShotTiming) -> None:
    if not all(0 <= making.shutter <= MAX_SHUTTER for making in shot.makings):
        raise PlanError(f"A shutter lies between 0° and {MAX_SHUTTER}°.")
    begin, end = shot.span
    if begin < 0 or end > shot.edges[-1] + SAME_TIME:
        raise PlanError("The stretch reaches outside the recording.")
