"""How frames are made and corrected, as entries of a project file."""

from dataclasses import replace
from fractions import Fraction
from typing import Any

from chronoxis.core.model.even_out import EvenOut
from chronoxis.core.model.making import checked_window
from chronoxis.core.model.project import Shot
from chronoxis.core.model.steady import AS_FILMED, Steady, SteadyMode
from chronoxis.core.parameters import written_values
from chronoxis.core.timing.frame_making import (
    ALL_RECORDED,
    Between,
    EachFrame,
    Fill,
    FrameMaking,
    PassersBy,
)


def making_json(making: FrameMaking) -> dict[str, Any]:
    """How the frames of a passage are made, as JSON values."""
    return {
        "each": making.each.key,
        **({"settings": written_values(making.each.settings)} if making.each.settings is not None else {}),
        "shutter": making.shutter,
        "soft": making.soft,
        "window": str(making.window) if making.window is not None else None,
        "fill": str(making.fill),
        "between": str(making.between),
        "line_up": making.line_up,
    }


def making_from(item: dict[str, Any]) -> FrameMaking:
    """How the frames of a passage are made. Raises PlanError if a window is out of range."""
    return FrameMaking(
        each=EachFrame.of_file(item.get("each", EachFrame.ONE.key), item.get("settings", {})),
        shutter=float(item.get("shutter", ALL_RECORDED)),
        soft=item.get("soft", False),
        window=checked_window(Fraction(item["window"])) if item.get("window") else None,
        fill=Fill(item.get("fill", Fill.NONE)),
        between=Between(item.get("between", Between.HOLD)),
        line_up=float(item.get("line_up", 0.0)),
    )


def correction_json(shot: Shot) -> dict[str, Any]:
    """What is corrected in the frames of a shot, as JSON values."""
    apart = shot.passers_apart
    return {
        "even_out": even_out_json(shot.even_out),
        "passers_by": {
            "all": str(shot.passers_by),
            "apart": [{"at": str(at), "do": str(wish)} for at, wish in apart],
        },
        "steady": steady_json(shot.steady),
    }


def even_out_json(even: EvenOut) -> dict[str, Any]:
    """How light is evened out, as JSON values."""
    return {
        "strength": even.strength,
        "span": str(even.span) if even.span is not None else None,
        "channels": even.channels,
    }


def even_out_from(item: dict[str, Any]) -> EvenOut:
    """The inverse. Raises PlanError if a span is out of range."""
    span = Fraction(item["span"]) if item.get("span") else None
    return EvenOut(item.get("strength", 0.0), span, item.get("channels", False))


def steady_json(steady: Steady) -> dict[str, Any]:
    """How pictures are steadied, as JSON values."""
    return {
        "mode": str(steady.mode),
        "strength": steady.strength,
        "crop": steady.crop,
        "level": steady.level,
    }


def steady_from(item: dict[str, Any]) -> Steady:
    """The inverse; as filmed, of no fields."""
    return Steady(**{**item, "mode": SteadyMode(item["mode"])}) if item else AS_FILMED


def with_corrections(shot: Shot, item: dict[str, Any]) -> Shot:
    """A shot with what an entry says is corrected. Raises PlanError if a span is out of range."""
    passers = item.get("passers_by", {})
    apart = ((Fraction(each["at"]), PassersBy(each["do"])) for each in passers.get("apart", []))
    return replace(
        shot,
        steady=steady_from(item.get("steady") or {}),
        even_out=even_out_from(item.get("even_out", {})),
        passers_by=PassersBy(passers.get("all", PassersBy.LEAVE)),
        passers_apart=tuple(sorted(apart)),
    )
