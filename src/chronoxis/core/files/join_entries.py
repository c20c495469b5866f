"""Joins and accents, as entries of files."""

from chronoxis.core.errors import PlanError
from chronoxis.core.extensions import is_added
from chronoxis.core.files.converter import Entry, entries_of, listed, named_kinds, spelled
from chronoxis.core.model.accent import (
    Accent,
    Amount,
    ByJoin,
    ByPoints,
    BySpeed,
    Look,
    Point,
    look_of_file,
    look_values,
)
from chronoxis.core.model.join import CUT, Join, Surge
from chronoxis.core.model.joining import LONGEST_RUN
from chronoxis.core.timing.speed import checked_speed

_OF_ACCENTS = frozenset(("look", "amount", "strength", "seed", "on"))


def _look_written(look: Look) -> Entry:
    """Of those that packages add, what they are set to is a group of its own, which no schema can tell."""
    values = look_values(look)
    return {"look": look.key, **({"settings": values} if is_added(look.key) else values)}


def _look_read(item: Entry) -> Look:
    own = {name: value for name, value in item.items() if name != "look"}
    return look_of_file(item["look"], own.get("settings", {}) if is_added(item["look"]) else own)


def _accent_told(_accent: Accent, entry: Entry) -> Entry:
    return {**entry.pop("look"), **entry}


def _accent_fields(item: Entry) -> Entry:
    own = {name: value for name, value in item.items() if name not in _OF_ACCENTS or name == "look"}
    return {**item, "look": own}


def _check_surge(surge: Surge) -> None:
    if not all(0 < side.length <= LONGEST_RUN for side in (surge.run_up, surge.run_out)):
        raise PlanError(f"a side of a Surge lasts above 0 and up to {LONGEST_RUN} s.")
    checked_speed(surge.peak)


listed(Point)
named_kinds(Amount, "by", {"speed": BySpeed, "join": ByJoin, "points": ByPoints})
spelled(Look, _look_written, _look_read)
entries_of(Accent, told=_accent_told, fields=_accent_fields)
entries_of(Surge, check=_check_surge)
entries_of(Join, told=lambda join, entry: None if join == CUT else entry, fields=lambda item: item or {})
