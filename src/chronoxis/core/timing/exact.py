"""Exact numbers from text, within bounds: a few letters can name a number that fills the memory."""

import re
from fractions import Fraction

_LONGEST_TEXT = 64  # letters that a person may need
_NUMBER = re.compile(r"[+-]?(\d+(\.\d*)?|\.\d+)(e[+-]?\d{1,2})?|[+-]?\d+/\d+", re.IGNORECASE | re.ASCII)


def shortened(text: str) -> str:
    """A text as it is told back: not all of one that goes on and on."""
    return text if len(text) <= _LONGEST_TEXT else f"{text[:_LONGEST_TEXT]}…"


def parse_exact(text: str) -> Fraction:
    """Read ``25``, ``0.25``, ``1e3`` or ``30000/1001``.

    Raises:
        ValueError: it is no such number, or one out of all proportion.
        ZeroDivisionError: it divides by zero.
    """
    cleaned = text.strip()
    if len(cleaned) > _LONGEST_TEXT or not _NUMBER.fullmatch(cleaned):
        raise ValueError(text[:_LONGEST_TEXT])
    return Fraction(cleaned)
