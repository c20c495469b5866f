"""Opening recordings without keeping anybody waiting."""

from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from threading import Event

from PySide6.QtCore import QObject, Signal

from chronoxis.app.background import give_way
from chronoxis.app.pictures.frame_images import small_image
from chronoxis.core.errors import Cancelled, ChronoxisError
from chronoxis.core.footage.counting import build_index_apart
from chronoxis.core.footage.facts import Facts, read_opening
from chronoxis.core.footage.frame_index import build_index

_PICTURE_HEIGHT = 400
_MANY = 20_000  # frames to count from which a process of their own is worth its start
_HEAD_START = 0.6  # seconds for the first small pictures of a long recording, which people look at first


class Loader(QObject):
    """Reads recordings' facts at once and counts their frames after that, one after the other.

    Signals:
        opened: the facts as the header tells them, and the first picture.
        progress: path, and share of its frames counted, 0 to 1.
        counted: path and frame index.
        failed: path, and a message for the person.
    """

    opened = Signal(object, object)
    progress = Signal(object, float)
    counted = Signal(object, object)
    failed = Signal(object, str)

    def __init__(self) -> None:
        super().__init__()
        self._opening = ThreadPoolExecutor(1, "opening", give_way)
        self._counting = ThreadPoolExecutor(1, "counting", give_way)
        self._stops: dict[Path, Event] = {}
        self._closed = False

    def load(self, path: Path) -> None:
        """Open a recording."""
        self.cancel(path)
        stop = self._stops[path] = Event()
        self._opening.submit(self._open, path, stop)

    def cancel(self, path: Path) -> None:
        """Give up a recording that is being opened."""
        if stop := self._stops.pop(path, None):
            stop.set()

    def cancel_all(self) -> None:
        """Give up whatever is being opened."""
        for path in list(self._stops):
            self.cancel(path)

    def close(self) -> None:
        """Stop, giving up what is under way."""
        self._closed = True
        self.cancel_all()
        for pool in (self._opening, self._counting):
            pool.shutdown(cancel_futures=True)

    def _open(self, path: Path, stop: Event) -> None:
        try:
            facts, frame = read_opening(path)
            image = small_image(frame, facts, _PICTURE_HEIGHT)
        except ChronoxisError as error:
            self._fail(path, stop, error)
            return
        if not stop.is_set():
            self.opened.emit(facts, image)
            self._counting.submit(self._count, facts, stop)

    def _count(self, facts: Facts, stop: Event) -> None:
        def report(share: float) -> None:
            if stop.is_set():
                raise Cancelled
            self.progress.emit(facts.path, share)

        many = facts.frame_count > _MANY
        if many:
            stop.wait(_HEAD_START)
        try:
            index = (build_index_apart if many else build_index)(facts.path, report)
        except Cancelled:
            return
        except ChronoxisError as error:
            self._fail(facts.path, stop, error)
            return
        if not stop.is_set():
            self.counted.emit(facts.path, index)

    def _fail(self, path: Path, stop: Event, error: ChronoxisError) -> None:
        if not (stop.is_set() or self._closed):
            self.failed.emit(path, str(error))
