"""A pace that follows what happens: fast where little does, slow where much does.

Speed times what happens in a recorded second is the same all along, as far as a slowest and a fastest speed
allow; so what is seen moves evenly. The curve becomes a few speeds with even ramps between them: straight
lines of the speed's logarithm over result time.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np
import numpy.typing as npt

from chronoxis.core.errors import PlanError
from chronoxis.core.timing.laying import Laid, covering
from chronoxis.core.timing.lulls import Course
from chronoxis.core.timing.ramps import RampShape
from chronoxis.core.timing.timecode import format_time

Numbers = npt.NDArray[np.float64]

OFF_AT_MOST = 0.1
"""Share of the ideal speed by which that of the passages is off at most."""

_AIMED_ERROR = 0.04  # the same, as lines are laid: what the footage needs to fit exactly comes on top
_STEPS_OF_REACTION = 8  # of the grid
_MOST_STEPS = 200_000  # of the grid
_LEAST_STEPS = 16  # of the grid
_REACTION_RATIO = 1.25  # times a reaction that makes too many passages
_NOTHING = 1e-3  # of the usual: less is not told apart
_NEGLIGIBLE = 1e-9
_MOST_ROUNDS = 80


@dataclass(frozen=True)
class FollowWish:
    """How a pace follows.

    Attributes:
        slowest: recorded seconds per result second, at least.
        fastest: at most.
        length: result seconds of all of it.
        reaction: recorded seconds in which speed may change altogether.
        most: passages that come of it; where that would be more, it reacts more slowly.
    """

    slowest: float
    fastest: float
    length: float
    reaction: float = 2.0
    most: int = 300


class Stretch(NamedTuple):
    """Footage whose pace is to follow something.

    Attributes:
        courses: what is followed; of several, each counts alike.
        begin: recorded seconds.
        end: recorded seconds.
        backwards: whether it plays from its end to its begin.
    """

    courses: Sequence[Course]
    begin: float
    end: float
    backwards: bool = False

    @property
    def length(self) -> float:
        """Recorded seconds."""
        return self.end - self.begin


class IdealPace(NamedTuple):
    """A speed for each of many short steps, in playing order.

    Attributes:
        step: recorded seconds of each.
        speeds: recorded seconds per result second.
    """

    step: float
    speeds: Numbers

    @property
    def times(self) -> Numbers:
        """Result seconds in the middle of each step."""
        lengths = self.step / self.speeds
        return np.asarray(np.cumsum(lengths) - lengths / 2)

    @property
    def length(self) -> float:
        """Result seconds of all of it."""
        return float((self.step / self.speeds).sum())


@dataclass(frozen=True, eq=False)
class Following:
    """A pace that follows, for each stretch.

    Attributes:
        paces: as it should be.
        laid: passages that are nowhere far off it.
        reaction: recorded seconds in which speed changes.
    """

    paces: list[IdealPace]
    laid: list[Laid]
    reaction: float


def following(stretches: Sequence[Stretch], wish: FollowWish) -> Following:
    """The pace that follows what happens in some stretches, all of which take as long as wished.

    Raises:
        PlanError: no speeds between the slowest and the fastest take so long, or there would be too many
            passages however slowly it reacts.
    """
    reaction, longest = wish.reaction, max(stretch.length for stretch in stretches)
    while True:
        paces = ideal_paces(stretches, wish, reaction)
        laid = [_laid_along(pace) for pace in paces]
        if sum(len(each.speeds) for each in laid) <= wish.most:
            return Following(paces, laid, reaction)
        if reaction > longest:
            raise PlanError("The pace would change too often; allow more passages.")
        reaction *= _REACTION_RATIO


def ideal_paces(stretches: Sequence[Stretch], wish: FollowWish, reaction: float) -> list[IdealPace]:
    """The speeds that follow what happens, and take as long as wished. Raises PlanError as above."""
    from scipy.ndimage import gaussian_filter1d  # noqa: PLC0415 - slow to import, and not always needed

    if not 0 < wish.slowest < wish.fastest:
        raise PlanError("The slowest speed must be above zero, and the fastest one above that.")
    recorded = sum(stretch.length for stretch in stretches)
    least, most = recorded / wish.fastest, recorded / wish.slowest
    if not least <= wish.length <= most:
        shortest, longest = format_time(least, 2), format_time(most, 2)
        raise PlanError(f"At these speeds it lasts between {shortest} and {longest}; choose other ones.")
    step = max(reaction / _STEPS_OF_REACTION, recorded / _MOST_STEPS)
    grids = [_grid(stretch, step) for stretch in stretches]
    happens = _mixed(stretches, grids)
    spread = reaction / 4  # a change takes four standard deviations, all but a twentieth of it

    def at(factor: float) -> list[IdealPace]:
        paces = []
        for grid, values in zip(grids, happens, strict=True):
            own = float(grid[1] - grid[0])
            wished = np.log(np.clip(factor / values, wish.slowest, wish.fastest))
            speeds = np.exp(gaussian_filter1d(wished, spread / own, mode="nearest"))
            paces.append(IdealPace(own, np.asarray(speeds)))
        return paces

    everything = np.concatenate(happens)
    low, high = wish.slowest * float(everything.min()), wish.fastest * float(everything.max())
    for _ in range(_MOST_ROUNDS):
        middle = (low * high) ** 0.5
        too_long = sum(pace.length for pace in at(middle)) > wish.length
        low, high = (middle, high) if too_long else (low, middle)
    return [
        pace._replace(speeds=pace.speeds[::-1]) if stretch.backwards else pace
        for stretch, pace in zip(stretches, at(high), strict=True)
    ]


def _grid(stretch: Stretch, step: float) -> Numbers:
    """Recorded seconds between even steps, as long as wished or a little shorter."""
    count = max(int(np.ceil(stretch.length / step)), _LEAST_STEPS)
    return np.linspace(stretch.begin, stretch.end, count + 1)


def _mixed(stretches: Sequence[Stretch], grids: Sequence[Numbers]) -> list[Numbers]:
    """How much happens in each step: the mean of what is followed, each as a share of its own mean."""
    mixed = [np.zeros(len(grid) - 1) for grid in grids]
    recorded = max(sum(stretch.length for stretch in stretches), _NEGLIGIBLE)
    for kind in range(len(stretches[0].courses)):
        means = [_means(stretch.courses[kind], grid) for stretch, grid in zip(stretches, grids, strict=True)]
        usual = sum(float(m.mean()) * s.length for m, s in zip(means, stretches, strict=True)) / recorded
        mixed = [so_far + own / max(usual, _NEGLIGIBLE) for so_far, own in zip(mixed, means, strict=True)]
    every = max(float(np.mean(np.concatenate(mixed))), _NEGLIGIBLE)
    return [np.maximum(values, every * _NOTHING) for values in mixed]


def _laid_along(pace: IdealPace) -> Laid:
    """Passages with ramps all along that are nowhere far off a pace. PlanError: a speed is out of range."""
    knots, values = _lines(pace.times, np.log(pace.speeds), float(np.log1p(_AIMED_ERROR)))
    end = pace.length
    knots[0], knots[-1] = 0.0, end
    gaps = np.diff(knots)
    joints = np.concatenate(([0.0], knots[:-1] + gaps / 2, [end]))
    laid = Laid(joints, np.exp(values), gaps, [RampShape.EVEN] * len(gaps))
    passed = np.concatenate(([0.0], np.cumsum(pace.step / pace.speeds)))
    covered = np.interp(joints, passed, np.arange(len(passed)) * pace.step)
    return covering(laid, np.diff(covered), np.ones(len(laid.speeds), np.bool_))


def _means(course: Course, edges: Numbers) -> Numbers:
    """The mean of a course between each two of some seconds; 0 beyond its ends."""
    widths = np.diff(course.edges)
    summed = np.concatenate(([0.0], np.cumsum(np.asarray(course.values, np.float64) * widths)))
    return np.diff(np.interp(edges, course.edges, summed)) / np.diff(edges)


def _lines(x: Numbers, y: Numbers, off: float) -> tuple[Numbers, Numbers]:
    """Corners of few lines, one after the other, that are nowhere farther off some points; at least two.

    Each line goes on as long as some slope from its corner passes all points nearly enough.
    """
    corners, values = [float(x[0])], [float(y[0])]
    low, high = -np.inf, np.inf
    for place in range(1, len(x)):
        across = x[place] - corners[-1]
        least, most = (y[place] - off - values[-1]) / across, (y[place] + off - values[-1]) / across
        if max(low, least) > min(high, most):
            before = float(x[place - 1])
            values.append(values[-1] + (low + high) / 2 * (before - corners[-1]))
            corners.append(before)
            across = x[place] - before
            least, most = (y[place] - off - values[-1]) / across, (y[place] + off - values[-1]) / across
            low, high = -np.inf, np.inf
        low, high = max(low, least), min(high, most)
    values.append(values[-1] + (low + high) / 2 * (float(x[-1]) - corners[-1]))
    return np.array([*corners, float(x[-1])]), np.array(values)
