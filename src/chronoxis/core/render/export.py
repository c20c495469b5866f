"""An export from plan to finished, checked file."""

import time
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from contextlib import ExitStack, closing
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path

import av
import numpy as np

from chronoxis.core.errors import ExportError
from chronoxis.core.files.atomic import publish, temporary_beside, why_not_written
from chronoxis.core.files.outputs import check_output
from chronoxis.core.footage.recording.frame_index import build_index
from chronoxis.core.footage.source import Source
from chronoxis.core.model.project import Project
from chronoxis.core.render.chain import result_frames
from chronoxis.core.render.encoder import Encoder, interleave
from chronoxis.core.render.memory import return_large_blocks
from chronoxis.core.render.plan import Plan
from chronoxis.core.render.target import export_target
from chronoxis.core.sound.excerpt import Samples
from chronoxis.core.timing.timecode import format_time

_MOST_LISTED = 5


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
        output: the final name.
        overwrite: whether a file of that name may be replaced.
        progress: called after each result frame.
        check: called after each recorded frame; either may raise `Cancelled` to stop the work.

    Raises:
        ExportError: it could not be written, or what was written is not what was planned.
        FootageError: the recording can no longer be read.
        Cancelled: ``progress`` raised it. Nothing is left behind in any of these cases.
    """
    check_output(output, protects=protected_files(plan.project, plan.sources), overwrite=overwrite)
    return_large_blocks()
    with temporary_beside(output) as temporary:
        try:
            held = _write(plan, temporary, progress, check)
        except (av.FFmpegError, OSError) as error:
            raise ExportError(why_not_written(output, error)) from error
        _compare(plan, temporary, output)
        size = temporary.stat().st_size
        publish(temporary, output, overwrite=overwrite)
    return Finished(output, len(plan.schedule), plan.schedule.rate, plan.schedule.length, size, held)


def _write(
    plan: Plan,
    path: Path,
    progress: Callable[[ExportProgress], None] | None,
    check: Callable[[], None],
) -> tuple[str, ...]:
    """Write all of it, and return where recorded frames could not be decoded."""
    held: dict[int, set[int]] = {}
    target = export_target(plan)
    with ExitStack() as stack:
        layout, sound = _sound(plan, stack)
        encoder = stack.enter_context(
            Encoder(
                path,
                format_=plan.settings.format,
                quality=plan.settings.quality,
                size=plan.size,
                pixel_format=target.pixel_format,
                rate=plan.schedule.rate,
                colour=target.colour,
                sound=layout,
            )
        )
        frames = stack.enter_context(closing(result_frames(plan, target, check=check, held=held)))
        pace = _Pace(len(plan.schedule))
        for done in interleave(frames, sound, encoder):
            if progress:
                progress(pace.after(done))
    return held_places(plan, held)


def _sound(plan: Plan, stack: ExitStack) -> tuple[tuple[int, str] | None, Iterator[Samples]]:
    """Sample rate, layout and samples of the kept sound; neither where there is none."""
    sound = plan.sources[0].facts.sound
    if not plan.settings.sound or sound is None:
        return None, iter(())
    shot, terms = plan.project.shots[0], plan.settings.format.sound_terms(sound.sample_rate, sound.layout)
    samples = plan.sources[0].sound_between(shot.in_point, shot.out_point, *terms)
    return terms, stack.enter_context(samples)


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
