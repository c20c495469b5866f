"""An export from plan to finished, checked file."""

import time
from collections.abc import Callable, Iterator, Mapping
from contextlib import ExitStack, closing
from dataclasses import dataclass, replace
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
from av.audio.frame import AudioFrame

from chronoxis.core.errors import ExportError, PlanError
from chronoxis.core.files.atomic import already_there, publish, temporary_beside, why_not_written
from chronoxis.core.footage.containers import open_container
from chronoxis.core.footage.facts import Facts
from chronoxis.core.footage.frame_index import build_index
from chronoxis.core.model.project import Footage, Project, Shot
from chronoxis.core.model.settings import ResultFormat, ResultSettings, Size
from chronoxis.core.render.encoder import SOUND_FORMATS, Encoder, check_size, interleave
from chronoxis.core.render.frames import Recording, Target, result_frames
from chronoxis.core.render.memory import return_large_blocks
from chronoxis.core.sound.excerpt import excerpt
from chronoxis.core.timing.pace import Seconds
from chronoxis.core.timing.rates import format_rate
from chronoxis.core.timing.schedule import SAME_TIME, Schedule, ShotTiming, make_schedule
from chronoxis.core.timing.timecode import format_time

_RGB, _BT709 = 0, 1
_LOSSLESS_FORMATS = frozenset(
    {"yuv420p", "yuv422p", "yuv444p", "yuv410p", "yuv411p", "yuv440p", "gray"}
    | {f"yuv{chroma}p{bits}le" for chroma in ("420", "422", "444") for bits in (9, 10, 12, 14, 16)}
    | {"gbrp", "gbrp10le", "gbrp12le", "gbrp14le", "gbrp16le", "gray10le", "gray12le", "gray16le", "bgra"}
)
_LOSSLESS_STANDINS = {
    "yuvj420p": "yuv420p",
    "yuvj422p": "yuv422p",
    "yuvj444p": "yuv444p",
    "nv12": "yuv420p",
    "p010le": "yuv420p10le",
    "rgb24": "gbrp",
}


@dataclass(frozen=True, eq=False)
class Plan:
    """All that an export needs: decided, checked, nothing written yet.

    Attributes:
        project: what it is the plan of.
        sources: the recording of each shot.
        edges: for each shot, when each recorded frame of its recording is on display, recorded seconds.
        schedule: which recorded frames make each result frame.
        size: width and height of the result.
    """

    project: Project
    sources: tuple[Recording, ...]
    edges: tuple[Seconds, ...]
    schedule: Schedule
    size: Size

    @property
    def settings(self) -> ResultSettings:
        """The choices of the export."""
        return self.project.settings


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
    """What came out, read back from the finished file."""

    path: Path
    frames: int
    rate: Fraction
    length: Fraction
    size: int


def make_plan(project: Project, recordings: Mapping[str, Recording]) -> Plan:
    """Turn a project's choices into a plan.

    Args:
        project: the choices.
        recordings: by footage key.

    Raises:
        PlanError: the choices contradict themselves or the recordings, or a recording is missing.
        ExportError: the codec cannot take the size.
    """
    if not project.shots:
        raise PlanError("There is no shot yet; open a recording first.")
    for shot in project.shots:
        if shot.footage not in recordings:
            path = project.footage_of(shot).path
            raise PlanError(f"{path.name} is not there (it was in {path.parent}); say where it is.")
    sources = tuple(recordings[shot.footage] for shot in project.shots)
    if project.settings.sound:
        _check_sound(project, sources[0])
    of_footage = {
        key: _recorded_edges(project.footage_named(key), recordings[key])
        for key in {shot.footage for shot in project.shots}
    }
    edges = tuple(of_footage[shot.footage] for shot in project.shots)
    timings = [_timing(project, *pair) for pair in enumerate(edges)]
    schedule = make_schedule(timings, project.rate, project.pace)
    size = result_size(sources[0].facts, project.settings)
    check_size(project.settings.format, size)
    return Plan(project, sources, edges, schedule, size)


def changed_on_disk(footage: Footage, rate: Fraction, length: Fraction) -> str:
    """The message for a recording that is not what it was; ``rate`` and ``length`` as it is now."""
    return (
        f"{footage.path.name} has changed: it is {format_time(length, 2)} at {format_rate(rate)} fps, "
        f"and was {format_time(footage.stored_length, 2)} at {format_rate(footage.stored_rate)} fps "
        "when the project was made. Say where the right file is, or take this one as it is."
    )


def _recorded_edges(footage: Footage, recording: Recording) -> Seconds:
    """When each recorded frame is on display; recorded seconds, shape (frames + 1,)."""
    return recording.index.edges if footage.scale == 1 else recording.index.edges * float(footage.scale)


def _timing(project: Project, number: int, edges: Seconds) -> ShotTiming:
    shot = project.shots[number]
    name = project.footage_of(shot).path.name
    if float(shot.out_point) > edges[-1] + SAME_TIME:
        raise PlanError(
            f"{name} is {format_time(edges[-1], 2)} long, but shot {number + 1} reaches to "
            f"{format_time(shot.out_point, 2)}. Move its out point, or say where the right file is."
        )
    return ShotTiming(shot.pace, edges, shot.in_point, shot.shutters, shot.backwards)


def _check_sound(project: Project, recording: Recording) -> None:
    if len(project.shots) > 1 or not keeps_pitch(project.shots[0]):
        raise PlanError("Sound is kept for a single shot at 1× only; choose no sound, or a speed of 1×.")
    if recording.facts.sound is None:
        raise PlanError(f"{recording.path.name} has no sound to keep.")
    if project.footage[0].scale != 1:
        raise PlanError("Sound cannot be kept with a capture rate; choose no sound.")


def keeps_pitch(shot: Shot) -> bool:
    """Whether the shot runs as it sounded: forwards at 1× throughout."""
    return not shot.backwards and all(passage.speed == 1 for passage in shot.passages)


def result_size(facts: Facts, settings: ResultSettings) -> Size:
    """Width and height of the result of a recording."""
    return settings.size.size((facts.width, facts.height), even=settings.format is ResultFormat.MP4)


def target_for(plan: Plan) -> Target:
    """The pixel formats and colour that a plan's format writes."""
    facts, stretch = plan.sources[0].facts, plan.settings.size.stretch
    if plan.settings.format is ResultFormat.MP4:
        matrix = facts.colour.matrix or _BT709
        studio = replace(facts.colour, matrix=matrix, full_range=False)
        return Target(plan.size, "yuv420p", "yuv420p", studio, stretch=stretch)
    one = _LOSSLESS_STANDINS.get(facts.pixel_format, facts.pixel_format)
    kinds = {(source.facts.pixel_format, source.facts.colour) for source in plan.sources}
    if one not in _LOSSLESS_FORMATS or len(kinds) > 1 or _has_means(plan.schedule):
        # Means are made in R′G′B′ and are finer than eight bits and 4:2:0 can say: kept as they are.
        full = replace(facts.colour, matrix=_RGB, full_range=True)
        return Target(plan.size, "gbrp12le", "gbrp12le", full, stretch=stretch)
    return Target(plan.size, one, one, facts.colour, stretch=stretch)


def pixel_format_for(plan: Plan) -> str:
    """The pixel format of the file; frames of one recorded frame and means share it."""
    target = target_for(plan)
    return target.mean_format if _has_means(plan.schedule) else target.one_format


def check_output(plan: Plan, output: Path, *, overwrite: bool) -> None:
    """Refuse an output name that would destroy something.

    Raises:
        ExportError: it is the recording itself, a folder, or a file that may not be overwritten.
    """
    if output.exists() and any(output.samefile(source.path) for source in plan.sources):
        raise ExportError(f"{output.name} is the recording itself; choose another name for the result.")
    if output.is_dir():
        raise ExportError(f"{output} is a folder; add a file name.")
    if output.exists() and not overwrite:
        raise ExportError(already_there(output))


def export(
    plan: Plan,
    output: Path,
    *,
    overwrite: bool = False,
    progress: Callable[[ExportProgress], None] | None = None,
) -> Finished:
    """Write the result under a temporary name, read it back, compare it with the plan, then name it.

    Args:
        plan: what to write.
        output: the final name.
        overwrite: whether a file of that name may be replaced.
        progress: called after each result frame; it may raise `Cancelled` to stop the work.

    Raises:
        ExportError: it could not be written, or what was written is not what was planned.
        FootageError: the recording can no longer be read.
        Cancelled: ``progress`` raised it. Nothing is left behind in any of these cases.
    """
    check_output(plan, output, overwrite=overwrite)
    return_large_blocks()
    with temporary_beside(output) as temporary:
        try:
            _write(plan, temporary, progress)
        except (av.FFmpegError, OSError) as error:
            raise ExportError(why_not_written(output, error)) from error
        _compare(plan, temporary, output)
        size = temporary.stat().st_size
        publish(temporary, output, overwrite=overwrite)
    return Finished(output, len(plan.schedule), plan.schedule.rate, plan.schedule.length, size)


def _write(plan: Plan, path: Path, progress: Callable[[ExportProgress], None] | None) -> None:
    target = target_for(plan)
    pixel_format = pixel_format_for(plan)
    facts = plan.sources[0].facts
    with ExitStack() as stack:
        layout: tuple[int, str] | None = None
        sound: Iterator[AudioFrame] = iter(())
        if plan.settings.sound and facts.sound:
            container = stack.enter_context(open_container(plan.sources[0].path))
            layout = (facts.sound.sample_rate, container.streams.audio[0].layout.name)
            sound = _sound(plan, container)
        encoder = stack.enter_context(
            Encoder(
                path,
                settings=plan.settings,
                size=plan.size,
                pixel_format=pixel_format,
                rate=plan.schedule.rate,
                colour=target.colour,
                sound=layout,
            )
        )
        frames = stack.enter_context(closing(result_frames(plan.sources, plan.schedule, target)))
        pace = _Pace(len(plan.schedule))
        for done in interleave(frames, sound, encoder):
            if progress:
                progress(pace.after(done))


def _sound(plan: Plan, container: av.container.InputContainer) -> Iterator[AudioFrame]:
    shot, recording = plan.project.shots[0], plan.sources[0]
    start = recording.index.start
    sample_format = SOUND_FORMATS[plan.settings.format]
    begin, end = start + shot.in_point, start + shot.out_point
    return excerpt(container, recording.path, begin, end, sample_format)


def _has_means(schedule: Schedule) -> bool:
    return len(schedule.frames) > len(schedule)


def _compare(plan: Plan, written: Path, output: Path) -> None:
    """Read the finished file's stamps: as many frames as planned, each at its time."""
    index = build_index(written)
    wish = plan.schedule
    if len(index) != len(wish):
        raise ExportError(
            f"{output.name} came out with {len(index)} frames instead of {len(wish)}; it was discarded."
        )
    times = np.arange(len(wish)) * wish.rate.denominator / wish.rate.numerator
    off = np.abs((index.stamps - index.stamps[0]) * float(index.time_base) - times).max()
    if off > float(index.time_base) + 1e-9:
        raise ExportError(f"{output.name} came out with frames {off:.3f} s off; it was discarded.")


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
