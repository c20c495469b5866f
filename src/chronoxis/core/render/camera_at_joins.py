"""What the camera does on both sides of joins: where it has to be followed for that, and what comes out."""

from collections.abc import Mapping
from dataclasses import dataclass
from fractions import Fraction

import numpy as np

from chronoxis.core.footage.source import Source
from chronoxis.core.model.footage import Footage
from chronoxis.core.model.project import Project, Shot
from chronoxis.core.traces.camera_moves import NEAR, REACH, Move, Movement, movement, whip_in
from chronoxis.core.traces.camera_path import CameraPath, Span

Paths = Mapping[str, CameraPath]
"""Camera paths of footage, by its key."""


@dataclass(frozen=True)
class JoinCamera:
    """The camera at a join, as it plays.

    Attributes:
        before: how it moves just before the cut.
        after: just after it.
        whip_before: recorded second in the footage before the cut that a whip hides best; None without one.
        whip_after: the same after it.
    """

    before: Movement
    after: Movement
    whip_before: Fraction | None = None
    whip_after: Fraction | None = None

    @property
    def are_opposed(self) -> bool:
        """Whether the camera goes one way before the cut, and back after it."""
        return self.before.move.goes_somewhere and self.after.move is self.before.move.reversed

    @property
    def direction(self) -> float | None:
        """Degrees along which things are drawn out at the cut; None where nothing was measured."""
        told = [side for side in (self.before, self.after) if side.move is not Move.UNKNOWN]
        return max(told, key=lambda side: side.speed).direction if told else None


def measured_streaks(project: Project) -> list[int]:
    """The joins that have a streak along the camera's own direction."""
    return [
        number
        for number, shot in enumerate(project.shots[:-1])
        if any(accent.look.follows_camera for accent in shot.join.accents)
    ]


def camera_at(project: Project, sources: Mapping[str, Source], paths: Paths, join: int) -> JoinCamera:
    """What the camera does at a join, as far as its paths are known."""
    sides: list[Movement] = []
    whips: list[Fraction | None] = []
    for shot, at_end in ((project.shots[join], True), (project.shots[join + 1], False)):
        footage, source, path = project.footage_of(shot), sources.get(shot.footage), paths.get(shot.footage)
        if source is None or path is None:
            sides.append(Movement(Move.UNKNOWN))
            whips.append(None)
            continue
        rate = float(footage.stored_rate)
        found = movement(path, _near(shot, footage, source, at_end=at_end), rate)
        sides.append(Movement(found.move.reversed, found.direction, found.speed) if shot.backwards else found)
        whip = whip_in(path, _around(shot, footage, source, at_end=at_end), rate)
        whips.append(None if whip is None else source.originals.source.begins(whip) * footage.scale)
    return JoinCamera(sides[0], sides[1], whips[0], whips[1])


def spans_at(project: Project, sources: Mapping[str, Source], join: int) -> dict[str, list[Span]]:
    """The recorded frames through which the camera has to be followed for a join, by key."""
    found: dict[str, list[Span]] = {}
    for shot, at_end in ((project.shots[join], True), (project.shots[join + 1], False)):
        source, footage = sources.get(shot.footage), project.footage_of(shot)
        if source is not None and source.files and source.has_pictures:
            span = _around(shot, footage, source, at_end=at_end)
            found.setdefault(shot.footage, []).append(span)
    return found


def directions_of(project: Project, sources: Mapping[str, Source], paths: Paths) -> dict[int, float]:
    """Degrees along which streaks go at joins that leave it to the camera, as far as that is known."""
    found = {join: camera_at(project, sources, paths, join).direction for join in measured_streaks(project)}
    return {join: direction for join, direction in found.items() if direction is not None}


def _near(shot: Shot, footage: Footage, source: Source, *, at_end: bool) -> Span:
    """The frames that a shot shows just before its end, or just after its beginning."""
    edge = _edge(shot, at_end=at_end)
    begin, end = (edge - NEAR, edge) if at_end != shot.backwards else (edge, edge + NEAR)
    low, high = shot.span
    return _frames(footage, source, max(begin, low), min(end, high))


def _around(shot: Shot, footage: Footage, source: Source, *, at_end: bool) -> Span:
    edge = _edge(shot, at_end=at_end)
    return _frames(footage, source, max(edge - REACH, 0.0), min(edge + REACH, float(footage.length)))


def _edge(shot: Shot, *, at_end: bool) -> float:
    low, high = shot.span
    return high if at_end != shot.backwards else low


def _frames(footage: Footage, source: Source, begin: float, end: float) -> Span:
    """Recorded frames between two recorded seconds."""
    scale = float(footage.scale)
    first, last = source.frame_at(begin / scale + 1e-6), source.frame_at(end / scale - 1e-6)
    low, high = sorted(source.originals.recorded(np.array([first, last])).tolist())
    return low, high + 1
