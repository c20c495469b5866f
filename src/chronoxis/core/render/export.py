"""An export from plan to finished, checked file."""

import errno
import time
from collections.abc import Callable, Iterable, Sequence
from contextlib import nullcontext
from dataclasses import dataclass, replace
from fractions import Fraction
from pathlib import Path
from typing import Any

import av

from chronoxis.core.errors import ExportError
from chronoxis.core.files.atomic import (
    pieces_beside,
    publish,
    publish_folder,
    temporary_beside,
    why_not_written,
    write_whole,
)
from chronoxis.core.files.outputs import check_output
from chronoxis.core.footage.prefetch import Check, never
from chronoxis.core.footage.source import Source
from chronoxis.core.model.project import Project
from chronoxis.core.render.credits import credits_beside, credits_text, metadata_of
from chronoxis.core.render.held_places import held_remark, silenced_remark
from chronoxis.core.render.in_pieces import write_in_pieces
from chronoxis.core.render.memory import return_large_blocks
from chronoxis.core.render.piece_making import MakePieces, PieceWork, make_pieces
from chronoxis.core.render.pieces import Piece, PieceFolder, StandIns, pieces_of
from chronoxis.core.render.plan import Plan
from chronoxis.core.render.read_back import bytes_of, compare_with_plan
from chronoxis.core.render.result_place import ResultPlace, result_place
from chronoxis.core.render.target import Target, export_target
from chronoxis.core.render.undivided import write_undivided
from chronoxis.core.render.writing import Writing

_MOST_TRIES = 4
_NEXT_TRY_SHARE = 0.94  # of what would fit exactly, for the next try
_FOR_FRAMES = 0.97  # of a file, beside what it says about itself


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
        return " ".join(filter(None, (held_remark(self.held), silenced_remark(self.silenced))))

    def as_json(self) -> dict[str, Any]:
        """The same for a program."""
        return {
            "output": str(self.path),
            "frames": self.frames,
            "rate": str(self.rate),
            "length": float(self.length),
            "size": self.size,
            "held": list(self.held),
            "remark": self.remark,
        }


_OF_THE_DISK = frozenset(
    (errno.ENOSPC, errno.EDQUOT, errno.EFBIG, errno.EROFS, errno.EIO, errno.ENOENT, errno.ENOTDIR)
)


def protected_files(project: Project, sources: Iterable[Source] = ()) -> set[Path]:
    """The files that no export may replace: all footage of a project, whether a shot uses it or not."""
    of_project = {file for footage in project.footage for file in footage.files}
    return of_project | {file for source in sources for file in source.files}


def export(
    plan: Plan,
    output: Path,
    *,
    overwrite: bool = False,
    resume: bool = False,
    progress: Callable[[ExportProgress], None] | None = None,
    check: Check = never,
    naming: Callable[[Path, Finished], None] = lambda _unnamed, _done: None,
    make: MakePieces = make_pieces,
) -> Finished:
    """Write the result under a temporary name, read it back, compare it with the plan, then name it.

    Longer results are made in pieces, in a hidden folder beside the name; a kill leaves them there.

    Args:
        plan: what to write.
        output: the final name; for stills a folder, or a pattern such as ``dawn/%05d.png``.
        overwrite: whether a file of that name may be replaced.
        resume: whether pieces are taken that were made before, and left where this is interrupted.
        progress: called after each result frame.
        check: called after each recorded frame; either may raise `Cancelled` to stop the work.
        naming: called with what is whole and checked, right before that gets its name.
        make: makes the pieces, where there are several.

    Raises:
        ExportError: it could not be written, or what was written is not what was planned.
        FootageError: the recording can no longer be read.
        Cancelled: ``progress`` raised it. In any of these cases nothing is left behind but, if ``resume``
            says so, pieces.
    """
    place = result_place(output, plan.settings.format)
    protects = protected_files(plan.project, plan.sources)
    check_output(place.path, protects=protects, overwrite=overwrite, folder=place.is_folder)
    credits_ = None
    if plan.settings.credits and plan.has_sound and plan.sound.music:
        credits_ = credits_beside(place.path)
    if credits_ is not None:
        check_output(credits_, protects=protects, overwrite=overwrite)
    return_large_blocks()
    pieces = pieces_of(plan)
    beside = pieces_beside(place.path, keep=resume) if len(pieces) > 1 else nullcontext(place.path)
    with beside as folder, temporary_beside(place.path, folder=place.is_folder) as temporary:
        try:
            stand_ins = _written_within(plan, pieces, temporary, place, folder, progress, check, make)
        except av.FFmpegError as error:
            raise ExportError(_why_given_up(place.path, error)) from error
        except OSError as error:
            raise ExportError(why_not_written(place.path, error)) from error
        compare_with_plan(plan, temporary, place.path.name)
        done = _finished(plan, place.path, bytes_of(temporary), stand_ins, credits_)
        naming(temporary, done)
        (publish_folder if place.is_folder else publish)(temporary, place.path, overwrite=overwrite)
    if credits_ is not None:
        write_whole(credits_, credits_text(plan.project).encode())
    return done


def _finished(plan: Plan, path: Path, size: int, stand_ins: StandIns, credits_: Path | None) -> Finished:
    wish = plan.schedule
    return Finished(
        path, len(wish), wish.rate, wish.length, size, stand_ins.held, stand_ins.silenced, credits_
    )


def _why_given_up(path: Path, error: av.FFmpegError) -> str:
    """Of the media library's errors, those of the disk are told apart from its own, with borrowed numbers."""
    if error.errno in _OF_THE_DISK:
        return why_not_written(path, error)
    said = (error.strerror or str(error)).rstrip(".")
    return f"{path.name} was not written: the media library gave up ({said}); try another format or size."


def _written_within(
    plan: Plan,
    pieces: Sequence[Piece],
    path: Path,
    place: ResultPlace,
    folder: Path,
    progress: Callable[[ExportProgress], None] | None,
    check: Check,
    make: MakePieces,
) -> StandIns:
    """Write all of it; once more, where it comes out larger than it may be."""
    limit = plan.settings.at_most
    most = most_bitrate(plan)
    target = export_target(plan)
    writing = replace(writing_of(plan, target), name=place.name)
    for _ in range(_MOST_TRIES):
        writing, pace = replace(writing, most=most), _Pace(len(plan.schedule))

        def made(count: int, pace: _Pace = pace) -> None:
            if progress is not None:
                progress(pace.after(count))

        if len(pieces) > 1:
            kept = PieceFolder(folder, "" if place.is_folder else writing.format.ending)
            work = PieceWork.of(plan, target, writing, pieces, kept)
            told = write_in_pieces(work, path, made, check, make)
        else:
            told = write_undivided(plan, target, writing, path, made, check)
        size = bytes_of(path)
        if limit is None or most is None or size <= limit:
            return told
        most = round(most * limit / size * _NEXT_TRY_SHARE)
    wish = f"{(limit or 0) / 1e6:.6g} MB"
    raise ExportError(f"{place.path.name} cannot be held to {wish}; choose a smaller picture.")


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


class _Pace:
    """Frames per second over the last few seconds, and what that means for the rest."""

    _WINDOW = 5.0

    def __init__(self, total: int) -> None:
        self._total, self._begun = total, time.monotonic()
        self._marks: list[tuple[float, int]] = []

    def after(self, done: int) -> ExportProgress:
        now = time.monotonic()
        if not self._marks:
            self._marks.append((self._begun, done - 1))  # of an export that is gone on with, some were there
        self._marks.append((now, done))
        while len(self._marks) > 2 and now - self._marks[1][0] > self._WINDOW:
            self._marks.pop(0)
        then, before = self._marks[0]
        rate = (done - before) / max(now - then, 1e-6)
        return ExportProgress(done, self._total, rate, (self._total - done) / max(rate, 1e-6))
