"""The course of a run: which photo is on display when, by the choices that were made about it."""

from bisect import bisect_right
from collections import defaultdict
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from fractions import Fraction
from functools import cached_property
from itertools import accumulate
from typing import NamedTuple, overload

import numpy as np

from chronoxis.core.footage.photos.capture_times import CaptureTimes
from chronoxis.core.footage.photos.photo_header import PhotoHeader
from chronoxis.core.model.export_format import Size
from chronoxis.core.model.photo_run import FlawKind, Handling, PhotoRun
from chronoxis.core.timing.pace import Seconds
from chronoxis.core.timing.shot_columns import Spans, stretches


@dataclass(frozen=True)
class PhotoFlaw:
    """Something wrong at a photo, or after it.

    Attributes:
        kind: what.
        photo: number of the photo.
        count: how many photos are not there, where some are missing.
    """

    kind: FlawKind
    photo: int
    count: int = 1

    @property
    def is_of_photo(self) -> bool:
        """Whether it is at a photo, and not at those that should come after it."""
        return self.kind not in (FlawKind.MISSING, FlawKind.GAP)


class Slot(NamedTuple):
    """A place in the course.

    Attributes:
        photo: number of the photo that the place belongs to.
        repeat: 0 for the photo itself, 1 and on for places after it whose photos are not there.
        shows: number of the photo on display.
        lasting: seconds.
        filled: whether what is shown is to be made of the photos on both sides.
    """

    photo: int
    repeat: int
    shows: int
    lasting: Fraction
    filled: bool = False


class _EvenBegins(Sequence[Fraction]):
    """Beginnings at one distance, worked out when they are asked for."""

    def __init__(self, interval: Fraction, count: int) -> None:
        self._interval, self._count = interval, count

    def __len__(self) -> int:
        return self._count

    @overload
    def __getitem__(self, place: int) -> Fraction: ...

    @overload
    def __getitem__(self, place: slice) -> Sequence[Fraction]: ...

    def __getitem__(self, place: int | slice) -> Fraction | Sequence[Fraction]:
        if isinstance(place, slice):
            return [number * self._interval for number in range(*place.indices(self._count))]
        return range(self._count)[place] * self._interval


@dataclass(frozen=True, eq=False)
class Course:
    """Places, one after another; at least one.

    Attributes:
        slots: the places.
        interval: seconds that each lasts, if all last as long.
    """

    slots: tuple[Slot, ...]
    interval: Fraction | None = None

    @cached_property
    def begins(self) -> Sequence[Fraction]:
        """Seconds at which each place begins, and at which the last one ends."""
        if self.interval is not None:
            return _EvenBegins(self.interval, len(self.slots) + 1)
        return tuple(accumulate((slot.lasting for slot in self.slots), initial=Fraction(0)))

    @cached_property
    def edges(self) -> Seconds:
        """The same, rounded; shape (slots + 1,)."""
        if self.interval is not None:
            top, bottom = self.interval.numerator, self.interval.denominator
            return np.asarray(np.arange(len(self.slots) + 1) * float(top) / bottom, np.float64)
        return np.array([float(begin) for begin in self.begins])

    @cached_property
    def holes(self) -> Spans:
        """The places that are to be filled in, as stretches."""
        return stretches(np.array([slot.filled for slot in self.slots], np.bool_))

    @cached_property
    def own_slots(self) -> dict[int, int]:
        """Of each photo that is not left out, the number of its own place."""
        return {slot.photo: number for number, slot in enumerate(self.slots) if slot.repeat == 0}

    def span(self, flaw: "PhotoFlaw") -> tuple[Fraction, Fraction]:
        """The seconds between which a flaw is; the same twice, for what is not there."""
        own = self.own_slots
        before = next((photo for photo in range(flaw.photo, -1, -1) if photo in own), None)
        if before is None:
            return Fraction(0), Fraction(0)
        begin, end = self.begins[own[before]], self.begins[own[before] + 1]
        if flaw.is_of_photo:
            return (begin, end) if before == flaw.photo else (end, end)
        return end, end

    def to(self, other: "Course") -> Callable[[Fraction], Fraction]:
        """Gives, for a moment of this course, the one at which another course shows the same.

        What the other leaves out is passed over.
        """
        there = {(slot.photo, slot.repeat): number for number, slot in enumerate(other.slots)}
        same: list[int | None] = [there.get((slot.photo, slot.repeat)) for slot in self.slots]
        after = [len(other.slots)]
        for number in reversed(same):
            after.append(after[-1] if number is None else number)
        after.reverse()

        def moved(at: Fraction) -> Fraction:
            here = bisect_right(self.begins, at) - 1
            if here >= len(self.slots):
                return other.begins[-1]
            number = same[here]
            if number is None:
                return other.begins[after[here]]
            share = (at - self.begins[here]) / self.slots[here].lasting
            return other.begins[number] + share * other.slots[number].lasting

        return moved


def flaws_of(
    photos: Sequence[PhotoHeader], missing: Mapping[int, int], times: CaptureTimes | None, size: Size
) -> tuple[PhotoFlaw, ...]:
    """What is wrong with a run of photos, by place.

    Args:
        photos: in their order.
        missing: after how many photos numbers are missing, and how many.
        times: their dates, if they make sense.
        size: that the photos should have.
    """
    found = []
    for number, photo in enumerate(photos):
        if lost := missing.get(number):
            found.append(PhotoFlaw(FlawKind.MISSING, number - 1, lost))
        if times and (gap := times.gaps.get(number)):
            found.append(PhotoFlaw(FlawKind.GAP, number - 1, gap))
        if photo.wrong:
            found.append(PhotoFlaw(FlawKind.UNREADABLE, number))
        elif photo.size != size:
            found.append(PhotoFlaw(FlawKind.OTHER_SIZE, number))
        if times and number in times.doubled:
            found.append(PhotoFlaw(FlawKind.DOUBLED, number))
        if times and number in times.disordered:
            found.append(PhotoFlaw(FlawKind.DISORDERED, number))
    return tuple(found)


def course_of(
    run: PhotoRun, photos: Sequence[PhotoHeader], flaws: Sequence[PhotoFlaw], times: CaptureTimes | None
) -> Course:
    """The course that a run's choices make. Without dates, photos follow at its rate.

    A photo that cannot be shown is stood in for by the one before, at the beginning by the first one.
    If all of it were left out, nothing is.
    """
    of_photo: defaultdict[int, list[PhotoFlaw]] = defaultdict(list)
    for flaw in flaws:
        of_photo[flaw.photo].append(flaw)
    interval = run.time.interval
    lasting = _lasting(run, len(photos), times)
    shown = next((number for number, photo in enumerate(photos) if not photo.wrong), 0)
    slots: list[Slot] = []
    for number, photo in enumerate(photos):
        own = of_photo.get(number)
        if own is None:
            shown = number
            slots.append(Slot(number, 0, number, lasting[number]))
            continue
        handlings = {flaw.kind: run.handles(flaw.kind, photo.name) for flaw in own}
        of_place = {handlings[flaw.kind] for flaw in own if flaw.is_of_photo}
        holes = [flaw for flaw in own if not flaw.is_of_photo]
        parts = 1 if interval is not None else 1 + sum(flaw.count for flaw in holes)
        whole = lasting[number] / parts
        if Handling.LEAVE_OUT not in of_place:
            if Handling.HOLD not in of_place and not photo.wrong:
                shown = number
            slots.append(Slot(number, 0, shown, whole, Handling.FILL in of_place))
        repeat = 0
        for flaw in holes:
            if handlings[flaw.kind] in (Handling.HOLD, Handling.FILL):
                filled = handlings[flaw.kind] is Handling.FILL
                places = range(repeat + 1, repeat + flaw.count + 1)
                slots += [Slot(number, place, shown, whole, filled) for place in places]
            repeat += flaw.count
    even = interval if interval is not None else _evenly(slots)
    return Course(tuple(slots) or (Slot(0, 0, shown, lasting[0]),), even)


def _evenly(slots: Sequence[Slot]) -> Fraction | None:
    """What all places last, if that is the same."""
    lasting = {slot.lasting for slot in slots}
    return lasting.pop() if len(lasting) == 1 else None


def _lasting(run: PhotoRun, count: int, times: CaptureTimes | None) -> list[Fraction]:
    """Seconds from each photo to the next one that is there."""
    interval = run.time.interval
    if interval is not None:
        return [interval] * count
    if times is None:
        return [1 / run.stored_rate] * count
    ends = (*times.seconds[1:], times.seconds[-1] + times.interval)
    return [after - at for at, after in zip(times.seconds, ends, strict=True)]
