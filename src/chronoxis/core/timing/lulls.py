"""Lulls: stretches of footage in which nobody speaks, or nothing changes.

They are found from two courses of numbers, how probable speech is and how much of the picture changes. All
times are recorded seconds, as floats: they are proposals, which become exact once somebody takes them.
"""

from dataclasses import dataclass
from enum import StrEnum
from typing import NamedTuple

import numpy as np
import numpy.typing as npt

Seconds = npt.NDArray[np.float64]
Spans = npt.NDArray[np.float64]
"""Begins and ends, ascending, apart from one another; shape (spans, 2)."""

# What counts as speech, a probability, and as change of a part of the picture: at one end, and times so much.
_LEAST_SPEECH, _SPEECH_RANGE = 0.05, 16.0
_LEAST_CHANGE, _CHANGE_RANGE = 0.002, 50.0
_CLICK_WINDOWS = 2  # windows of speech, one after the other, below which it is a click


class LullsBy(StrEnum):
    """What makes a lull."""

    SPEECH = "speech"  # nobody speaks
    CHANGE = "change"  # nothing changes
    BOTH = "both"  # neither
    EITHER = "either"  # at least one of them


@dataclass(frozen=True)
class LullWish:
    """What counts as a lull.

    Attributes:
        by: what makes one.
        nothing: how much counts as nothing, 0 to 1.
        least: recorded seconds that one lasts at least, its margins among them.
        margin: recorded seconds before and after it that stay as they are.
    """

    by: LullsBy = LullsBy.SPEECH
    nothing: float = 0.5
    least: float = 2.0
    margin: float = 0.3


class Course(NamedTuple):
    """Numbers over recorded time.

    Attributes:
        edges: between which seconds each is about; one more than there are numbers, ascending.
        values: 0 to 1.
    """

    edges: Seconds
    values: npt.NDArray[np.floating]


class Lull(NamedTuple):
    """A stretch between two recorded seconds."""

    begin: float
    end: float


def lulls(
    wish: LullWish, speech: Course | None, change: Course | None, begin: float, end: float
) -> list[Lull]:
    """The lulls between two recorded seconds.

    Args:
        wish: what counts as one.
        speech: None if there is no sound; then only change counts.
        change: None if there are no pictures; then only speech counts.
        begin: of what is looked at.
        end: of it.
    """
    quiet = _quiet(wish, speech, change, begin, end)
    long = quiet[quiet[:, 1] - quiet[:, 0] >= wish.least]
    # A margin guards what is beside it; there is nothing beside the beginning and the end.
    inner = long + np.where(long == [begin, end], 0.0, [wish.margin, -wish.margin])
    return [Lull(first, last) for first, last in inner.tolist() if last > first]


def _quiet(wish: LullWish, speech: Course | None, change: Course | None, begin: float, end: float) -> Spans:
    silent = None if speech is None else _without(spoken(speech, wish.nothing), begin, end)
    still = None if change is None else _without(changing(change, wish.nothing), begin, end)
    if silent is None or still is None:
        alone = silent if silent is not None else still
        return np.zeros((0, 2)) if alone is None else alone
    match wish.by:
        case LullsBy.SPEECH:
            return silent
        case LullsBy.CHANGE:
            return still
        case LullsBy.BOTH:
            return _without(_joined(_without(silent, begin, end), _without(still, begin, end)), begin, end)
        case LullsBy.EITHER:
            return _joined(silent, still)


def spoken(speech: Course, nothing: float) -> Spans:
    """Where somebody speaks: clicks are left out."""
    runs = _runs(np.asarray(speech.values) >= _LEAST_SPEECH * _SPEECH_RANGE**nothing)
    runs = runs[runs[:, 1] - runs[:, 0] >= _CLICK_WINDOWS]
    return speech.edges[runs]


def changing(change: Course, nothing: float) -> Spans:
    """Where something changes: from the frame before it changed on, until that which shows it ends."""
    runs = _runs(np.asarray(change.values) >= _LEAST_CHANGE * _CHANGE_RANGE**nothing)
    runs[:, 0] = np.maximum(runs[:, 0] - 1, 0)
    return _joined(change.edges[runs], np.zeros((0, 2)))


def most_between(course: Course, edges: Seconds) -> npt.NDArray[np.float64]:
    """The greatest number of a course between each two of some seconds; 0 beyond its end."""
    values = np.append(np.asarray(course.values, np.float64), 0.0)
    first = np.clip(np.searchsorted(course.edges, edges[:-1], "right") - 1, 0, len(values) - 1)
    stop = np.clip(np.searchsorted(course.edges, edges[1:], "left"), first + 1, len(values))
    return np.maximum.reduceat(np.append(values, 0.0), np.stack([first, stop], axis=1).ravel())[::2]


def _runs(busy: npt.NDArray[np.bool_]) -> npt.NDArray[np.int64]:
    """First places, and those behind the last, of stretches that are true; shape (stretches, 2)."""
    around = np.concatenate(([False], busy, [False]))
    return np.flatnonzero(around[1:] != around[:-1]).reshape(-1, 2)


def _without(spans: Spans, begin: float, end: float) -> Spans:
    """What is between two seconds and in none of some spans."""
    inside = np.clip(spans, begin, end)
    inside = inside[inside[:, 1] > inside[:, 0]]
    free = np.concatenate(([begin], inside.ravel(), [end])).reshape(-1, 2)
    return free[free[:, 1] > free[:, 0]]


def _joined(one: Spans, other: Spans) -> Spans:
    """What is in one of two sets of spans."""
    both = np.concatenate([one, other])
    if not len(both):
        return both
    both = both[np.argsort(both[:, 0], kind="stable")]
    reach = np.maximum.accumulate(both[:, 1])
    begins = np.concatenate(([True], both[1:, 0] > reach[:-1]))
    firsts = np.flatnonzero(begins)
    lasts = np.append(firsts[1:], len(both)) - 1
    return np.stack([both[firsts, 0], reach[lasts]], axis=1)
