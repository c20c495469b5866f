"""What a person says about lulls: within some stretches, these and no others."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from fractions import Fraction

from chronoxis.core.timing.lulls import Lull

_LEAST_PART = 0.02  # recorded seconds: less was not left by a person, but by rounding

Span = tuple[Fraction, Fraction]
"""Between two exact recorded seconds."""


@dataclass(frozen=True)
class Judged:
    """A stretch of footage in which a person said what is a lull.

    Attributes:
        begin: recorded seconds.
        end: recorded seconds, behind its begin.
        lulls: all that is a lull in it, ascending and apart; none, if it was refused.
    """

    begin: Fraction
    end: Fraction
    lulls: tuple[Span, ...] = ()


def judged_anew(judged: Sequence[Judged], new: Judged) -> tuple[Judged, ...]:
    """What was said, and something new, which goes before it where both say something."""
    return tuple(sorted([*without(judged, new.begin, new.end), new], key=lambda each: each.begin))


def without(judged: Iterable[Judged], begin: Fraction, end: Fraction) -> tuple[Judged, ...]:
    """What was said, as if nothing had been between two recorded seconds."""
    kept = []
    for each in judged:
        for low, high in ((each.begin, min(each.end, begin)), (max(each.begin, end), each.end)):
            if high > low:
                inside = ((max(low, first), min(high, last)) for first, last in each.lulls)
                kept.append(Judged(low, high, tuple(span for span in inside if span[1] > span[0])))
    return tuple(kept)


def corrected(found: Iterable[Lull], judged: Sequence[Judged], least: float) -> list[Lull]:
    """Lulls that were found, as a person corrected them; ascending.

    Args:
        found: ascending and apart.
        judged: what a person said.
        least: recorded seconds; less than that of a lull which a correction cut short is none.
    """
    least = max(least, _LEAST_PART)
    kept: list[Lull] = []
    for lull in found:
        begin, cut = lull.begin, False
        for each in judged:
            low, high = float(each.begin), float(each.end)
            if high <= begin or low >= lull.end:
                continue
            cut = True
            if low - begin >= least and low > begin:
                kept.append(Lull(begin, low))
            begin = max(begin, high)
        if begin < lull.end and (not cut or lull.end - begin >= least):
            kept.append(Lull(begin, lull.end))
    drawn = (Lull(float(first), float(last)) for each in judged for first, last in each.lulls)
    return sorted([*kept, *drawn])


def refused(judged: Iterable[Judged]) -> list[Lull]:
    """Stretches in which nothing is a lull, because a person said so."""
    return [Lull(float(each.begin), float(each.end)) for each in judged if not each.lulls]
