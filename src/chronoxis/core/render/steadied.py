"""What the camera's path changes in a shot: moves of its recorded frames, and what frames are lined up by."""

from collections.abc import Mapping
from dataclasses import dataclass, replace
from functools import lru_cache

import numpy as np
import numpy.typing as npt

from chronoxis.core.footage.source import Source
from chronoxis.core.model.footage import Footage
from chronoxis.core.model.project import Project, Shot
from chronoxis.core.model.steady import Steady, SteadyMode
from chronoxis.core.picture.steadying import SteadyWarp
from chronoxis.core.timing.pace import Seconds
from chronoxis.core.timing.schedule import Schedule
from chronoxis.core.traces.camera_path import CameraPath, Span
from chronoxis.core.traces.steady_course import Shown, SteadyCourse, camera_shake, steady_course

_LEVER_SHARE = 0.3  # of the width: how far from the middle turning and growing move a picture on the whole
# Recorded seconds beyond a shot's points that are followed, so that its ends are smoothed alike.
_MARGIN = 1.5


@dataclass(frozen=True, eq=False)
class Steadied:
    """How a shot is steadied.

    Attributes:
        course: what it does to frames; of frames as they were recorded.
        numbers: of each frame of the source, which of these it shows; None where they are the same.
    """

    course: SteadyCourse
    numbers: npt.NDArray[np.int64] | None

    def warp(self, source: Source) -> SteadyWarp:
        """The correction of the source's frames."""
        course, picture = self.course, source.facts.picture
        if self.numbers is None:
            return SteadyWarp(course.first, course.moves, course.crop, picture, course.bend)
        places = np.clip(self.numbers - course.first, 0, len(course.moves) - 1)
        return SteadyWarp(0, course.moves[places], course.crop, picture, course.bend)


@dataclass(frozen=True, eq=False)
class KnownShake:
    """What is known of how a shot's pictures sway.

    Attributes:
        path: followed through all of the span.
        span: frames as they were recorded.
        wish: how it should be steadied, or by what its frames are lined up.
        rate: recorded frames per result second, at a usual speed of the shot.
        aspect: height of the picture by its width.
        numbers: as in `Steadied`.
    """

    path: CameraPath
    span: Span
    wish: Steady
    rate: float
    aspect: float
    numbers: npt.NDArray[np.int64] | None

    @property
    def sway(self) -> tuple[npt.NDArray[np.float64], int]:
        """How far the picture of each frame of the source is off the smooth way, and the first such frame."""
        sway = _sway(self.path, self.span, self.wish, self.rate) * np.array(
            [1.0, 1.0, _LEVER_SHARE, _LEVER_SHARE]
        )
        if self.numbers is None:
            return sway, self.span[0]
        return sway[np.clip(self.numbers - self.span[0], 0, len(sway) - 1)], 0

    def steadied(self, schedule: Schedule, number: int, edges: Seconds) -> Steadied:
        """How it is steadied, with what a schedule shows of it as the shot of that number.

        ``edges`` are recorded seconds when the frames of its source are on display.
        """
        rows = np.flatnonzero(schedule.shots == number)
        offsets = schedule.offsets[rows[0] : rows[-1] + 2] if len(rows) else np.zeros(1, np.int64)
        middles = schedule.frames[(offsets[:-1] + offsets[1:] - 1) // 2]
        used = np.unique(schedule.frames[offsets[0] : offsets[-1]])
        times = (schedule.opened[rows] + schedule.closed[rows]) / 2 - schedule.moved[rows]
        even = np.interp(times, edges, np.arange(len(edges)))
        if self.numbers is not None:
            middles, used = self.numbers[middles], np.unique(self.numbers[used])
            even = np.interp(even, np.arange(len(self.numbers)), self.numbers)
        first, stop = self.span
        middles, used = (np.clip(np.sort(part), first, stop - 1) for part in (middles, used))
        even = np.clip(np.sort(even), first, stop - 1)
        shown = _Hashed(Shown(middles, even, used, float(schedule.rate)))
        course = _course(self.path, self.span, self.wish, self.rate, shown, self.aspect)
        return Steadied(course, self.numbers)


def span_of(shot: Shot, footage: Footage, source: Source) -> Span:
    """The frames as recorded that have to be followed for a shot."""
    low, high = shot.span
    scale = float(footage.scale)
    first = source.frame_at(max(0.0, low / scale - _MARGIN))
    last = source.frame_at(high / scale + _MARGIN)
    shown = source.originals.recorded(np.arange(first, last + 1))
    return int(shown.min()), int(shown.max()) + 1


def swaying(shot: Shot, footage: Footage, source: Source, path: CameraPath | None) -> KnownShake | None:
    """How a shot sways; None if that is not asked, or the camera was not followed through all of it yet."""
    if not shot.reads_camera or path is None:
        return None
    span = span_of(shot, footage, source)
    if path.lacks([span]):
        return None
    wish = shot.steady if shot.steady.is_on else replace(shot.steady, mode=SteadyMode.SMOOTH)
    picture = source.facts.picture
    rate = round(float(footage.rate * shot.recorded_length / shot.pace.result_length), 3)
    return KnownShake(path, span, wish, rate, picture.height / picture.width, source.originals.numbers)


@lru_cache(maxsize=16)
def _sway(path: CameraPath, span: Span, wish: Steady, rate: float) -> npt.NDArray[np.float64]:
    return camera_shake(path, span, wish, rate)


@lru_cache(maxsize=32)
def _course(
    path: CameraPath, span: Span, wish: Steady, rate: float, shown: "_Hashed", aspect: float
) -> SteadyCourse:
    sway = _sway(path, span, wish, rate)
    return steady_course(path, span, wish, sway, shown.shown, aspect)


class _Hashed:
    """What is shown, as a key."""

    def __init__(self, shown: Shown) -> None:
        self.shown = shown
        parts = (part.tobytes() for part in (shown.frames, shown.even, shown.used))
        self._key = (*parts, shown.rate)

    def __hash__(self) -> int:
        return hash(self._key)

    def __eq__(self, other: object) -> bool:
        return isinstance(other, _Hashed) and self._key == other._key


def unfollowed(project: Project, sources: Mapping[str, Source], paths: Mapping[str, CameraPath]) -> list[str]:
    """Keys of footage whose camera has to be followed before all choices take effect."""
    wished = spans_to_follow(project, sources)
    return [key for key, spans in wished.items() if key not in paths or paths[key].lacks(spans)]


def spans_to_follow(project: Project, sources: Mapping[str, Source]) -> dict[str, list[Span]]:
    """The frames through which the camera has to be followed for all that is steadied or lined up, by key.

    Inside nested runs as well.
    """
    found: dict[str, list[Span]] = {}
    for shot in camera_readers(project):
        source = sources.get(shot.footage)
        if source is not None and source.files and source.has_pictures:
            found.setdefault(shot.footage, []).append(span_of(shot, project.footage_of(shot), source))
    return found


def camera_readers(project: Project) -> list[Shot]:
    """The shots whose frames the camera's path changes, those inside nested runs among them."""
    inner = (shot for key in project.needed for shot in project.footage_named(key).inner_shots)
    return [shot for shot in (*project.shots, *inner) if shot.reads_camera]
