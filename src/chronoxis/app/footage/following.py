"""The camera's path near joins: followed in the background where somebody looks, or a streak needs it."""

from collections.abc import Hashable

from PySide6.QtCore import QObject, Signal

from chronoxis.app.background import InTurn, stand_aside
from chronoxis.app.document import Document
from chronoxis.core.errors import Cancelled
from chronoxis.core.footage.source import Source
from chronoxis.core.render.camera_at_joins import JoinCamera, camera_at, measured_streaks, spans_at
from chronoxis.core.render.nested import with_insides
from chronoxis.core.render.steadied import spans_to_follow
from chronoxis.core.traces.camera_path import CameraPath, Span, follow
from chronoxis.core.traces.store import TraceStore

_Wish = tuple[Source, tuple[Span, ...]]


class Following(QObject):
    """Has the camera followed.

    Attributes:
        share: how much is done of what is followed now, 0 to 1.

    Signals:
        seen: more is known.
        failed: a message for the person.
    """

    seen = Signal()
    failed = Signal(str)
    _told = Signal(object, object)
    _going = Signal(float)

    def __init__(self, document: Document, store: TraceStore | None = None) -> None:
        super().__init__()
        self._document, self._store = document, store or TraceStore()
        self._asked: set[tuple[Hashable, tuple[Span, ...]]] = set()
        self._under_way = 0
        self._closed = False
        self.share = 0.0
        self._reading: frozenset[tuple[Hashable, tuple[Span, ...]]] = frozenset()
        self._for_shots = self._reading  # all that were ever followed for what is steadied
        self._work = InTurn(self._follow, "following the camera")
        self._work.failed.connect(lambda _, message: self.failed.emit(message))
        self._told.connect(self._take)
        self._going.connect(self._go)
        document.planned.connect(self._ask_for_what_is_read)

    def camera(self, join: int) -> JoinCamera | None:
        """What the camera does at a join; None until it was followed there."""
        sources = self._sources()
        project = self._document.project
        paths = {f.key: p for f in project.footage if (p := self._document.cameras.get(f.origin)) is not None}
        for key, spans in spans_at(project, sources, join).items():
            if key not in paths or paths[key].lacks(spans):
                self._want(sources[key], tuple(spans))
                return None
        return camera_at(project, sources, paths, join)

    @property
    def is_busy(self) -> bool:
        """Whether it is being followed now."""
        return self._under_way > 0

    def close(self) -> None:
        """Stop."""
        self._closed = True
        self._work.close()

    def _sources(self) -> dict[str, Source]:
        document = self._document
        opened = ((footage.key, document.opened(footage)) for footage in document.project.footage)
        return {key: source for key, source in opened if source is not None}

    def _ask_for_what_is_read(self) -> None:
        project, sources = self._document.project, self._sources()
        of_shots = spans_to_follow(project, sources)
        self._reading = frozenset(
            (project.footage_named(key).origin, tuple(spans)) for key, spans in of_shots.items()
        )
        self._for_shots |= self._reading
        wished = [of_shots]
        for each in with_insides(project):
            wished += [spans_at(each, sources, join) for join in measured_streaks(each)]
        for key, spans in (entry for spans_of in wished for entry in spans_of.items()):
            path = self._document.cameras.get(project.footage_named(key).origin)
            if path is None or path.lacks(spans):
                self._want(sources[key], tuple(spans))

    def _want(self, source: Source, spans: tuple[Span, ...]) -> None:
        wish = source.facts.origin, spans
        if wish not in self._asked and not self._closed:
            self._asked.add(wish)
            self._under_way += 1
            self._work.ask((source, spans))

    def _follow(self, wish: _Wish) -> None:
        source, spans = wish

        def shown(_path: CameraPath, share: float) -> None:
            stand_aside()
            self._going.emit(share)
            own = source.facts.origin, spans
            if own in self._for_shots and own not in self._reading:
                raise Cancelled  # nothing is steadied by it any more
            if self._closed or source.facts.origin not in self._document.sources:
                raise Cancelled

        try:
            self._told.emit(source.facts.origin, follow(source, spans, self._store, shown))
        except Cancelled:
            self._told.emit(source.facts.origin, None)
            self._asked.discard((source.facts.origin, spans))

    def _go(self, share: float) -> None:
        self.share = share
        self.seen.emit()

    def _take(self, origin: Hashable, path: CameraPath | None) -> None:
        self._under_way -= 1
        if path is not None:
            self._document.know_camera(origin, path)
        self.seen.emit()
