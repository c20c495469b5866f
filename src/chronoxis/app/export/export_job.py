"""An export in a child process: the same command line that a person uses."""

import json
from contextlib import ExitStack
from pathlib import Path

from PySide6.QtCore import QObject, QProcess, Signal

from chronoxis.app.ends import expect_end
from chronoxis.core.files.atomic import scratch_folder
from chronoxis.core.files.project_file import save_project
from chronoxis.core.model.project import Project
from chronoxis.core.render.command_line import render_command


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
        self._process: QProcess | None = None
        self._outcome: dict[str, object] = {}
        self._rest = b""
        self._stopping = False

    @property
    def running(self) -> bool:
        """Whether an export is under way."""
        return self._process is not None

    @property
    def process_id(self) -> int:
        """Of the child process that exports; 0 if there is none."""
        return self._process.processId() if self._process is not None else 0

    def start(self, project: Project, output: Path, *, overwrite: bool) -> None:
        """Begin an export."""
        self._scratch = ExitStack()
        plan = self._scratch.enter_context(scratch_folder()) / "export.chronoxis"
        save_project(project, plan)
        program, *arguments = render_command(plan, project.settings, output, overwrite=overwrite)
        self._outcome, self._rest, self._stopping = {}, b"", False
        self._process = QProcess(self)
        self._process.readyReadStandardOutput.connect(self._read)
        self._process.finished.connect(self._ended)
        self._process.errorOccurred.connect(self._not_started)
        self._process.start(program, arguments)

    def cancel(self) -> None:
        """Ask the export to stop; it cleans up after itself."""
        if self._process is not None:
            self._stopping = True
            self._process.terminate()

    def close(self) -> None:
        """Stop; `wait_for_ends` waits for the child."""
        if self._process is not None:
            self._process.blockSignals(True)
            self._process.terminate()
            expect_end(self._process)
            self._process = None
            self._scratch.close()

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

    def _not_started(self, error: QProcess.ProcessError) -> None:
        if error is QProcess.ProcessError.FailedToStart:
            self._ended(1)

    def _ended(self, _code: int) -> None:
        assert self._process is not None
        self._read()
        said = bytes(self._process.readAllStandardError().data()).decode(errors="replace").strip()
        self._process.deleteLater()
        self._scratch.close()
        self._process = None
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
