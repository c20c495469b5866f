"""Choices of a pace, as entries of files."""

from typing import Any

from chronoxis.core.files.converter import Entry, entries_of, part, read, told_apart
from chronoxis.core.model.lull_acts import Hurry
from chronoxis.core.model.preset import AtSpeed, EveryNth, PaceChoice, ThroughLulls, ToLength
from chronoxis.core.timing.speed import checked_speed

_BY_FIELD: dict[str, type[AtSpeed | ToLength | EveryNth]] = {
    "speed": AtSpeed,
    "length": ToLength,
    "every": EveryNth,
}


def _hurry_told(_hurry: Hurry, entry: Entry) -> Entry:
    return {"speed": entry["speed"], "ramp": {"length": entry["ramp"], "shape": entry["shape"]}}


def _hurry_fields(item: Entry) -> Entry:
    ramp = item["ramp"]
    return {"speed": item["speed"], "ramp": ramp["length"], "shape": ramp["shape"]}


def _pace(item: Any) -> PaceChoice | None:
    """A group of one field, which says what kind it is."""
    if item is None:
        return None
    if "lulls" in item:
        return part(item, "lulls", ThroughLulls)
    return read(item, next(kind for name, kind in _BY_FIELD.items() if name in item))


entries_of(
    Hurry,
    told=_hurry_told,
    fields=_hurry_fields,
    check=lambda hurry: checked_speed(hurry.speed),
)
entries_of(EveryNth, names={"step": "every"})
entries_of(ThroughLulls, told=lambda _, entry: {"lulls": entry})
told_apart(PaceChoice | None, _pace)
