"""An export from plan to finished, checked file."""

import errno
import time
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from contextlib import ExitStack, closing
from dataclasses import dataclass, replace
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
from av.video.frame import VideoFrame

from chronoxis.core.errors import ExportError
from chronoxis.core.files.atomic import (
    publish,
    publish_folder,
    temporary_beside,
    why_not_written,
    write_whole,
)
from chronoxis.core.files.outputs import check_output
from chronoxis.core.footage.source import Source
from chronoxis.core.model.project import Project
from chronoxis.core.render.chain import result_frames
from chronoxis.core.render.credits import credits_beside, credits_text, metadata_of
from chronoxis.core.render.memory import return_large_blocks
from chronoxis.core.render.plan import Plan
from chronoxis.core.render.read_back import bytes_of, compare_with_plan
from chronoxis.core.render.result_place import ResultPlace, result_place
from chronoxis.core.render.target import Target, export_target
from chronoxis.core.render.writer import interleave, open_writer
from chronoxis.core.render.writing import Writing
from chronoxis.core.sound.mixing import loudness_gain, mixed
from chronoxis.core.sound.samples import Samples
from chronoxis.core.timing.timecode import format_time

_MOST_LISTED = 5
_MOST_TRIES = 4
_CLOSER = 0.94  # of what would fit exactly, for the next try
_FOR_FRAMES = 0.97  # of a file, beside what it says about itself
_SAMPLES = 24  # frames that colours are chosen by


@dataclass(frozen=True)
class ExportProgress:
    """How far an export is.

    Attributes:
        done: result frames written.
        total: result frames in all.
        rate: result frames written per second, lately.
        seconds_left: at that rate.
    """

    done: int
    total: int
    rate: float
    seconds_left: float


@dataclass(frozen=True)
class Finished:
    """What came out, read back from the finished file.

    Attributes:
        held: where recorded frames could not be decoded, so that their neighbours stand there.
        silenced: where sound could not be decoded, so that it is silent there.
        credits: the file that says whose music it is, if one was written.
    """

    path: Path
    frames: int
    rate: Fraction
    length: Fraction
    size: int
    held: tuple[str, ...] = ()
    silenced: tuple[str, ...] = ()
    credits: Path | None = None

    @property
    def remark(self) -> str:
        """What a person should know of it, or nothing."""
        sound = ""
        if self.silenced:
            sound = f"Sound could not be decoded and is silent there: {_listed(self.silenced)}."
        return " ".join(filter(None, (held_remark(self.held), sound)))


def held_places(plan: Plan, held: Mapping[int, set[int]]) -> tuple[str, ...]:
    """Where recorded frames could not be decoded, from their numbers by shot."""
    places = {
        (plan.project.footage_of(plan.project.shots[shot]).label, float(plan.edges[shot][number]))
        for shot, numbers in held.items()
        for number in numbers
    }
    return tuple(f"{label} {format_time(seconds, 2)}" for label, seconds in sorted(places))


_OF_THE_DISK = frozenset((errno.ENOSPC, errno.EDQUOT, errno.EFBIG, errno.EROFS, errno.EIO))


def held_remark(places: Sequence[str]) -> str:
    """What to say of recorded frames that could not be decoded, or nothing."""
    if not places:
        return ""
    many = f"{len(places)} recorded frames" if len(places) > 1 else "One recorded frame"
    return f"{many} could not be decoded; the one before stands there: {_listed(places)}."


def _listed(places: Sequence[str]) -> str:
    return ", ".join(places[:_MOST_LISTED]) + (" …" if len(places) > _MOST_LISTED else "")


def protected_files(project: Project, sources: Iterable[Source] = ()) -> set[Path]:
    """The files that no export may replace: all footage of a project, whether a shot uses it or not."""
    of_project = {file for footage in project.footage for file in footage.files}
    return of_project | {file for source in sources for file in source.files}


def export(
    plan: Plan,
    output: Path,
    *,
    overwrite: bool = False,
    progress: Callable[[ExportProgress], None] | None = None,
    check: Callable[[], None] = lambda: None,
) -> Finished:
    """Write the result under a temporary name, read it back, compare it with the plan, then name it.

    Args:
        plan: what to write.
        output: the final name; for stills a folder, or a pattern such as ``dawn/%05d.png``.
        overwrite: whether a file of that name may be replaced.
        progress: called after each result frame.
        check: called after each recorded frame; either may raise `Cancelled` to stop the work.

    Raises:
        ExportError: it could not be written, or what was written is not what was planned.
        FootageError: the recording can no longer be read.
        Cancelled: ``progress`` raised it. Nothing is left behind in any of these cases.
    """
    place = result_place(output, plan.settings.format)
    check_output(
        place.path,
        protects=protected_files(plan.project, plan.sources),
        overwrite=overwrite,
        folder=place.is_folder,
    )
    credits_ = None
    if plan.settings.credits and plan.has_sound and plan.sound.music:
        credits_ = credits_beside(place.path)
    if credits_ is not None:
        check_output(credits_, protects=protected_files(plan.project, plan.sources), overwrite=overwrite)
    return_large_blocks()
    with temporary_beside(place.path, folder=place.is_folder) as temporary:
        try:
            held, silenced = _written_within(plan, temporary, place, progress, check)
        except av.FFmpegError as error:
            raise ExportError(_why_given_up(place.path, error)) from error
        except OSError as error:
            raise ExportError(why_not_written(place.path, error)) from error
        compare_with_plan(plan, temporary, place.path.name)
        size = bytes_of(temporary)
        (publish_folder if place.is_folder else publish)(temporary, place.path, overwrite=overwrite)
    if credits_ is not None:
        write_whole(credits_, credits_text(plan.project).encode())
    wish = plan.schedule
    return Finished(place.path, len(wish), wish.rate, wish.length, size, held, silenced, credits_)


def _why_given_up(path: Path, error: av.FFmpegError) -> str:
    """Of the media library's errors, those of the disk are told apart from its own, with borrowed numbers."""
    if error.errno in _OF_THE_DISK:
        return why_not_written(path, error)
    said = (error.strerror or str(error)).rstrip(".")
    return f"{path.name} was not written: the media library gave up ({said}); try another format or size."


def _written_within(
    plan: Plan,
    path: Path,
    place: ResultPlace,
    progress: Callable[[ExportProgress], None] | None,
    check: Callable[[], None],
) -> tuple[tuple[str, ...], tuple[str, ...]]:
    """Write all of it; once more, where it comes out larger than it may be."""
    limit = plan.settings.at_most
    most = most_bitrate(plan)
    loudness = loudness_gain(plan.sound, plan.sounds(), check) if plan.has_sound else 1.0
    for _ in range(_MOST_TRIES):
        lost = _write(plan, path, place.name, most, loudness, progress, check)
        size = bytes_of(path)
        if limit is None or most is None or size <= limit:
            return lost
        most = round(most * limit / size * _CLOSER)
    wish = f"{(limit or 0) / 1e6:.6g} MB"
    raise ExportError(f"{place.path.name} cannot be held to {wish}; choose a smaller picture.")


def _write(
    plan: Plan,
    path: Path,
    name: str,
    most: int | None,
    loudness: float,
    progress: Callable[[ExportProgress], None] | None,
    check: Callable[[], None],
) -> tuple[tuple[str, ...], tuple[str, ...]]:
    """Write all of it, and return where recorded frames, and sound, could not be decoded."""
    held: dict[int, set[int]] = {}
    silenced: set[tuple[str, float]] = set()
    target = export_target(plan)
    with ExitStack() as stack:
        sound: Iterator[Samples] = iter(())
        if plan.has_sound:
            sounds = plan.sounds(lambda key, at: silenced.add((key, round(float(at), 1))))
            sound = stack.enter_context(closing(mixed(plan.sound, sounds, loudness)))
        writing = replace(writing_of(plan, target), name=name, most=most)
        writer = stack.enter_context(open_writer(path, writing, sample_frames(plan, target)))
        frames = stack.enter_context(closing(result_frames(plan, target, check=check, held=held)))
        pace = _Pace(len(plan.schedule))
        for done in interleave(frames, sound, writer):
            if progress:
                progress(pace.after(done))
    places = (f"{plan.project.footage_named(key).label} {format_time(at, 1)}" for key, at in sorted(silenced))
    return held_places(plan, held), tuple(places)


def writing_of(plan: Plan, target: Target) -> Writing:
    """What a plan's settings ask to be written."""
    settings = plan.settings
    return Writing(
        settings.format,
        settings.quality,
        target.size,
        target.pixel_format,
        plan.schedule.rate,
        target.colour,
        target.pixel_aspect,
        bitrate=settings.bitrate,
        most=most_bitrate(plan),
        sound=plan.has_sound,
        metadata=metadata_of(plan.project),
    )


def most_bitrate(plan: Plan) -> int | None:
    """Bits per second that the picture may have for the file to be as large as it may be at most."""
    if plan.settings.at_most is None:
        return None
    sound = plan.settings.format.sound_bitrate or 0 if plan.has_sound else 0
    # Encoders spend up to a second's worth beyond the average.
    seconds = float(plan.schedule.length) + 1
    return max(1000, round(plan.settings.at_most * 8 * _FOR_FRAMES / seconds) - sound)


def sample_frames(plan: Plan, target: Target) -> Iterator[VideoFrame]:
    """Result frames from all over the result."""
    numbers = np.unique(np.linspace(0, len(plan.schedule) - 1, _SAMPLES).astype(int))
    yield from result_frames(plan, target, numbers=numbers)


class _Pace:
    """Frames per second over the last few seconds, and what that means for the rest."""

    _WINDOW = 5.0

    def __init__(self, total: int) -> None:
        self._total = total
        self._marks = [(time.monotonic(), 0)]

    def after(self, done: int) -> ExportProgress:
        now = time.monotonic()
        self._marks.append((now, done))
        while len(self._marks) > 2 and now - self._marks[1][0] > self._WINDOW:
            self._marks.pop(0)
        then, before = self._marks[0]
        rate = (done - before) / max(now - then, 1e-6)
        return ExportProgress(done, self._total, rate, (self._total - done) / max(rate, 1e-6))
