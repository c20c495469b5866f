"""A recorded moment in words, as a badge shows it."""

from datetime import datetime, timedelta

from chronoxis.core.model.accent import Badge, Shown

_HOUR = 3600.0  # seconds
_DAY = 24 * _HOUR


def clock_words(look: Badge, began: datetime | None, seconds: float) -> str:
    """What a badge says of a moment.

    Args:
        look: what it shows, and by how many hours its clock is set.
        began: when the first frame was recorded, as the file says; None if it does not.
        seconds: recorded since then.

    Returns:
        The time of day, the date, or both; the time since the beginning, where nothing says when that was.
    """
    if began is None or look.shows is Shown.SINCE:
        return _since(max(seconds, 0.0))
    at = began + timedelta(seconds=round(seconds), hours=look.hours)
    clock = f"{at:%I:%M %p}".removeprefix("0").lower() if look.noon else f"{at:%H:%M}"
    return {Shown.TIME: clock, Shown.DATE: f"{at:%d %b %Y}", Shown.BOTH: f"{at:%d %b %Y}  {clock}"}[
        look.shows
    ]


def _since(seconds: float) -> str:
    days, rest = divmod(round(seconds), int(_DAY))
    hours, rest = divmod(rest, int(_HOUR))
    minutes, left = divmod(rest, 60)
    clock = f"{hours}:{minutes:02}:{left:02}"
    return f"day {days + 1}  {clock}" if days else clock
