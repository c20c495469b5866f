"""The demo's project: a finished piece of exactly thirty seconds."""

from dataclasses import replace
from fractions import Fraction
from pathlib import Path

from chronoxis.core.model import arranging, making, pacing, sounding
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


def finished_piece(field: Path, walk: Path, tune: Music) -> Project:
    """Rush – real time – rush – slow lift-off – rush, then the walk; fitted to its length, over music."""
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
    project = pacing.fit_to_length(project, LENGTH)
    for balloon, name in zip(tower_truth.BALLOONS[:3], ("first lift-off", "second", "third"), strict=True):
        project = arranging.add_marker(project, project.footage[0].key, Fraction(balloon.launch), name)
    project = arranging.begin_with(project, tune)
    return sounding.set_music(project, 0, replace(project.music[0], level=-6.0))


def recording_in_demo(path: Path, rate: int, seconds: int) -> Recording:
    key = path.stem.lower()
    """A recording of the demo, as a project keeps it."""
    return Recording(
        key=key, path=path, stored_rate=Fraction(rate), stored_length=Fraction(seconds), counted=True
    )
