"""`chronoxis watch`: whatever comes into a folder is condensed."""

import os
import signal
import threading
import time
from pathlib import Path
from typing import Any

import click
from watchfiles import watch as changes_in

from chronoxis.cli import SIGNALS
from chronoxis.cli.condensing_options import condensing_options
from chronoxis.cli.options import FILE, file_options
from chronoxis.cli.queue_command import wished_job
from chronoxis.cli.sound_options import as_meant
from chronoxis.core.errors import ChronoxisError
from chronoxis.core.queue.arrivals import Arrivals, CondensedBefore
from chronoxis.core.queue.export_queue import ExportQueue
from chronoxis.core.queue.jobs import JobState
from chronoxis.core.queue.runner import RunnerStarter
from chronoxis.core.readable import in_a_line

_LOOK_MS = 1000  # milliseconds after which it is looked again, whatever the system says of the folder


@click.command()
@click.argument("folder", metavar="FOLDER", type=FILE)
@condensing_options
@file_options
@click.option("--existing", is_flag=True, help="Condense what is in FOLDER already, too.")
@click.pass_context
def watch(context: click.Context, /, folder: Path, existing: bool, **options: Any) -> None:
    """Condense what comes into a folder, once it has stopped growing, and only once.

    OUT is a name with {name} in it, and perhaps {speed}, such as results/{name}-{speed}.mp4. It goes on until
    Ctrl+C; exports that wait then are still made.
    """
    options = as_meant(options)
    if "{name}" not in options["output"].name:
        raise click.UsageError("OUT needs {name} in it, such as results/{name}-short.mp4.")
    if not folder.is_dir():
        raise ChronoxisError(f"{folder} is not a folder.")
    ended = threading.Event()
    for number in SIGNALS:
        signal.signal(number, lambda *_: ended.set())
    _Watch(context, folder, options).go_on(Arrivals(folder, existing=existing), ended)


class _Watch:
    """Puts what arrives into the queue, and says what becomes of it."""

    def __init__(self, context: click.Context, folder: Path, options: dict[str, Any]) -> None:
        self._context, self._folder, self._options = context, folder, options
        self._queue, self._before = ExportQueue(), CondensedBefore()
        self._starter, self._under_way = RunnerStarter(), dict[int, Path]()

    def go_on(self, arrivals: Arrivals, ended: threading.Event) -> None:
        """Watch until somebody ends it."""
        click.echo(in_a_line(f"Watching {self._folder}; Ctrl+C ends that."))
        for _ in changes_in(
            self._folder,
            stop_event=ended,
            rust_timeout=_LOOK_MS,
            yield_on_timeout=True,
            raise_interrupt=False,
        ):
            try:
                arrived = arrivals.settled(time.monotonic())
            except OSError as error:
                raise ChronoxisError(f"{self._folder} can no longer be read: {error.strerror}.") from error
            for path in arrived:
                self._take(path)
            self._tell_ends()
        if self._under_way:
            click.echo(f"Ended; {len(self._under_way)} exports go on in the queue.")

    def _take(self, path: Path) -> None:
        """Let one be condensed, unless it was before."""
        try:
            plan, output = wished_job(self._context, path, self._options)
            if not self._before.take(path, os.fsencode(self._options["output"].absolute()).hex()):
                self._say(path, "was condensed before")
                return
            number = self._queue.add(
                plan.project, output, overwrite=self._options["overwrite"], name=path.stem
            )
        except ChronoxisError as error:
            self._say(path, str(error))
            return
        self._under_way[number] = path
        self._say(path, f"into {output}, {len(plan.schedule)} frames")

    def _tell_ends(self) -> None:
        """Say what has ended meanwhile, and see to it that the rest goes on."""
        jobs = {job.id: job for job in self._queue.jobs()}
        for number, path in list(self._under_way.items()):
            job = jobs.get(number)
            if job is None or not job.is_open:
                del self._under_way[number]
                if job is not None:
                    self._say(path, "done" if job.state is JobState.DONE else job.why)
        if any(jobs[number].goes_on for number in self._under_way):
            self._starter.see_to_one(self._queue.file)

    def _say(self, path: Path, words: str) -> None:
        click.echo(in_a_line(f"{path.name}: {words}"))
