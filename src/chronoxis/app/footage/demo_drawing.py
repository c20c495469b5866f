"""Drawing the demo's footage beside the window, a process for each."""

import sys
from collections.abc import Hashable
from pathlib import Path

from PySide6.QtCore import QObject, QProcess, Signal

from chronoxis.app.ends import expect_end
from chronoxis.demo.larkfield import Part, demo_parts

_AT_ONCE = 2


class DemoDrawing(QObject):
    """Draws what the demo lacks.

    Signals:
        progress: origin of footage, and the share of it that is drawn, 0 to 1.
        drawn: origin of footage that is there now.
        failed: origin, and a message for the person.
    """

    progress = Signal(object, float)
    drawn = Signal(object)
    failed = Signal(object, str)

    def __init__(self) -> None:
        super().__init__()
        self._processes: dict[Hashable, QProcess] = {}
        self._waiting: list[tuple[Path, Part]] = []

    def begin(self, folder: Path, only: Part | None = None) -> None:
        """Begin with all footage that is not there yet, or with one part of it alone."""
        under_way = self.under_way
        parts = demo_parts(folder) if only is None else [only]
        self._waiting += [(folder, part) for part in parts if part.origin_in(folder) not in under_way]
        for folder_, part in self._waiting:
            self.progress.emit(part.origin_in(folder_), 0.0)
        self._start_next()

    @property
    def under_way(self) -> frozenset[Hashable]:
        """The footage that is being drawn."""
        return frozenset(self._processes) | {part.origin_in(folder) for folder, part in self._waiting}

    def give_up(self, origin: Hashable) -> None:
        """Stop drawing footage; nothing is left of it."""
        process = self._processes.get(origin)
        if process is not None:
            process.terminate()
            return
        for waiting in [each for each in self._waiting if each[1].origin_in(each[0]) == origin]:
            self._waiting.remove(waiting)
            self.failed.emit(origin, _stopped(waiting[1].name))

    def close(self) -> None:
        """Stop; `wait_for_ends` waits for the processes."""
        self._waiting.clear()
        for process in self._processes.values():
            process.blockSignals(True)
            process.terminate()
            expect_end(process)
        self._processes.clear()

    def _start_next(self) -> None:
        """As many at a time as there are cores; each draws on all of them where that is worth it."""
        while self._waiting and len(self._processes) < _AT_ONCE:
            self._start(*self._waiting.pop(0))

    def _start(self, folder: Path, part: Part) -> None:
        path, origin, process = folder / part.name, part.origin_in(folder), QProcess(self)
        process.readyReadStandardOutput.connect(lambda: self._read(origin, process, part.frames))
        process.finished.connect(lambda *_: self._end(origin, path, process))
        process.errorOccurred.connect(lambda _: self._end(origin, path, process))
        self._processes[origin] = process
        self.progress.emit(origin, 0.0)
        process.start(sys.executable, ["-m", "chronoxis.demo.drawing", str(folder), part.name])

    def _read(self, origin: Hashable, process: QProcess, frames: int) -> None:
        for line in bytes(process.readAllStandardOutput().data()).decode().splitlines():
            if line.startswith("!"):
                process.setProperty("said", line[1:])
            elif line.isdigit():
                self.progress.emit(origin, min(1.0, int(line) / frames))

    def _end(self, origin: Hashable, path: Path, process: QProcess) -> None:
        if self._processes.pop(origin, None) is None:
            return
        process.deleteLater()
        if path.exists():
            self.drawn.emit(origin)
        else:
            self.failed.emit(origin, str(process.property("said") or _stopped(path.name)))
        self._start_next()


def _stopped(name: str) -> str:
    return f"The drawing of {name} was stopped; start the demo again to go on with it."
