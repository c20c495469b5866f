"""Shots with their passages, as entries of a project file."""

from dataclasses import astuple
from fractions import Fraction
from typing import Any

from chronoxis.core.files.entry_places import each_from, one_from
from chronoxis.core.files.frame_entries import correction_json, making_from, making_json, with_corrections
from chronoxis.core.files.join_entries import accent_from, accents_json, join_from, join_json
from chronoxis.core.files.pace_entries import ramp_from, ramp_json
from chronoxis.core.files.sound_entries import (
    effect_from,
    effect_json,
    passage_sound_from,
    passage_sound_json,
)
from chronoxis.core.model.framing import Easing, Fit, Framing, FramingStep, View
from chronoxis.core.model.project import Passage, Shot
from chronoxis.core.timing.ramps import ABRUPT
from chronoxis.core.timing.reckoner import Quantity


def shot_json(shot: Shot) -> dict[str, Any]:
    """A shot as JSON values."""
    return {
        "footage": shot.footage,
        "in": str(shot.in_point),
        "backwards": shot.backwards,
        "framing": framing_json(shot.framing),
        **correction_json(shot),
        "join": join_json(shot.join),
        "accents": accents_json(shot.accents),
        "passages": [_passage_json(passage) for passage in shot.passages],
    }


def shot_from(item: dict[str, Any]) -> Shot:
    """A shot. Raises PlanError if a value is out of range."""
    passages = each_from(item, "passages", _passage)
    framing = _framing(item["framing"]) if "framing" in item else Framing()
    backwards = item.get("backwards", False)
    shot = Shot(
        item["footage"],
        Fraction(item["in"]),
        passages,
        backwards,
        framing,
        join=one_from(item, "join", join_from),
        accents=each_from(item, "accents", accent_from),
    )
    return with_corrections(shot, item)


def framing_json(framing: Framing) -> dict[str, Any]:
    """A framing as JSON values."""
    return {
        "fit": str(framing.fit),
        "easing": str(framing.easing),
        "steps": [
            {
                "at": str(step.at),
                "view": [str(side) for side in astuple(step.view)],
            }
            for step in framing.steps
        ],
    }


def _framing(item: dict[str, Any]) -> Framing:
    steps = (FramingStep(Fraction(s["at"]), View(*map(Fraction, s["view"]))) for s in item["steps"])
    return Framing(tuple(steps), Fit(item["fit"]), Easing(item["easing"]))


def _passage_json(passage: Passage) -> dict[str, Any]:
    return {
        "recorded": str(passage.recorded_length),
        "speed": str(passage.speed),
        "ramp": ramp_json(passage.ramp),
        "making": making_json(passage.making),
        "held": sorted(passage.held),
        "sound": passage_sound_json(passage.sound),
        "effect": effect_json(passage.effect) if passage.effect else None,
        "accents": accents_json(passage.accents),
    }


def _passage(item: dict[str, Any]) -> Passage:
    ramp = item.get("ramp")
    return Passage(
        recorded_length=Fraction(item["recorded"]),
        speed=Fraction(item["speed"]),
        ramp=ramp_from(ramp) if ramp else ABRUPT,
        making=one_from(item, "making", making_from),
        held=frozenset(Quantity(name) for name in item.get("held", [])),
        sound=one_from(item, "sound", passage_sound_from),
        effect=one_from(item, "effect", effect_from) if item.get("effect") else None,
        accents=each_from(item, "accents", accent_from),
    )
