"""Checks of the footage itself."""

from collections.abc import Iterator

import numpy as np

from chronoxis.core.checks.check import Check, Known, mark
from chronoxis.core.footage.absent import AbsentSource, DrawnSource
from chronoxis.core.model.playing import result_time_of
from chronoxis.core.render.plan import Plan
from chronoxis.core.timing.timecode import format_time

_DROPPED_RATIO = 1.8  # times as long as usual that a frame stands where one is missing
_VARIABLE_SHARE = 0.05  # share of frames of other lengths, from which on the rate varies by design
# Mean difference of codes of a frame that is doubled, and of those around it.
_DOUBLED_DIFFERENCE = 2e-4
_MOVING_DIFFERENCE = 2e-3
_FEWEST_DOUBLED = 3
_BLOWN_SHARE, _BLACK_SHARE = 0.04, 0.5  # share of the picture without any light and shade left


def missing(plan: Plan, known: Known) -> Iterator[Check]:
    """Footage that is not there, or another than it was."""
    told = set[str]()
    for number, shot in enumerate(plan.project.shots):
        source, footage = plan.sources[number], plan.project.footage_of(shot)
        gone = isinstance(source, AbsentSource) and not isinstance(source, DrawnSource)
        if footage.key in told or not (gone or footage.key in known.altered):
            continue
        told.add(footage.key)
        what = "is missing: shots of it are dark" if gone else "is not the file that it was"
        do = "Locate it on its card." if gone else "Its card offers to take it as it is."
        yield Check(
            "footage", f"{footage.label} {what}. {do}", float(plan.project.starts[number]), footage.key
        )


def dropped(plan: Plan, known: Known) -> Iterator[Check]:
    """Frames that the camera did not record, or recorded twice."""
    project = plan.project
    for number, shot in enumerate(project.shots):
        source, footage = plan.sources[number], project.footage_of(shot)
        if footage.is_told_by_count or footage.made_of or source.originals.numbers is not None:
            continue
        edges = plan.edges[number]
        first, stop = np.searchsorted(edges, shot.span).tolist()
        lasting = np.diff(edges[first : stop + 1])
        if len(lasting) < 3:
            continue
        usual = float(np.median(lasting))
        odd = np.abs(lasting - usual) > 0.25 * usual
        gaps = np.flatnonzero(lasting > _DROPPED_RATIO * usual)
        if len(gaps) and float(odd.mean()) < _VARIABLE_SHARE:
            lost = int(np.rint(lasting[gaps] / usual - 1).sum())
            yield _recorded(
                plan, number, first + int(gaps[0]), "dropped", f"lacks {lost} frame{'s' * (lost > 1)}"
            )
        trace = known.pictures.get(shot.footage)
        if trace is not None and trace.known[first:stop].all() and stop - first > 4:
            motion = trace.motion[first:stop]
            around = np.minimum(motion[:-2], motion[2:])
            twice = np.flatnonzero((motion[1:-1] < _DOUBLED_DIFFERENCE) & (around > _MOVING_DIFFERENCE)) + 1
            if len(twice) >= _FEWEST_DOUBLED:
                said = f"has {len(twice)} frames twice"
                yield _recorded(plan, number, first + int(twice[0]), "doubled", said)


def _recorded(plan: Plan, number: int, frame: int, kind: str, said: str) -> Check:
    project = plan.project
    at = result_time_of(project, number, float(plan.edges[number][frame]))
    return Check(
        kind,
        f"The recording of shot {number + 1} {said}, first at {format_time(at, 1)}: motion jerks there. A "
        "higher speed or a long exposure hides it.",
        at,
        mark(plan.project, number),
    )


def clipping(plan: Plan, known: Known) -> Iterator[Check]:
    """Light that was recorded too bright or too dark to hold anything."""
    for number, seen in known.glances.items():
        if number >= len(plan.project.shots):
            continue
        at = float(plan.project.starts[number])
        if seen.blown >= _BLOWN_SHARE:
            yield Check(
                "overexposed",
                f"{seen.blown:.0%} of shot {number + 1} was recorded as bare white: nothing can be had of it "
                "again. Crop it away, or take another shot.",
                at,
                mark(plan.project, number),
            )
        if seen.black >= _BLACK_SHARE:
            yield Check(
                "underexposed",
                f"{seen.black:.0%} of shot {number + 1} was recorded as bare black. A long exposure has less "
                "noise, but no more light.",
                at,
                mark(plan.project, number),
            )
