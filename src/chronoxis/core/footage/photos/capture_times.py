"""When the photos of a run were taken, made sense of: cameras' clocks are coarse and not always right."""

from bisect import bisect_right
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from fractions import Fraction
from itertools import pairwise
from statistics import linear_regression, median

from chronoxis.core.footage.photos.photo_header import PhotoHeader, universal

_WHOLE_SECOND, _FINE_TICK = Fraction(1), Fraction(1, 20)
_MOST_ASTRAY = 5  # one photo in so many may have a date that does not fit
_DENOMINATORS = (1, 2, 4, 10, 100, 1000)
_STAYS_BEHIND = 8  # photos by which a clock that was set back is told from one wrong date
_MOST_GAP = 1_000_000


@dataclass(frozen=True)
class CaptureTimes:
    """The dates of a run.

    Attributes:
        interval: seconds from one photo to the next, as a rule.
        steady: whether all photos lie on a grid of that interval, as near as the clock tells.
        seconds: of each photo, since the first; never falling.
        gaps: after how many photos there is a gap, and how many photos would fill it.
        doubled: numbers of the photos that have the very time of the one before.
        disordered: numbers of the photos whose date does not fit between its neighbours'.
        first: date of the first photo.
        last: of the last one.
    """

    interval: Fraction
    steady: bool
    seconds: tuple[Fraction, ...]
    gaps: Mapping[int, int]
    doubled: frozenset[int]
    disordered: frozenset[int]
    first: datetime
    last: datetime

    @property
    def hurries(self) -> bool:
        """Whether photos follow one another at times in less than half of the usual interval."""
        steps = [after - before for before, after in pairwise(self.seconds)]
        quick = [step for number, step in enumerate(steps, 1) if number not in self.doubled]
        return not self.steady and sum(0 < step < self.interval / 2 for step in quick) > len(steps) / 50


def capture_times(photos: Sequence[PhotoHeader], missing: Mapping[int, int]) -> CaptureTimes | None:
    """Make sense of the dates of a run.

    Args:
        photos: in their order.
        missing: after how many photos numbers are missing, and how many.

    Returns:
        The dates, or None if photos have none, or ones that contradict their order.
    """
    dates = _dates(photos)
    as_told = {number: date for number, date in enumerate(dates) if date is not None}
    known, set_back = _clock_set_right(as_told)
    fitting = _longest_rising(list(known.items()))
    if len(fitting) < 2 or (len(photos) - len(fitting)) * _MOST_ASTRAY > len(photos):
        return None
    start = known[fitting[0]]
    at = {
        number: Fraction((known[number] - start).total_seconds()).limit_denominator(10**6)
        for number in fitting
    }
    fine = any(date.microsecond for date in known.values())
    resolution = _FINE_TICK if fine else _WHOLE_SECOND
    interval = _interval(at, resolution, missing)
    if not interval:
        return None
    grid, gaps = _grid(len(photos), at, interval, resolution, missing)
    exact = _exact_interval(grid, at, interval, resolution)
    doubled = frozenset(
        n for n in fitting if n - 1 in at and at[n] == at[n - 1] and interval >= 2 * resolution
    )
    return CaptureTimes(
        interval=exact or interval,
        steady=exact is not None,
        seconds=tuple(place * exact for place in grid) if exact else _spread(len(photos), at, interval),
        gaps=gaps,
        doubled=doubled,
        disordered=frozenset(known) - frozenset(fitting) | set_back,
        first=photos[fitting[0]].taken or start,
        last=photos[fitting[-1]].taken or known[fitting[-1]],
    )


def _dates(photos: Sequence[PhotoHeader]) -> list[datetime | None]:
    """By universal time, if every dated photo says how far its clock is off; by the clock otherwise."""
    dated = [photo for photo in photos if photo.taken is not None]
    if all(photo.offset is not None for photo in dated):
        return [universal(photo) for photo in photos]
    return [photo.taken for photo in photos]


def _clock_set_right(dates: Mapping[int, datetime]) -> tuple[dict[int, datetime], frozenset[int]]:
    """Dates as if the clock had never been set back, and the numbers of the photos before which it was.

    It was where the date falls and stays behind: not for one photo, whose date is wrong by itself.
    """
    numbers = list(dates)
    steps = [dates[after] - dates[before] for before, after in pairwise(numbers)]
    rising = [step for step in steps if step > timedelta(0)]
    usual = sorted(rising)[len(rising) // 2] if rising else timedelta(0)
    shift, known, set_back = timedelta(0), dict[int, datetime](), set[int]()
    for place, number in enumerate(numbers):
        if place and steps[place - 1] < timedelta(0):
            before = dates[numbers[place - 1]]
            following = [dates[later] for later in numbers[place : place + _STAYS_BEHIND]]
            preceding = [dates[earlier] for earlier in numbers[max(0, place - _STAYS_BEHIND) : place]]
            stays = len(following) > 1 and max(following) < before
            if stays and min(preceding) >= dates[number] and preceding == sorted(preceding):
                shift += before + usual - dates[number]
                set_back.add(number)
        known[number] = dates[number] + shift
    return known, frozenset(set_back)


def _longest_rising(dated: list[tuple[int, datetime]]) -> list[int]:
    """Numbers of as many photos as can be kept so that their dates never fall."""
    tails: list[datetime] = []
    ends: list[int] = []
    before: dict[int, int | None] = {}
    for number, date in dated:
        place = bisect_right(tails, date)
        before[number] = ends[place - 1] if place else None
        tails[place : place + 1] = [date]
        ends[place : place + 1] = [number]
    chain: list[int] = []
    here = ends[-1] if ends else None
    while here is not None:
        chain.append(here)
        here = before[here]
    return chain[::-1]


def _interval(
    at: Mapping[int, Fraction], resolution: Fraction, missing: Mapping[int, int]
) -> Fraction | None:
    """The usual time from one photo to the next: the mean of what lies near the median."""
    numbers = list(at)
    steps = [
        (at[after] - at[before]) / (1 + missing.get(after, 0))
        for before, after in pairwise(numbers)
        if after == before + 1
    ]
    if not steps:
        return None
    middle = median(steps)
    near = [step for step in steps if abs(step - middle) <= max(resolution, middle / 4)]
    mean = sum(near, Fraction(0)) / len(near)
    return mean if mean > 0 else None


def _grid(
    count: int,
    at: Mapping[int, Fraction],
    interval: Fraction,
    resolution: Fraction,
    missing: Mapping[int, int],
) -> tuple[list[int], dict[int, int]]:
    """How many intervals after the first each photo was taken, and gaps that no missing number explains."""
    grid, gaps, place = [0], {}, 0
    for number in range(1, count):
        lost = missing.get(number, 0)
        place += 1 + lost
        if number in at and number - 1 in at:
            step = at[number] - at[number - 1]
            expected = (1 + lost) * interval
            if step > expected + interval / 2 + resolution:
                more = min(round(step / interval) - 1 - lost, _MOST_GAP)
                if more > 0:
                    gaps[number] = more
                    place += more
        grid.append(place)
    return grid, gaps


def _exact_interval(
    grid: Sequence[int], at: Mapping[int, Fraction], interval: Fraction, resolution: Fraction
) -> Fraction | None:
    """The plainest interval by which all dated photos lie on the grid; None if they do not."""
    if len(at) > 2:
        places, times = [grid[number] for number in at], [float(time) for time in at.values()]
        interval = Fraction(linear_regression(places, times).slope)
    for wish in [interval.limit_denominator(most) for most in _DENOMINATORS]:
        off = [float(at[number] - grid[number] * wish) for number in at]
        if wish > 0 and max(off) - min(off) <= float(resolution) * 1.01:
            return wish
    return None


def _spread(count: int, at: Mapping[int, Fraction], interval: Fraction) -> tuple[Fraction, ...]:
    """Times of all photos: those without a fitting date, or with one that several share, evenly between."""
    anchors: list[tuple[int, Fraction]] = []
    for number, time in at.items():
        if not anchors or time > anchors[-1][1]:
            anchors.append((number, time))
    last, end = anchors[-1]
    anchors.append((count, end + (count - last) * interval))
    seconds = [anchors[0][1] - (anchors[0][0] - number) * interval for number in range(anchors[0][0])]
    for (begin, since), (stop, until) in pairwise(anchors):
        seconds += [
            since + (until - since) * (number - begin) / (stop - begin) for number in range(begin, stop)
        ]
    return tuple(second - seconds[0] for second in seconds)
