"""What the rows of a schedule are made of: recorded frames in and around windows, and their weights."""

from dataclasses import dataclass, replace
from functools import cached_property
from typing import NamedTuple

import numpy as np
import numpy.typing as npt

from chronoxis.core.timing.frame_making import Between, EachFrame
from chronoxis.core.timing.pace import Seconds
from chronoxis.core.timing.shot_columns import (
    CODES,
    SAME_TIME,
    Choices,
    Codes,
    Derived,
    Frames,
    ShotColumns,
    ShotTiming,
    Spans,
)

MOST_GATHERED = 2048
"""Recorded frames of one result frame, at most; of longer windows every 2nd, 4th, 8th … is taken."""

MOST_CLEARED = 31
"""The same of a median, which has to hold all of them at once."""

CLEARED_AROUND = 15
"""Frames whose median stands in for one with a passer-by, at most."""

_BLEND = tuple(Between).index(Between.BLEND)

Windows = tuple[Seconds, Seconds]
"""From which recorded second to which each result frame gathers; arrays of shape (result frames,)."""


@dataclass(frozen=True, eq=False)
class Rows:
    """Recorded frames of result frames, in compressed rows: `Schedule` says what they are.

    Attributes:
        counts: int64, shape (result frames,); how many entries each row has, at least one.
        frames: int64, shape (entries,).
        weights: float64, shape (entries,).
        ways: uint8, shape (result frames,).
    """

    counts: Frames
    frames: Frames
    weights: Seconds
    ways: Codes

    @cached_property
    def offsets(self) -> Frames:
        """Where each row begins, and where the last one ends."""
        return np.concatenate(([0], np.cumsum(self.counts)))

    @property
    def firsts(self) -> Frames:
        """The first frame of each row."""
        return self.frames[self.offsets[:-1]]

    def with_rows(self, chosen: Frames, other: "Rows") -> "Rows":
        """With some rows, by their ascending numbers, replaced."""
        counts, ways = self.counts.copy(), self.ways.copy()
        counts[chosen], ways[chosen] = other.counts, other.ways
        stays = np.ones(len(counts), np.bool_)
        stays[chosen] = False
        from_here, into = np.repeat(stays, self.counts), np.repeat(stays, counts)
        frames, weights = np.empty(len(into), np.int64), np.empty(len(into))
        frames[into], weights[into] = self.frames[from_here], self.weights[from_here]
        frames[~into], weights[~into] = other.frames, other.weights
        return Rows(counts, frames, weights, ways)


def widened(shots: ShotColumns, numbers: Frames, wished: Seconds, windows: Windows) -> Windows:
    """Windows that are as wide as is wished, where anything is, about their middles, within their shots."""
    if not wished.any():
        return windows
    opened, closed = windows
    middle = (opened + closed) / 2
    before = np.maximum(middle - wished / 2, shots.begins[numbers])
    after = np.minimum(middle + wished / 2, shots.ends[numbers])
    return np.where(wished > 0, before, opened), np.where(wished > 0, after, closed)


def gathered(shots: ShotColumns, numbers: Frames, choices: Choices, windows: Windows) -> Rows:
    """The rows of result frames, each out of what its window meets.

    Of more frames than one result frame is made of, those are taken whose numbers are multiples of a power
    of two, so that overlapping windows share them.
    """
    first, final = _ends(shots, numbers, *windows, (choices.shutters > 0) | (choices.windows > 0))
    filled = choices.table.filled[choices.ways]
    if filled.any():
        begins, stops = _stations(shots, numbers, *windows)
        first, final = np.where(filled, begins, first), np.where(filled, stops, final)
    if np.array_equal(first, final):
        ones = np.ones(len(first), np.int64)
        return Rows(ones, first, np.ones(len(first)), choices.ways)
    first, final, steps = _spaced(first, final, choices)
    counts: Frames = (final - first) // steps + 1
    offsets = np.concatenate(([0], np.cumsum(counts)))
    rows = np.repeat(np.arange(len(first)), counts)
    places: Frames = np.arange(offsets[-1]) - offsets[rows]
    frames = first[rows] + places * steps[rows]
    weights = _overlaps(shots, numbers[rows], frames, windows[0][rows], windows[1][rows], choices.soft[rows])
    if filled.any():
        weights = np.where(filled[rows], _ramp_integrals(shots, numbers, rows, frames, windows), weights)
    weights = np.where(counts[rows] == 1, 1.0, weights)
    # Two frames may carry one stamp: the first is then never on display.
    kept = weights > np.where(choices.soft[rows], 0.0, SAME_TIME)
    kept |= _alone(kept, rows, offsets)
    weights = np.where(choices.table.alike[choices.ways[rows]] & kept, 1.0, weights)
    counts = np.bincount(rows[kept], minlength=len(first)).astype(np.int64)
    return Rows(counts, frames[kept], _normalised(weights[kept], counts), choices.ways)


def _alone(kept: npt.NDArray[np.bool_], rows: Frames, offsets: Frames) -> npt.NDArray[np.bool_]:
    """The first entry of every row of which nothing is kept."""
    empty = np.bincount(rows[kept], minlength=len(offsets) - 1) == 0
    alone = np.zeros(len(kept), np.bool_)
    alone[offsets[:-1][empty]] = True
    return alone


def _normalised(weights: Seconds, counts: Frames) -> Seconds:
    """Weights that sum to 1 in each row."""
    weights = np.maximum(weights, np.finfo(float).tiny)
    sums = np.add.reduceat(weights, np.cumsum(counts) - counts)
    return np.asarray(weights / np.repeat(sums, counts))


def _ends(
    shots: ShotColumns, numbers: Frames, opened: Seconds, closed: Seconds, gathers: npt.NDArray[np.bool_]
) -> tuple[Frames, Frames]:
    """The first and the last recorded frame of each result frame."""
    least, most = shots.least[numbers], shots.most[numbers]
    first = np.minimum(shots.on_display(numbers, opened), most)
    if not gathers.any() and not shots.backwards.any():
        return first, first
    final = np.maximum(shots.last_before(numbers, closed), least)
    back = shots.backwards[numbers]
    # Forwards the window's first frame is the one that is shown if it is not gathered, backwards its last.
    final = np.where(back, final, np.where(gathers, np.clip(final, first, most), first))
    return np.where(back, np.where(gathers, np.minimum(first, final), final), first), final


def _stations(shots: ShotColumns, numbers: Frames, opened: Seconds, closed: Seconds) -> tuple[Frames, Frames]:
    """The recorded frames between whose display starts each window lies, within the shot."""
    most = shots.most[numbers]
    first = np.minimum(shots.on_display(numbers, opened), most)
    return first, np.clip(shots.last_before(numbers, closed) + 1, first, most)


def _spaced(first: Frames, final: Frames, choices: Choices) -> tuple[Frames, Frames, Frames]:
    """First and last frames, and the steps between those that are taken."""
    clear = choices.ways == CODES[EachFrame.CLEAR]
    share = (final - first + 1) / np.where(clear, MOST_CLEARED, MOST_GATHERED)
    steps = np.where(share > 1, 2 ** np.ceil(np.log2(np.maximum(share, 1))), 1).astype(np.int64)
    first = np.where(steps > 1, -(-first // steps) * steps, first).astype(np.int64)
    final = first + (final - first) // steps * steps
    steps = np.where(choices.single, np.maximum(final - first, 1), steps)
    most = choices.table.most[choices.ways]
    if most.any():  # so many frames, evenly spread from the first on
        evenly = np.maximum((final - first) // np.maximum(most - 1, 1), 1)
        steps = np.where(most > 0, evenly, steps)
        final = np.where(most > 0, np.minimum(final, first + evenly * (most - 1)), final)
    return first, final, np.asarray(steps, np.int64)


def _overlaps(
    shots: ShotColumns,
    numbers: Frames,
    frames: Frames,
    opened: Seconds,
    closed: Seconds,
    soft: npt.NDArray[np.bool_],
) -> Seconds:
    """How long each frame is on display in its window; in a soft one, weighed by a raised cosine over it."""
    begins, ends = shots.display(numbers, frames)
    begins, ends = np.maximum(begins, opened), np.minimum(ends, closed)
    if not soft.any():
        return ends - begins
    whole = np.where(closed > opened, closed - opened, 1.0)

    def passed(t: Seconds) -> Seconds:
        share = (t - opened) / whole
        return np.asarray((share - np.sin(2 * np.pi * share) / (2 * np.pi)) * whole)

    return np.where(soft, passed(ends) - passed(begins), ends - begins)


def _ramp_integrals(
    shots: ShotColumns, numbers: Frames, rows: Frames, frames: Frames, windows: Windows
) -> Seconds:
    """Of entries in order, the integrals over their windows of ramps that rise and fall between them."""
    of_shots = numbers[rows]
    begins, _ = shots.display(of_shots, frames)
    same = rows[1:] == rows[:-1]
    from_, apart = begins[:-1], np.where(same, begins[1:] - begins[:-1], 0.0)
    there = apart > SAME_TIME
    apart = np.where(there, apart, 1.0)
    opened, closed = windows[0][rows[:-1]], windows[1][rows[:-1]]
    low, high = (np.clip((t - from_) / apart, 0, 1) for t in (opened, closed))
    lasting = np.where(there, (high - low) * apart, 0.0)
    # The last frame of a scene stands until the next one begins.
    middle = np.where(shots.are_apart(of_shots[:-1], frames[:-1], frames[1:]), 0.0, (low + high) / 2)
    weights = np.zeros(len(frames))
    weights[:-1] += lasting * (1 - middle)
    weights[1:] += lasting * middle
    return weights


def in_between(
    shots: ShotColumns, numbers: Frames, between: Codes, rows: Rows, windows: Windows, advance: Seconds
) -> Rows:
    """Rows with two frames where there are too few recorded ones: each result frame advances less than one.

    Args:
        shots: as columns.
        numbers: of the shots of result frames.
        between: codes of `Between`.
        rows: to be changed.
        windows: of which the beginning counts, in playing order.
        advance: recorded seconds from each result frame to the next.
    """
    back = shots.backwards[numbers]
    at = np.where(back, windows[1], windows[0])
    least, most = shots.least[numbers], shots.most[numbers]
    own = np.where(back, shots.last_before(numbers, at), shots.on_display(numbers, at))
    own = np.clip(own, least, most)
    other = np.clip(own + np.where(back, -1, 1), least, most)
    begins, ends = shots.display(numbers, own)
    lasting = np.maximum(ends - begins, SAME_TIME)
    share = np.clip(np.where(back, ends - at, at - begins) / lasting, 0, 1)
    few = (between > 0) & (rows.counts == 1) & (advance < lasting - SAME_TIME) & (own != other)
    few &= ~shots.are_apart(numbers, np.minimum(own, other), np.maximum(own, other))
    chosen = np.flatnonzero(few & (share * lasting > SAME_TIME) & ((1 - share) * lasting > SAME_TIME))
    if not len(chosen):
        return rows
    own, other, share = own[chosen], other[chosen], share[chosen]
    ways = np.where(between[chosen] == _BLEND, CODES[EachFrame.LONG_EXPOSURE], CODES[Derived.IN_BETWEEN])
    return rows.with_rows(chosen, _pairs(own, other, share, ways.astype(np.uint8)))


def _pairs(one: Frames, other: Frames, share: Seconds, ways: Codes) -> Rows:
    """Rows of two frames each, so far on the way from the one to the other."""
    ascending = one < other
    frames = np.where(ascending, [one, other], [other, one])
    weights = np.where(ascending, [1 - share, share], [share, 1 - share])
    return Rows(np.full(len(one), 2), frames.T.ravel(), weights.T.ravel(), ways)


class _Spared(NamedTuple):
    """Of the recorded frames of a shot, from its first one on, what is not to be shown as it is."""

    least: int
    marked: npt.NDArray[np.bool_]

    @classmethod
    def of(cls, spans: Spans, least: int, most: int) -> "_Spared":
        marked = np.zeros(most - least + 1, np.bool_)
        for first, stop in np.clip(spans - least, 0, len(marked)).tolist():
            marked[first:stop] = True
        return cls(least, marked)

    def at(self, frames: Frames) -> npt.NDArray[np.bool_]:
        return self.marked[frames - self.least]

    def before(self, frames: Frames) -> Frames:
        """The last frames at or before some that are not marked; -1 where there are none."""
        places = np.where(self.marked, -1, np.arange(len(self.marked)))
        found = np.maximum.accumulate(places)[frames - self.least]
        return np.where(found < 0, -1, found + self.least)

    def after(self, frames: Frames) -> Frames:
        """The first frames at or after some that are not marked; -1 where there are none."""
        count = len(self.marked)
        places = np.where(self.marked, count, np.arange(count))
        found = np.minimum.accumulate(places[::-1])[::-1][frames - self.least]
        return np.where(found == count, -1, found + self.least)

    def nearest(self, frames: Frames) -> Frames:
        """The frames nearest to some that are not marked; the same where all are."""
        before, after = self.before(frames), self.after(frames)
        earlier = (after < 0) | ((before >= 0) & (frames - before <= after - frames))
        found = np.where(earlier, before, after)
        return np.where(found < 0, frames, found)


def spared(rows: Rows, part: tuple[int, int], ends: tuple[int, int], shot: ShotTiming) -> Rows:
    """Rows of one shot without what is not there, or not to be seen.

    Args:
        rows: of all result frames.
        part: which of them are the shot's: the first, and the one behind the last.
        ends: numbers of the shot's first and last recorded frame.
        shot: says which frames are holes, are skipped, are cleared.
    """
    offsets = rows.offsets
    within = slice(offsets[part[0]], offsets[part[1]])
    numbers = np.arange(*part)
    own = Rows(rows.counts[slice(*part)], rows.frames[within], rows.weights[within], rows.ways[slice(*part)])
    if len(shot.holes):
        own = _filled_in(own, _Spared.of(shot.holes, *ends))
    if len(shot.skipped):
        own = _without(own, _Spared.of(shot.skipped, *ends))
    if len(shot.cleared):
        own = _cleared(own, shot.cleared, ends)
    return rows.with_rows(numbers, own)


def _filled_in(rows: Rows, holes: _Spared) -> Rows:
    """Where one frame that is not there would be shown, or one in between, those on both sides serve."""
    two = (rows.counts == 2) & (rows.ways == CODES[Derived.IN_BETWEEN])
    single = rows.counts == 1
    firsts, offsets = rows.firsts, rows.offsets
    lasts = rows.frames[offsets[1:] - 1]
    chosen = np.flatnonzero((single | two) & (holes.at(firsts) | holes.at(lasts)))
    at = firsts[chosen] + np.where(two[chosen], rows.weights[offsets[1:][chosen] - 1], 0.0)
    before, after = holes.before(firsts[chosen]), holes.after(lasts[chosen])
    there = (before >= 0) & (after >= 0)
    chosen, at, before, after = chosen[there], at[there], before[there], after[there]
    ways = np.full(len(chosen), CODES[Derived.IN_BETWEEN], np.uint8)
    return rows.with_rows(chosen, _pairs(before, after, (at - before) / (after - before), ways))


def _without(rows: Rows, skipped: _Spared) -> Rows:
    """Marked frames are left out; where nothing else is left, the nearest frame that is not marked serves."""
    owner, marked = np.repeat(np.arange(len(rows.counts)), rows.counts), skipped.at(rows.frames)
    touched = np.unique(owner[marked])
    # Half a pair is no place in between.
    pair = (rows.ways == CODES[Derived.IN_BETWEEN])[owner] & np.isin(owner, touched)
    kept = ~marked & ~pair
    empty = np.bincount(owner[kept], minlength=len(rows.counts)) == 0
    heaviest = rows.offsets[:-1][empty] + rows.counts[empty] // 2
    frames = rows.frames.copy()
    frames[heaviest] = skipped.nearest(rows.frames[heaviest])
    kept[heaviest] = True
    counts = np.bincount(owner[kept], minlength=len(rows.counts)).astype(np.int64)
    return replace(rows, counts=counts, frames=frames[kept], weights=_normalised(rows.weights[kept], counts))


def _cleared(rows: Rows, spans: Spans, ends: tuple[int, int]) -> Rows:
    """Where a marked frame would take part, the median of frames about it serves.

    They lie as far apart as the moment lasts: whoever crosses in that time is at each place in less than
    half of them.
    """
    least, most = ends
    middles = rows.frames[rows.offsets[:-1] + rows.counts // 2]
    owner = np.repeat(np.arange(len(rows.counts)), rows.counts)
    made: list[tuple[int, Frames]] = []
    for first, stop in spans.tolist():
        touched = np.unique(owner[(rows.frames >= first) & (rows.frames < stop)])
        step = max(1, -(-(stop - first) // CLEARED_AROUND))
        reach = CLEARED_AROUND // 2 * step
        for row in touched.tolist():
            middle = int(middles[row]) // step * step
            frames = np.arange(middle - reach, middle + reach + 1, step)
            made.append((row, frames[(frames >= least) & (frames <= most)]))
    made.sort(key=lambda each: each[0])
    chosen = {row: frames for row, frames in made if len(frames)}
    if not chosen:
        return rows
    counts = np.array([len(frames) for frames in chosen.values()])
    ways = np.full(len(counts), CODES[EachFrame.CLEAR], np.uint8)
    frames = np.concatenate(list(chosen.values()))
    cleared = Rows(counts, frames, 1 / np.repeat(counts, counts), ways)
    return rows.with_rows(np.array(list(chosen)), cleared)
