"""Keeps an eye on the files of the project's footage while they are open."""

from collections.abc import Callable, Hashable
from pathlib import Path
from typing import NamedTuple

from PySide6.QtCore import QObject, QTimer, Signal

from chronoxis.app.document.document import Document
from chronoxis.app.workers import NewestWorker
from chronoxis.core.footage.stamps import Stamp, stamps_of
from chronoxis.core.model.footage import Footage

_LOOK_MS = 1000  # milliseconds between looks; what changed is acted on once it was the same twice
_AT_ONCE = 100  # files of one footage that are looked at each time, of thousands of photos


class _Look(NamedTuple):
    """Files to look at, by the origin of their footage."""

    files: dict[Hashable, list[Path]]

    def taken(self, _still_wanted: Callable[[], bool]) -> dict[Hashable, dict[Path, Stamp]]:
        """Their stamps; what lies on a disk that does not answer keeps no one else waiting."""
        return {origin: stamps_of(files) for origin, files in self.files.items()}


class OnDisk(QObject):
    """Notices that files were replaced, cut, taken away or put back.

    Signals:
        altered: files of footage are not what they were; its origin.
        gone: they are not there any more; its origin, and which.
    """

    altered = Signal(object)
    gone = Signal(object, object)

    def __init__(self, document: Document) -> None:
        super().__init__()
        self._document = document
        self._known: dict[Hashable, dict[Path, Stamp]] = {}
        self._settling: dict[Path, Stamp] = {}  # what was seen once
        self._turn = 0
        self._looker = NewestWorker(_Look.taken, "looking at files")
        self._looker.answered.connect(lambda _, seen: self._compare(seen))
        self._timer = QTimer(self, interval=_LOOK_MS)
        self._timer.timeout.connect(self._look)
        self._timer.start()
        document.replaced.connect(self._known.clear)

    def remember(self, origin: Hashable, stamps: dict[Path, Stamp]) -> None:
        """Take in what files were like just before they were read."""
        self._known[origin] = dict(stamps)

    def close(self) -> None:
        """Look no more."""
        self._timer.stop()
        self._looker.close()

    def _look(self) -> None:
        document = self._document
        wish = {}
        for footage in document.project.footage:
            origin = footage.origin
            if footage.files and origin not in document.known.pending and self._is_settled(footage):
                wish[origin] = self._files_in_turn(footage)
        self._turn += 1
        if wish:
            self._looker.ask(_Look(wish))

    def _is_settled(self, footage: Footage) -> bool:
        """Whether nothing is being read of it: it is open, or known to be missing."""
        return (
            footage.origin in self._document.known.sources or footage.origin in self._document.known.missing
        )

    def _files_in_turn(self, footage: Footage) -> list[Path]:
        """The folder, which tells what came and went, and some of many files."""
        files = footage.files
        begin = self._turn * _AT_ONCE % len(files) if len(files) > _AT_ONCE else 0
        return [files[0].parent, *files[begin : begin + _AT_ONCE]] if len(files) > 1 else [*files]

    def _compare(self, seen: dict[Hashable, dict[Path, Stamp]]) -> None:
        here = {footage.origin: footage for footage in self._document.project.footage}
        for origin, stamps in seen.items():
            footage = here.get(origin)
            if footage is None or origin in self._document.known.pending or not self._is_settled(footage):
                continue
            known = self._known.setdefault(origin, {})
            other = {path for path, stamp in stamps.items() if known.setdefault(path, stamp) != stamp}
            settled = {path for path in other if self._settling.get(path, ()) == stamps[path]}
            for path in stamps:
                self._settling.pop(path, None)
            self._settling |= {path: stamps[path] for path in other}
            if settled:
                known.update(stamps)
                self._tell(footage, stamps)

    def _tell(self, footage: Footage, stamps: dict[Path, Stamp]) -> None:
        first = next(iter(stamps))
        if stamps[first] is not None:
            self.altered.emit(footage.origin)
        elif footage.origin not in self._document.known.missing:
            self.gone.emit(footage.origin, first)
