"""What is measured of the pictures of all footage: in the background, one after the other."""

from collections.abc import Hashable
from contextlib import suppress

from PySide6.QtCore import QObject, Signal

from chronoxis.app.background import InTurn, stand_aside
from chronoxis.app.document import Document
from chronoxis.core.errors import Cancelled
from chronoxis.core.footage.source import Source
from chronoxis.core.traces.picture_trace import PictureTrace, kept_trace, watch
from chronoxis.core.traces.store import TraceStore


class Watching(QObject):
    """Holds the picture traces of the document's footage.

    Signals:
        seen: more is known of some footage.
        failed: a message for the person.
    """

    seen = Signal()
    failed = Signal(str)
    _told = Signal(object, object, float)

    def __init__(self, document: Document, store: TraceStore | None = None) -> None:
        super().__init__()
        self._document = document
        self._store = store or TraceStore()
        self._traces: dict[Hashable, PictureTrace] = {}
        self._shares: dict[Hashable, float] = {}
        self._asked: dict[Hashable, Source] = {}  # what is known of one is not known of another there
        self._closed = False
        self._looking = InTurn(self._look, "looking for traces")
        self._work = InTurn(self._watch, "watching")
        self._work.failed.connect(lambda _, message: self.failed.emit(message))
        self._told.connect(self._take)
        document.footage_changed.connect(self._ask)

    def trace(self, origin: Hashable) -> PictureTrace | None:
        """What is known of the pictures of footage."""
        return self._traces.get(origin)

    def share(self, origin: Hashable) -> float:
        """How much of footage was looked at, 0 to 1."""
        trace = self._traces.get(origin)
        return 1.0 if trace is not None and trace.is_whole else self._shares.get(origin, 0.0)

    def close(self) -> None:
        """Stop; what is known by then is kept on the disk."""
        self._closed = True
        self._looking.close()
        self._work.close()

    def _ask(self) -> None:
        recorded = ((o, s) for o, s in self._document.sources.items() if s.files)
        for origin, source in recorded:
            if self._asked.get(origin) is not source and source.is_seen:
                self._asked[origin] = source
                self._traces.pop(origin, None)
                self._shares.pop(origin, None)
                self._looking.ask(source)

    def _look(self, source: Source) -> None:
        """What was measured before is there at once; the rest waits for its turn."""
        trace = kept_trace(source, self._store)
        if trace is not None:
            self._told.emit(source, trace, 1.0)
        elif not self._closed:
            self._work.ask(source)

    def _watch(self, source: Source) -> None:
        def shown(trace: PictureTrace, share: float) -> None:
            stand_aside()
            if self._closed or not self._is_there(source):
                raise Cancelled
            self._told.emit(source, trace, share)

        with suppress(Cancelled):
            self._told.emit(source, watch(source, self._store, shown), 1.0)

    def _is_there(self, source: Source) -> bool:
        """Whether the document has the footage still, as it was when it was asked for."""
        return self._document.sources.get(source.facts.origin) is source

    def _take(self, source: Source, trace: PictureTrace, share: float) -> None:
        if not self._is_there(source):
            return
        origin = source.facts.origin
        self._traces[origin], self._shares[origin] = trace, share
        if trace.is_whole:
            self._document.know(origin, trace)
        self.seen.emit()
