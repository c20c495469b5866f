"""An export from plan to finished, checked file."""

import time
from collections.abc import Callable, Iterator
from contextlib import ExitStack, closing
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
from av.audio.frame import AudioFrame

from chronoxis.core.errors import ExportError
from chronoxis.core.files.atomic import already_there, publish, temporary_beside, why_not_written
from chronoxis.core.footage.recording.frame_index import build_index
from chronoxis.core.render.chain import result_frames
from chronoxis.core.render.encoder import Encoder, interleave
from chronoxis.core.render.memory import return_large_blocks
from chronoxis.core.render.plan import Plan
from chronoxis.core.render.target import export_target


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


def check_output(plan: Plan, output: Path, *, overwrite: bool) -> None:
    """Refuse an output name that would destroy something.

    Raises:
        ExportError: it is the recording itself, a folder, or a file that may not be overwritten.
    """
    if output.exists() and any(
        output.samefile(file) for source in plan.sources for file in source.files if file.exists()
    ):
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
        frames = stack.enter_context(closing(result_frames(plan, target)))
        pace = _Pace(len(plan.schedule))
        for done in interleave(frames, sound, encoder):
            if progress:
                progress(pace.after(done))


def _sound(plan: Plan, stack: ExitStack) -> tuple[tuple[int, str] | None, Iterator[AudioFrame]]:
    """Sample rate, layout and samples of the kept sound; neither where there is none."""
    facts = plan.sources[0].facts
    if not plan.settings.sound or facts.sound is None:
        return None, iter(())
    shot, wanted = plan.project.shots[0], plan.settings.format.sound_format
    samples = stack.enter_context(plan.sources[0].sound_between(shot.in_point, shot.out_point, wanted))
    return (facts.sound.sample_rate, facts.sound.layout), samples


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
