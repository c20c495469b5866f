"""An export in a child process: the same command line that a person uses."""

import json
import sys
from contextlib import ExitStack
from pathlib import Path
from typing import NamedTuple

from PySide6.QtCore import QObject, QProcess, Signal

from chronoxis.app.ends import expect_end
from chronoxis.app.workers import QueueWorker
from chronoxis.core.files.atomic import scratch_folder
from chronoxis.core.files.project_file import save_project
from chronoxis.core.model.project import Project


class _Wish(NamedTuple):
    project: Project
    output: Path
    overwrite: bool


class _Prepared(NamedTuple):
    """An export that can be started.

    Attributes:
        scratch: what is there only for it.
        command: program and arguments.
    """

    scratch: ExitStack
    command: list[str]


def _prepared(wish: _Wish) -> _Prepared:
    """Write what an export reads. Raises ExportError."""
    with ExitStack() as scratch:
        project = scratch.enter_context(scratch_folder()) / "export.chronoxis"
        save_project(wish.project, project)
        return _Prepared(scratch.pop_all(), render_command(project, wish.output, overwrite=wish.overwrite))


def render_command(project: Path, output: Path, *, overwrite: bool) -> list[str]:
    """Program and arguments that export a saved project, with progress as JSON lines."""
    command = [sys.executable, "-m", "chronoxis.cli", "render", str(project), "-o", str(output)]
    return [*command, "--progress", "json", *(["--overwrite"] if overwrite else [])]


class ExportJob(QObject):
    """Runs one export at a time and listens to its JSON lines.

    Signals:
        progressed: done, total, frames per second, seconds left.
        finished: the output's path and what came out, as the command line's last line tells it.
        failed: a message for the person.
        cancelled: it was stopped on request; nothing was left behind.
    """

    progressed = Signal(int, int, float, float)
    finished = Signal(object, dict)
    failed = Signal(str)
    cancelled = Signal()

    def __init__(self) -> None:
        super().__init__()
        self._wish: _Wish | None = None
        self._process: QProcess | None = None
        self._scratch = ExitStack()
        self._outcome: dict[str, object] = {}
        self._rest = b""
        self._stopping = False
        self._preparing = QueueWorker(_prepared, "preparing an export", drops=True)
        self._preparing.done.connect(self._launch)
        self._preparing.failed.connect(self._not_prepared)

    @property
    def running(self) -> bool:
        """Whether an export is under way."""
        return self._wish is not None

    @property
    def process_id(self) -> int:
        """Of the child process that exports; 0 if there is none."""
        return self._process.processId() if self._process is not None else 0

    def start(self, project: Project, output: Path, *, overwrite: bool) -> None:
        """Begin an export, as soon as what it is to read is written."""
        self._outcome, self._rest, self._stopping = {}, b"", False
        self._wish = _Wish(project, output, overwrite)
        self._preparing.ask(self._wish)

    def _launch(self, _wish: _Wish, prepared: _Prepared) -> None:
        self._scratch = prepared.scratch
        if self._stopping:
            self._end()
            self.cancelled.emit()
            return
        program, *arguments = prepared.command
        self._process = QProcess(self)
        self._process.readyReadStandardOutput.connect(self._read)
        self._process.finished.connect(self._ended)
        self._process.errorOccurred.connect(self._not_started)
        self._process.start(program, arguments)

    def cancel(self) -> None:
        """Ask the export to stop; it cleans up after itself."""
        self._stopping = True
        if self._process is not None:
            self._process.terminate()

    def close(self) -> None:
        """Stop; `wait_for_ends` waits for the child."""
        self._preparing.close()
        if self._process is not None:
            self._process.blockSignals(True)
            self._process.terminate()
            expect_end(self._process)
        self._end()

    def _read(self) -> None:
        assert self._process is not None
        self._rest += self._process.readAllStandardOutput().data()
        *lines, self._rest = self._rest.split(b"\n")
        for line in lines:
            event = json.loads(line)
            if event["event"] == "progress":
                self.progressed.emit(event["done"], event["total"], event["rate"], event["seconds_left"])
            else:
                self._outcome = event

    def _not_prepared(self, _wish: _Wish, message: str) -> None:
        self._end()
        self.failed.emit(message)

    def _end(self) -> None:
        self._wish = self._process = None
        self._scratch.close()

    def _not_started(self, error: QProcess.ProcessError) -> None:
        if error is QProcess.ProcessError.FailedToStart:
            self._ended(1)

    def _ended(self, _code: int) -> None:
        assert self._process is not None
        self._read()
        said = bytes(self._process.readAllStandardError().data()).decode(errors="replace").strip()
        self._process.deleteLater()
        self._end()
        match self._outcome.get("event"):
            case "done":
                self.finished.emit(Path(str(self._outcome["output"])), self._outcome)
            case "cancelled":
                self.cancelled.emit()
            case "error":
                self.failed.emit(str(self._outcome["message"]))
            case _ if self._stopping:
                self.cancelled.emit()
            case _:
                last = said.splitlines()[-1] if said else "it ended without saying why"
                self.failed.emit(f"The export stopped: {last}. Nothing was left behind; try again.")
