"""The command line."""

import csv
import io
import json
import signal
import sys
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import replace
from fractions import Fraction
from pathlib import Path
from typing import Any, TextIO

import click
from tqdm import tqdm

from chronoxis import __version__
from chronoxis.core.errors import Cancelled, ChronoxisError, PlanError
from chronoxis.core.files import endings
from chronoxis.core.files.atomic import already_there, write_whole
from chronoxis.core.files.project_file import load_project, save_project
from chronoxis.core.footage.facts import Facts, read_facts
from chronoxis.core.footage.frame_index import build_index
from chronoxis.core.model import arranging, pacing
from chronoxis.core.model.project import Place, Project
from chronoxis.core.model.settings import Quality, ResultFormat, ResultSettings, SizeWish
from chronoxis.core.render.export import (
    ExportProgress,
    Finished,
    Plan,
    changed_on_disk,
    check_output,
    export,
    make_plan,
)
from chronoxis.core.render.frames import Recording
from chronoxis.core.timing.rates import format_rate, parse_rate
from chronoxis.core.timing.reckoner import Quantity
from chronoxis.core.timing.schedule import EachFrame
from chronoxis.core.timing.speed import parse_speed
from chronoxis.core.timing.timecode import format_time, parse_time

_INPUT = click.Path(path_type=Path)
_ONLY = Place(0, 0)


class _Words(click.ParamType[Any]):
    """A value read by one of the core's parsers, whose message is shown for a wrong one."""

    def __init__(self, name: str, parse: Callable[[str], Any]) -> None:
        self.name = name
        self._parse = parse

    def convert(self, value: Any, param: click.Parameter | None, ctx: click.Context | None) -> Any:
        try:
            return self._parse(value) if isinstance(value, str) else value
        except PlanError as error:
            self.fail(str(error), param, ctx)


def _choices(command: Callable[..., None]) -> Callable[..., None]:
    """The options that `condense` and `plan` share."""
    for option in reversed(
        [
            click.option("--from", "begin", metavar="T", help="In point; the beginning if not given."),
            click.option("--to", "end", metavar="T", help="Out point; the end if not given."),
            click.option("--speed", metavar="S", help="Such as 24×, 24x, 2400%, 1/4× or “every 24th”."),
            click.option("--length", metavar="T", help="Result length."),
            click.option("--every", metavar="N", help="Keep one frame in N."),
            click.option("--fps", type=_Words("rate", parse_rate), metavar="R", help="Result frame rate."),
            click.option(
                "--each",
                type=click.Choice([str(each) for each in EachFrame]),
                default="one",
                show_default=True,
                help="How one result frame is made.",
            ),
            click.option(
                "--shutter",
                type=float,
                default=360.0,
                show_default=True,
                metavar="DEG",
                help="Shutter angle of a long exposure, 0 to 720.",
            ),
        ]
    ):
        command = option(command)
    return command


class _OpeningGroup(click.Group):
    """Commands; and a file's name alone opens the window with it."""

    def resolve_command(
        self, ctx: click.Context, args: list[str]
    ) -> tuple[str | None, click.Command | None, list[str]]:
        if args and args[0] not in self.commands and _names_a_file(args[0]):
            return "open", self.commands["open"], args
        return super().resolve_command(ctx, args)


def _names_a_file(text: str) -> bool:
    return Path(text).suffix.lower() in (endings.PROJECT, endings.TIMELINE) or Path(text).is_file()


@click.group(
    cls=_OpeningGroup,
    invoke_without_command=True,
    context_settings={"help_option_names": ["-h", "--help"]},
)
@click.version_option(__version__, prog_name="chronoxis")
@click.pass_context
def cli(context: click.Context) -> None:
    """Condense long recordings into time-lapses, hyperlapses and fast-forward passages.

    Without a command, the window opens; with a project or a recording alone, it opens with that.
    """
    if context.invoked_subcommand is None:
        _open_window(None)


@cli.command("open")
@click.argument("file", type=_INPUT)
def open_(file: Path) -> None:
    """Open the window with a project, a timeline or a recording."""
    _open_window(file)


@cli.command()
@click.option("--data-only", is_flag=True, help="Make the demo data and stop.")
@click.option("--dir", "folder", type=_INPUT, help="Where to put it; the user's cache folder if not given.")
def demo(data_only: bool, folder: Path | None) -> None:
    """Open the Larkfield balloon meet, made by the program itself."""
    from chronoxis.demo.larkfield import ensure_demo  # noqa: PLC0415 - drawing code no other command needs

    project = ensure_demo(folder, lambda text, total: tqdm(total=total, desc=text, unit="frame", leave=False))
    click.echo(project)
    if not data_only:
        _open_window(project)


@cli.command()
@click.argument("recording", metavar="INPUT", type=_INPUT)
@click.option("--json", "as_json", is_flag=True, help="Write JSON.")
def facts(recording: Path, as_json: bool) -> None:
    """Say what a recording is."""
    found = _open_recording(recording).facts
    if as_json:
        click.echo(json.dumps(_facts_json(found), indent=2, ensure_ascii=False))
        return
    for name, value in _fact_rows(found):
        click.echo(f"{name:<14} {value}")


def _file_options(command: Callable[..., None]) -> Callable[..., None]:
    """The options about the file that `condense` and `render` share."""
    for option in reversed(
        [
            click.option("-o", "--output", type=_INPUT, required=True, metavar="OUT",
                         help="An .mp4 or .mkv file."),
            click.option("--size", metavar="WxH",
                         help="Such as 1280x720 or 1080p; the recorded aspect is kept."),
            click.option("--stretch", is_flag=True, help="Fill WxH exactly, giving up the aspect."),
            click.option("--quality", type=_Words("quality", Quality.parse), metavar="Q",
                         help="draft, sharing, good, high or master; or 1 to 5."),
            click.option("--sound", type=click.Choice(["none", "keep"]), help="Recorded sound, at 1× only."),
            click.option("--overwrite", is_flag=True, help="Replace OUT if it is there."),
            click.option("--progress", type=click.Choice(["bar", "json", "none"]), default="bar",
                         show_default=True),
        ]
    ):  # fmt: skip
        command = option(command)
    return command


@cli.command()
@click.argument("recording", metavar="INPUT", type=_INPUT)
@_choices
@_file_options
def condense(recording: Path, **options: Any) -> None:
    """Condense a recording into a file."""
    _export(options, Project, lambda project: _plan_of_recording(recording, project.settings, options))


@cli.command()
@click.argument("project", metavar="PROJECT", type=_INPUT)
@_file_options
@click.option("--fps", type=_Words("rate", parse_rate), metavar="R", help="Result frame rate.")
def render(project: Path, fps: Fraction | None, **options: Any) -> None:
    """Export a project's result."""
    _export(
        options,
        lambda: load_project(project),
        lambda loaded: _plan_of_project(arranging.set_rate(loaded, fps or loaded.rate)),
    )


def _export(
    options: dict[str, Any], begin: Callable[[], Project], planned: Callable[[Project], Plan]
) -> None:
    """Write a file; what the options do not say is as the project has it."""
    output = options["output"]
    with _reporting(options["progress"]) as report:
        project = begin()
        saved, wish = project.settings, options["size"]
        settings = ResultSettings(
            ResultFormat.of(output),
            SizeWish.parse(wish, stretch=options["stretch"]) if wish is not None else saved.size,
            options["quality"] or saved.quality,
            saved.sound if options["sound"] is None else options["sound"] == "keep",
        )
        plan = planned(replace(project, settings=settings))
        check_output(plan, output, overwrite=options["overwrite"])
        report.begin(len(plan.schedule))
        report.done(export(plan, output, overwrite=options["overwrite"], progress=report.progress))


@cli.command()
@click.argument("source", metavar="INPUT", type=_INPUT)
@_choices
@click.option("--csv", "listing", required=True, metavar="FILE|-", help="Where to write the plan.")
def plan(source: Path, listing: str, **choices: Any) -> None:
    """List which recorded frames make each result frame of a recording or a project.

    A project's list also says which shot, counted from 1, and which footage.
    """
    lossless = ResultSettings(ResultFormat.MKV)
    whole = source.suffix.lower() == endings.PROJECT
    if whole:
        given = [name for name in ("begin", "end", "speed", "length", "every") if choices[name] is not None]
        if given:
            raise click.UsageError("A project has its points and speeds; give those choices for a recording.")
        project = replace(load_project(source), settings=lossless)
        made = _plan_of_project(arranging.set_rate(project, choices["fps"] or project.rate))
    else:
        made = _plan_of_recording(source, lossless, choices)
    if listing == "-":
        _list_plan(made, sys.stdout, whole=whole)
        return
    text = io.StringIO()
    _list_plan(made, text, whole=whole)
    write_whole(Path(listing), text.getvalue().encode())


@cli.command()
@click.argument("source", metavar="INPUT", type=_INPUT)
@click.option("-o", "--output", type=_INPUT, required=True, metavar="OUT",
              help="A .chronoxis project or an .otio timeline.")  # fmt: skip
@click.option("--overwrite", is_flag=True, help="Replace OUT if it is there.")
def convert(source: Path, output: Path, overwrite: bool) -> None:
    """Turn a project into an OpenTimelineIO timeline, or a timeline into a project."""
    ways = {endings.PROJECT: load_project, endings.TIMELINE: _load_timeline}
    writers = {endings.PROJECT: save_project, endings.TIMELINE: _save_timeline}
    if source.suffix.lower() not in ways or output.suffix.lower() not in writers:
        raise click.UsageError(f"INPUT and OUT end in {endings.PROJECT} or {endings.TIMELINE}.")
    if output.exists() and not overwrite:
        raise ChronoxisError(already_there(output))
    writers[output.suffix.lower()](ways[source.suffix.lower()](source), output)


def _save_timeline(project: Project, path: Path) -> None:
    from chronoxis.core.files.interchange import export_timeline  # noqa: PLC0415 - slow, and seldom needed

    export_timeline(project, path)


def _load_timeline(path: Path) -> Project:
    from chronoxis.core.files.interchange import import_timeline  # noqa: PLC0415 - slow, and seldom needed

    imported = import_timeline(path)
    for note in imported.notes:
        click.echo(note, err=True)
    return imported.project


def main() -> None:
    """Run the command line: exit 0 done, 1 failed with one line on standard error, 2 wrong usage."""
    try:
        cli(standalone_mode=False)
    except click.exceptions.Exit as ended:
        sys.exit(ended.exit_code)
    except click.ClickException as wrong:
        wrong.show()
        sys.exit(wrong.exit_code)
    except (Cancelled, click.Abort, KeyboardInterrupt):
        click.echo("Cancelled; nothing was left behind.", err=True)
        sys.exit(1)
    except ChronoxisError as error:
        click.echo(str(error), err=True)
        sys.exit(1)
    except BrokenPipeError:
        sys.stderr.close()
        sys.exit(1)


def _open_window(file: Path | None) -> None:
    from chronoxis.app.start import run  # noqa: PLC0415 - the other commands run without Qt

    sys.exit(run(file))


def _open_recording(path: Path) -> Recording:
    found = read_facts(path)
    index = build_index(path)
    return Recording(found.counted(index), index)


def _plan_of_project(project: Project) -> Plan:
    used = {shot.footage for shot in project.shots}
    recordings = {}
    for footage in project.footage:
        if footage.key not in used:
            continue
        recording = recordings[footage.key] = _open_recording(footage.path)
        measured = recording.index.rate, recording.index.length
        if measured != (footage.stored_rate, footage.stored_length):
            if footage.counted:
                raise ChronoxisError(changed_on_disk(footage, *measured))
            project = arranging.measure(project, footage.key, *measured)
    return make_plan(project, recordings)


def _plan_of_recording(path: Path, settings: ResultSettings, choices: dict[str, Any]) -> Plan:
    """The plan that the shared options ask for."""
    ways = [name for name in ("speed", "length", "every") if choices[name] is not None]
    if len(ways) != 1:
        raise click.UsageError("Give one of --speed, --length and --every.")
    recording = _open_recording(path)
    found = recording.facts
    project = arranging.begin_with(Project(settings=settings), path, found.rate, found.length)
    project = replace(project, rate=choices["fps"] or project.rate)
    project = _with_points(project, choices)
    project = pacing.change_quantity(project, _ONLY, *_pace_wish(project, ways[0], choices[ways[0]]))
    project = pacing.set_each_frame(project, [_ONLY], EachFrame(choices["each"]))
    project = pacing.set_shutter(project, [_ONLY], choices["shutter"])
    return make_plan(project, {project.footage[0].key: recording})


def _with_points(project: Project, choices: dict[str, Any]) -> Project:
    footage = project.footage[0]
    begin = _usage(parse_time, choices["begin"], footage.rate) if choices["begin"] else Fraction(0)
    end = _usage(parse_time, choices["end"], footage.rate) if choices["end"] else footage.length
    if end > footage.length:
        raise PlanError(
            f"The out point {format_time(end)} lies after the end of {footage.path.name}, "
            f"which is {format_time(footage.length, 2)} long."
        )
    return arranging.set_points(project, 0, begin, end)


def _pace_wish(project: Project, way: str, text: str) -> tuple[Quantity, Fraction]:
    if way == "length":
        return Quantity.RESULT_LENGTH, _usage(parse_time, text, project.rate)
    if way == "speed":
        frames_per_step = project.footage[0].rate / project.rate
        return Quantity.SPEED, _usage(parse_speed, text, frames_per_step)
    try:
        return Quantity.STEP, Fraction(text)
    except (ValueError, ZeroDivisionError):
        raise click.UsageError(f"--every takes a number of frames, not “{text}”.") from None


def _usage(parse: Callable[..., Fraction], *arguments: Any) -> Fraction:
    try:
        return parse(*arguments)
    except PlanError as error:
        raise click.UsageError(str(error)) from None


def _list_plan(made: Plan, file: TextIO, *, whole: bool) -> None:
    """One row per pair of result frame and recorded frame; times in seconds."""
    rows = csv.writer(file, lineterminator="\n")
    which = ["shot", "footage"] if whole else []
    rows.writerow(["result_frame", "result_time", *which, "recorded_frame", "recorded_time", "weight"])
    schedule = made.schedule
    for result_frame, shot in enumerate(schedule.shots.tolist()):
        which = [shot + 1, made.project.shots[shot].footage] if whole else []
        start = [result_frame, f"{float(result_frame / schedule.rate):.6f}", *which]
        for recorded_frame, weight in zip(*schedule.sources(result_frame), strict=True):
            rows.writerow(
                [*start, recorded_frame, f"{made.edges[shot][recorded_frame]:.6f}", f"{weight:.9g}"]
            )


def _fact_rows(found: Facts) -> list[tuple[str, str]]:
    sound = found.sound
    varies = " on average, varying" if found.variable else ""
    rows = [
        ("file", str(found.path)),
        ("length", format_time(found.length, 2)),
        ("frame rate", f"{format_rate(found.rate)} fps{varies}"),
        ("frames", f"{found.frame_count:,}"),
        ("size", f"{found.width}×{found.height}" + (f", turned {found.rotation}°" if found.rotation else "")),
        ("codec", f"{found.codec}, {found.pixel_format}, {found.bit_depth} bit"),
        ("sound", f"{sound.codec}, {sound.sample_rate} Hz, {sound.channels} ch" if sound else "none"),
        ("bitrate", f"{found.bitrate / 1e6:.2f} Mbit/s"),
        ("file size", f"{found.size / 1e6:.1f} MB"),
        ("recorded on", found.recorded_on.isoformat(" ") if found.recorded_on else "unknown"),
    ]
    if found.missing:
        rows.append(
            ("cut off", f"the last {format_time(found.missing)} that its header promises are missing")
        )
    return rows


def _facts_json(found: Facts) -> dict[str, Any]:
    sound = found.sound
    return {
        "path": str(found.path),
        "length": float(found.length),
        "rate": str(found.rate),
        "variable": found.variable,
        "frames": found.frame_count,
        "width": found.width,
        "height": found.height,
        "rotation": found.rotation,
        "codec": found.codec,
        "pixel_format": found.pixel_format,
        "bit_depth": found.bit_depth,
        "colour": {
            "matrix": found.colour.matrix,
            "primaries": found.colour.primaries,
            "transfer": found.colour.transfer,
            "full_range": found.colour.full_range,
        },
        "sound": {"codec": sound.codec, "sample_rate": sound.sample_rate, "channels": sound.channels}
        if sound
        else None,
        "bitrate": found.bitrate,
        "size": found.size,
        "recorded_on": found.recorded_on.isoformat() if found.recorded_on else None,
        "missing": float(found.missing),
    }


class _Report:
    """How an export's progress is told: a bar, nothing, or JSON lines for a program that listens."""

    def __init__(self, kind: str) -> None:
        self._kind = kind
        self._bar: tqdm[Any] | None = None
        self._cancelled = False
        self._listening = True

    def cancel(self, *_: object) -> None:
        self._cancelled = True

    def begin(self, total: int) -> None:
        if self._cancelled:
            raise Cancelled
        if self._kind == "bar":
            self._bar = tqdm(total=total, unit="frame")

    def progress(self, now: ExportProgress) -> None:
        if self._cancelled:
            raise Cancelled
        if self._bar is not None:
            self._bar.update(now.done - self._bar.n)
        self.say(
            event="progress", done=now.done, total=now.total, rate=now.rate, seconds_left=now.seconds_left
        )

    def done(self, result: Finished) -> None:
        self.close()
        self.say(
            event="done",
            output=str(result.path),
            frames=result.frames,
            rate=str(result.rate),
            length=float(result.length),
            size=result.size,
        )
        if self._kind == "bar":
            click.echo(
                f"{result.path}: {result.frames} frames, {format_time(result.length, 2)} at "
                f"{format_rate(result.rate)} fps, {result.size / 1e6:.1f} MB",
                err=True,
            )

    def say(self, **event: Any) -> None:
        if self._kind != "json" or not self._listening:
            return
        try:
            print(json.dumps(event), flush=True)
        except BrokenPipeError:
            self._listening = False  # whoever listened has gone; the person still wants the file

    def close(self) -> None:
        if self._bar is not None:
            self._bar.close()


@contextmanager
def _reporting(kind: str) -> Iterator[_Report]:
    report = _Report(kind)
    for number in (signal.SIGINT, signal.SIGTERM):
        signal.signal(number, report.cancel)
    try:
        yield report
    except Cancelled:
        report.say(event="cancelled")
        raise
    except ChronoxisError as error:
        report.say(event="error", message=str(error))
        raise
    finally:
        report.close()


if __name__ == "__main__":
    main()
