"""The runner: a process of its own that works off the queue of exports, and ends when nothing is left.

There is one at most, which holds a lock. It may be killed at any moment: what is whole of a result stays, and
the next runner goes on with it.
"""

import errno
import os
import shutil
import signal
import subprocess
import sys
import threading
import time
from collections.abc import Iterator, Mapping
from contextlib import ExitStack, contextmanager, suppress
from pathlib import Path
from typing import Any

import cv2
import numpy as np

from chronoxis.core.cluster.machines import ClusterError
from chronoxis.core.cluster.making import making
from chronoxis.core.errors import Cancelled, ChronoxisError
from chronoxis.core.files.atomic import discard_pieces, is_locked_elsewhere, pieces_folder, sweep_unfinished
from chronoxis.core.files.log_file import keep_log
from chronoxis.core.model.project import Project
from chronoxis.core.queue.export_queue import ExportQueue, QueueError
from chronoxis.core.queue.jobs import Job, JobState
from chronoxis.core.render.chain import result_frames
from chronoxis.core.render.estimate import estimate
from chronoxis.core.render.export import ExportProgress, export
from chronoxis.core.render.opened_project import planned
from chronoxis.core.render.piece_making import MakePieces, make_pieces
from chronoxis.core.render.plan import Plan
from chronoxis.core.render.read_back import bytes_of
from chronoxis.core.render.result_place import result_place
from chronoxis.core.render.target import preview_target

_NICENESS = 10
_LOOK_SECONDS = 0.3  # between two looks at how a job stands, and words on how far it is
_ROOM_SECONDS = 5.0  # between two looks whether there is room again
_LOCK_SECONDS = 0.5  # for which it is tried to be the one runner: whoever only asks holds the lock briefly
_MOST_TRIES = 10  # without a frame in between, before a job is given up
_LEAST_ROOM = 200_000_000  # bytes
_SCARCE_BYTES = 10_000_000_000  # bytes of free disk, below which it is estimated whether they suffice
_PICTURE_HEIGHT = 108  # pixels
_MOST_REMARKS = 3  # that are shown of one export at a time
_OF_ROOM = (errno.ENOSPC, errno.EDQUOT)


class Runner:
    """Works off one queue."""

    def __init__(self, file: Path | None = None) -> None:
        """That of the person, unless a file is given. Raises QueueError."""
        self._queue = ExportQueue(file)
        self._stopped = threading.Event()

    def stop(self) -> None:
        """Leave what is under way as it is, and end."""
        self._stopped.set()

    def run(self) -> bool:
        """Work until nothing is left, or somebody stops it; whether nobody else was at it.

        Raises:
            QueueError: the queue cannot be used.
        """
        was_alone = False
        while not self._stopped.is_set() and self._is_needed():
            with _lock(self._queue.file) as alone:
                if not alone:
                    return was_alone
                was_alone = True
                self._work_off()
        return was_alone

    def _is_needed(self) -> bool:
        return any(job.goes_on for job in self._queue.jobs())

    def _work_off(self) -> None:
        while not self._stopped.is_set():
            job = self._queue.take()
            if job is not None:
                self._work_at(job)
            elif any(job.needs for job in self._queue.jobs()):
                self._stopped.wait(_ROOM_SECONDS)
                self._look_for_room()
            else:
                return

    def _look_for_room(self) -> None:
        for job in self._queue.jobs():
            if job.state is JobState.PAUSED and job.needs and _room_beside(job.output) >= job.needs:
                with suppress(QueueError):  # somebody else has just let it go on
                    self._queue.go_on(job.id)

    def _work_at(self, job: Job) -> None:
        if job.tries > _MOST_TRIES:
            self._queue.fail(job.id, f"It was begun {_MOST_TRIES} times, and ended each time without a word.")
            return
        try:
            project = self._queue.project(job.id)
            place = result_place(job.output, project.settings.format).path
        except ChronoxisError as error:
            self._queue.fail(job.id, str(error))
            return
        watch = _Watch(self._queue.file, job, self._stopped)
        try:
            outcome = self._exported(job, project, place, watch)
        except Cancelled:
            watch.close()
            if watch.state is None:
                discard_pieces(place)
            self._queue.give_back(job.id)
        except (ChronoxisError, OSError, MemoryError) as error:
            watch.close()
            self._put_down(job, error)
        else:
            watch.close()
            self._queue.end(job.id, outcome)

    def _exported(self, job: Job, project: Project, place: Path, watch: "_Watch") -> Mapping[str, Any]:
        """What came out, as it is kept. Raises what `planned` and `export` do."""
        if (outcome := self._queue.named(job.id, place)) is not None:
            discard_pieces(
                place
            )  # a kill came after it got its name: before they went, or before this was noted
            return outcome
        plan = planned(project, watch.measured)
        watch.total = len(plan.schedule)
        self._queue.note_picture(job.id, _small_picture(plan))
        _check_room(place, plan, watch)
        with self._making(job) as make:
            done = export(
                plan,
                job.output,
                overwrite=job.overwrite,
                resume=True,
                progress=watch.progressed,
                check=watch.check,
                naming=lambda path, done: self._queue.note_naming(job.id, path, done.as_json()),
                make=make,
            )
        return done.as_json()

    @contextmanager
    def _making(self, job: Job) -> Iterator[MakePieces]:
        """By the machines that were wished for, or here where those cannot be reached."""
        said: list[str] = []

        def told(line: str) -> None:
            said.append(line)
            self._queue.remark(job.id, " ".join(said[-_MOST_REMARKS:]))

        with ExitStack() as stack:
            try:
                make = stack.enter_context(making(job.machines, told))
            except ClusterError as error:
                told(f"{error} The export goes on here.")
                make = make_pieces
            yield make

    def _put_down(self, job: Job, error: Exception) -> None:
        """Note why a job cannot go on: until there is room, or until somebody does something about it."""
        needs = _room_needed(job, error)
        if needs:
            words = (
                f"The disk of {job.output.parent} is full; it goes on once {needs / 1e6:,.0f} MB are free."
            )
            self._queue.hold(job.id, words, needs)
            return
        why = str(error) or type(error).__name__
        self._queue.fail(
            job.id, "There is not enough memory for it." if isinstance(error, MemoryError) else why
        )


class _NoRoomError(OSError):
    """A result does not fit where it is to go.

    Attributes:
        needs: bytes that have to be free.
    """

    def __init__(self, needs: int) -> None:
        super().__init__(errno.ENOSPC, os.strerror(errno.ENOSPC))
        self.needs = needs


class _Watch:
    """Tells the queue how far a job is, and finds out whether it is still wanted."""

    def __init__(self, file: Path, job: Job, stopped: threading.Event) -> None:
        self._file, self._job, self._stopped = file, job, stopped
        self._now = ExportProgress(job.done, job.total, 0.0, 0.0)
        self._is_open = True
        self.state: JobState | None = JobState.UNDER_WAY
        self.total = job.total
        self.given_up = threading.Event()
        self._thread = threading.Thread(target=self._look, name="queue", daemon=True)
        self._thread.start()

    def check(self) -> None:
        """Raises Cancelled if the job is no longer to be worked at."""
        if self.given_up.is_set() or self._stopped.is_set():
            raise Cancelled

    def measured(self, _label: str, _share: float) -> None:
        """Footage is being measured. Raises Cancelled as above."""
        self.check()

    def progressed(self, now: ExportProgress) -> None:
        """It is so far. Raises Cancelled as above."""
        self._now = now
        self.check()

    def close(self) -> None:
        """Say how far it was in the end."""
        self._is_open = False
        self._thread.join()

    def _look(self) -> None:
        queue = ExportQueue(self._file)
        try:
            while self._is_open:
                now = self._now
                left = now.seconds_left if now.rate else None
                with suppress(QueueError):  # another process writes for long: told the next time
                    self.state = queue.note(self._job.id, now.done, self.total, now.rate, left)
                    if self.state is not JobState.UNDER_WAY:
                        self.given_up.set()
                time.sleep(_LOOK_SECONDS)
        finally:
            queue.close()


@contextmanager
def _lock(file: Path, patience: float = _LOCK_SECONDS) -> Iterator[bool]:
    """Be the one runner of a queue; whether nobody else is."""
    end = time.monotonic() + patience
    with file.with_name(f"{file.name}.lock").open("w") as lock:
        while is_locked_elsewhere(lock.fileno()):
            if time.monotonic() > end:
                yield False
                return
            time.sleep(_LOCK_SECONDS / 10)
        yield True


def is_running(file: Path) -> bool:
    """Whether a runner works off a queue."""
    with _lock(file, patience=0) as alone:
        return not alone


class RunnerStarter:
    """Starts a runner where one is missing, and no second one while the first is on its way to the queue."""

    def __init__(self) -> None:
        self._started: subprocess.Popen[bytes] | None = None

    def see_to_one(self, file: Path) -> None:
        """See to it that a queue is worked off."""
        if (self._started is None or self._started.poll() is not None) and not is_running(file):
            self._started = start_runner(file)


def start_runner(file: Path | None = None) -> subprocess.Popen[bytes]:
    """Start a runner that goes on when whoever started it has ended; if there is one, it ends at once."""
    command = [sys.executable, "-m", "chronoxis.core.queue.runner", *([str(file)] if file else [])]
    nothing = subprocess.DEVNULL
    return subprocess.Popen(
        command, stdin=nothing, stdout=nothing, stderr=nothing, cwd="/", start_new_session=True
    )


def _small_picture(plan: Plan) -> bytes:
    """The frame in the middle, as JPEG."""
    middle = np.array([len(plan.schedule) // 2])
    (frame,) = result_frames(plan, preview_target(plan, _PICTURE_HEIGHT), numbers=middle)
    return cv2.imencode(".jpg", cv2.cvtColor(frame.to_ndarray(), cv2.COLOR_RGB2BGR))[1].tobytes()


def _check_room(place: Path, plan: Plan, watch: _Watch) -> None:
    """Raises OSError if the result, and the pieces that it is put together from, will not fit beside it."""
    if (free := _room_beside(place)) >= _SCARCE_BYTES:
        return
    there = _bytes_in(pieces_folder(place))
    expected = estimate(plan, lambda: not watch.given_up.is_set())
    watch.check()
    if expected is not None and free + there < (needed := 2 * expected.size):
        raise _NoRoomError(max(needed - there, 1))


def _room_beside(output: Path) -> int:
    try:
        return shutil.disk_usage(output.parent).free
    except OSError:
        return sys.maxsize  # what is wrong there, the export says better


def _room_needed(job: Job, error: Exception) -> int:
    """Bytes that have to be free before a job can go on that found too few of them; 0 if it did not."""
    cause = error.__cause__ if isinstance(error, ChronoxisError) else error
    if getattr(cause, "errno", None) not in _OF_ROOM:
        return 0
    if isinstance(cause, _NoRoomError):
        return cause.needs
    return max(_LEAST_ROOM, _room_beside(job.output) + _LEAST_ROOM)


def _bytes_in(folder: Path) -> int:
    with suppress(OSError):
        return sum(bytes_of(path) for path in folder.iterdir())
    return 0


def main(arguments: list[str]) -> int:
    """Work off the queue of the person, or of a file that is named."""
    os.nice(_NICENESS)
    keep_log()
    sweep_unfinished()
    runner = Runner(Path(arguments[0]) if arguments else None)
    for number in (signal.SIGTERM, signal.SIGINT, signal.SIGHUP):
        signal.signal(number, lambda *_: runner.stop())
    runner.run()
    return 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
