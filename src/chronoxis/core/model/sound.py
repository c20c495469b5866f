"""What is decided about sound: how recorded sound follows the pace, music, effects, and the mix of all."""

from dataclasses import dataclass, replace
from enum import StrEnum
from fractions import Fraction

from chronoxis.core.errors import PlanError
from chronoxis.core.timing.exact import parse_exact, shortened

MIN_LEVEL = -60.0
MAX_LEVEL = 24.0
LOUDNESS_RANGE = (-40.0, -6.0)


class Manner(StrEnum):
    """How recorded sound plays at speeds other than its own.

    Held keeps its pitch; follows rises and falls with the speed, as tape does.
    """

    HELD = "held"
    FOLLOWS = "follows"
    SILENT = "silent"

    def can_play(self, speed: Fraction | float) -> bool:
        """Whether sound of so many seconds per result second can be told for what it is."""
        slowest, fastest = self.audible
        return bool(slowest <= speed <= fastest)

    @property
    def audible(self) -> tuple[Fraction, Fraction]:
        """Between which speeds of its own clock it is heard; the lower one above, if it never is."""
        return _AUDIBLE[self]


_AUDIBLE = {
    Manner.HELD: (Fraction(1, 8), Fraction(16)),
    Manner.FOLLOWS: (Fraction(1, 32), Fraction(32)),
    Manner.SILENT: (Fraction(1), Fraction(0)),
}


@dataclass(frozen=True)
class PassageSound:
    """The recorded sound of a passage.

    Attributes:
        manner: how it follows the speed.
        level: dB.
        fade_in: result seconds at its beginning.
        fade_out: result seconds at its end.

    Raises PlanError for a level or a fade out of range.
    """

    manner: Manner = Manner.HELD
    level: float = 0.0
    fade_in: Fraction = Fraction(0)
    fade_out: Fraction = Fraction(0)

    def __post_init__(self) -> None:
        checked_level(self.level)
        if self.fade_in < 0 or self.fade_out < 0:
            raise PlanError("A fade lasts 0 s or longer.")

    def divided(self) -> "tuple[PassageSound, PassageSound]":
        """That of the two parts of a passage: each keeps the fade at its outer end."""
        return replace(self, fade_out=Fraction(0)), replace(self, fade_in=Fraction(0))

    def reversed(self) -> "PassageSound":
        """That of a passage that plays the other way."""
        return replace(self, fade_in=self.fade_out, fade_out=self.fade_in)


class EffectKind(StrEnum):
    """The effects that the program synthesises.

    Rush and burner follow ramps, whirr follows fast and reversed stretches, tick stands on pulses.
    """

    RUSH = "rush"
    BURNER = "burner"
    WHIRR = "whirr"
    TICK = "tick"

    @property
    def follows_ramps(self) -> bool:
        """Whether it climbs and falls with a ramp."""
        return self in (EffectKind.RUSH, EffectKind.BURNER)


@dataclass(frozen=True)
class Effect:
    """A sound made by the program.

    Attributes:
        kind: which.
        level: dB.
        colour: from dark, 0, to bright, 1.

    Raises PlanError for a number out of range.
    """

    kind: EffectKind
    level: float = -12.0
    colour: float = 0.5

    def __post_init__(self) -> None:
        checked_level(self.level)
        if not 0 <= self.colour <= 1:
            raise PlanError("The colour of an effect lies between 0 and 1.")


@dataclass(frozen=True)
class EffectRule:
    """An effect wherever the speed asks for it.

    Attributes:
        effect: which.
        above: of ramps, the speed that they reach at least; of stretches, their speed.
    """

    effect: Effect
    above: Fraction = Fraction(4)


@dataclass(frozen=True)
class Mix:
    """How all sound of a result goes together.

    Attributes:
        silent_above: the speed above which recorded sound is silent.
        loudness: LUFS that the whole is brought to; None leaves it.
        rules: effects that follow the speed, at most one of each kind.

    Raises PlanError for a loudness out of range.
    """

    silent_above: Fraction = Fraction(4)
    loudness: float | None = None
    rules: tuple[EffectRule, ...] = ()

    def __post_init__(self) -> None:
        low, high = LOUDNESS_RANGE
        if self.loudness is not None and not low <= self.loudness <= high:
            raise PlanError(f"A loudness lies between {low:g} and {high:g} LUFS.")

    def rule(self, kind: EffectKind) -> EffectRule | None:
        """The rule of an effect, if there is one."""
        return next((rule for rule in self.rules if rule.effect.kind is kind), None)

    def with_rule(self, kind: EffectKind, rule: EffectRule | None) -> "Mix":
        """The mix with another rule of an effect, or none."""
        kept = tuple(each for each in self.rules if each.effect.kind is not kind)
        rules = sorted(
            (*kept, rule) if rule else kept, key=lambda each: list(EffectKind).index(each.effect.kind)
        )
        return Mix(self.silent_above, self.loudness, tuple(rules))


def checked_level(level: float) -> float:
    """A level in dB. Raises PlanError if it is out of range."""
    if not MIN_LEVEL <= level <= MAX_LEVEL:
        raise PlanError(f"A level lies between {MIN_LEVEL:g} and +{MAX_LEVEL:g} dB.")
    return level


def parse_level(text: str) -> float:
    """Read ``-6``, ``+3`` or ``-6 dB``. Raises PlanError if it is no level or out of range."""
    return checked_level(_decibels(text, "a level; write -6 or -6 dB"))


def parse_loudness(text: str) -> float:
    """Read ``-14`` or ``-14 LUFS``. Raises PlanError if it is no loudness or out of range."""
    return Mix(loudness=_decibels(text, "a loudness; write -14")).loudness or 0.0


def _decibels(text: str, what: str) -> float:
    cleaned = text.strip().lower().replace("−", "-").replace(",", ".")
    try:
        return float(parse_exact(cleaned.removesuffix("lufs").removesuffix("db").strip()))
    except (ValueError, ZeroDivisionError, OverflowError):
        raise PlanError(f"“{shortened(text)}” is not {what}.") from None
