"""`chronoxis queue`: exports that wait for their turn, and go on without anybody."""

import json
import signal
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import click

from chronoxis.cli import SIGNALS
from chronoxis.cli.condensing_options import condensing_options
from chronoxis.cli.exporting import begun, wished_result
from chronoxis.cli.machine_options import machine_options, machines_of
from chronoxis.cli.options import FILE, file_options
from chronoxis.cli.project_options import FOR_PROJECTS, refuse_for_projects
from chronoxis.cli.sound_options import as_meant
from chronoxis.cli.wished_plan import plan_of_footage, plan_of_project
from chronoxis.core.errors import ExportError
from chronoxis.core.files import endings
from chronoxis.core.files.project_file import load_project
from chronoxis.core.queue.export_queue import ExportQueue
from chronoxis.core.queue.jobs import Job, JobState
from chronoxis.core.queue.runner import Runner, start_runner
from chronoxis.core.readable import in_a_line
from chronoxis.core.render.plan import Plan
from chronoxis.core.render.treated_alike import mean_speed, speed_in_name
from chronoxis.core.timing.timecode import format_time

_OF_PROJECTS = {*FOR_PROJECTS, "inputs", "output", "format_key", "size", "stretch", "quality", "bitrate"}
_OF_PROJECTS |= {"scheduler", "workers", "moved", "tls_ca_file", "tls_cert", "tls_key", "insecure"}
_OF_PROJECTS |= {"at_most", "credits", "overwrite"}
_NUMBER = click.argument("number", type=int, metavar="ID")


@click.group()
def queue() -> None:
    """Exports that wait for their turn, one after another, without a window.

    They go on after this command has ended, and after a kill or a power cut once anything of Chronoxis is
    started again.
    """


@contextmanager
def _opened() -> Iterator[ExportQueue]:
    opened = ExportQueue()
    try:
        if opened.caution:
            click.echo(opened.caution, err=True)
        yield opened
    finally:
        opened.close()


@queue.command()
@click.argument("inputs", metavar="INPUT...", type=FILE, nargs=-1, required=True)
@condensing_options
@file_options
@machine_options
@click.pass_context
def add(context: click.Context, /, inputs: tuple[Path, ...], **options: Any) -> None:
    """Let recordings, folders of photos or projects wait to be exported, each with the same choices.

    OUT may have {name} in it, for that of INPUT, and {speed}; of several INPUTs it must have {name}.
    """
    options = as_meant(options)
    if len(inputs) > 1 and "{name}" not in options["output"].name:
        raise click.UsageError("Of several INPUTs, OUT needs {name} in it, such as {name}-short.mp4.")
    machines = machines_of(options)
    with _opened() as opened:
        for path in inputs:
            plan, output = wished_job(context, path, options)
            number = opened.add(
                plan.project, output, overwrite=options["overwrite"], name=path.stem, machines=machines
            )
            length = format_time(plan.schedule.length, 2)
            click.echo(in_a_line(f"{number}: {output}, {len(plan.schedule)} frames, {length}"))
    start_runner()


def wished_job(context: click.Context, path: Path, options: dict[str, Any]) -> tuple[Plan, Path]:
    """The plan of one input, and where its result goes.

    Raises:
        UsageError, ChronoxisError: as for `chronoxis condense` and `chronoxis render`.
    """
    named = {**options, "output": _named(options["output"], path, "{speed}")}
    if path.suffix.lower() == endings.PROJECT:
        refuse_for_projects(context, _OF_PROJECTS)
        loaded = load_project(path)
        plan = wished_result(
            path, named, lambda: loaded, lambda project: plan_of_project(project, options["fps"], options)
        )
    else:
        plan = wished_result(
            path, named, lambda: begun(options), lambda p: plan_of_footage(path, p.settings, options)
        )
    output = _named(options["output"], path, speed_in_name(mean_speed(plan.project)))
    if not output.absolute().parent.is_dir():
        raise ExportError(f"The folder {output.absolute().parent} is not there; make it.")
    return plan, output


def _named(pattern: Path, path: Path, speed: str) -> Path:
    return pattern.with_name(pattern.name.replace("{name}", path.stem).replace("{speed}", speed))


@queue.command("list")
@click.option("--json", "as_json", is_flag=True, help="For a program to read.")
def list_(as_json: bool) -> None:
    """List all exports, in their order."""
    with _opened() as opened:
        jobs = opened.jobs()
    if as_json:
        click.echo(json.dumps([_told(job) for job in jobs], indent=1))
        return
    for job in jobs:
        click.echo(in_a_line(f"{job.id:4}  {job.state:9}  {_how_far(job):24}  {job.output}"))
        if job.why:
            click.echo(in_a_line(f"      {job.why}"))
    if not jobs:
        click.echo("Nothing is in the queue; chronoxis queue add lets exports wait.")


def _told(job: Job) -> dict[str, Any]:
    figures = {"done": job.done, "total": job.total, "rate": job.rate, "seconds_left": job.seconds_left}
    outcome = dict(job.outcome) if job.state is JobState.DONE else None
    place = str(job.output)
    words = {"id": job.id, "state": str(job.state), "why": job.why, "name": job.name, "output": place}
    return {
        **words,
        **figures,
        "made": "" if job.machines is None else job.machines.in_words,
        "outcome": outcome,
    }


def _how_far(job: Job) -> str:
    if job.state is JobState.DONE:
        return f"{job.total} frames"
    if not job.total:
        return ""
    left = (
        f", {format_time(job.seconds_left, 0)} left" if job.seconds_left is not None and _works(job) else ""
    )
    return f"{job.done} of {job.total}{left}"


def _works(job: Job) -> bool:
    return job.state is JobState.UNDER_WAY


@queue.command()
def run() -> None:
    """Work off the queue here and now, until nothing is left; unless it is worked off already."""
    runner = Runner()
    for number in SIGNALS:
        signal.signal(number, lambda *_: runner.stop())
    if not runner.run():
        click.echo("Nothing is to be done, or it is being done already.", err=True)


@queue.command()
@_NUMBER
def pause(number: int) -> None:
    """Let an export rest; what is made of it stays."""
    with _opened() as opened:
        opened.pause(number)


@queue.command()
@_NUMBER
def resume(number: int) -> None:
    """Let an export that rests go on."""
    _go_on(number)


@queue.command()
@_NUMBER
@click.option("--moved", multiple=True, metavar="OLD=NEW", help="Where footage is now; can be given again.")
def retry(number: int, moved: tuple[str, ...]) -> None:
    """Try an export again that failed; what is made of it stays."""
    _go_on(number, moved)


def _go_on(number: int, moved: tuple[str, ...] = ()) -> None:
    with _opened() as opened:
        for pair in moved:
            was, parted, now = pair.partition("=")
            if not parted:
                raise click.UsageError("--moved takes OLD=NEW: where footage was, and where it is now.")
            opened.locate(number, Path(was).absolute(), Path(now).absolute())
        opened.go_on(number)
    start_runner()


@queue.command()
@_NUMBER
def top(number: int) -> None:
    """Let an export be the next one."""
    with _opened() as opened:
        opened.to_top(number)


@queue.command()
@_NUMBER
def cancel(number: int) -> None:
    """Take an export out of the queue, and what is made of it away; a result that is done stays."""
    with _opened() as opened:
        opened.cancel(number)


@queue.command()
def clear() -> None:
    """Take exports that are done off the list; their results stay."""
    with _opened() as opened:
        opened.clear()
