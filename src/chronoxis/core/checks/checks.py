"""All Checks of a plan: what will look or sound wrong, why, and one press that mends it."""

from collections.abc import Callable, Iterator

from chronoxis.core.checks import flashes, frames, joins, places, recorded, sounds, treatment
from chronoxis.core.checks.check import Check, Known
from chronoxis.core.render.plan import Plan

CHECKS: tuple[Callable[[Plan, Known], Iterator[Check]], ...] = (
    recorded.missing,
    recorded.dropped,
    recorded.clipping,
    frames.low_rate,
    frames.repeats,
    frames.judder,
    frames.choppy,
    frames.smeared,
    frames.strobing,
    frames.unclear,
    treatment.missing,
    treatment.ramps,
    treatment.flicker,
    treatment.passers_by,
    treatment.enlarged,
    treatment.bars,
    treatment.unfollowed,
    treatment.given_up,
    joins.surges,
    joins.light_at_cuts,
    flashes.flashes,
    sounds.silent,
    sounds.level_at_cuts,
    sounds.clipped,
    sounds.music,
    sounds.beats,
    sounds.loudness,
    places.fits_its_place,
    places.has_room,
)
"""All Checks, in the order in which they are made."""


def checks_of(plan: Plan, known: Known) -> list[Check]:
    """All findings, in the order of the result; those that were put aside among them."""
    found = [check for look in CHECKS for check in look(plan, known)]
    return sorted(found, key=lambda check: check.at)
