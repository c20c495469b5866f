"""Has footage measured beside the window: one machine for every kind of trace."""

import threading
import time
from collections.abc import Hashable, Iterable, Iterator
from contextlib import contextmanager
from typing import Any, NamedTuple, TypeVar

from PySide6.QtCore import QObject, Signal

from chronoxis.app.background import stand_aside
from chronoxis.app.document.document import Document
from chronoxis.app.workers import QueueWorker
from chronoxis.core.errors import Cancelled, FootageError
from chronoxis.core.footage.source import Source
from chronoxis.core.traces.store import TraceStore
from chronoxis.core.traces.trace_kinds import TraceKind, TraceWish, trace_kinds

_PATIENCE = 10.0  # seconds after which a disk that does not answer keeps other footage waiting no longer
_PAUSE_SECONDS = 0.05  # seconds between looks whether a pause is over
_LONGEST_TURN = 3 * 3600.0  # seconds that one kind waits for another
_TELLING = 0.01  # share done from which on the time left can be told

Trace = TypeVar("Trace")


class Progress(NamedTuple):
    """How far measuring is.

    Attributes:
        share: done, 0 to 1.
        left: seconds that it will take yet; None until that can be told.
    """

    share: float
    left: float | None


class Measured(NamedTuple):
    """What came of measuring.

    Attributes:
        trace: all that is known now.
        before: what was known before; None if nothing was.
        seconds: how long it took.
    """

    trace: Any
    before: Any
    seconds: float


class MeasuringService(QObject):
    """Measures what is wished for, a kind beside the other, of each kind one after the other.

    Wishes are told as a whole: what is among them and not known is measured, what no longer is, is given up.
    Traces last as long as the document has the footage that they are of.

    Signals:
        progressed: more is known, or measuring is further on; the kind and the footage's origin.
        measured: the wish, and what came of it (`Measured`).
        failed: a message for the person.
    """

    progressed = Signal(object, object)
    measured = Signal(object, object)
    failed = Signal(str)
    _shown = Signal(object, object, object)

    def __init__(self, document: Document, store: TraceStore | None = None) -> None:
        super().__init__()
        self._document, self._store = document, store or TraceStore()
        self._wanted: dict[TraceKind[Any], frozenset[TraceWish]] = dict.fromkeys(trace_kinds(), frozenset())
        self._under_way: set[TraceWish] = set()
        self._failed: set[TraceWish] = set()
        self._traces: dict[tuple[TraceKind[Any], Hashable], tuple[Source, Any]] = {}
        self._progress: dict[tuple[TraceKind[Any], Hashable], Progress] = {}
        self._paused: set[TraceKind[Any]] = set()
        self._large = threading.Semaphore(1)
        self._closed = False
        self._shown.connect(self._take_progress)
        self._looking = QueueWorker(self._look, "looking for traces", patience=_PATIENCE, drops=True)
        self._looking.done.connect(self._take_kept)
        self._looking.failed.connect(self._fail)
        self._measuring: dict[TraceKind[Any], QueueWorker] = {}
        for kind in trace_kinds():
            worker = QueueWorker(self._measure, kind.name, patience=_PATIENCE, drops=True)
            worker.done.connect(self._take)
            worker.failed.connect(self._fail)
            self._measuring[kind] = worker
        document.footage_changed.connect(self._forget)

    def want(self, kind: TraceKind[Any], wishes: Iterable[TraceWish]) -> None:
        """Have these traces of a kind, and no others; those asked for first come first."""
        wished = list(dict.fromkeys(wishes))
        self._wanted[kind] = frozenset(wished)
        self._failed = {wish for wish in self._failed if wish.kind is not kind or wish in self._wanted[kind]}
        for wish in wished:
            self._begin(wish)

    def pause(self, kind: TraceKind[Any], on: bool) -> None:
        """Let what is under way of a kind rest, or go on."""
        (self._paused.add if on else self._paused.discard)(kind)

    def trace(self, kind: TraceKind[Trace], origin: Hashable) -> Trace | None:
        """What is known of footage by now."""
        found = self._traces.get((kind, origin))
        return None if found is None else found[1]

    def forget(self, kind: TraceKind[Any], origin: Hashable) -> None:
        """Believe no more what is known of footage: it was taken away."""
        self._traces.pop((kind, origin), None)
        self._progress.pop((kind, origin), None)

    def progress(self, kind: TraceKind[Any], origin: Hashable) -> Progress:
        """How far measuring of footage is."""
        return self._progress.get((kind, origin), Progress(0.0, None))

    def is_busy(self, kind: TraceKind[Any]) -> bool:
        """Whether a kind of trace is being measured, or waits for that."""
        return any(wish.kind is kind for wish in self._under_way)

    def is_there(self, source: Source) -> bool:
        """Whether the document has footage still, as it was when it was opened."""
        now = self._document.known.sources.get(source.facts.origin)
        return now is not None and now.facts is source.facts

    def is_to_come(self, kind: TraceKind[Any], origin: Hashable) -> bool:
        """Whether a trace of footage is being measured, or waits for that."""
        return any(wish.origin == origin for wish in self._wanted[kind] & self._under_way)

    def close(self) -> None:
        """Stop; what is known by then is kept on the disk."""
        self._closed = True
        for worker in (self._looking, *self._measuring.values()):
            worker.close()

    def _begin(self, wish: TraceWish) -> None:
        known = self.trace(wish.kind, wish.origin)
        if wish.is_met_by(known):
            # Perhaps it was measured in the course of more than is wished for now.
            self._document.know(wish.kind, wish.origin, known)
        elif not (wish in self._under_way or wish in self._failed or self._closed):
            self._under_way.add(wish)
            self._looking.ask(wish)

    def _forget(self) -> None:
        """Believe no more what is known of footage that is not there any more."""
        gone = [key for key, (source, _) in self._traces.items() if not self.is_there(source)]
        for key in gone:
            del self._traces[key]
            self._progress.pop(key, None)
            self.progressed.emit(*key)

    def _look(self, wish: TraceWish) -> Any:
        """What was measured before; of what cannot be read, measuring will say so."""
        try:
            return wish.kind.kept(wish.source, self._store)
        except FootageError:
            return None

    def _take_kept(self, wish: TraceWish, trace: Any) -> None:
        """What is known by now is there at once; the rest waits for its turn."""
        if not self._is_wanted(wish):
            self._end(wish)
            return
        if trace is not None and self.trace(wish.kind, wish.origin) is None:
            self._put(wish, trace)
        known = self.trace(wish.kind, wish.origin)
        if wish.is_met_by(known):
            self._finish(wish, Measured(known, known, 0.0))
        else:
            self._measuring[wish.kind].ask(wish)

    def _measure(self, wish: TraceWish) -> Measured | None:
        """What comes of measuring; None if it was given up."""
        begun, worker = time.monotonic(), self._measuring[wish.kind]
        before = self.trace(wish.kind, wish.origin)

        def shown(trace: object, share: float) -> None:
            stand_aside()
            worker.beat()
            while wish.kind in self._paused and self._is_wanted(wish):
                time.sleep(_PAUSE_SECONDS)
                worker.beat()
            if not self._is_wanted(wish):
                raise Cancelled
            left = (time.monotonic() - begun) * (1 / share - 1) if share > _TELLING else None
            self._shown.emit(wish, trace, Progress(share, left))

        try:
            with self._turn(wish, worker):
                trace = wish.kind.measure(wish.source, wish.spans, self._store, shown, before)
        except Cancelled:
            return None
        return Measured(trace, before, time.monotonic() - begun)

    @contextmanager
    def _turn(self, wish: TraceWish, worker: QueueWorker) -> Iterator[None]:
        """Of footage with large pictures one kind is measured at a time: each decoder holds many of them.

        Raises:
            Cancelled: it is no longer wished for.
        """
        large = wish.source.facts.picture.is_large
        since = time.monotonic()
        while large and not self._large.acquire(timeout=_PAUSE_SECONDS):
            worker.beat()
            if not self._is_wanted(wish):
                raise Cancelled
            if time.monotonic() - since > _LONGEST_TURN:
                large = False  # who has it may hang on a disk that does not answer
        try:
            if not self._is_wanted(wish):
                raise Cancelled
            yield
        finally:
            if large:
                self._large.release()

    def _is_wanted(self, wish: TraceWish) -> bool:
        return not self._closed and wish in self._wanted[wish.kind] and self.is_there(wish.source)

    def _take_progress(self, wish: TraceWish, trace: Any, progress: Progress) -> None:
        if self._is_wanted(wish):
            self._progress[wish.kind, wish.origin] = progress
            self._put(wish, trace)
            self.progressed.emit(wish.kind, wish.origin)

    def _take(self, wish: TraceWish, outcome: Measured | None) -> None:
        if outcome is None or not self.is_there(wish.source):
            self._end(wish)
        else:
            self._put(wish, outcome.trace)
            self._finish(wish, outcome)

    def _put(self, wish: TraceWish, trace: Any) -> None:
        self._traces[wish.kind, wish.origin] = wish.source, trace

    def _finish(self, wish: TraceWish, outcome: Measured) -> None:
        self._under_way.discard(wish)
        self._progress.pop((wish.kind, wish.origin), None)
        self._document.know(wish.kind, wish.origin, outcome.trace)
        self.measured.emit(wish, outcome)
        self.progressed.emit(wish.kind, wish.origin)

    def _end(self, wish: TraceWish) -> None:
        """It was given up; somebody may have wished for it again before that was done."""
        self._under_way.discard(wish)
        self._progress.pop((wish.kind, wish.origin), None)
        if self._is_wanted(wish):
            self._begin(wish)
        self.progressed.emit(wish.kind, wish.origin)

    def _fail(self, wish: TraceWish, message: str) -> None:
        self._failed.add(wish)
        self._end(wish)
        if self._is_wanted(wish):
            self.failed.emit(message)
