"""How an export's progress is told: a bar, nothing, or JSON lines for a program that listens."""

import json
import os
import signal
import sys
from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any

import click
from tqdm import tqdm

from chronoxis.cli import SIGNALS
from chronoxis.core.errors import Cancelled, ChronoxisError
from chronoxis.core.readable import in_a_line
from chronoxis.core.render.export import ExportProgress, Finished
from chronoxis.core.timing.rates import format_rate
from chronoxis.core.timing.timecode import format_time


class Report:
    """Tells of one export, in the way that was asked for.

    Attributes:
        stood_in: whether recorded frames could not be decoded, and others stand in their places.
    """

    def __init__(self, kind: str) -> None:
        self._kind = kind
        self._bar: tqdm[Any] | None = None
        self._cancelled = False
        self._listening = True
        self._writing = False
        self.stood_in = False

    def cancel(self, *_: object) -> None:
        """Stop: at once, but while something is written at the next step."""
        self._cancelled = True
        if not self._writing:
            raise Cancelled

    def begin(self, total: int, remark: str) -> None:
        """So many frames are to come. Raises Cancelled if it was asked for."""
        self.check()
        self._writing = True
        if remark and self._kind != "json":
            click.echo(in_a_line(remark), err=True)
        if self._kind == "bar":
            self._bar = tqdm(total=total, unit="frame")

    def check(self) -> None:
        """Raises Cancelled if it was asked for."""
        if self._cancelled:
            raise Cancelled

    def progress(self, now: ExportProgress) -> None:
        """Tell how far it is. Raises Cancelled if it was asked for."""
        self.check()
        if self._bar is not None:
            self._bar.update(now.done - self._bar.n)
        self.say(
            event="progress", done=now.done, total=now.total, rate=now.rate, seconds_left=now.seconds_left
        )

    def written(self, frames: int) -> None:
        """Tell how many frames are written. Raises Cancelled if that was asked for."""
        self.check()
        if self._bar is not None:
            self._bar.update(frames - self._bar.n)

    def note(self, line: str) -> None:
        """Tell what happens meanwhile."""
        self.say(event="note", message=line)
        if self._kind != "json":
            tqdm.write(in_a_line(line), file=sys.stderr)

    def done(self, result: Finished) -> None:
        """Tell what came out."""
        self.close()
        self.say(event="done", **result.as_json())
        self.stood_in = bool(result.held)
        if result.remark and self._kind != "json":
            click.echo(in_a_line(result.remark), err=True)
        if self._kind == "bar":
            click.echo(
                f"{result.path}: {result.frames} frames, {format_time(result.length, 2)} at "
                f"{format_rate(result.rate)} fps, {result.size / 1e6:.1f} MB",
                err=True,
            )

    def say(self, **event: Any) -> None:
        """Write a JSON line, if those are wanted."""
        if self._kind != "json" or not self._listening:
            return
        try:
            print(json.dumps(event), flush=True)
        except OSError:
            # Whoever listened has gone, or has no room; the person still wants the file.
            self._listening = False
            os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())

    def close(self) -> None:
        """Take the bar away."""
        if self._bar is not None:
            self._bar.close()


@contextmanager
def reporting(kind: str) -> Iterator[Report]:
    """Report what goes on inside; an interrupt or a termination asks for a stop."""
    report = Report(kind)
    for number in SIGNALS:
        signal.signal(number, report.cancel)
    try:
        yield report
    except (Cancelled, KeyboardInterrupt):
        report.say(event="cancelled")
        raise
    except ChronoxisError as error:
        report.say(event="error", message=str(error))
        raise
    finally:
        report.close()
