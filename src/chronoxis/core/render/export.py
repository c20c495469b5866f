"""An export from plan to finished, checked file."""

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
from chronoxis.core.files.atomic import publish, publish_folder, temporary_beside, why_not_written
from chronoxis.core.files.outputs import check_output
from chronoxis.core.footage.source import Source
from chronoxis.core.model.project import Project
from chronoxis.core.render.chain import result_frames
from chronoxis.core.render.memory import return_large_blocks
from chronoxis.core.render.plan import Plan
from chronoxis.core.render.read_back import bytes_of, compare_with_plan
from chronoxis.core.render.result_place import ResultPlace, result_place
from chronoxis.core.render.target import Target, export_target
from chronoxis.core.render.writer import interleave, open_writer
from chronoxis.core.render.writing import Writing
from chronoxis.core.sound.excerpt import Samples
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
    """

    path: Path
    frames: int
    rate: Fraction
    length: Fraction
    size: int
    held: tuple[str, ...] = ()

    @property
    def remark(self) -> str:
        """What a person should know of it, or nothing."""
        return held_remark(self.held)


def held_places(plan: Plan, held: Mapping[int, set[int]]) -> tuple[str, ...]:
    """Where recorded frames could not be decoded, from their numbers by shot."""
    places = {
        (plan.project.footage_of(plan.project.shots[shot]).label, float(plan.edges[shot][number]))
        for shot, numbers in held.items()
        for number in numbers
    }
    return tuple(f"{label} {format_time(seconds, 2)}" for label, seconds in sorted(places))


def held_remark(places: Sequence[str]) -> str:
    """What to say of recorded frames that could not be decoded, or nothing."""
    if not places:
        return ""
    listed = ", ".join(places[:_MOST_LISTED]) + (" …" if len(places) > _MOST_LISTED else "")
    many = f"{len(places)} recorded frames" if len(places) > 1 else "One recorded frame"
    return f"{many} could not be decoded; the one before stands there: {listed}."


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
    return_large_blocks()
    with temporary_beside(place.path, folder=place.is_folder) as temporary:
        try:
            held = _written_within(plan, temporary, place, progress, check)
        except (av.FFmpegError, OSError) as error:
            raise ExportError(why_not_written(place.path, error)) from error
        compare_with_plan(plan, temporary, place.path.name)
        size = bytes_of(temporary)
        (publish_folder if place.is_folder else publish)(temporary, place.path, overwrite=overwrite)
    return Finished(place.path, len(plan.schedule), plan.schedule.rate, plan.schedule.length, size, held)


def _written_within(
    plan: Plan,
    path: Path,
    place: ResultPlace,
    progress: Callable[[ExportProgress], None] | None,
    check: Callable[[], None],
) -> tuple[str, ...]:
    """Write all of it; once more, where it comes out larger than it may be."""
    limit = plan.settings.at_most
    most = most_bitrate(plan)
    for _ in range(_MOST_TRIES):
        held = _write(plan, path, place.name, most, progress, check)
        size = bytes_of(path)
        if limit is None or most is None or size <= limit:
            return held
        most = round(most * limit / size * _CLOSER)
    wish = f"{(limit or 0) / 1e6:.6g} MB"
    raise ExportError(f"{place.path.name} cannot be held to {wish}; choose a smaller picture.")


def _write(
    plan: Plan,
    path: Path,
    name: str,
    most: int | None,
    progress: Callable[[ExportProgress], None] | None,
    check: Callable[[], None],
) -> tuple[str, ...]:
    """Write all of it, and return where recorded frames could not be decoded."""
    held: dict[int, set[int]] = {}
    target = export_target(plan)
    with ExitStack() as stack:
        layout, sound = _sound(plan, stack)
        writing = replace(writing_of(plan, target), sound=layout, name=name, most=most)
        writer = stack.enter_context(open_writer(path, writing, sample_frames(plan, target)))
        frames = stack.enter_context(closing(result_frames(plan, target, check=check, held=held)))
        pace = _Pace(len(plan.schedule))
        for done in interleave(frames, sound, writer):
            if progress:
                progress(pace.after(done))
    return held_places(plan, held)


def writing_of(plan: Plan, target: Target) -> Writing:
    """What a plan's settings ask to be written."""
    settings = plan.settings
    return Writing(
        settings.format,
        settings.quality,
        plan.size,
        target.pixel_format,
        plan.schedule.rate,
        target.colour,
        bitrate=settings.bitrate,
        most=most_bitrate(plan),
    )


def most_bitrate(plan: Plan) -> int | None:
    """Bits per second that the picture may have for the file to be as large as it may be at most."""
    if plan.settings.at_most is None:
        return None
    sound = plan.settings.format.sound_bitrate or 0 if plan.settings.sound else 0
    # Encoders spend up to a second's worth beyond the average.
    seconds = float(plan.schedule.length) + 1
    return max(1000, round(plan.settings.at_most * 8 * _FOR_FRAMES / seconds) - sound)


def sample_frames(plan: Plan, target: Target) -> Iterator[VideoFrame]:
    """Result frames from all over the result."""
    for number in np.unique(np.linspace(0, len(plan.schedule) - 1, _SAMPLES).astype(int)).tolist():
        yield from result_frames(plan, target, number, number + 1)


def _sound(plan: Plan, stack: ExitStack) -> tuple[tuple[int, str] | None, Iterator[Samples]]:
    """Sample rate, layout and samples of the kept sound; neither where there is none."""
    sound = plan.sources[0].facts.sound
    if not plan.settings.sound or sound is None or not plan.settings.format.sound_codec:
        return None, iter(())
    shot, terms = plan.project.shots[0], plan.settings.format.sound_terms(sound.sample_rate, sound.layout)
    samples = plan.sources[0].sound_between(shot.in_point, shot.out_point, *terms)
    return terms, stack.enter_context(samples)


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
