"""Choices of a pace, as entries of files."""

from typing import Any

from chronoxis.core.files.converter import Entry, entries_of, part, read, spelled, written
from chronoxis.core.model.lull_acts import Hurry
from chronoxis.core.model.preset import AtSpeed, EveryNth, PaceChoice, ThroughLulls, ToLength
from chronoxis.core.timing.ramps import Ramp
from chronoxis.core.timing.speed import checked_speed


def _hurry_written(hurry: Hurry) -> Entry:
    return {"speed": written(hurry.speed), "ramp": written(Ramp(hurry.ramp, hurry.shape))}


def _hurry_fields(item: Entry) -> Entry:
    ramp = item["ramp"]
    return {"speed": item["speed"], "ramp": ramp["length"], "shape": ramp["shape"]}


def _pace(item: Any) -> PaceChoice | None:
    """A group of one field, which says what kind it is."""
    if item is None:
        return None
    if "lulls" in item:
        return part(item, "lulls", ThroughLulls)
    kinds: tuple[type[AtSpeed | ToLength | EveryNth], ...] = (AtSpeed, ToLength, EveryNth)
    names = ("speed", "length", "every")
    return read(item, next(kind for name, kind in zip(names, kinds, strict=True) if name in item))


entries_of(
    Hurry,
    told=lambda hurry, _: _hurry_written(hurry),
    fields=_hurry_fields,
    check=lambda hurry: checked_speed(hurry.speed),
)
entries_of(EveryNth, names={"step": "every"})
entries_of(ThroughLulls, told=lambda _, entry: {"lulls": entry}, fields=lambda item: item)
spelled(PaceChoice | None, written, _pace)
