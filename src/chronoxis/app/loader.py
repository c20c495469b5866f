"""Opening a recording without keeping anybody waiting."""

from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import QObject, Signal

from chronoxis.app.background import Latest
from chronoxis.core.errors import Cancelled
from chronoxis.core.footage.facts import Facts, read_facts
from chronoxis.core.footage.frame_index import FrameIndex, build_index


class Loader(QObject):
    """Reads a recording's facts at once and counts its frames after that.

    Signals:
        opened: the facts as the header tells them.
        progress: share of the frames counted, 0 to 1.
        counted: the frame index.
        failed: a message for the person.
    """

    opened = Signal(object)
    progress = Signal(float)
    counted = Signal(object, object)
    failed = Signal(str)

    def __init__(self) -> None:
        super().__init__()
        self._latest = Latest(self._load, "loader")
        self._latest.answered.connect(self._tell)
        self._latest.failed.connect(self.failed)

    def load(self, path: Path) -> None:
        """Open a recording, giving up one that is being opened."""
        self._latest.ask(path)

    def close(self) -> None:
        """Stop."""
        self._latest.close()

    def _load(self, path: Path, still_wanted: Callable[[], bool]) -> tuple[Facts, FrameIndex]:
        facts = read_facts(path)
        self.opened.emit(facts)

        def report(share: float) -> None:
            if not still_wanted():
                raise Cancelled
            self.progress.emit(share)

        return facts, build_index(path, report)

    def _tell(self, _path: Path, answer: tuple[Facts, FrameIndex]) -> None:
        self.counted.emit(*answer)
