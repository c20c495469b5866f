"""Times as people write them, in seconds."""

import re
from fractions import Fraction

from chronoxis.core.errors import PlanError
from chronoxis.core.timing.exact import parse_exact, shortened

_UNITS = re.compile(r"(?:(\d+)h)?(?:(\d+)m)?(?:(\d+(?:\.\d*)?)s)?")
_LONGEST_TEXT = 40  # letters of a time
_UNIT_SECONDS = (3600, 60, 1)


def parse_time(text: str, rate: Fraction | None = None) -> Fraction:
    """Read a time as exact seconds.

    Understood are ``90``, ``90.5``, ``271/3``, ``1:30``, ``1:30.5``, ``0:01:30``, ``1m30s``, and with
    frames ``0:01:30:12`` (hours, minutes, seconds, frames at ``rate``).

    Raises:
        PlanError: the text is none of these, is negative, or names frames where no rate is known or
            more of them than a second holds.
    """
    cleaned = text.strip().lower().replace(",", ".").replace(" ", "")
    try:
        if len(cleaned) > _LONGEST_TEXT:
            raise ValueError
        if re.fullmatch(r"\d+/[1-9]\d*", cleaned):
            return parse_exact(cleaned)
        if cleaned and (units := _UNITS.fullmatch(cleaned)):
            return _sum_units(units.groups())
        return _sum_fields(cleaned.split(":"), rate)
    except ValueError:
        raise PlanError(
            f"“{shortened(text)}” is not a time; write 90, 1:30, 1:30.5, 0:01:30:12 or 1m30s."
        ) from None


def format_time(seconds: Fraction | float, decimals: int = 1) -> str:
    """Write seconds as ``M:SS.s`` or ``H:MM:SS.s``; rounding never shows sixty seconds.

    >>> format_time(90.5)
    '1:30.5'
    """
    unit = 10**decimals
    ticks = round(Fraction(seconds) * unit)
    sign, ticks = ("-", -ticks) if ticks < 0 else ("", ticks)
    whole, part = divmod(ticks, unit)
    minutes, second = divmod(whole, 60)
    hours, minute = divmod(minutes, 60)
    tail = f".{part:0{decimals}d}" if decimals else ""
    head = f"{hours}:{minute:02d}" if hours else f"{minute}"
    return f"{sign}{head}:{second:02d}{tail}"


def format_exact_time(seconds: Fraction) -> str:
    """Write seconds to the microsecond in the fewest decimals, so that editing loses nothing."""
    text = format_time(seconds, 6)
    return text.rstrip("0").rstrip(".")


def _sum_units(groups: tuple[str | None, ...]) -> Fraction:
    return sum(
        (Fraction(value) * unit for value, unit in zip(groups, _UNIT_SECONDS, strict=True) if value),
        Fraction(0),
    )


def _sum_fields(fields: list[str], rate: Fraction | None) -> Fraction:
    if not 1 <= len(fields) <= 4:
        raise ValueError
    frames = Fraction(0)
    if len(fields) == 4:
        frames = _frames(fields.pop(), rate)
    *whole, last = fields
    if not re.fullmatch(r"\d+(\.\d*)?|\.\d+", last) or not all(field.isdecimal() for field in whole):
        raise ValueError
    total = Fraction(0)
    for field in (*whole, last):
        total = total * 60 + Fraction(field)
    return total + frames


def _frames(field: str, rate: Fraction | None) -> Fraction:
    if not field.isdecimal():
        raise ValueError
    if rate is None:
        raise PlanError("A time with frames needs a frame rate to count them by.")
    if int(field) >= rate:
        raise PlanError(f"Frame {field} does not fit in a second of {float(rate):g} frames.")
    return Fraction(int(field)) / rate
