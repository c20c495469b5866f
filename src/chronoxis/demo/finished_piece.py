"""The demo's project: a finished piece of exactly thirty seconds."""

from dataclasses import replace
from fractions import Fraction
from pathlib import Path

from chronoxis.core.model import arranging, joining, making, nesting, pacing, sounding
from chronoxis.core.model.accent import Accent, Badge, ByJoin, Flash, Lines, Response, Streak, Stutter
from chronoxis.core.model.join import Join, Side, Surge
from chronoxis.core.model.music import Music
from chronoxis.core.model.project import Place, Project
from chronoxis.core.model.recording import Recording
from chronoxis.core.timing.frame_making import Between, EachFrame
from chronoxis.core.timing.ramps import RampShape
from chronoxis.core.timing.reckoner import Quantity
from chronoxis.demo import tower_truth, walk_truth

LENGTH = Fraction(30)

_RUSH = Fraction(20)
# Where passages of *Field from the tower* end, their speeds, and whether those are held.
_PASSAGES = (
    (Fraction(60), _RUSH, False),
    (Fraction(64), Fraction(1), True),
    (Fraction(95), _RUSH, False),
    (Fraction(98), Fraction(1, 2), True),
    (Fraction(tower_truth.SECONDS), _RUSH, False),
)
_RAMP = Fraction(4, 5)
_SIDE = Side(Fraction(1), RampShape.LATE)
_SURGE = Join(
    Surge(Fraction(60), _SIDE, _SIDE),
    (Accent(Streak(0.1), ByJoin(Response.GENTLE)), Accent(Flash(0.8), ByJoin(Response.LATE))),
)
# What is rewound: which recording, from where to where, and how fast.
_MOMENTS = ((0, 58, 70, 3), (0, 150, 180, 6), (1, 6, 18, 3))
_REWIND = (Accent(Lines()), Accent(Stutter(12.0)), Accent(Badge(blinks=False)))


def finished_piece(field: Path, walk: Path, tune: Music) -> Project:
    """Rush – real time – rush – slow lift-off – rush, a Surge into the walk, and all of it rewound.

    Fitted to its length, over music.
    """
    project = arranging.begin_with(Project(), recording_in_demo(field, tower_truth.RATE, tower_truth.SECONDS))
    for end, _, _ in _PASSAGES[:-1]:
        project = pacing.divide(project, 0, end)
    for number, (_, speed, held) in enumerate(_PASSAGES):
        place = Place(0, number)
        project = pacing.set_speed(project, [place], speed)
        project = pacing.set_held(project, [place], Quantity.SPEED, held)
        project = making.set_each_frame(project, [place], EachFrame.ONE if held else EachFrame.LONG_EXPOSURE)
    slow = [Place(0, number) for number, (_, speed, _) in enumerate(_PASSAGES) if speed < 1]
    project = making.set_between(project, slow, Between.MOTION)
    project = pacing.set_ramps(project, project.places(), length=_RAMP, shape=RampShape.SMOOTH)
    project = arranging.begin_with(project, recording_in_demo(walk, walk_truth.RATE, walk_truth.SECONDS))
    project = pacing.set_speed(project, [Place(1, 0)], Fraction(4))
    project = joining.set_join(project, [0], _SURGE)
    project = _with_rewind(project)
    project = pacing.fit_to_length(project, LENGTH)
    for balloon, name in zip(tower_truth.BALLOONS[:3], ("first lift-off", "second", "third"), strict=True):
        project = arranging.add_marker(project, project.footage[0].key, Fraction(balloon.launch), name)
    project = arranging.begin_with(project, tune)
    return sounding.set_music(project, 0, replace(project.music[0], level=-6.0))


def _with_rewind(project: Project) -> Project:
    """Three moments of the meet as one run, rewound in a second at the end."""
    first = len(project.shots)
    for number, (footage, begin, end, speed) in enumerate(_MOMENTS, first):
        project = arranging.add_shot(project, project.footage[footage].key)
        project = arranging.set_points(project, number, Fraction(begin), Fraction(end))
        project = pacing.set_speed(project, [Place(number, 0)], Fraction(speed))
    project = nesting.nest(project, range(first, first + len(_MOMENTS)), "Once more, back")
    place = Place(first, 0)
    project = pacing.set_result_length(project, place, Fraction(1))
    project = arranging.reverse(pacing.set_held(project, [place], Quantity.SPEED, True), [first])
    return joining.set_accents(project, lambda _: _REWIND, shots=[first])


def recording_in_demo(path: Path, rate: int, seconds: int) -> Recording:
    """A recording of the demo, as a project keeps it."""
    key = path.stem.lower()
    return Recording(
        key=key, path=path, stored_rate=Fraction(rate), stored_length=Fraction(seconds), counted=True
    )
