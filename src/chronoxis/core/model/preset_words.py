"""What a preset says, as a person would."""

from collections.abc import Callable
from typing import Any

from chronoxis.core.model.accent import Accent
from chronoxis.core.model.even_out import EvenOut
from chronoxis.core.model.preset import Preset
from chronoxis.core.model.settings import ResultSettings
from chronoxis.core.model.sound import Manner, Mix, PassageSound
from chronoxis.core.model.steady import Steady, SteadyMode
from chronoxis.core.timing.frame_making import ALL_RECORDED, Between, FrameMaking, PassersBy
from chronoxis.core.timing.ramps import Ramp
from chronoxis.core.timing.rates import format_rate
from chronoxis.core.timing.speed import format_speed
from chronoxis.core.timing.timecode import format_time

PART_NAMES = {
    "pace": "Speed or length",
    "ramp": "Ramps",
    "frames": "Each frame",
    "even_out": "Even out",
    "passers_by": "People near the lens",
    "steady": "Steady",
    "backwards": "Direction",
    "sound": "Recorded sound",
    "accents": "Accents",
    "mix": "Effects and mix",
    "rate": "Frame rate",
    "export": "Export",
}
"""What each part of a preset is called."""


def in_words(preset: Preset, part: str) -> str:
    """What a preset says about one of its parts."""
    return _WORDS[part](getattr(preset, part))


def frames_in_words(making: FrameMaking) -> str:
    """How frames are made: ``long exposure, open for 180°``."""
    words = [making.each.entry.label.replace("&", "").lower()]
    if making.is_open and making.shutter != ALL_RECORDED:
        words.append(f"open for {making.shutter:g}°")
    if making.window is not None:
        words.append(f"over {format_time(making.window)}")
    if making.is_filled:
        words.append(f"steps filled in ({making.fill})")
    if making.between is not Between.HOLD:
        words.append("in between blended" if making.between is Between.BLEND else "in between by motion")
    if making.line_up:
        words.append("lined up")
    return ", ".join(words)


def _even_out(even: EvenOut) -> str:
    if not even.strength:
        return "as recorded"
    span = f", over {format_time(even.span)}" if even.span is not None else ""
    return f"{even.strength:.0%}{span}{', each colour by itself' if even.channels else ''}"


def _steady(steady: Steady) -> str:
    if not steady.is_on:
        return "as filmed"
    name = "smooth" if steady.mode is SteadyMode.SMOOTH else "still"
    level = ", level" if steady.level else ""
    return f"{name}, {steady.strength:.0%}, crop up to {steady.crop:.0%}{level}"


def _sound(sound: PassageSound) -> str:
    if sound.manner is Manner.SILENT:
        return "silent"
    level = f", {sound.level:+g} dB" if sound.level else ""
    return ("pitch held" if sound.manner is Manner.HELD else "pitch follows the speed") + level


def _accents(accents: tuple[Accent, ...]) -> str:
    return ", ".join(f"{accent.look.name} {accent.strength:.0%}" for accent in accents) or "none"


def _mix(mix: Mix) -> str:
    words = [f"recorded sound silent above {format_speed(mix.silent_above)}"]
    words += [f"{rule.effect.kind} above {format_speed(rule.above)}" for rule in mix.rules]
    if mix.loudness is not None:
        words.append(f"{mix.loudness:g} LUFS")
    return ", ".join(words)


def _export(settings: ResultSettings) -> str:
    return f"{settings.format.name}, {settings.size}, {settings.quality.name.lower()}"


def _ramp(ramp: Ramp) -> str:
    return f"{format_time(ramp.length)}, {ramp.shape}" if ramp.length else "abrupt"


_PASSERS_BY = {PassersBy.LEAVE: "left", PassersBy.SKIP: "skipped", PassersBy.CLEAR: "cleared"}
_WORDS: dict[str, Callable[[Any], str]] = {
    "pace": lambda pace: pace.words,
    "ramp": _ramp,
    "frames": frames_in_words,
    "even_out": _even_out,
    "passers_by": lambda wish: _PASSERS_BY[wish],
    "steady": _steady,
    "backwards": lambda backwards: "backwards" if backwards else "forward",
    "sound": _sound,
    "accents": _accents,
    "mix": _mix,
    "rate": lambda rate: f"{format_rate(rate)} fps",
    "export": _export,
}
