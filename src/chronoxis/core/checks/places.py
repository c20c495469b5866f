"""Checks of where a result goes: what the place takes, and what room there is for the file."""

from collections.abc import Iterator
from dataclasses import replace
from fractions import Fraction

from chronoxis.core.checks.check import Check, Edit, Known
from chronoxis.core.model import arranging, composing, pacing
from chronoxis.core.model.project import Project
from chronoxis.core.render.plan import Plan
from chronoxis.core.timing.rates import format_rate
from chronoxis.core.timing.timecode import format_time

_SHAPE_TOLERANCE = 0.01  # share by which shapes may differ
_USUAL_RATES = (Fraction(60), Fraction(50), Fraction(30), Fraction(25), Fraction(24))
_SPARE_SHARE = 0.05  # share of a file that may come out larger than expected


def fits_its_place(plan: Plan, known: Known) -> Iterator[Check]:
    """A result that its place does not take: too long, of another shape, or too fast."""
    limits, length = known.limits, plan.schedule.length
    if limits is None:
        return
    if limits.longest is not None and length > limits.longest:
        yield Check(
            "too long",
            f"{limits.name.capitalize()} takes {format_time(limits.longest, 0)} at most; the result lasts "
            f"{format_time(length, 1)}.",
            float(limits.longest),
            "",
            f"Fit to {format_time(limits.longest, 0)}",
            _fitted(limits.longest),
        )
    width, height = plan.size
    if limits.shape is not None and abs(Fraction(width, height) / limits.shape - 1) > _SHAPE_TOLERANCE:
        shape = f"{limits.shape.numerator}:{limits.shape.denominator}"
        yield Check(
            "shape",
            f"{limits.name.capitalize()} is {shape}; the result is {width}×{height}.",
            0.0,
            "",
            f"Crop to {shape}",
            _shaped(plan, limits.shape),
        )
    if limits.fastest is not None and plan.project.rate > limits.fastest:
        rate = next((each for each in _USUAL_RATES if each <= limits.fastest), limits.fastest)
        yield Check(
            "rate",
            f"{limits.name.capitalize()} takes {format_rate(limits.fastest)} frames a second at most; the "
            f"result has {format_rate(plan.project.rate)}.",
            0.0,
            "",
            f"Take {format_rate(rate)} fps",
            lambda project: arranging.set_rate(project, rate),
        )


def has_room(plan: Plan, known: Known) -> Iterator[Check]:
    """A file that is too large, for its place or for the disk."""
    expected, limits = known.expected, known.limits
    if expected is None:
        return
    if limits is not None and limits.largest is not None and expected > limits.largest:
        can = bool(plan.settings.format.most_options) and plan.settings.bitrate is None
        yield Check(
            "too large",
            f"{limits.name.capitalize()} takes {limits.largest / 1e6:g} MB at most; about "
            f"{expected / 1e6:.0f} MB are "
            "expected." + ("" if can else " A lower quality, or a smaller size, makes it smaller."),
            0.0,
            "",
            f"Hold it to {limits.largest / 1e6:g} MB" if can else "",
            _held(limits.largest) if can else None,
        )
    if known.free is not None and expected * (1 + _SPARE_SHARE) > known.free:
        yield Check(
            "room",
            f"About {expected / 1e6:,.0f} MB are expected, and the disk has {known.free / 1e6:,.0f} MB left. "
            "Free some, or write it elsewhere.",
            0.0,
        )


def _fitted(length: Fraction) -> Edit:
    return lambda project: pacing.fit_to_length(project, length)


def _shaped(plan: Plan, shape: Fraction) -> Edit:
    sizes = {number: picture.size for number, picture in enumerate(plan.pictures)}
    return lambda project: composing.shape_shots(project, sizes, shape)


def _held(largest: int) -> Edit:
    def edit(project: Project) -> Project:
        return arranging.set_settings(project, replace(project.settings, at_most=largest))

    return edit
