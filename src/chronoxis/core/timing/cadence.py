"""Cadence: how many result frames each photo stands, where photos are shown slower than the result plays."""

from dataclasses import dataclass
from fractions import Fraction
from itertools import groupby, pairwise
from math import ceil, floor

from chronoxis.core.timing.rates import MAX_RATE

_MOST_LISTED = 12  # photos of a pattern


@dataclass(frozen=True)
class Cadence:
    """Photos shown at one rate in a result of another.

    Attributes:
        photo_rate: photos per result second.
        rate: result frames per second.
    """

    photo_rate: Fraction
    rate: Fraction

    @property
    def standing(self) -> Fraction:
        """Result frames per photo, on average."""
        return self.rate / self.photo_rate

    @property
    def is_even(self) -> bool:
        """Whether every photo stands equally many result frames, or equally many are passed over."""
        return self.standing.denominator == 1 or (1 / self.standing).denominator == 1

    def photo_at(self, result_frame: int) -> int:
        """Number of the photo that a result frame shows, both counted from 0."""
        return floor(result_frame * self.photo_rate / self.rate)

    @property
    def pattern(self) -> tuple[int, ...]:
        """How many result frames each photo stands, until that repeats; cut short where it goes on and on."""
        count = min(self.standing.denominator, _MOST_LISTED)
        starts = [ceil(photo * self.standing) for photo in range(count + 1)]
        return tuple(after - before for before, after in pairwise(starts))

    def in_words(self) -> str:
        """The pattern as a person reads it."""
        if self.standing <= 1:
            step = 1 / self.standing
            if step == 1:
                return "Each result frame shows the next photo."
            every = f"{float(step):.4g}"
            return f"Each result frame goes on by {every} photos" + (
                "." if self.is_even else ": unevenly, now more, now fewer."
            )
        if self.is_even:
            return f"Each photo stands {self.standing} result frames."
        listed: list[str] = []
        for number, same in groupby(self.pattern):
            many = len(list(same))
            listed += [f"{many} × {number}"] if many > 3 else [str(number)] * many
        more = ", …" if self.standing.denominator > _MOST_LISTED else ""
        return f"Photos stand unevenly: {', '.join(listed)}{more} result frames."

    def even_photo_rates(self) -> list[Fraction]:
        """The rates of photos next to this one, slower and faster, that make it even; none if it is."""
        if self.is_even:
            return []
        if self.standing > 1:
            return [self.rate / ceil(self.standing), self.rate / floor(self.standing)]
        step = 1 / self.standing
        return [self.rate * floor(step), self.rate * ceil(step)]

    def even_rates(self) -> list[Fraction]:
        """The result rates next to this one, lower and higher, that make it even; none if it is."""
        if self.is_even:
            return []
        if self.standing > 1:
            found = [self.photo_rate * floor(self.standing), self.photo_rate * ceil(self.standing)]
        else:
            step = 1 / self.standing
            found = [self.photo_rate / ceil(step), self.photo_rate / floor(step)]
        return [rate for rate in found if rate <= MAX_RATE]
