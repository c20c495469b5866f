"""Drawing the demo's recordings beside the window, a process for each."""

import sys
from pathlib import Path

from PySide6.QtCore import QObject, QProcess, Signal

from chronoxis.demo.larkfield import Part, demo_parts


class DemoDrawing(QObject):
    """Draws what the demo lacks.

    Signals:
        progress: path of a recording, and the share of it that is drawn, 0 to 1.
        drawn: path of a recording that is there now.
        failed: path, and a message for the person.
    """

    progress = Signal(object, float)
    drawn = Signal(object)
    failed = Signal(object, str)

    def __init__(self) -> None:
        super().__init__()
        self._processes: dict[Path, QProcess] = {}

    def begin(self, folder: Path) -> None:
        """Begin with all recordings that are not there yet."""
        for part in demo_parts(folder):
            self._start(folder, part)

    @property
    def under_way(self) -> frozenset[Path]:
        """The recordings that are being drawn."""
        return frozenset(self._processes)

    def give_up(self, path: Path) -> None:
        """Stop drawing a recording; nothing is left of it."""
        process = self._processes.get(path)
        if process is not None:
            process.terminate()

    def close(self) -> None:
        """Stop, and wait for the processes to end."""
        for process in list(self._processes.values()):
            process.blockSignals(True)
            process.terminate()
        for process in self._processes.values():
            if not process.waitForFinished(5000):
                process.kill()
                process.waitForFinished(1000)
        self._processes.clear()

    def _start(self, folder: Path, part: Part) -> None:
        path, process = folder / part.name, QProcess(self)
        process.readyReadStandardOutput.connect(lambda: self._read(path, process, part.frames))
        process.finished.connect(lambda *_: self._end(path, process))
        process.errorOccurred.connect(lambda _: self._end(path, process))
        self._processes[path] = process
        self.progress.emit(path, 0.0)
        process.start(sys.executable, ["-m", "chronoxis.demo.drawing", str(folder), part.name])

    def _read(self, path: Path, process: QProcess, frames: int) -> None:
        for line in bytes(process.readAllStandardOutput().data()).decode().splitlines():
            if line.startswith("!"):
                process.setProperty("said", line[1:])
            elif line.isdigit():
                self.progress.emit(path, min(1.0, int(line) / frames))

    def _end(self, path: Path, process: QProcess) -> None:
        if self._processes.pop(path, None) is None:
            return
        process.deleteLater()
        if path.exists():
            self.drawn.emit(path)
        else:
            stopped = f"The drawing of {path.name} was stopped; start the demo again to go on with it."
            self.failed.emit(path, str(process.property("said") or stopped))
