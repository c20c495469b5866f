"""Open timeline interchange: OpenTimelineIO files, written and read.

A shot becomes clips that follow one another: one for each plateau, and for each ramp a few that step
through its speeds. Each has a linear time effect whose scalar is recorded seconds per result second,
negative when it plays backwards; its source range begins at the earliest recorded time it shows and is
as long as the clip lasts in the result. The exact project travels in the timeline's metadata and is
taken on reading if the clips are still those that it makes.
"""

import json
from dataclasses import replace
from fractions import Fraction
from itertools import pairwise
from math import ceil, log
from pathlib import Path
from typing import Any
from urllib.parse import unquote, urlparse

import numpy as np
import opentimelineio as otio

from chronoxis.core.errors import ProjectFileError
from chronoxis.core.files.atomic import write_whole
from chronoxis.core.files.imported import Imported
from chronoxis.core.files.project_file import as_json, from_json
from chronoxis.core.model.footage import Footage
from chronoxis.core.model.marker import Marker
from chronoxis.core.model.project import Passage, Project, Shot
from chronoxis.core.model.recording import Recording
from chronoxis.core.timing.rates import MAX_RATE
from chronoxis.core.timing.speed import MAX_SPEED, MIN_SPEED, format_speed

_OURS = "chronoxis"
_STEP_RATIO = 1.12  # by which the speeds of a ramp's neighbouring clips differ at most
_FINEST = 10**6
_USUAL_RATE = Fraction(25)
_LONGEST = 10**9  # seconds; what is longer is not meant


def export_timeline(project: Project, path: Path) -> None:
    """Write a project's result as a timeline. Raises ExportError."""
    timeline = _timeline(project, path.stem)
    # As text: its writer would round the numbers.
    timeline.metadata[_OURS] = json.dumps(as_json(project, path.parent))
    write_whole(path, timeline.to_json_string().encode())


def import_timeline(path: Path) -> Imported:
    """Read a timeline.

    Raises:
        ProjectFileError: it cannot be read, or holds nothing that can be used.
    """
    try:
        timeline = otio.adapters.read_from_file(str(path), adapter_name="otio_json")
    except OSError as error:
        raise ProjectFileError(f"{path.name} cannot be opened: {error.strerror}.") from error
    except (otio.exceptions.OTIOError, ValueError, LookupError, TypeError) as error:
        raise ProjectFileError(f"{path.name} is not an OpenTimelineIO timeline, or is damaged.") from error
    if not isinstance(timeline, otio.schema.Timeline):
        raise ProjectFileError(f"{path.name} holds no timeline.")
    ours = timeline.metadata.get(_OURS)
    if not isinstance(ours, str):
        return _from_clips(timeline, path)
    try:
        project = from_json(json.loads(ours), path)
    except (ValueError, ProjectFileError):
        taken = _from_clips(timeline, path)
        return replace(
            taken, notes=["The exact pace in it cannot be read; its clips were taken.", *taken.notes]
        )
    if _same_clips(timeline, _timeline(project, path.stem)):
        return Imported(project)
    return _from_clips(timeline, path)


def _timeline(project: Project, name: str) -> Any:
    timeline = otio.schema.Timeline(name=name, global_start_time=_time(0.0, project.rate))
    track = otio.schema.Track(name="Result", kind=otio.schema.TrackKind.Video)
    timeline.tracks.append(track)
    for shot in project.shots:
        track.extend(_clips(project, shot))
    for marker in project.markers:
        track.markers.append(_marker(marker, project.rate))
    return timeline


def _clips(project: Project, shot: Shot) -> list[Any]:
    footage = project.footage_of(shot)
    bounds = _bounds(shot)
    covered = shot.pace.recorded_at(bounds)
    covered[-1] = float(shot.recorded_length)
    clips = []
    for (begin, end), (low, high) in zip(pairwise(bounds.tolist()), pairwise(covered.tolist()), strict=True):
        first = float(shot.out_point) - high if shot.backwards else float(shot.in_point) + low
        scalar = (high - low) / (end - begin) * (-1 if shot.backwards else 1)
        reference = _reference(footage)
        clip = otio.schema.Clip(
            name=footage.name,
            media_reference=reference,
            source_range=otio.opentime.TimeRange(
                _time(first / float(footage.scale), footage.stored_rate), _time(end - begin, project.rate)
            ),
        )
        scalar /= float(footage.scale)
        clip.effects.append(otio.schema.LinearTimeWarp(name="speed", time_scalar=scalar))
        clips.append(clip)
    return clips


def _reference(footage: Footage) -> Any:
    """Where footage lies; a nested run lies nowhere, and is left open under its name."""
    available = otio.opentime.TimeRange(
        _time(0.0, footage.stored_rate), _time(float(footage.stored_length), footage.stored_rate)
    )
    if not footage.files:
        return otio.schema.MissingReference(name=footage.name, available_range=available)
    return otio.schema.ExternalReference(target_url=footage.files[0].as_uri(), available_range=available)


def _bounds(shot: Shot) -> Any:
    """Result seconds at which the clips of a shot begin and end."""
    pace = shot.pace
    bounds = [0.0, float(pace.result_length), *pace.joints[1:-1].tolist()]
    for begin, end, ratio in pace.turns.tolist():
        steps = ceil(abs(log(ratio)) / log(_STEP_RATIO))
        bounds += np.linspace(begin, end, steps + 1).tolist()
    ordered = np.unique(bounds)
    return ordered[np.concatenate(([True], np.diff(ordered) > 1e-9))]


def _from_clips(timeline: Any, path: Path) -> Imported:
    """Take over what another program wrote, clip by clip."""
    notes: list[str] = []
    project = Project()
    tracks = [track for track in timeline.tracks if track.kind == otio.schema.TrackKind.Video]
    others = len(list(timeline.tracks)) - min(len(tracks), 1)
    if others:
        notes.append(f"{others} further tracks were left out; the first picture track was taken.")
    for item in tracks[0] if tracks else []:
        if isinstance(item, otio.schema.Clip):
            try:
                project = _with_clip(project, item, path, notes)
            except (otio.exceptions.OTIOError, ArithmeticError, ValueError):
                notes.append(f"“{item.name}” was left out: its times make no sense.")
        else:
            notes.append(f"A {type(item).__name__.lower()} was left out; the result closes up.")
    if not project.shots:
        raise ProjectFileError(f"{path.name} holds no clip of a recording that can be used.")
    return Imported(project, notes)


def _with_clip(project: Project, clip: Any, path: Path, notes: list[str]) -> Project:
    reference = clip.media_reference
    if not isinstance(reference, otio.schema.ExternalReference):
        notes.append(f"“{clip.name}” was left out: it names no file.")
        return project
    scalar = 1.0
    for effect in clip.effects:
        if isinstance(effect, otio.schema.LinearTimeWarp) and effect.time_scalar:
            scalar *= effect.time_scalar
        else:
            notes.append(f"An effect on “{clip.name}” was left out: {effect.effect_name or effect.name}.")
    span = clip.trimmed_range()
    wished = Fraction(abs(scalar)).limit_denominator(_FINEST)
    speed = min(max(wished, MIN_SPEED), MAX_SPEED)
    if speed != wished:
        notes.append(
            f"“{clip.name}” runs at {format_speed(speed)}: other speeds than up to that cannot be had."
        )
    lasting = _seconds(span.duration)
    in_point = _seconds(span.start_time)
    if reference.available_range:
        in_point -= _seconds(reference.available_range.start_time)
    passage = Passage(lasting * speed, speed)
    if lasting <= 0 or in_point < 0:
        notes.append(f"“{clip.name}” was left out: it has no length, or begins before its file.")
        return project
    if not project.shots:
        project = replace(project, rate=_frame_rate(span.duration))
    project, key = _with_footage(project, reference, in_point + passage.recorded_length, path)
    return _appended(project, Shot(key, in_point, (passage,), backwards=scalar < 0))


def _appended(project: Project, shot: Shot) -> Project:
    """A clip that goes on where the last one ended is a further passage of that shot."""
    if project.shots:
        last = project.shots[-1]
        if (last.footage, last.backwards) == (shot.footage, shot.backwards):
            ends = last.in_point if shot.backwards else last.out_point
            begins = shot.out_point if shot.backwards else shot.in_point
            if abs(ends - begins) < Fraction(1, 1000):
                in_point = min(last.in_point, shot.in_point)
                joined = replace(last, in_point=in_point, passages=(*last.passages, *shot.passages))
                return project.with_shot(len(project.shots) - 1, joined)
    return replace(project, shots=(*project.shots, shot))


def _with_footage(project: Project, reference: Any, used: Fraction, path: Path) -> tuple[Project, str]:
    url = urlparse(reference.target_url)
    file = Path(unquote(url.path if url.scheme in ("", "file") else reference.target_url))
    file = file if file.is_absolute() else (path.parent / file).absolute()
    known = reference.available_range
    length = _seconds(known.duration) if known else used
    rate = _frame_rate(known.duration) if known else _USUAL_RATE
    for footage in project.footage:
        if footage.files == (file,):
            longer = replace(footage, stored_length=max(footage.stored_length, used))
            return project.with_footage(longer), footage.key
    key = file.stem if all(f.key != file.stem for f in project.footage) else str(file)
    footage = Recording(key=key, path=file, stored_rate=rate, stored_length=max(length, used))
    return replace(project, footage=(*project.footage, footage)), key


def _same_clips(one: Any, other: Any) -> bool:
    """Whether two timelines show the same; their numbers may differ by what writing rounds off."""
    if len(one.tracks) != len(other.tracks):
        return False
    for ours, theirs in zip(one.tracks, other.tracks, strict=True):
        (names, numbers), (other_names, other_numbers) = _told(ours), _told(theirs)
        if names != other_names or not np.allclose(numbers, other_numbers, rtol=1e-9, atol=1e-6):
            return False
    return True


def _told(track: Any) -> tuple[list[str], list[float]]:
    names, numbers = [track.kind], []
    for item in track:
        names += [type(item).__name__, *(type(effect).__name__ for effect in item.effects)]
        span = item.trimmed_range()
        numbers += [span.start_time.to_seconds(), span.duration.to_seconds()]
        numbers += [getattr(effect, "time_scalar", 1.0) for effect in item.effects]
        if isinstance(item, otio.schema.Clip):
            names.append(getattr(item.media_reference, "target_url", ""))
    for marker in track.markers:
        names.append(marker.name)
        numbers.append(marker.marked_range.start_time.to_seconds())
    return names, numbers


def _marker(marker: Marker, rate: Fraction) -> Any:
    moment = otio.opentime.TimeRange(_time(float(marker.at), rate), _time(0.0, rate))
    return otio.schema.Marker(name=marker.name, marked_range=moment)


def _time(seconds: float, rate: Fraction) -> Any:
    return otio.opentime.RationalTime(seconds * float(rate), float(rate))


def _seconds(time: Any) -> Fraction:
    """As a rational, exact to the frame's own rate. Raises ArithmeticError or ValueError if it is none."""
    rate = Fraction(time.rate).limit_denominator(1001)
    seconds = Fraction(time.value).limit_denominator(_FINEST) / rate
    if rate < 0 or abs(seconds) > _LONGEST:
        raise ValueError(f"{time.value} / {time.rate} s")
    return seconds


def _frame_rate(time: Any) -> Fraction:
    """The rate that a time is counted in, unless that is finer than frames are."""
    rate = Fraction(time.rate).limit_denominator(1001)
    return rate if rate <= MAX_RATE else _USUAL_RATE
