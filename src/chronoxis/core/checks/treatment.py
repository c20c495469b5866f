"""Checks of how the pictures of shots are treated: steadied, framed, evened out, cleared."""

from collections.abc import Iterator
from dataclasses import replace
from fractions import Fraction

import numpy as np

from chronoxis.core.checks.check import Check, Edit, Known, mark
from chronoxis.core.model import correcting
from chronoxis.core.model.composing import set_framings
from chronoxis.core.model.even_out import EvenOut
from chronoxis.core.model.framing import Fit
from chronoxis.core.model.missing_additions import missing_additions
from chronoxis.core.model.playing import result_time_of
from chronoxis.core.model.project import Place, Project
from chronoxis.core.model.steady import Steady
from chronoxis.core.picture.views import enlargement
from chronoxis.core.render.corrections import moment_of
from chronoxis.core.render.plan import Plan
from chronoxis.core.timing.frame_making import PassersBy
from chronoxis.core.timing.timecode import format_time

_SOFT_ENLARGEMENT = 1.3  # times that pixels are enlarged, from which on it is seen
_GIVEN_UP = 0.2  # share of the sides from which on it is missed
_MENDED_CROP = 0.1
_SEEN_FLICKER = 0.02  # of light from frame to frame, beside what changes slowly
_MENDED_EVEN = 0.7
_FEWEST_FRAMES = 12  # frames of which flicker can be told
_RAMP_SHARE = 0.98  # of a ramp's wish, above which nobody misses the rest


def missing(plan: Plan, _known: Known) -> Iterator[Check]:
    """Ways and accents from packages that are not installed."""
    for key in missing_additions(plan.project):
        yield Check(
            "extension missing",
            f"{key} comes from a package that is not installed: one frame stands for a way, and an accent "
            "shows nothing, until it is.",
            0.0,
            key,
        )


def unfollowed(plan: Plan, _known: Known) -> Iterator[Check]:
    """Frames that steadying leaves as filmed."""
    for shot, share, number in plan.unsteadied:
        at = number / float(plan.project.rate)
        yield Check(
            "camera not followed",
            f"From {format_time(at, 1)} on, the camera cannot be followed in {max(share, 0.01):.0%} of shot "
            f"{shot + 1}: there it stays as filmed.",
            at,
            mark(plan.project, shot),
        )


def given_up(plan: Plan, _known: Known) -> Iterator[Check]:
    """Steadying that takes much of the picture."""
    for number, course in enumerate(plan.steadied):
        shot = plan.project.shots[number]
        if course is None or not shot.steady.is_on or course.crop < _GIVEN_UP:
            continue
        at = float(plan.project.starts[number])
        yield Check(
            "picture given up",
            f"Steadying gives up {course.crop:.0%} of the picture's sides in shot {number + 1}.",
            at,
            mark(plan.project, number),
            f"Give up {_MENDED_CROP:.0%} at most",
            _steadied(number, replace(shot.steady, crop=_MENDED_CROP)),
        )


def _steadied(number: int, wish: Steady) -> Edit:
    return lambda project: correcting.set_steady(project, [number], wish)


def enlarged(plan: Plan, _known: Known) -> Iterator[Check]:
    """Pixels that are enlarged so far that it is seen."""
    for number, (views, picture) in enumerate(zip(plan.views, plan.pictures, strict=True)):
        times = enlargement(views, picture, plan.stored[0])
        if times >= _SOFT_ENLARGEMENT:
            yield Check(
                "enlarged",
                f"The pixels of shot {number + 1} are enlarged {times:.2g} times: it looks soft. Show more "
                "of the picture, or export a smaller size.",
                float(plan.project.starts[number]),
                mark(plan.project, number),
            )


def bars(plan: Plan, _known: Known) -> Iterator[Check]:
    """Some shots between bars, and others not."""
    project, (width, height) = plan.project, plan.size
    others = [
        number
        for number, picture in enumerate(plan.pictures)
        if abs(picture.width * height - picture.height * width) > max(width, height)
        and project.shots[number].framing.fit is Fit.BARS
        and not project.shots[number].framing.steps
    ]
    if others and len(others) < len(project.shots):
        number = others[0]
        named = ", ".join(str(each + 1) for each in others)
        yield Check(
            "bars",
            f"Shot{'s' * (len(others) > 1)} {named} stand{'s' * (len(others) == 1)} between bars, the others "
            "fill the picture.",
            float(project.starts[number]),
            "",
            "Fill it",
            lambda p: set_framings(
                p, {each: replace(p.shots[each].framing, fit=Fit.FILL) for each in others}
            ),
        )


def flicker(plan: Plan, known: Known) -> Iterator[Check]:
    """Light that changes from recorded frame to frame and is left so."""
    for number, shot in enumerate(plan.project.shots):
        trace = known.pictures.get(shot.footage)
        if trace is None or shot.even_out.strength:
            continue
        frames = _recorded(plan, number)
        frames = frames[trace.known[frames]]
        if len(frames) < _FEWEST_FRAMES:
            continue
        light = np.cumsum(trace.steps.mean(axis=1))[frames]
        bends = light[2:] - 2 * light[1:-1] + light[:-2]
        # A second difference of light that flickers at random has six times its variance.
        much = float(np.median(np.abs(bends))) / 0.6745 / np.sqrt(6)
        much /= np.sqrt(_gathered(plan, number))
        if much >= _SEEN_FLICKER:
            yield Check(
                "flicker",
                f"The light of shot {number + 1} flickers by {much:.0%} from frame to frame.",
                float(plan.project.starts[number]),
                mark(plan.project, number),
                "Even it out",
                _evened(number),
            )


def _recorded(plan: Plan, shot: int) -> np.typing.NDArray[np.int64]:
    """The recorded frames, or photos, that a shot's result frames begin with, in their order."""
    first, stop = plan.frames_of(shot)
    return np.unique(plan.sources[shot].originals.recorded(plan.schedule.firsts[first:stop]))


def _gathered(plan: Plan, shot: int) -> float:
    """Recorded frames in a result frame of a shot, on average: their flicker is averaged as well."""
    first, stop = plan.frames_of(shot)
    return float(plan.schedule.offsets[stop] - plan.schedule.offsets[first]) / max(stop - first, 1)


def _evened(number: int) -> Edit:
    return lambda project: correcting.set_even_out(project, [number], EvenOut(_MENDED_EVEN))


def passers_by(plan: Plan, known: Known) -> Iterator[Check]:
    """Somebody who crosses near the lens, and is left in."""
    project = plan.project
    for number, shot in enumerate(project.shots):
        trace, source = known.pictures.get(shot.footage), plan.sources[number]
        if trace is None:
            continue
        footage, (low, high) = project.footage_of(shot), shot.span
        moments = [moment_of(footage, source, *span) for span in trace.passers.tolist()]
        left = [
            (begin, end)
            for begin, end in moments
            if begin < high and end > low and shot.handles_passer_by(begin, end) is PassersBy.LEAVE
        ]
        if not left:
            continue
        seen = result_time_of(project, number, max(left[0][0], low))
        often = f"{len(left)} times" if len(left) > 1 else "once"
        yield Check(
            "passers-by",
            f"Somebody crosses near the lens {often} in shot {number + 1}, at {format_time(seen, 1)} first, "
            "and is left in.",
            seen,
            mark(plan.project, number),
            "Clear them away",
            _cleared(number),
        )


def _cleared(number: int) -> Edit:
    return lambda project: correcting.set_passers_by(project, [number], PassersBy.CLEAR)


def ramps(plan: Plan, _known: Known) -> Iterator[Check]:
    """Ramps that their passages are too short for."""
    project = plan.project
    for number, shot in enumerate(project.shots):
        for passage in shot.shortened:
            has, wished = float(shot.pace.ramp_lengths[passage]), float(shot.passages[passage].ramp.length)
            if has >= wished * _RAMP_SHARE:
                continue
            at = float(project.starts[number]) + float(shot.pace.joints[passage + 1])
            place = Place(number, passage)
            yield Check(
                "ramp shortened",
                f"The ramp at {format_time(at, 1)} lasts {has:.2g} s, not {wished:.2g} s: its passages are "
                "too short. Make them longer or slower.",
                at,
                mark(project, number, passage),
                "Leave it so",
                _ramped(place, has),
            )


def _ramped(place: Place, seconds: float) -> Edit:
    def edit(project: Project) -> Project:
        passage = project.passage(place)
        ramp = replace(passage.ramp, length=Fraction(seconds).limit_denominator(1000))
        return project.with_passage(place, replace(passage, ramp=ramp))

    return edit
