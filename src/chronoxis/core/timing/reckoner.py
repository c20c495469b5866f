"""The linked quantities: change one, the free one follows, the held ones stay.

Six quantities hang on three relations and the recording's frame rate ``r``::

    result length = recorded length / speed
    step          = speed · r / result rate
    frame count   = result length · result rate

so three of them fix the rest. In logarithms the relations are linear with whole coefficients, and every
set of three that fixes the rest does so with whole exponents; hence everything is exact rational
arithmetic and a held value stays the very same number.
"""

from collections.abc import Iterable
from dataclasses import dataclass, replace
from enum import StrEnum
from fractions import Fraction
from math import prod

import numpy as np

from chronoxis.core.errors import PlanError
from chronoxis.core.timing.rates import MAX_RATE, format_rate
from chronoxis.core.timing.schedule import result_frame_count
from chronoxis.core.timing.speed import checked_speed
from chronoxis.core.timing.timecode import format_time


class Quantity(StrEnum):
    """One of the linked quantities."""

    RECORDED_LENGTH = "recorded length"
    SPEED = "speed"
    RESULT_LENGTH = "result length"
    STEP = "step"
    RATE = "result rate"
    COUNT = "frame count"


# Exponents over (recorded length, speed, result rate).
_EXPONENTS = {
    Quantity.RECORDED_LENGTH: (1, 0, 0),
    Quantity.SPEED: (0, 1, 0),
    Quantity.RATE: (0, 0, 1),
    Quantity.RESULT_LENGTH: (1, -1, 0),
    Quantity.STEP: (0, 1, -1),
    Quantity.COUNT: (1, -1, 1),
}

# What stays when nothing is held against it: the rate is rarely meant to move, the stretch only when
# it must, the speed before the rest.
_STAYS = (Quantity.RATE, Quantity.RECORDED_LENGTH, Quantity.SPEED)


@dataclass(frozen=True)
class Reckoner:
    """A consistent state of the linked quantities of one stretch at one speed.

    Attributes:
        recorded_rate: recorded frames per recorded second (the average, where it varies).
        available: the most recorded seconds that the stretch can have from its in point.
        recorded_length: recorded seconds.
        speed: recorded seconds per result second.
        rate: result frames per second.
    """

    recorded_rate: Fraction
    available: Fraction
    recorded_length: Fraction
    speed: Fraction
    rate: Fraction

    @property
    def result_length(self) -> Fraction:
        """Result seconds, before rounding up to whole frames."""
        return self.recorded_length / self.speed

    @property
    def step(self) -> Fraction:
        """N in “keep one frame in N”."""
        return self.speed * self.recorded_rate / self.rate

    @property
    def count(self) -> int:
        """Result frames."""
        return result_frame_count(self.result_length, self.rate)

    def value(self, quantity: Quantity) -> Fraction:
        """The present value of a quantity; the frame count is the whole number of frames."""
        return {
            Quantity.RECORDED_LENGTH: self.recorded_length,
            Quantity.SPEED: self.speed,
            Quantity.RATE: self.rate,
            Quantity.RESULT_LENGTH: self.result_length,
            Quantity.STEP: self.step,
            Quantity.COUNT: Fraction(self.count),
        }[quantity]

    def _exact(self, quantity: Quantity) -> Fraction:
        """The value that holds the quantity; the frame count before it is rounded up to whole frames."""
        return self.result_length * self.rate if quantity is Quantity.COUNT else self.value(quantity)

    def change(self, quantity: Quantity, value: Fraction, held: Iterable[Quantity] = ()) -> "Reckoner":
        """The state in which ``quantity`` is ``value`` and the held quantities are as they were.

        Of what is not held, the result rate stays before the stretch, and the stretch before the speed.

        Raises:
            PlanError: the value is out of range, or it cannot be had with the held quantities.
        """
        if value <= 0:
            raise PlanError(f"The {quantity} must be above zero.")
        if quantity is Quantity.COUNT and value.denominator != 1:
            raise PlanError("The frame count is a whole number.")
        if value == self.value(quantity):
            return self
        fixed = {quantity: value}
        for other in dict.fromkeys(held):
            others = [name for name in fixed if name is not quantity]
            if _independent([*fixed, other]):
                fixed[other] = self._exact(other)
            elif other is not quantity and _independent([*others, other]):
                raise PlanError(_conflict(quantity, [*others, other]))
        for other in _STAYS:
            if _independent([*fixed, other]):
                fixed[other] = self.value(other)
        recorded_length, speed, rate = self._solve(fixed)
        return replace(self, recorded_length=recorded_length, speed=speed, rate=rate).checked()

    def checked(self) -> "Reckoner":
        """Return this state if it can be had.

        Raises:
            PlanError: a speed or rate out of range, more recorded time than there is, or no frame.
        """
        checked_speed(self.speed)
        if not 0 < self.rate <= MAX_RATE:
            raise PlanError(
                f"That needs {format_rate(self.rate)} frames per second; the limit is {MAX_RATE}."
            )
        if self.recorded_length > self.available:
            raise PlanError(
                f"That needs {format_time(self.recorded_length)} of recorded time; "
                f"from the in point there are {format_time(self.available)}."
            )
        if self.recorded_length <= 0:
            raise PlanError("The stretch is empty; its out point must lie after its in point.")
        return self

    def _solve(self, fixed: dict[Quantity, Fraction]) -> list[Fraction]:
        """Recorded length, speed and rate out of three independent quantities."""
        exponents = np.array([_EXPONENTS[name] for name in fixed])
        inverse = np.rint(np.linalg.inv(exponents)).astype(int)
        values = [v / self.recorded_rate if name is Quantity.STEP else v for name, v in fixed.items()]
        return [
            prod((v ** int(power) for v, power in zip(values, row, strict=True)), start=Fraction(1))
            for row in inverse
        ]


def _independent(names: list[Quantity]) -> bool:
    return int(np.linalg.matrix_rank(np.array([_EXPONENTS[name] for name in names]))) == len(names)


def _conflict(wished: Quantity, held: list[Quantity]) -> str:
    stay = "is held, and that fixes it" if len(held) == 1 else "are held, and together they fix it"
    return f"The {wished} cannot change: {' and '.join(held)} {stay}. Let go of one of them."
