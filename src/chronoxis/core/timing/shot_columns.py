"""Shots as the schedule sees them, and all of them as columns of numbers."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field
from enum import StrEnum
from fractions import Fraction
from functools import cached_property
from typing import Literal, NamedTuple

import numpy as np
import numpy.typing as npt

from chronoxis.core.errors import PlanError
from chronoxis.core.timing.frame_making import OWN_EACH_FRAME, Between, EachFrame, Fill, FrameMaking
from chronoxis.core.timing.pace import PaceProfile, Seconds, grid_sums, off_grid

Frames = npt.NDArray[np.int64]
Codes = npt.NDArray[np.uint8]

# Mapped times are right to far less than this, and no display interval is as short: a time this close
# before a frame's start is that start, rounded.
SAME_TIME = 1e-6
"""Seconds by which two times may differ and still be the same, rounded."""


class Derived(StrEnum):
    """How a result frame is made where that follows from other choices than of `EachFrame`."""

    IN_BETWEEN = "in-between"
    FILLED_QUICK = "filled-quick"
    FILLED_GOOD = "filled-good"
    FILLED_FINEST = "filled-finest"


Way = EachFrame | Derived
"""How a result frame is made."""

_FILLED = {
    Fill.QUICK: Derived.FILLED_QUICK,
    Fill.GOOD: Derived.FILLED_GOOD,
    Fill.FINEST: Derived.FILLED_FINEST,
}
WAYS: tuple[Way, ...] = (*OWN_EACH_FRAME, *Derived)
"""The program's own, by code; those of packages, as they are set, have codes behind these."""

CODES = {way: code for code, way in enumerate(WAYS)}
"""The code of each way that ships."""


def is_filled(way: Way) -> bool:
    """Whether steps along the motion are filled in."""
    return way in _FILLED.values()


def counts_alike(way: Way) -> bool:
    """Whether all recorded frames that a result frame is made of count alike."""
    return isinstance(way, EachFrame) and way.entry.gathers and not way.entry.adds_light


def shares_frames(way: Way) -> bool:
    """Whether result frames next to one another are made of the same recorded ones."""
    return way.entry.looks_wider if isinstance(way, EachFrame) else way is Derived.IN_BETWEEN


class WayTable(NamedTuple):
    """What codes stand for, in one schedule.

    Attributes:
        ways: by code.
        filled: whether each fills in steps; shape (codes,), as those below.
        alike: whether frames count alike in each.
        most: recorded frames that each takes; 0 for as many as any does.
    """

    ways: tuple[Way, ...]
    filled: npt.NDArray[np.bool_]
    alike: npt.NDArray[np.bool_]
    most: Frames

    @classmethod
    def of(cls, chosen: Iterable[Way]) -> "WayTable":
        """A table with all that is chosen. Raises PlanError if that is too much."""
        added = dict.fromkeys(way for way in chosen if way not in CODES)
        ways = (*WAYS, *added)
        if len(ways) > np.iinfo(np.uint8).max:
            raise PlanError("Ways of making a frame are set in too many manners; set passages alike.")
        most = [way.entry.most if isinstance(way, EachFrame) else 0 for way in ways]
        filled, alike = ([test(way) for way in ways] for test in (is_filled, counts_alike))
        return cls(ways, np.array(filled), np.array(alike), np.array(most, np.int64))


OWN_TABLE = WayTable.of(())
"""Of the program's own ways alone."""


Spans = npt.NDArray[np.int64]
"""Stretches of recorded frames, shape (stretches, 2): first and the one behind the last; ascending, apart."""

NO_SPANS: Spans = np.zeros((0, 2), np.int64)
NO_FRAMES: Frames = np.zeros(0, np.int64)


def stretches(marked: npt.NDArray[np.bool_]) -> Spans:
    """The stretches of frames that are marked."""
    turns = np.diff(np.concatenate(([0], marked.astype(np.int8), [0])))
    return np.flatnonzero(turns).reshape(-1, 2).astype(np.int64)


@dataclass(frozen=True, eq=False)
class ShotTiming:
    """What the schedule needs to know of a shot.

    Attributes:
        pace: maps result time to recorded time covered since the shot starts to play.
        edges: float64, shape (recorded frames + 1,); frame i of its recording is on display over
            ``edges[i]:edges[i + 1]`` recorded seconds.
        in_point: recorded seconds.
        makings: of each passage, how its result frames are made.
        backwards: whether the shot plays from its out point to its in point.
        holes: frames that are not there and filled in from both sides.
        skipped: frames in whose place neighbours serve.
        cleared: frames in whose place the median around them serves.
        cuts: the first frames of scenes, after the first one; ascending.
        sway: how far the pictures of its frames are off the camera's smooth way, shape (frames, coordinates),
            from frame ``swaying`` on; None where nothing is lined up by it.
        swaying: number of the first of these frames.
    """

    pace: PaceProfile
    edges: Seconds
    in_point: Fraction
    makings: tuple[FrameMaking, ...]
    backwards: bool = False
    holes: Spans = field(default_factory=lambda: NO_SPANS)
    skipped: Spans = field(default_factory=lambda: NO_SPANS)
    cleared: Spans = field(default_factory=lambda: NO_SPANS)
    cuts: Frames = field(default_factory=lambda: NO_FRAMES)
    sway: npt.NDArray[np.float64] | None = None
    swaying: int = 0

    @cached_property
    def span(self) -> tuple[float, float]:
        """The in and the out point."""
        return float(self.in_point), float(self.in_point + self.pace.recorded_length)


class Choices(NamedTuple):
    """Of result frames, what was chosen for their passages; arrays of shape (count,).

    Attributes:
        ways: codes of `Way`.
        shutters: degrees; 0 where the shutter does not count.
        soft: whether the window fades.
        single: whether blur is added to one frame and its neighbour only.
        windows: recorded seconds of *clear*; 0 where the shutter tells.
        between: codes of `Between`, by their order.
        line_ups: steps by which a frame may be away from the even one.
        table: what the codes of ways stand for.
    """

    ways: Codes
    shutters: Seconds
    soft: npt.NDArray[np.bool_]
    single: npt.NDArray[np.bool_]
    windows: Seconds
    between: Codes
    line_ups: Seconds
    table: WayTable


_BETWEEN = {between: code for code, between in enumerate(Between)}


def _window(making: FrameMaking) -> float:
    return float(making.window or 0) if making.each.entry.looks_wider else 0.0


def _way(making: FrameMaking) -> Way:
    return _FILLED[making.fill] if making.is_filled else making.each


class ShotColumns:
    """All shots as columns; shots of one recording share its display intervals.

    Attributes:
        begins: recorded seconds of the in points, shape (shots,).
        ends: of the out points.
        backwards: whether each plays from its out point to its in point.
        least: number of the first recorded frame of each.
        most: of the last one.
    """

    def __init__(self, shots: Sequence[ShotTiming]) -> None:
        self.begins, self.ends = np.array([shot.span for shot in shots]).T
        self.backwards = np.array([shot.backwards for shot in shots])
        self._covered = off_grid(grid_sums(shot.pace.recorded_length for shot in shots)[:-1])
        makings = [making for shot in shots for making in shot.makings]
        table = WayTable.of(map(_way, makings))
        codes = {way: code for code, way in enumerate(table.ways)}
        self._choices = Choices(
            np.array([codes[_way(making)] for making in makings], np.uint8),
            np.array([making.shutter if making.is_open else 0.0 for making in makings]),
            np.array([making.is_soft for making in makings]),
            np.array([making.is_filled and making.each == EachFrame.ONE for making in makings]),
            np.array([_window(making) for making in makings]),
            np.array([_BETWEEN[making.between] for making in makings], np.uint8),
            np.array([making.line_up for making in makings]),
            table,
        )
        self._passages = np.concatenate(([0], np.cumsum([len(shot.makings) for shot in shots])))
        distinct = {id(shot.edges): shot.edges for shot in shots}
        seats = {name: number for number, name in enumerate(distinct)}
        self._recordings = list(distinct.values())
        self._of_shot = np.array([seats[id(shot.edges)] for shot in shots])
        self._edges = self._recordings[0] if len(distinct) == 1 else np.concatenate(self._recordings)
        self._bases = np.concatenate(([0], np.cumsum([len(edges) for edges in self._recordings])))
        self._cuts = [shot.cuts for shot in shots]
        every = np.arange(len(shots))
        self.least = self.on_display(every, self.begins)
        self.most = np.maximum(self.last_before(every, self.ends), self.least)

    def choices(self, pace: PaceProfile, numbers: Frames, opens: Seconds) -> Choices:
        """Of result frames of these shots, how they are to be made."""
        first, stop = self._passages[numbers], self._passages[numbers + 1]
        passages = np.clip(np.searchsorted(pace.joints, opens, "right") - 1, first, stop - 1)
        chosen = self._choices
        return Choices(
            chosen.ways[passages],
            chosen.shutters[passages],
            chosen.soft[passages],
            chosen.single[passages],
            chosen.windows[passages],
            chosen.between[passages],
            chosen.line_ups[passages],
            chosen.table,
        )

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

    def are_apart(self, shots: Frames, one: Frames, other: Frames) -> npt.NDArray[np.bool_]:
        """Whether a scene begins after the one frame, and at or before the other; frames of these shots."""
        apart = np.zeros(len(shots), np.bool_)
        for number in (number for number in np.unique(shots).tolist() if len(self._cuts[number])):
            cuts, chosen = self._cuts[number], shots == number
            begun = (np.searchsorted(cuts, frames[chosen], "right") for frames in (one, other))
            apart[chosen] = np.not_equal(*begun)
        return apart

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
