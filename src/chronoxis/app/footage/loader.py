"""Opening footage without keeping anybody waiting."""

from collections.abc import Hashable, Sequence
from functools import partial
from pathlib import Path
from threading import Event

from PySide6.QtCore import QObject, Signal, SignalInstance

from chronoxis.app.background import in_one_line
from chronoxis.app.pictures.frame_images import small_image
from chronoxis.app.workers import QueueWorker
from chronoxis.core.errors import Cancelled
from chronoxis.core.footage.kinds import count, footage_of, meet, origins_at
from chronoxis.core.footage.photos.folders import run_around
from chronoxis.core.footage.source import Facts
from chronoxis.core.footage.stamps import stamps_of
from chronoxis.core.model.photo_run import PhotoFiles

_PICTURE_HEIGHT = 400
_PATIENCE = 4.0  # seconds after which a disk that does not answer keeps other footage waiting no longer
# Frames, whose first small pictures take so long that counting should not compete with them.
_LONG_FRAMES = 20_000
_HEAD_START = 0.6  # seconds for those, which people look at first


class Loader(QObject):
    """Reads the facts of footage at once and counts its frames after that, one after the other.

    Signals:
        looked: the origins of the footage that paths stand for; and if that is one photo, its run.
        opened: the facts as the header tells them, and the first picture.
        progress: origin, and share of its frames counted, 0 to 1.
        counted: the source.
        stamped: origin, and what its files were like before they were read (`stamps_of`).
        failed: origin, and a message for the person.
    """

    looked = Signal(list, object)
    opened = Signal(object, object)
    progress = Signal(object, float)
    counted = Signal(object)
    stamped = Signal(object, object)
    failed = Signal(object, str)
    _told = Signal(object, object, tuple)

    def __init__(self) -> None:
        super().__init__()
        self._opening = QueueWorker(lambda open_: open_(), "opening", patience=_PATIENCE, drops=True)
        self._counting = QueueWorker(lambda count_: count_(), "counting", patience=_PATIENCE, drops=True)
        self._stops: dict[Hashable, Event] = {}
        self._told.connect(self._tell)

    def look_at(self, paths: Sequence[Path]) -> None:
        """Find out what footage some files and folders are."""
        stop, key = Event(), tuple(paths)
        self._stops[key] = stop
        self._opening.ask(partial(self._look, key, stop))

    def load(self, origin: Hashable) -> None:
        """Open footage."""
        self.cancel(origin)
        stop = self._stops[origin] = Event()
        self._opening.ask(partial(self._open, origin, stop))

    def cancel(self, origin: Hashable) -> None:
        """Give up footage that is being opened."""
        if stop := self._stops.pop(origin, None):
            stop.set()

    def cancel_all(self) -> None:
        """Give up whatever is being opened."""
        for origin in list(self._stops):
            self.cancel(origin)

    def close(self) -> None:
        """Stop, giving up what is under way."""
        self.cancel_all()
        for worker in (self._opening, self._counting):
            worker.close()

    def _look(self, paths: tuple[Path, ...], stop: Event) -> None:
        try:
            found = origins_at(paths)
            alone = len(paths) == 1 and isinstance(found[0], PhotoFiles) and paths[0].is_file()
            run = run_around(paths[0]) if alone else None
        except Exception as error:
            self._fail(paths, stop, error)
            return
        self._told.emit(stop, self.looked, (found, run))

    def _open(self, origin: Hashable, stop: Event) -> None:
        try:
            facts, frame = meet(origin)
            image = small_image(frame, facts.picture, _PICTURE_HEIGHT)
        except Exception as error:
            self._fail(origin, stop, error)
            return
        if not stop.is_set():
            self._told.emit(stop, self.opened, (facts, image))
            self._counting.ask(partial(self._count, facts, stop))

    def _count(self, facts: Facts, stop: Event) -> None:
        before = -1.0

        def report(share: float) -> None:
            nonlocal before
            if stop.is_set():
                raise Cancelled
            if share == before:
                return
            before = share
            self._counting.beat()
            self._told.emit(stop, self.progress, (facts.origin, share))

        if facts.frame_count > _LONG_FRAMES:
            stop.wait(_HEAD_START)
        stamps = stamps_of(footage_of(facts).files)
        try:
            source = count(facts, report, gently=True)
        except Cancelled:
            return
        except Exception as error:
            self._fail(facts.origin, stop, error)
            return
        self._told.emit(stop, self.stamped, (facts.origin, stamps))
        self._told.emit(stop, self.counted, (source,))

    def _fail(self, origin: Hashable, stop: Event, error: Exception) -> None:
        self._told.emit(stop, self.failed, (origin, in_one_line(error)))

    def _tell(self, stop: Event, signal: SignalInstance, values: tuple[object, ...]) -> None:
        """On the interface thread: what was given up in the meantime is told no more."""
        if not stop.is_set():
            signal.emit(*values)
