"""Frame rates: exact numbers, and the text people write for them."""

from fractions import Fraction

from chronoxis.core.errors import PlanError
from chronoxis.core.timing.exact import parse_exact, shortened

MAX_RATE = Fraction(1000)
_MOST_DENOMINATOR = 1_000_000  # the largest denominator: files keep rates as two 32-bit numbers

_NTSC_BASES = (24, 30, 48, 60, 96, 120, 240)


def parse_rate(text: str) -> Fraction:
    """Read a frame rate such as ``25``, ``30000/1001`` or ``29.97``, in frames per second.

    A decimal near one of the rates of the NTSC family is taken for that rate: ``29.97`` and ``23.98``
    are written everywhere for 30000/1001 and 24000/1001.

    Raises:
        PlanError: the text is not a number, or not in (0, 1000].
    """
    cleaned = text.strip().lower().removesuffix("fps").strip().replace(",", ".")
    try:
        rate = parse_exact(cleaned).limit_denominator(_MOST_DENOMINATOR)
    except (ValueError, ZeroDivisionError):
        raise PlanError(f"“{shortened(text)}” is not a frame rate; write 25, 29.97 or 30000/1001.") from None
    if not 0 < rate <= MAX_RATE:
        raise PlanError(
            f"A frame rate of {shortened(text)} is out of range; it lies above 0 and up to {MAX_RATE} fps."
        )
    return _exact_ntsc(rate) if "." in cleaned else rate


def format_rate(rate: Fraction) -> str:
    """Write a rate for people: ``25``, ``29.97``, ``23.976``, at most three decimals.

    >>> format_rate(Fraction(30000, 1001))
    '29.97'
    """
    return f"{float(rate):.3f}".rstrip("0").rstrip(".")


def _exact_ntsc(rate: Fraction) -> Fraction:
    for base in _NTSC_BASES:
        exact = Fraction(base * 1000, 1001)
        if abs(rate - exact) < Fraction(6, 1000):
            return exact
    return rate
