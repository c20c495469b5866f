"""The one question about the pace that a preset leaves open."""

from collections.abc import Callable
from dataclasses import dataclass, replace
from fractions import Fraction

from chronoxis.core.model.lull_acts import Hurry
from chronoxis.core.model.preset import AtSpeed, EveryNth, Preset, ThroughLulls, ToLength
from chronoxis.core.timing.rates import format_rate, parse_rate
from chronoxis.core.timing.speed import format_speed, parse_speed
from chronoxis.core.timing.timecode import format_time, parse_time

_USUAL_LENGTHS = (1, 2, 3, 5, 10, 15, 20, 30, 45, 60, 90, 120, 180, 300)  # result seconds that people ask for
_LEAST_CONDENSED = 4  # recorded seconds in one of the result, below which nobody would speak of a time-lapse

LEAVE_OUT = "leave them out"
"""The answer that cuts Lulls."""


@dataclass(frozen=True)
class PaceQuestion:
    """What is asked.

    Attributes:
        text: the question.
        usual: answers that are offered, in words; the preset's own among them.
        present: the preset's own answer.
        answered: gives the preset with another answer, in words. Raises PlanError for one that is none.
    """

    text: str
    usual: tuple[str, ...]
    present: str
    answered: Callable[[str], Preset]


def suited(preset: Preset, recorded: Fraction) -> Preset:
    """A preset whose length condenses so many recorded seconds at all."""
    if not isinstance(preset.pace, ToLength) or recorded >= _LEAST_CONDENSED * preset.pace.length:
        return preset
    fitting = [seconds for seconds in _USUAL_LENGTHS if _LEAST_CONDENSED * seconds <= recorded]
    return replace(preset, pace=ToLength(Fraction(max(fitting, default=_USUAL_LENGTHS[0]))))


def pace_question(preset: Preset, recorded: Fraction) -> PaceQuestion | None:
    """What a preset leaves open of the pace of so many recorded seconds; perhaps nothing."""
    match preset.pace:
        case ToLength(length):
            shorter = [Fraction(seconds) for seconds in _USUAL_LENGTHS if seconds < length]
            longer = [Fraction(seconds) for seconds in _USUAL_LENGTHS if length < seconds < recorded]
            return _question(
                "How long should it last?",
                [*shorter[-2:], *longer[:2]],
                length,
                lambda seconds: format_time(seconds, 0 if seconds.denominator == 1 else 1),
                lambda text: replace(preset, pace=ToLength(parse_time(text))),
            )
        case AtSpeed(speed):
            return _question(
                "How fast should it run?",
                [Fraction(speed) for speed in (4, 8, 16, 32)],
                speed,
                format_speed,
                lambda text: replace(preset, pace=AtSpeed(parse_speed(text))),
            )
        case EveryNth():
            rate = preset.rate or Fraction(24)
            return _question(
                "How many photos a second?",
                [Fraction(rate) for rate in (12, 24, 25, 30)],
                rate,
                format_rate,
                lambda text: replace(preset, rate=parse_rate(text)),
            )
        case ThroughLulls() as pace:
            return _lulls_question(preset, pace)
    return None


def _lulls_question(preset: Preset, pace: ThroughLulls) -> PaceQuestion:
    usual = pace.hurry or Hurry(Fraction(8))

    def answered(text: str) -> Preset:
        if text == LEAVE_OUT:
            return replace(preset, pace=replace(pace, hurry=None, length=None))
        hurry = replace(usual, speed=parse_speed(text))
        return replace(preset, pace=replace(pace, hurry=hurry, length=None))

    asked = _question(
        "How fast where nothing happens?",
        [Fraction(speed) for speed in (4, 8, 16)],
        usual.speed,
        format_speed,
        answered,
    )
    return replace(asked, usual=(*asked.usual, LEAVE_OUT), present=asked.present if pace.hurry else LEAVE_OUT)


def _question(
    text: str,
    usual: list[Fraction],
    present: Fraction,
    in_words: Callable[[Fraction], str],
    answered: Callable[[str], Preset],
) -> PaceQuestion:
    offered = sorted({*usual, present})
    return PaceQuestion(text, tuple(map(in_words, offered)), in_words(present), answered)
