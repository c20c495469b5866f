"""Clips of a timeline that another program wrote, or changed, as footage and shots.

A timeline says which part of a file is shown at which speed, and no more; what has no counterpart here is
named.
"""

import os
from collections.abc import Callable
from dataclasses import replace
from fractions import Fraction
from pathlib import Path
from typing import Any
from urllib.parse import unquote, unquote_to_bytes, urlparse

import opentimelineio as otio

from chronoxis.core.errors import PlanError, ProjectFileError
from chronoxis.core.files.imported import Imported
from chronoxis.core.model.footage import Footage
from chronoxis.core.model.marker import Marker
from chronoxis.core.model.photo_endings import ENDINGS
from chronoxis.core.model.photo_run import PhotoFiles, PhotoRun, PhotoTime
from chronoxis.core.model.project import Passage, Project, Shot
from chronoxis.core.model.recording import Recording
from chronoxis.core.timing.speed import MAX_SPEED, MIN_SPEED, format_speed
from chronoxis.core.timing.timecode import format_time

_MOST_PARTS = 10**6
_USUAL_RATE = Fraction(25)
_USUAL_STILL = Fraction(5)  # seconds
_CLOCK_RATE = 1000  # times counted as finely per second are a clock's (milliseconds, samples), not frames
_SAME_RATE = Fraction(1, 500)  # frames per second by which rates are rounded
_MOST_PHOTOS = 1_000_000
_MOST_DIGITS = 20
_LONGEST_SECONDS = 10**9  # seconds; what is longer is not meant


def from_clips(timeline: Any, path: Path) -> Imported:
    """Take over what another program wrote, clip by clip; what has no counterpart here is named."""
    tracks = [track for track in timeline.tracks if track.kind == otio.schema.TrackKind.Video]
    taken = _Taken(path, _rate_of_timeline(timeline))
    others = len(list(timeline.tracks)) - min(len(tracks), 1)
    if others:
        further = "1 further track was" if others == 1 else f"{others} further tracks were"
        taken.notes.append(f"{further} left out; the first picture track was taken.")
    if tracks:
        if tracks[0].source_range is not None:
            taken.notes.append("The track's own range was left out: all of its clips were taken.")
        for item in tracks[0]:
            taken.take(item)
        for owner in (timeline.tracks, tracks[0]):
            for marker in owner.markers:
                taken.mark(marker, lambda moment: moment)
    if not taken.project.shots:
        raise ProjectFileError(f"{path.name} holds no clip of a recording that can be used.")
    return Imported(taken.finished(), taken.notes)


def _rate_of_timeline(timeline: Any) -> Fraction | None:
    """Frames per second that a timeline says it counts in, if it does; a time nobody set counts at 1."""
    start = timeline.global_start_time
    return _frame_rate(start) if start is not None and start.rate > 1 else None


class _Taken:
    """What was taken over so far, and what could not be."""

    def __init__(self, path: Path, rate: Fraction | None) -> None:
        self.project = Project()
        self.notes: list[str] = []
        self._path, self._rate = path, rate
        self._theirs = Fraction(0)  # result seconds in the timeline, up to which it was gone through
        self._marks: list[tuple[Fraction, str]] = []
        self._places: list[tuple[Fraction, Fraction, Fraction]] = []  # what lies where: theirs, here, length

    def take(self, item: Any) -> None:
        """Take over the next item of the track."""
        here = self._theirs
        if isinstance(item, otio.schema.Transition):
            self._name(item, "was left out: shots follow one another with a cut", here)
            return
        try:
            lasting = _lasting(item)
            self._theirs += lasting or Fraction(0)
            if not isinstance(item, otio.schema.Clip):
                self._name(item, "was left out; the result closes up", here, lasting)
            elif not getattr(item, "enabled", True):
                self._name(item, "is disabled there, and was left out", here, lasting)
            else:
                self._take_clip(item, here, lasting)
        except (otio.exceptions.OTIOError, NotImplementedError, PlanError, ArithmeticError, ValueError):
            self._name(item, "was left out: its times make no sense", here)
        except OSError as error:
            self._name(item, f"was left out: its file cannot be looked for ({error.strerror})", here)

    def mark(self, marker: Any, theirs: Callable[[Fraction], Fraction]) -> None:
        """Put a mark where its time stands in the timeline."""
        try:
            self._marks.append((theirs(_seconds(marker.marked_range.start_time)), marker.name))
        except (ArithmeticError, ValueError):
            self.notes.append(f"The mark “{marker.name}” was left out: its time makes no sense.")

    def finished(self) -> Project:
        """The project with its marks; those in what was left out go with it."""
        markers: dict[Fraction, Marker] = {}
        for theirs, name in self._marks:
            for begin, here, lasting in self._places:
                if begin <= theirs < begin + lasting or theirs == begin + lasting == self._theirs:
                    at = here + theirs - begin
                    markers[at] = Marker(at, name)
                    break
            else:
                self.notes.append(
                    f"The mark “{name}” at {format_time(theirs, 2)} went with what was left out."
                )
        return replace(self.project, markers=tuple(markers[at] for at in sorted(markers)))

    def _name(self, item: Any, what: str, at: Fraction, lasting: Fraction | None = None) -> None:
        kind = type(item).__name__
        called = f"“{item.name}”" if item.name else f"A {kind.lower()}"
        long = f", {format_time(lasting, 2)} long," if lasting else ""
        self.notes.append(f"{called} at {format_time(at, 2)}{long} {what}.")

    def _take_clip(self, clip: Any, at: Fraction, lasting: Fraction | None) -> None:
        footage = self._footage_of(clip, at)
        if footage is None:
            return
        scalar, freezes = self._speed_of(clip, at)
        span = clip.trimmed_range() if lasting is not None else None
        if not self.project.shots:
            said = _frame_rate(span.duration) if span is not None else None
            rate = self._rate or said or footage.stored_rate
            self.project = replace(self.project, rate=rate)
        if span is None or lasting is None:  # the file alone says how long it is; until then, a second
            whole = replace(footage, stored_length=max(footage.stored_length, Fraction(1)))
            shot = Shot(whole.key, Fraction(0), (Passage(whole.stored_length, Fraction(1)),))
            self._add(whole, shot, at)
            return
        in_point = _seconds(span.start_time)
        known = clip.media_reference.available_range
        if known:
            in_point -= _seconds(known.start_time)
        speed = _had(scalar)
        if isinstance(footage, PhotoRun):
            in_point, speed = _in_photos(footage, in_point, lasting, speed)
        if freezes:
            speed = max(MIN_SPEED, min(1 / footage.stored_rate / lasting, Fraction(1)))
        elif speed != Fraction(abs(scalar)).limit_denominator(_MOST_PARTS):
            self._name(clip, f"runs at {format_speed(speed)}: its own speed cannot be had", at, lasting)
        if lasting <= 0 or in_point < 0:
            self._name(clip, "was left out: it has no length, or begins before its file", at, lasting)
            return
        passage = Passage(lasting * speed, speed)
        used = in_point + passage.recorded_length
        if known and used > _seconds(known.duration) + 1 / footage.stored_rate:
            self._name(clip, "reaches beyond what its file is said to hold", at, lasting)
        # A timeline says what is used of a file, not how long that is: longer, until its frames are counted.
        longer = max(footage.stored_length, used + 1 / footage.stored_rate)
        footage = replace(footage, stored_length=longer) if isinstance(footage, Recording) else footage
        shot = Shot(footage.key, in_point, (passage,), backwards=scalar < 0)
        begin, end = _seconds(span.start_time), _seconds(span.start_time) + passage.recorded_length
        for marker in clip.markers:
            self.mark(
                marker,
                lambda moment: at + (end - moment if shot.backwards else moment - begin) / speed,
            )
        self._add(footage, shot, at)

    def _add(self, footage: Footage, shot: Shot, at: Fraction) -> None:
        project = self.project
        if any(other.key == footage.key for other in project.footage):
            project = project.with_footage(footage)
        else:
            project = replace(project, footage=(*project.footage, footage))
        here = project.result_length if project.shots else Fraction(0)
        self.project = _appended(project, shot)
        self._places.append((at, here, self.project.result_length - here))

    def _speed_of(self, clip: Any, at: Fraction) -> tuple[float, bool]:
        """Recorded seconds per result second, below zero backwards; and whether one frame stands."""
        scalar, freezes = 1.0, False
        for effect in clip.effects:
            if isinstance(effect, otio.schema.FreezeFrame):
                freezes = True
            elif isinstance(effect, otio.schema.LinearTimeWarp):
                freezes |= not effect.time_scalar
                scalar *= effect.time_scalar or 1.0
            else:
                name = effect.effect_name or effect.name or type(effect).__name__
                self._name(clip, f"lost an effect that has no counterpart here: {name}", at)
        return scalar, freezes

    def _footage_of(self, clip: Any, at: Fraction) -> Footage | None:
        """What a clip is an excerpt of, as the project has it already or new."""
        reference = clip.media_reference
        if isinstance(reference, otio.schema.ImageSequenceReference):
            return self._known(_photo_run(reference, self._path))
        if not isinstance(reference, otio.schema.ExternalReference):
            self._name(clip, "was left out: it names no file", at)
            return None
        file, is_here = _local(reference.target_url, self._path)
        if not file.name or file == self._path.parent.absolute():
            self._name(clip, "was left out: it names no file", at)
            return None
        if not is_here:
            self._name(clip, f"lies at {reference.target_url}, which is not here: say where it is", at)
        if file.suffix.lower() in ENDINGS:
            photo = PhotoFiles(file.parent, (file.name,))
            return self._known(_photos(file.stem, photo, 1 / (_lasting(clip) or _USUAL_STILL)))
        known = reference.available_range
        rate = (_frame_rate(known.duration) if known else None) or self._rate or _USUAL_RATE
        length = _seconds(known.duration) if known else Fraction(0)
        return self._known(Recording(key=file.stem, path=file, stored_rate=rate, stored_length=length))

    def _known(self, footage: Footage) -> Footage:
        """The same footage where the project has it; else with a key of its own."""
        for other in self.project.footage:
            if other.origin == footage.origin:
                return other
        taken = {other.key for other in self.project.footage}
        if footage.key in taken:
            return replace(footage, key=str(footage.files[0]))
        return footage


def _lasting(item: Any) -> Fraction | None:
    """Result seconds of an item; None if it names no range and its file is to say how long it is."""
    if isinstance(item, otio.schema.Clip) and item.source_range is None:
        reference = item.media_reference
        if reference is None or reference.available_range is None:
            return None
    return _seconds(item.trimmed_range().duration)


def _in_photos(
    run: PhotoRun, in_point: Fraction, lasting: Fraction, speed: Fraction
) -> tuple[Fraction, Fraction]:
    """Where a clip begins in photos, and at which speed it has as many as it can. Raises ValueError."""
    if in_point >= run.stored_length:  # it counts from the number of the first photo
        in_point = Fraction(0)
    if len(run.photos.names) == 1:
        in_point, speed = Fraction(0), MAX_SPEED
    fastest = (run.stored_length - in_point) / lasting
    if fastest < MIN_SPEED:
        raise ValueError(f"{lasting} s of {run.stored_length} s")
    return in_point, min(speed, fastest)


def _had(scalar: float) -> Fraction:
    return min(max(Fraction(abs(scalar)).limit_denominator(_MOST_PARTS), MIN_SPEED), MAX_SPEED)


def _local(url: str, timeline: Path) -> tuple[Path, bool]:
    """The file that a reference names, and whether it can be on this machine; else beside the timeline."""
    parsed = urlparse(url)
    elsewhere = parsed.scheme not in ("", "file") or parsed.netloc not in ("", "localhost")
    if elsewhere or "\\" in url:
        name = unquote(url).replace("\\", "/").rstrip("/").rsplit("/", 1)[-1]
        return (timeline.parent / (name or "media")).absolute(), False
    file = Path(os.fsdecode(unquote_to_bytes(parsed.path if parsed.scheme else url)))
    return (file if file.is_absolute() else (timeline.parent / file).absolute()), True


def _photo_run(reference: Any, timeline: Path) -> PhotoRun:
    """The photos of a sequence, so many a second. Raises ValueError or PlanError if it has none."""
    folder, _ = _local(reference.target_url_base.rstrip("/") + "/x", timeline)
    numbers = range(reference.start_frame, reference.end_frame() + 1, reference.frame_step or 1)
    if (
        not 0 < len(numbers) <= _MOST_PHOTOS
        or reference.frame_zero_padding > _MOST_DIGITS
        or "/" in reference.name_prefix + reference.name_suffix
    ):
        raise ValueError(f"frames {reference.start_frame} to {reference.end_frame()}")
    padded = (str(number).zfill(reference.frame_zero_padding) for number in numbers)
    named = tuple(f"{reference.name_prefix}{number}{reference.name_suffix}" for number in padded)
    names = tuple(name for name in named if (folder.parent / name).exists()) or named
    rate = _counted_rate(reference) / numbers.step  # it is that of the numbers
    return _photos(folder.parent.name or "photos", PhotoFiles(folder.parent, names), rate)


def _photos(key: str, photos: PhotoFiles, rate: Fraction) -> PhotoRun:
    """Photos of which so many are shown a second. Raises PlanError if that cannot be."""
    return PhotoRun(
        key=key,
        photos=photos,
        stored_rate=rate,
        stored_length=len(photos.names) / rate,
        time=PhotoTime.at_rate(rate),
        counted=True,
    )


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


def _seconds(time: Any) -> Fraction:
    """As a rational, exact to the frame's own rate. Raises ArithmeticError or ValueError if it is none."""
    rate = _counted_rate(time)
    seconds = Fraction(time.value).limit_denominator(_MOST_PARTS) / rate
    if rate < 0 or abs(seconds) > _LONGEST_SECONDS:
        raise ValueError(f"{time.value} / {time.rate} s")
    return seconds


def _counted_rate(counted: Any) -> Fraction:
    """The rate of a time or sequence, of frames or finer. ArithmeticError or ValueError if none."""
    return _frame_rate(counted) or Fraction(counted.rate).limit_denominator(1001)


def _frame_rate(time: Any) -> Fraction | None:
    """The rate that a time is counted in; None if that is none, or finer than frames are."""
    if not 0 < time.rate < _CLOCK_RATE:
        return None
    rate = Fraction(time.rate).limit_denominator(1001)
    ntsc = Fraction(round(rate * Fraction(1001, 1000)) * 1000, 1001)  # written as 23.976, 29.97, 59.94
    return (ntsc if ntsc and abs(rate - ntsc) < _SAME_RATE else rate) or None
