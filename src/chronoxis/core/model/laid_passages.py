"""From passages that were laid in result time to passages of a shot, which cover recorded time."""

from dataclasses import replace
from fractions import Fraction

from chronoxis.core.model.project import Passage, Shot
from chronoxis.core.timing.laying import Laid
from chronoxis.core.timing.ramps import ABRUPT, Ramp

_PARTS_OF_SECOND = 10**9  # parts of a second that recorded lengths and speeds are kept in


def with_laid_passages(
    shot: Shot, made: Laid, passages: list[Passage], burst: Fraction | None = None
) -> Shot:
    """The shot with passages as they were laid, as far as its footage goes; no burst is the last one."""
    left, fitted = shot.recorded_length, []
    lengths = [on_grid(value) for value in made.recorded().tolist()]
    for number, (passage, length) in enumerate(zip(passages, lengths, strict=True)):
        is_last = number + 1 == len(passages)
        ramp = ABRUPT
        if not is_last and made.ramps[number] > 0:
            ramp = Ramp(on_grid(made.ramps[number]), made.shapes[number])
        taken = left if is_last else min(length, left)
        same = abs(float(passage.speed) - made.speeds[number]) <= 1e-12 * made.speeds[number]
        speed = passage.speed if same else on_grid(made.speeds[number])
        fitted.append(replace(passage, recorded_length=taken, speed=speed, ramp=ramp))
        left -= taken
        if left <= 0:
            break
    rest = Fraction(0)
    # What is left of a passage may be too short for its ramps, and no burst may be the last one, and longer.
    while 1 < len(fitted) < len(passages) and _is_no_end(fitted, lengths, burst):
        rest += fitted.pop().recorded_length
        lengths = [*lengths[: len(fitted) - 1], Fraction(0)]
    fitted[-1] = replace(fitted[-1], recorded_length=fitted[-1].recorded_length + rest)
    fitted[-1] = replace(fitted[-1], ramp=ABRUPT)
    return replace(shot, passages=tuple(fitted))


def _is_no_end(fitted: list[Passage], lengths: list[Fraction], burst: Fraction | None) -> bool:
    """Whether the last passage is a burst, or has less than half of what it should have."""
    return fitted[-1].speed == burst or fitted[-1].recorded_length < lengths[len(fitted) - 1] / 2


def on_grid(value: float) -> Fraction:
    """In parts that all have in common, so that their sums stay exact."""
    return Fraction(round(float(value) * _PARTS_OF_SECOND), _PARTS_OF_SECOND)
