"""Runs of photos by the names of their files."""

import re
from collections import Counter, defaultdict
from collections.abc import Iterable
from dataclasses import dataclass
from itertools import pairwise
from pathlib import Path

_DIGITS = re.compile(r"(\d+)")
_LONGEST_NUMBER = 18  # digits; longer ones are no counters
_MOST_MISSING = 10  # of a small run, next to one another; of a large one, a tenth of it


@dataclass(frozen=True)
class NumberedRun:
    """Files of one run, in natural order.

    Attributes:
        names: in their order.
        missing: after how many of them a number is missing, and how many are: ``{3: 1}`` is one after
            the third.
    """

    names: tuple[str, ...]
    missing: dict[int, int]


def natural_key(name: str) -> tuple[tuple[int, str | int], ...]:
    """Sorts names as people do: ``photo 9`` before ``photo 10``."""
    parts = _DIGITS.split(name.casefold())
    return tuple((0, int(part)) if place % 2 else (1, part) for place, part in enumerate(parts) if part)


def runs_among(names: Iterable[str]) -> list[NumberedRun]:
    """Sort names into runs, the longest first: names that differ in their numbers alone belong together.

    What belongs to no run makes one by itself, for each ending.
    """
    alike: defaultdict[tuple[str, str], list[str]] = defaultdict(list)
    for name in names:
        path = Path(name)
        alike[_DIGITS.sub("#", path.stem.casefold()), path.suffix.lower()].append(name)
    loose: defaultdict[str, list[str]] = defaultdict(list)
    for key in [key for key, members in alike.items() if len(members) == 1]:
        loose[key[1]] += alike.pop(key)
    groups = [*alike.values(), *loose.values()]
    return sorted((numbered(group) for group in groups), key=lambda run: -len(run.names))


def numbered(names: Iterable[str]) -> NumberedRun:
    """The run that some names make, whatever they are."""
    ordered = tuple(sorted(set(names), key=lambda name: (natural_key(name), name)))
    return NumberedRun(ordered, _missing(ordered))


def rolled_over(run: NumberedRun) -> NumberedRun | None:
    """The run as it was taken, if its counter may have begun anew on the way: 9998, 9999, 0001; else None.

    It may where the highest number that the digits hold is there and the lowest, and more numbers are missing
    between them than there are photos. Whether it did, dates must tell.
    """
    counts = _counts(run.names)
    if counts is None or len({len(count) for count in counts}) > 1:
        return None
    numbers, most = [int(count) for count in counts], 10 ** len(counts[0]) - 1
    gaps = [after - before for before, after in pairwise(numbers)]
    if numbers[0] > 1 or numbers[-1] != most or max(gaps) <= len(numbers):
        return None
    turn = gaps.index(max(gaps)) + 1
    ordered = run.names[turn:] + run.names[:turn]
    further = most + 1 - numbers[0]  # cameras begin at 0000 or at 0001
    return NumberedRun(ordered, _lacking(numbers[turn:] + [number + further for number in numbers[:turn]]))


def _missing(names: tuple[str, ...]) -> dict[int, int]:
    """Where numbers are missing; nowhere, if names do not count with one number alone."""
    counts = _counts(names)
    return {} if counts is None else _lacking([int(count) for count in counts])


def _counts(names: tuple[str, ...]) -> list[str] | None:
    """What each name counts with; None if they do not count with one number alone."""
    columns = [_DIGITS.findall(Path(name).stem) for name in names]
    if len(names) < 3 or len({len(column) for column in columns}) > 1:
        return None
    shapes = {_DIGITS.sub("#", Path(name).stem.casefold()) for name in names}
    changing = [place for place, texts in enumerate(zip(*columns, strict=True)) if len(set(texts)) > 1]
    if len(changing) != 1 or len(shapes) > 1 or any(len(c[changing[0]]) > _LONGEST_NUMBER for c in columns):
        return None
    return [column[changing[0]] for column in columns]


def _lacking(numbers: list[int]) -> dict[int, int]:
    """After how many of some numbers others are missing, and how many."""
    steps = [after - before for before, after in pairwise(numbers)]
    step = Counter(steps).most_common(1)[0][0]
    most = max(_MOST_MISSING, len(numbers) // 10)
    if step <= 0:
        return {}
    return {
        place: gap // step - 1
        for place, gap in enumerate(steps, 1)
        if gap > step and gap % step == 0 and gap // step - 1 <= most
    }
