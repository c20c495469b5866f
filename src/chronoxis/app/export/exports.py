"""The queue of exports as the window has it: asked and told beside the interface thread."""

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

from PySide6.QtCore import QObject, QTimer, Signal

from chronoxis.app.workers import QueueWorker
from chronoxis.core.cluster.machines import Machines
from chronoxis.core.model.project import Project
from chronoxis.core.queue.export_queue import ExportQueue
from chronoxis.core.queue.jobs import Job, JobState
from chronoxis.core.queue.runner import RunnerStarter, is_running

_LOOK_MS = 400  # milliseconds between two looks while an export goes on
_IDLE_MS = 3000  # while none does: another window, or a command, may add one
_PATIENCE = 10.0  # seconds after which a disk that does not answer keeps nothing else waiting

Act = Callable[[ExportQueue], object]


class Exports(QObject):
    """All exports, of this window and others; the runner works them off in a process of its own.

    Attributes:
        jobs: as they stand, in their order.
        rest: whether some are left unfinished, and nobody works at them.

    Signals:
        changed: they stand otherwise.
        ended: one that was added here is done, or has failed.
        interrupted: so many were left unfinished, and nobody works at them.
        failed: a message for the person.
        project_told: what one exports, as it was wished.
        missing_told: number of one, and the footage of it that is not there.
    """

    changed = Signal()
    ended = Signal(object)
    interrupted = Signal(int)
    failed = Signal(str)
    project_told = Signal(object)
    missing_told = Signal(int, object)

    def __init__(self) -> None:
        super().__init__()
        self.jobs: list[Job] = []
        self.rest = False
        self._queue: ExportQueue | None = None
        self._starter = RunnerStarter()
        self._own: set[int] = set()  # added here, and not ended yet
        self._starts = False  # whether runners are started where one is missing
        self._was_asked = False  # whether it was told that exports were interrupted
        self._worker = QueueWorker(self._work, "exports", patience=_PATIENCE)
        self._worker.done.connect(self._take)
        self._worker.failed.connect(self._fail)
        self._timer = QTimer(self, singleShot=True, interval=_LOOK_MS)
        self._timer.timeout.connect(self._look)
        self._look()

    def add(
        self,
        project: Project,
        output: Path,
        *,
        overwrite: bool,
        expected: float | None,
        machines: Machines | None = None,
    ) -> None:
        """Put an export at the end, and see to it that somebody works at it."""
        self._starts = True

        def put(queue: ExportQueue) -> None:
            number = queue.add(project, output, overwrite=overwrite, expected=expected, machines=machines)
            self._own.add(number)

        self._worker.ask(put)

    def go_on_with_all(self) -> None:
        """Have what was interrupted worked at."""
        self._starts = True
        self._look()

    def pause(self, number: int) -> None:
        """Pause an export."""
        self._worker.ask(lambda queue: queue.pause(number))

    def go_on(self, number: int) -> None:
        """Let one go on that rests, or failed."""
        self._starts = True
        self._own.add(number)
        self._worker.ask(lambda queue: queue.go_on(number))

    def to_top(self, number: int) -> None:
        """Have an export made before all that wait."""
        self._worker.ask(lambda queue: queue.to_top(number))

    def cancel(self, number: int) -> None:
        """Take one out, and what is made of it away; a result that is done stays."""
        self._own.discard(number)
        self._worker.ask(lambda queue: queue.cancel(number))

    def clear(self) -> None:
        """Take all that is done off the list."""
        self._worker.ask(lambda queue: queue.clear())

    def tell_project(self, number: int) -> None:
        """Have `project_told` say what one exports."""
        self._worker.ask(lambda queue: self.project_told.emit(queue.project(number)))

    def tell_missing(self, number: int) -> None:
        """Have `missing_told` say which footage of one is not there."""
        self._worker.ask(lambda queue: self.missing_told.emit(number, queue.missing(number)))

    def locate(self, number: int, was: Path, now: Path) -> None:
        """Let one go on with footage that was moved; what else it lacks is looked for beside that."""

        def put(queue: ExportQueue) -> None:
            queue.locate(number, was, now)
            for other in queue.missing(number):
                if (beside := now.with_name(other.name)).exists():
                    queue.locate(number, other, beside)

        self._worker.ask(put)
        self.go_on(number)

    @property
    def going_on(self) -> list[Job]:
        """The exports that wait or are under way."""
        return [job for job in self.jobs if job.goes_on]

    def close_workers(self) -> None:
        """Ask nothing more; exports go on."""
        self._timer.stop()
        self._worker.close()

    def _look(self) -> None:
        self._worker.ask(lambda _queue: None)

    def _work(self, act: Act) -> tuple[list[Job], str, bool]:
        """Do something with the queue; all jobs then, what is to be said, and whether a runner is there."""
        said = ""
        if self._queue is None:
            self._queue = ExportQueue()
            said = self._queue.caution
        act(self._queue)
        jobs = self._queue.jobs()
        runs = is_running(self._queue.file)
        if self._starts and any(job.goes_on for job in jobs):
            self._starter.see_to_one(self._queue.file)
        return jobs, said, runs

    def _take(self, _act: Act, told: tuple[list[Job], str, bool]) -> None:
        jobs, said, runs = told
        if said:
            self.failed.emit(said)
        left = sum(job.goes_on for job in jobs)
        rest = bool(left) and not runs and not self._starts
        if rest and not self._was_asked:
            self.interrupted.emit(left)
        self._was_asked = True
        if rest:
            jobs = [_left(job) for job in jobs]
        if (jobs, rest) != (self.jobs, self.rest):
            self.jobs, self.rest = jobs, rest
            self.changed.emit()
        for job in jobs:
            if job.id in self._own and job.state in (JobState.DONE, JobState.FAILED):
                self._own.discard(job.id)
                self.ended.emit(job)
        self._timer.start(_LOOK_MS if left else _IDLE_MS)

    def _fail(self, _act: Act, message: str) -> None:
        self.failed.emit(message)
        self._timer.start(_IDLE_MS)


def _left(job: Job) -> Job:
    """A job as it stands when nobody is at it, whatever was noted last."""
    return replace(job, state=JobState.WAITING) if job.state is JobState.UNDER_WAY else job
