"""Speed: recorded seconds per result second, and the text people write for it."""

import re
from fractions import Fraction

from chronoxis.core.errors import PlanError
from chronoxis.core.timing.exact import parse_exact, shortened

MIN_SPEED = Fraction(1, 100)
MAX_SPEED = Fraction(100_000)

_EVERY = re.compile(r"every\s+(\d+(?:\.\d+)?)\s*(?:st|nd|rd|th)?(?:\s+frame)?")


def parse_speed(text: str, frames_per_step: Fraction | None = None) -> Fraction:
    """Read a speed such as ``24×``, ``24x``, ``2400%``, ``1/4×``, ``0.25`` or ``every 24th``.

    Args:
        text: what was written.
        frames_per_step: recorded rate divided by result rate, needed to turn ``every 24th`` into a speed.

    Raises:
        PlanError: the text is not a speed, or lies outside 1/100× to 100,000×.
    """
    cleaned = text.strip().lower().replace(",", ".")
    every = _EVERY.fullmatch(cleaned)
    try:
        if every:
            if not frames_per_step:
                raise PlanError("“every …th” needs a recording whose frame rate is known.")
            return checked_speed(parse_exact(every[1]) / frames_per_step)
        number = cleaned.rstrip("x×").strip()
        if number.endswith("%"):
            return checked_speed(parse_exact(number.removesuffix("%")) / 100)
        return checked_speed(parse_exact(number))
    except (ValueError, ZeroDivisionError):
        raise PlanError(
            f"“{shortened(text)}” is not a speed; write 24×, 2400%, 1/4× or every 24th."
        ) from None


def checked_speed(speed: Fraction) -> Fraction:
    """Return the speed if it lies in the range the program works in.

    Raises:
        PlanError: it does not.
    """
    if not MIN_SPEED <= speed <= MAX_SPEED:
        raise PlanError(
            f"A speed of {shortened(_plain(speed))}× is out of range; it lies between 1/100× and 100,000×."
        )
    return speed


def format_speed(speed: Fraction | float) -> str:
    """Write a speed for people, in three significant figures or as many as a whole number needs.

    >>> format_speed(Fraction(1, 4))
    '1/4×'
    """
    exact = Fraction(speed).limit_denominator(100_000)
    if exact.numerator == 1 and 1 < exact.denominator <= 100 and exact == Fraction(speed):
        return f"1/{exact.denominator}×"
    return f"{_plain(Fraction(speed))}×"


def format_exact_speed(speed: Fraction) -> str:
    """Write a speed so that editing it loses nothing that shows: as it is, or to twelve figures.

    >>> format_exact_speed(Fraction(67, 4))
    '16.75×'
    """
    decimal = f"{float(speed):.12g}"
    if "e" not in decimal and Fraction(decimal) == speed:
        return f"{decimal}×"
    return f"{speed}×" if speed.denominator <= 1000 else f"{decimal}×"


def _plain(speed: Fraction) -> str:
    value = float(speed)
    if value >= 100 or speed.denominator == 1:
        return f"{value:.1f}".removesuffix(".0")
    return f"{value:.3g}" if value < 10 else f"{value:.4g}"
