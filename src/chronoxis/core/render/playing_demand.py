"""Whether a result can be played here as it is: what it asks of the decoding of its footage."""

import numpy as np

from chronoxis.core.footage.decoding_cost import DecodingCost
from chronoxis.core.render.plan import Plan

_AT_EASE = 0.6  # of the time, what decoding may take: the rest is for making frames
_POINTING_SECONDS = 0.15  # seconds to a frame that is pointed at, above which it is waited for


def recorded_rates(plan: Plan) -> dict[str, float]:
    """Recorded frames that have to be decoded in a result second at most, by the key of footage."""
    schedule, found = plan.schedule, dict[str, float]()
    firsts = schedule.firsts
    second = max(1, round(float(schedule.rate)))
    for number, shot in enumerate(plan.project.shots):
        begin, end = plan.frames_of(number)
        shown = firsts[begin:end]
        if not len(shown):
            continue
        span = min(second, len(shown) - 1)
        passed = np.abs(shown[span:] - shown[: len(shown) - span]).max() if span else 0
        rate = float(passed) * second / max(1, span)
        found[shot.footage] = max(found.get(shot.footage, 0.0), rate)
    return found


def is_heavy(cost: DecodingCost, recorded_rate: float) -> bool:
    """Whether footage cannot be played, or pointed at, without being waited for."""
    return recorded_rate * cost.each > _AT_EASE or cost.pointing > _POINTING_SECONDS
