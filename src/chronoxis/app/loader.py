"""Opening a recording without keeping anybody waiting."""

from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import QObject, Signal

from chronoxis.app.background import Latest
from chronoxis.app.pictures.frame_images import small_image
from chronoxis.core.errors import Cancelled
from chronoxis.core.footage.containers import open_container, picture_stream
from chronoxis.core.footage.facts import Facts, first_frame, read_facts
from chronoxis.core.footage.frame_index import FrameIndex, build_index

_PICTURE_HEIGHT = 400


class Loader(QObject):
    """Reads a recording's facts at once and counts its frames after that.

    Signals:
        opened: the facts as the header tells them, and the first picture.
        progress: share of the frames counted, 0 to 1.
        counted: the frame index.
        failed: a message for the person.
    """

    opened = Signal(object, object)
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

    def cancel(self) -> None:
        """Give up the recording that is being opened."""
        self._latest.ask(None)

    def close(self) -> None:
        """Stop."""
        self._latest.close()

    def _load(self, path: Path | None, still_wanted: Callable[[], bool]) -> tuple[Facts, FrameIndex]:
        if path is None:
            raise Cancelled
        facts = read_facts(path)
        if not still_wanted():
            raise Cancelled
        with open_container(path) as container:
            frame = first_frame(container, picture_stream(container, path), path)
            self.opened.emit(facts, small_image(frame, facts, _PICTURE_HEIGHT))

        def report(share: float) -> None:
            if not still_wanted():
                raise Cancelled
            self.progress.emit(share)

        return facts, build_index(path, report)

    def _tell(self, _path: Path, answer: tuple[Facts, FrameIndex]) -> None:
        self.counted.emit(*answer)
