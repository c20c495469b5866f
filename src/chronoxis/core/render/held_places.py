"""Where what was recorded could not be decoded, in words."""

from collections.abc import Iterable, Mapping, Sequence
from fractions import Fraction

from chronoxis.core.render.plan import Plan
from chronoxis.core.timing.timecode import format_time

_MOST_LISTED = 5


def held_places(plan: Plan, held: Mapping[int, set[int]]) -> tuple[str, ...]:
    """Where recorded frames could not be decoded, from their numbers by shot."""
    places = {
        (plan.project.footage_of(plan.project.shots[shot]).label, float(plan.edges[shot][number]))
        for shot, numbers in held.items()
        for number in numbers
    }
    return tuple(f"{label} {format_time(seconds, 2)}" for label, seconds in sorted(places))


def silenced_places(plan: Plan, silenced: Iterable[tuple[str, Fraction]]) -> tuple[str, ...]:
    """Where recorded sound could not be decoded, from keys of footage and seconds on its clock."""
    places = sorted({(key, round(float(at), 1)) for key, at in silenced})
    return tuple(f"{plan.project.footage_named(key).label} {format_time(at, 1)}" for key, at in places)


def held_remark(places: Sequence[str]) -> str:
    """What to say of recorded frames that could not be decoded, or nothing."""
    if not places:
        return ""
    many = f"{len(places)} recorded frames" if len(places) > 1 else "One recorded frame"
    return f"{many} could not be decoded; the one before stands there: {_listed(places)}."


def silenced_remark(places: Sequence[str]) -> str:
    """What to say of sound that could not be decoded, or nothing."""
    return f"Sound could not be decoded and is silent there: {_listed(places)}." if places else ""


def _listed(places: Sequence[str]) -> str:
    return ", ".join(places[:_MOST_LISTED]) + (" …" if len(places) > _MOST_LISTED else "")
