"""The step: recorded frames per result frame, and the text people read and write for it."""

import re
from fractions import Fraction

from chronoxis.core.errors import PlanError
from chronoxis.core.timing.exact import parse_exact, shortened

_TIMES = re.compile(r"(.+?)\s*(?:times|time|×|x)")


def step_words(step: Fraction) -> str:
    """What stands before the number, with the letter of its key marked."""
    return "Eac&h frame stands" if step < 1 else "&Keep one frame in"


def format_step(step: Fraction) -> str:
    """A step as a person reads it.

    >>> format_step(Fraction(1, 2))
    '2 times'
    """
    shown = float(1 / step if step < 1 else step)
    number = f"{shown:.4g}" if shown < 1000 else f"{shown:.0f}"
    return f"{number} times" if step < 1 else number


def format_exact_step(step: Fraction) -> str:
    """A step so that editing it loses nothing that shows."""
    return f"{float(1 / step):.12g} times" if step < 1 else f"{float(step):.12g}"


def parse_step(text: str) -> Fraction:
    """Read a number of frames such as ``17``, ``2.5`` or ``2,5``; or ``2 times``, for a step of a half.

    Raises:
        PlanError: it is neither, or not above zero.
    """
    cleaned = text.strip().lower()
    times = _TIMES.fullmatch(cleaned)
    try:
        number = parse_exact((times[1] if times else cleaned).replace(",", ".").replace(" ", ""))
        if number <= 0:
            raise ValueError
        return 1 / number if times else number
    except (ValueError, ZeroDivisionError):
        raise PlanError(f"“{shortened(text)}” is not a number of frames.") from None
