"""Joins and accents, as entries of a project file."""

from collections.abc import Iterable
from fractions import Fraction
from typing import Any

from chronoxis.core.errors import PlanError
from chronoxis.core.extensions import is_added
from chronoxis.core.files.entry_places import each_from, one_from
from chronoxis.core.model.accent import (
    Accent,
    Amount,
    ByJoin,
    ByPoints,
    BySpeed,
    Look,
    Point,
    Response,
    look_of_file,
    look_values,
)
from chronoxis.core.model.join import CUT, Join, Side, Surge
from chronoxis.core.model.joining import LONGEST_RUN
from chronoxis.core.timing.ramps import RampShape
from chronoxis.core.timing.speed import checked_speed


def join_json(join: Join) -> dict[str, Any] | None:
    """A join as JSON values; nothing for a plain cut."""
    if join == CUT:
        return None
    return {
        "surge": _surge_json(join.surge) if join.surge else None,
        "accents": accents_json(join.accents),
    }


def join_from(item: dict[str, Any]) -> Join:
    """A join; a plain cut, of no fields. Raises PlanError if a value is out of range."""
    surge = one_from(item, "surge", _surge_from) if item.get("surge") else None
    return Join(surge, each_from(item, "accents", accent_from)) if item else CUT


def _surge_json(surge: Surge) -> dict[str, Any]:
    return {
        "peak": str(surge.peak),
        "run_up": _side_json(surge.run_up),
        "run_out": _side_json(surge.run_out),
        "linked": surge.linked,
    }


def _side_json(side: Side) -> dict[str, str]:
    return {"length": str(side.length), "shape": str(side.shape)}


def _surge_from(item: dict[str, Any]) -> Surge:
    up, out = (
        Side(Fraction(item[name]["length"]), RampShape(item[name]["shape"])) for name in ("run_up", "run_out")
    )
    if not all(0 < side.length <= LONGEST_RUN for side in (up, out)):
        raise PlanError(f"a side of a Surge lasts above 0 and up to {LONGEST_RUN} s.")
    return Surge(checked_speed(Fraction(item["peak"])), up, out, item["linked"])


_OF_ACCENTS = frozenset(("look", "amount", "strength", "seed", "on"))


def accents_json(accents: Iterable[Accent]) -> list[dict[str, Any]]:
    """Accents as JSON values."""
    return [
        {
            "look": accent.look.key,
            **_set_to(accent.look),
            "amount": _amount_json(accent.amount),
            "strength": accent.strength,
            "seed": accent.seed,
            "on": accent.on,
        }
        for accent in accents
    ]


def accent_from(item: dict[str, Any]) -> Accent:
    """An accent. Raises PlanError if a value is out of range."""
    return Accent(
        _look(item),
        one_from(item, "amount", _amount_from),
        item["strength"],
        item["seed"],
        item.get("on", True),
    )


def _set_to(look: Look) -> dict[str, Any]:
    """What a look is set to: of those that packages add, in a group of its own, which no schema can tell."""
    values = look_values(look)
    return {"settings": values} if is_added(look.key) else values


def _look(item: dict[str, Any]) -> Look:
    own = {name: value for name, value in item.items() if name not in _OF_ACCENTS}
    return look_of_file(item["look"], item.get("settings", {}) if is_added(item["look"]) else own)


def _amount_json(amount: Amount) -> dict[str, Any]:
    match amount:
        case BySpeed():
            return {
                "by": "speed",
                "none_at": str(amount.none_at),
                "full_at": str(amount.full_at),
                "response": str(amount.response),
            }
        case ByJoin():
            return {"by": "join", "response": str(amount.response)}
        case ByPoints():
            return {"by": "points", "points": [[str(point.at), point.amount] for point in amount.points]}


def _amount_from(item: dict[str, Any]) -> Amount:
    match item["by"]:
        case "speed":
            return BySpeed(Fraction(item["none_at"]), Fraction(item["full_at"]), Response(item["response"]))
        case "join":
            return ByJoin(Response(item["response"]))
        case _:
            return ByPoints(tuple(Point(Fraction(at), amount) for at, amount in item["points"]))
