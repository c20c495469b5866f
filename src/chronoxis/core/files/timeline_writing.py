"""A project's result as an OpenTimelineIO timeline, so that other programs show the very same frames.

Every clip begins and ends on a result frame. A shot becomes clips that follow one another: one for each
plateau, and as many for a ramp as it takes for each of its frames to be the one that is planned. Each has a
linear time effect whose scalar is recorded seconds per result second, negative when it plays backwards; its
source range begins at the earliest recorded time it shows and is as long as the clip lasts in the result.
Nested runs are stacks within. Recorded sound and music lie on tracks of their own.
"""

import re
from bisect import bisect_right
from collections.abc import Callable, Iterator, Sequence
from fractions import Fraction
from functools import lru_cache
from itertools import pairwise
from operator import attrgetter
from typing import Any, NamedTuple

import numpy as np
import numpy.typing as npt
import opentimelineio as otio

from chronoxis.core.model.beats import turns
from chronoxis.core.model.footage import Footage
from chronoxis.core.model.framing import Framing
from chronoxis.core.model.marker import Marker
from chronoxis.core.model.music import MusicPiece
from chronoxis.core.model.nested import Nested
from chronoxis.core.model.photo_run import PhotoFiles, PhotoRun
from chronoxis.core.model.project import Project, Shot
from chronoxis.core.readable import well_formed
from chronoxis.core.timing.frame_making import PLAIN
from chronoxis.core.timing.schedule import result_frame_count
from chronoxis.core.timing.shot_columns import SAME_TIME

_COUNTED = re.compile(r"(.*?)(\d+)(\D*)")
_ROUNDINGS = (1e-8, 1e-5)  # seconds about the edges of frames that other programs may round off
_INSIDE_SHARE = 1e-3  # of a frame, from its edge
_SPEED_TOLERANCE = 1e-6  # share by which a speed may be off that was reckoned from frames

Numbers = npt.NDArray[np.int64]


def timeline_of(project: Project, name: str) -> Any:
    """The timeline of a project's result."""
    timeline = otio.schema.Timeline(
        name=well_formed(name), global_start_time=time_of(Fraction(0), project.rate)
    )
    pictures = otio.schema.Track(name="Result", kind=otio.schema.TrackKind.Video)
    pieces = list(_pieces(project, project.shots, project.rate))
    items = _Items(project)
    pictures.extend(items.of(piece, project.rate) for piece in pieces)
    pictures.markers.extend(_marker(marker, project.rate) for marker in project.markers)
    timeline.tracks.append(pictures)
    timeline.tracks.extend(_sound_tracks(project, pieces, items))
    return timeline


def not_told(project: Project) -> list[str]:
    """What of a project other programs do not read in its timeline, in a few words each."""
    shots = [*project.shots, *(shot for f in project.footage if isinstance(f, Nested) for shot in f.shots)]
    passages = [passage for shot in shots for passage in shot.passages]
    surges = sum(shot.join.surge is not None for shot in shots)
    accents = [project.accents, *(shot.accents + shot.join.accents for shot in shots)]
    count = sum(map(len, accents)) + sum(len(passage.accents) for passage in passages)
    told = {
        "how frames are made": any(passage.making != PLAIN for passage in passages),
        "steadying": any(shot.steady.is_on for shot in shots),
        "evening out and passers-by": any(shot.is_corrected for shot in shots),
        "framing": any(shot.framing != Framing() for shot in shots),
        f"{count} accent{'s' * (count > 1)}": count > 0,
        f"{surges} Surge{'s' * (surges > 1)} but for {'their' if surges > 1 else 'its'} pace": surges > 0,
        "levels, fades and effects of sound": _shapes_sound(project, passages),
    }
    return [words for words, there in told.items() if there]


def remark_on(project: Project) -> str:
    """What a person should know of a timeline that is written, or nothing."""
    left = not_told(project)
    return f"Other programs do not see {', '.join(left)}; Chronoxis reads all of it back." if left else ""


def _shapes_sound(project: Project, passages: Sequence[Any]) -> bool:
    level = any(p.sound.level or p.sound.fade_in or p.sound.fade_out or p.effect for p in passages)
    return bool(level or project.music or project.mix.rules or project.mix.loudness is not None)


class _Piece(NamedTuple):
    """Result frames that one clip shows.

    Attributes:
        shot: that they are of.
        first: number of the first result frame.
        stop: of the one behind the last.
        low: the earliest second of the footage, as it is stored, that they show.
        scalar: stored seconds per result second; below 0 backwards.
        passage: number of the shot's passage in the middle of it.
        shown: number of the stored frame that it begins with.
    """

    shot: Shot
    first: int
    stop: int
    low: float
    scalar: float
    passage: int
    shown: int


def _pieces(project: Project, shots: Sequence[Shot], rate: Fraction) -> Iterator[_Piece]:
    start = Fraction(0)
    for shot in shots:
        end = start + Fraction(shot.pace.result_length)
        first, stop = result_frame_count(start, rate), result_frame_count(end, rate)
        if stop > first:
            yield from _of_shot(shot, project.footage_of(shot), start, (first, stop), rate)
        start = end


def _of_shot(
    shot: Shot, footage: Footage, start: Fraction, frames: tuple[int, int], rate: Fraction
) -> Iterator[_Piece]:
    """The pieces of a shot, as few as show the very frames that are planned."""
    pace, length = shot.pace, float(shot.pace.result_length)
    numbers = np.arange(frames[0], frames[1] + 1)
    times = numbers * float(1 / rate) - float(start)
    covered = pace.recorded_at(np.clip(times, 0, length))
    scale = float(footage.scale)
    at = (float(shot.out_point) - covered if shot.backwards else float(shot.in_point) + covered) / scale
    shown = _frames_at(at, footage.stored_rate, SAME_TIME, backwards=shot.backwards)
    edges = [*pace.joints.tolist(), *pace.turns[:, :2].ravel().tolist()]
    inner = {round((float(start) + edge) * float(rate)) - frames[0] for edge in edges}
    if isinstance(footage, PhotoRun):
        part = np.searchsorted([each.stop for each in _parts(footage.photos)], shown[:-1], side="right")
        inner |= set((np.flatnonzero(np.diff(part)) + 1).tolist())
    bounds = sorted({0, len(numbers) - 1, *(edge for edge in inner if 0 < edge < len(numbers) - 1)})

    def is_straight(begin: int, end: int) -> bool:
        straight = np.linspace(at[begin], at[end], end - begin + 1)[:-1]
        told = (
            _frames_at(straight, footage.stored_rate, near, backwards=shot.backwards) for near in _ROUNDINGS
        )
        return all(np.array_equal(each, shown[begin:end]) for each in told)

    for begin, end in _divided(bounds, is_straight):
        seconds = (end - begin) / float(rate)
        low, scalar = min(at[begin], at[end]), (at[end] - at[begin]) / seconds
        # Alone, and so near another frame that it may be taken for it.
        if end - begin == 1 and not is_straight(begin, end):
            inside = shown[begin] + (1 - _INSIDE_SHARE if shot.backwards else _INSIDE_SHARE)
            low += inside / float(footage.stored_rate) - at[begin]
        middle = (times[begin] + times[end]) / 2
        passage = int(np.clip(np.searchsorted(pace.joints, middle) - 1, 0, len(shot.passages) - 1))
        first, stop = int(numbers[begin]), int(numbers[end])
        yield _Piece(shot, first, stop, low, scalar, passage, int(shown[begin]))


def _divided(bounds: list[int], is_right: Callable[[int, int], bool]) -> Iterator[tuple[int, int]]:
    """Stretches between bounds, halved until each is right or a single frame."""
    left = list(pairwise(bounds))[::-1]
    while left:
        begin, end = left.pop()
        if end - begin == 1 or is_right(begin, end):
            yield begin, end
        else:
            middle = (begin + end) // 2
            left += [(middle, end), (begin, middle)]


def _frames_at(seconds: npt.NDArray[np.float64], rate: Fraction, near: float, *, backwards: bool) -> Numbers:
    """Which frames of a steady rate are shown at stored seconds; backwards, at an edge the one before it.

    What is so ``near`` to an edge, in seconds, is there.
    """
    places, near = seconds * float(rate), near * float(rate)
    return (np.ceil(places - near) - 1 if backwards else np.floor(places + near)).astype(np.int64)


class _Items:
    """Makes clips of pieces, and stacks of those of nested runs."""

    def __init__(self, project: Project) -> None:
        self._project = project
        self._inside: dict[str, list[_Piece]] = {}

    def of(self, piece: _Piece, rate: Fraction) -> Any:
        """A clip; of a nested run, a stack of its own."""
        footage = self._project.footage_of(piece.shot)
        span = otio.opentime.TimeRange(
            time_of(piece.low, footage.stored_rate), _frames(piece.stop - piece.first, rate)
        )
        if isinstance(footage, Nested):
            track = self._track(footage, piece, rate)
            item = otio.schema.Stack(name=well_formed(footage.name), children=[track], source_range=span)
        else:
            item = otio.schema.Clip(
                name=well_formed(footage.name),
                media_reference=_reference(footage, piece.shown),
                source_range=span,
            )
        item.effects.append(otio.schema.LinearTimeWarp(name="speed", time_scalar=piece.scalar))
        return item

    def _track(self, run: Nested, piece: _Piece, rate: Fraction) -> Any:
        """What a piece shows of a run, where it lies in it: the many clips of a ramp do not each hold all."""
        if run.key not in self._inside:
            self._inside[run.key] = list(_pieces(self._project, run.shots, run.stored_rate))
        inside = self._inside[run.key]
        high = piece.low + abs(piece.scalar) * (piece.stop - piece.first) / float(rate)
        begin, end = (int(seconds * float(run.stored_rate)) for seconds in (piece.low, high))
        first, last = (
            min(bisect_right(inside, frame, key=attrgetter("stop")), len(inside) - 1)
            for frame in (begin - 1, end + 1)
        )
        track = otio.schema.Track(name=well_formed(run.name), kind=otio.schema.TrackKind.Video)
        if inside[first].first:
            track.append(_gap(inside[first].first, run.stored_rate))
        track.extend(self.of(each, run.stored_rate) for each in inside[first : last + 1])
        return track


def _reference(footage: Footage, shown: int) -> Any:
    """Where footage lies, from which a stored frame is shown."""
    if isinstance(footage, PhotoRun):
        for part in _parts(footage.photos):
            if part.first <= shown < part.stop:
                return _sequence(footage, part)
    available = otio.opentime.TimeRange(
        time_of(Fraction(0), footage.stored_rate), time_of(footage.stored_length, footage.stored_rate)
    )
    return otio.schema.ExternalReference(target_url=footage.files[0].as_uri(), available_range=available)


class _Counted(NamedTuple):
    """Photos of a run whose names count on evenly.

    Attributes:
        first: place in the run of the first.
        stop: of the one behind the last.
        step: from the number in a name to that in the next.
        name: what stands before, in and behind the number of the first.
    """

    first: int
    stop: int
    step: int
    name: tuple[str, str, str]


@lru_cache(maxsize=8)
def _parts(photos: PhotoFiles) -> list[_Counted]:
    """Photos that are named alike, in parts that count on evenly; none where the names do not count."""
    matches = [_COUNTED.fullmatch(name) for name in photos.names]
    named = [(each[1], each[2], each[3]) for each in matches if each]
    steps = np.diff([int(digits) for _, digits, _ in named])
    if len(named) < len(matches) or (steps < 1).any():
        return []
    step = int(steps.min()) if len(steps) else 1
    firsts = [0, *(np.flatnonzero(steps != step) + 1).tolist(), len(named)]
    parts = [_Counted(first, stop, step, named[first]) for first, stop in pairwise(firsts)]
    return parts if all(_counts_on(part, photos.names) for part in parts) else []


def _counts_on(part: _Counted, names: Sequence[str]) -> bool:
    before, digits, behind = part.name
    return all(
        names[part.first + place] == f"{before}{int(digits) + place * part.step:0{len(digits)}}{behind}"
        for place in range(part.stop - part.first)
    )


def _sequence(run: PhotoRun, part: _Counted) -> Any:
    """A part of a run, whose first photo stands at its time in the run."""
    prefix, digits, suffix = part.name
    place, photos = (Fraction(count) / run.stored_rate for count in (part.first, part.stop - part.first))
    return otio.schema.ImageSequenceReference(
        target_url_base=run.photos.folder.as_uri() + "/",
        name_prefix=prefix,
        name_suffix=suffix,
        start_frame=int(digits),
        frame_step=part.step,
        rate=float(run.stored_rate * part.step),  # of numbers, not of photos
        frame_zero_padding=len(digits),
        missing_frame_policy=otio.schema.ImageSequenceReference.MissingFramePolicy.hold,
        available_range=otio.opentime.TimeRange(
            time_of(place, run.stored_rate), time_of(photos, run.stored_rate)
        ),
    )


def _sound_tracks(project: Project, pieces: list[_Piece], items: _Items) -> Iterator[Any]:
    """A track of the recorded sound that is heard, in step with the pictures, and one for each music."""
    if not project.settings.sound or not pieces:
        return
    heard = [_is_heard(project, piece) for piece in pieces]
    if any(heard):
        track = otio.schema.Track(name="Recorded sound", kind=otio.schema.TrackKind.Audio)
        for piece, sounds in zip(pieces, heard, strict=True):
            lasting = piece.stop - piece.first
            track.append(items.of(piece, project.rate) if sounds else _gap(lasting, project.rate))
        yield track
    length = pieces[-1].stop / project.rate
    for music in project.music:
        if len(track := _music_track(project, music, length)):
            yield track


def _is_heard(project: Project, piece: _Piece) -> bool:
    """Whether recorded sound plays with a piece, if there is any."""
    footage, speed = project.footage_of(piece.shot), abs(piece.scalar)
    if isinstance(footage, PhotoRun | Nested):
        return False
    slow_enough = speed * float(footage.scale) <= project.mix.silent_above * (1 + _SPEED_TOLERANCE)
    return slow_enough and piece.shot.passages[piece.passage].sound.manner.can_play(speed)


def _music_track(project: Project, piece: MusicPiece, length: Fraction) -> Any:
    """One piece of music where it lies, as often as it begins again."""
    rate, footage = project.rate, project.footage_named(piece.footage)
    track = otio.schema.Track(name=well_formed(footage.name), kind=otio.schema.TrackKind.Audio)
    last = 0
    for begin, end, source in turns(piece, footage.stored_length, length):
        first, stop = max(round(begin * float(rate)), last), round(end * float(rate))
        if stop <= first:
            continue
        if first > last:
            track.append(_gap(first - last, rate))
        span = otio.opentime.TimeRange(time_of(source, footage.stored_rate), _frames(stop - first, rate))
        reference = _reference(footage, 0)
        track.append(
            otio.schema.Clip(name=well_formed(footage.name), media_reference=reference, source_range=span)
        )
        last = stop
    return track


def _gap(frames: int, rate: Fraction) -> Any:
    start = time_of(Fraction(0), rate)
    return otio.schema.Gap(source_range=otio.opentime.TimeRange(start, _frames(frames, rate)))


def _marker(marker: Marker, rate: Fraction) -> Any:
    moment = otio.opentime.TimeRange(time_of(marker.at, rate), time_of(Fraction(0), rate))
    return otio.schema.Marker(name=well_formed(marker.name), marked_range=moment)


def _frames(count: int, rate: Fraction) -> Any:
    return otio.opentime.RationalTime(count, float(rate))


def time_of(seconds: Fraction | float, rate: Fraction) -> Any:
    """Seconds in frames of a rate, and parts of them."""
    frames = seconds * rate if isinstance(seconds, Fraction) else seconds * float(rate)
    return otio.opentime.RationalTime(float(frames), float(rate))
