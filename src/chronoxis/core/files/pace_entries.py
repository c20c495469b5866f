"""Ramps, Lulls and choices of a pace, as entries of files."""

from dataclasses import asdict
from fractions import Fraction
from typing import Any

from chronoxis.core.files.entry_places import one_from
from chronoxis.core.model.lull_acts import Hurry
from chronoxis.core.model.preset import AtSpeed, EveryNth, PaceChoice, ThroughLulls, ToLength
from chronoxis.core.timing.lulls import LullsBy, LullWish
from chronoxis.core.timing.ramps import Ramp, RampShape
from chronoxis.core.timing.speed import checked_speed

Item = dict[str, Any]


def ramp_json(ramp: Ramp) -> Item:
    """A ramp as JSON values."""
    return {"length": str(ramp.length), "shape": str(ramp.shape)}


def ramp_from(item: Item) -> Ramp:
    """The inverse."""
    return Ramp(Fraction(item["length"]), RampShape(item["shape"]))


def lull_wish_json(wish: LullWish) -> Item:
    """What counts as a lull, as JSON values."""
    return {**asdict(wish), "by": str(wish.by)}


def lull_wish_from(item: Item) -> LullWish:
    """The inverse."""
    named = {name: value for name, value in item.items() if name != "by"}
    return LullWish(LullsBy(item.get("by", LullWish().by)), **named)


def pace_json(pace: PaceChoice) -> Item:
    """A choice of a pace as JSON values: a group of one field, which says what kind it is."""
    match pace:
        case AtSpeed(speed):
            return {"speed": str(speed)}
        case ToLength(length):
            return {"length": str(length)}
        case EveryNth(step):
            return {"every": str(step)}
        case ThroughLulls() as pace:
            return {"lulls": _through_lulls_json(pace)}


def pace_from(item: Item) -> PaceChoice:
    """The inverse. Raises PlanError: a speed, a step or a length is out of range."""
    if "speed" in item:
        return AtSpeed(Fraction(item["speed"]))
    if "length" in item:
        return ToLength(Fraction(item["length"]))
    if "every" in item:
        return EveryNth(Fraction(item["every"]))
    return one_from(item, "lulls", _through_lulls)


def _through_lulls_json(pace: ThroughLulls) -> Item:
    return {
        "wish": lull_wish_json(pace.wish),
        "hurry": _hurry_json(pace.hurry) if pace.hurry else None,
        "length": str(pace.length) if pace.length is not None else None,
        "rest": str(pace.rest) if pace.rest is not None else None,
    }


def _through_lulls(item: Item) -> ThroughLulls:
    length, rest = (Fraction(item[name]) if item[name] else None for name in ("length", "rest"))
    hurried = one_from(item, "hurry", _hurry) if item["hurry"] else None
    return ThroughLulls(lull_wish_from(item["wish"]), hurried, length, rest)


def _hurry_json(hurry: Hurry) -> Item:
    return {"speed": str(hurry.speed), "ramp": ramp_json(Ramp(hurry.ramp, hurry.shape))}


def _hurry(item: Item) -> Hurry:
    ramp = ramp_from(item["ramp"])
    return Hurry(checked_speed(Fraction(item["speed"])), ramp.length, ramp.shape)
