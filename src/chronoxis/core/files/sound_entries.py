"""What is decided about sound as it stands in project files."""

from fractions import Fraction
from typing import Any

from chronoxis.core.model.music import MusicPiece
from chronoxis.core.model.sound import Effect, EffectKind, EffectRule, Manner, Mix, PassageSound

Item = dict[str, Any]


def passage_sound_json(sound: PassageSound) -> Item:
    """The sound of a passage as JSON values."""
    return {
        "manner": str(sound.manner),
        "level": sound.level,
        "fade_in": str(sound.fade_in),
        "fade_out": str(sound.fade_out),
    }


def passage_sound_from(item: Item) -> PassageSound:
    """The inverse. Raises PlanError for a value out of range."""
    return PassageSound(
        Manner(item.get("manner", Manner.HELD)),
        float(item.get("level", 0.0)),
        Fraction(item.get("fade_in", 0)),
        Fraction(item.get("fade_out", 0)),
    )


def effect_json(effect: Effect) -> Item:
    """An effect as JSON values."""
    return {"kind": str(effect.kind), "level": effect.level, "colour": effect.colour}


def effect_from(item: Item) -> Effect:
    """The inverse. Raises PlanError for a value out of range."""
    return Effect(EffectKind(item["kind"]), float(item["level"]), float(item["colour"]))


def piece_json(piece: MusicPiece) -> Item:
    """Music where it lies, as JSON values."""
    return {
        "footage": piece.footage,
        "at": str(piece.at),
        "in": str(piece.in_point),
        "out": None if piece.out_point is None else str(piece.out_point),
        "level": piece.level,
        "fade_in": str(piece.fade_in),
        "fade_out": str(piece.fade_out),
        "loops": piece.loops,
        "duck": piece.duck,
    }


def piece_from(item: Item) -> MusicPiece:
    """The inverse. Raises PlanError for a value out of range."""
    usual = MusicPiece(item["footage"])
    return MusicPiece(
        item["footage"],
        Fraction(item.get("at", 0)),
        Fraction(item.get("in", 0)),
        Fraction(item["out"]) if item.get("out") is not None else None,
        float(item.get("level", usual.level)),
        Fraction(item.get("fade_in", usual.fade_in)),
        Fraction(item.get("fade_out", usual.fade_out)),
        item.get("loops", usual.loops),
        float(item.get("duck", usual.duck)),
    )


def mix_json(mix: Mix) -> Item:
    """The mix as JSON values."""
    return {
        "silent_above": str(mix.silent_above),
        "loudness": mix.loudness,
        "effects": [{"effect": effect_json(rule.effect), "above": str(rule.above)} for rule in mix.rules],
    }


def mix_from(item: Item) -> Mix:
    """The inverse. Raises PlanError for a value out of range."""
    usual = Mix()
    loudness = item.get("loudness")
    return Mix(
        Fraction(item.get("silent_above", usual.silent_above)),
        None if loudness is None else float(loudness),
        tuple(
            EffectRule(effect_from(rule["effect"]), Fraction(rule["above"]))
            for rule in item.get("effects", [])
        ),
    )
