"""The camera's path: followed in the background where somebody looks, or what is steadied needs it."""

import time
from collections.abc import Hashable

from PySide6.QtCore import QObject, Signal

from chronoxis.app.background import InTurn, stand_aside
from chronoxis.app.document import Document
from chronoxis.core.errors import Cancelled
from chronoxis.core.footage.source import Source
from chronoxis.core.render.camera_at_joins import JoinCamera, camera_at, measured_streaks, spans_at
from chronoxis.core.render.nested import with_insides
from chronoxis.core.render.steadied import span_of, spans_to_follow
from chronoxis.core.traces.camera_path import CameraPath, Span, follow
from chronoxis.core.traces.store import TraceStore

_Wish = tuple[Source, tuple[Span, ...]]
_USUAL = 4e-9  # seconds for each pixel of a frame, until it is known better
_LEARNT = 200  # frames from which on it is


class Following(QObject):
    """Has the camera followed.

    Attributes:
        share: how much is done of what is followed now, 0 to 1.
        left: seconds that it will take yet; None until that can be told.

    Signals:
        seen: more is known.
        failed: a message for the person.
    """

    seen = Signal()
    failed = Signal(str)
    _told = Signal(object, object)
    _going = Signal(float, object)

    def __init__(self, document: Document, store: TraceStore | None = None) -> None:
        super().__init__()
        self._document, self._store = document, store or TraceStore()
        self._asked: set[_Wish] = set()
        self._under_way = 0
        self._closed = False
        self.share = 0.0
        self.left: float | None = None
        self._stopped: set[Hashable] = set()  # origins of footage that is not to be followed for shots
        self._pixel_seconds = _USUAL
        self._reading: frozenset[tuple[Hashable, tuple[Span, ...]]] = frozenset()
        self._for_shots = self._reading  # all that were ever followed for what is steadied
        self._work = InTurn(self._follow, "following the camera")
        self._work.failed.connect(self._fail)
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

    def takes(self, shot: int) -> float | None:
        """Seconds that following the camera through a shot takes; 0 once it is known, None if it cannot."""
        project = self._document.project
        footage = project.footage_of(project.shots[shot])
        source = self._document.opened(footage)
        if source is None or not source.files or not source.is_seen:
            return None
        span = span_of(project.shots[shot], footage, source)
        path = self._document.cameras.get(footage.origin)
        lacking = [span] if path is None else path.lacks([span])
        pixels = source.facts.picture.width * source.facts.picture.height
        return sum(stop - first for first, stop in lacking) * pixels * self._pixel_seconds

    def is_stopped(self, shot: int) -> bool:
        """Whether a person stopped that the camera is followed through a shot."""
        return self._origin(shot) in self._stopped

    def stop(self, shot: int) -> None:
        """Follow the camera through a shot's footage no further; what is known of it is kept."""
        self._stopped.add(self._origin(shot))
        self.seen.emit()

    def go_on(self, shot: int) -> None:
        """Follow it on from where it was stopped."""
        self._stopped.discard(self._origin(shot))
        self._ask_for_what_is_read()
        self.seen.emit()

    def _origin(self, shot: int) -> Hashable:
        project = self._document.project
        return project.footage_of(project.shots[shot]).origin

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
        wished = [{k: s for k, s in of_shots.items() if project.footage_named(k).origin not in self._stopped}]
        for each in with_insides(project):
            wished += [spans_at(each, sources, join) for join in measured_streaks(each)]
        for key, spans in (entry for spans_of in wished for entry in spans_of.items()):
            path = self._document.cameras.get(project.footage_named(key).origin)
            if path is None or path.lacks(spans):
                self._want(sources[key], tuple(spans))

    def _want(self, source: Source, spans: tuple[Span, ...]) -> None:
        wish = source, spans
        if wish not in self._asked and not self._closed:
            self._asked.add(wish)
            self._under_way += 1
            self._work.ask(wish)

    def _follow(self, wish: _Wish) -> None:
        source, spans = wish
        begun, known = time.monotonic(), None

        def shown(path: CameraPath, share: float) -> None:
            nonlocal known
            known = int(path.known.sum()) if known is None else known
            stand_aside()
            self._going.emit(share, (time.monotonic() - begun) * (1 / share - 1) if share > 0.01 else None)
            own = source.facts.origin, spans
            if own in self._for_shots and source.facts.origin in self._stopped:
                raise Cancelled
            if own in self._for_shots and own not in self._reading:
                raise Cancelled  # nothing is steadied by it any more
            if self._closed or not self._is_there(source):
                raise Cancelled

        try:
            path = follow(source, spans, self._store, shown)
        except Cancelled:
            self._asked.discard(wish)
            self._told.emit(source, None)
            return
        frames = 0 if known is None else int(path.known.sum()) - known
        if frames >= _LEARNT:
            pixels = source.facts.picture.width * source.facts.picture.height
            self._pixel_seconds = (time.monotonic() - begun) / frames / pixels
        self._told.emit(source, path)

    def _is_there(self, source: Source) -> bool:
        """Whether the document has the footage still, as it was when it was asked for."""
        now = self._document.sources.get(source.facts.origin)
        return now is not None and now.facts is source.facts

    def _fail(self, _wish: _Wish, message: str) -> None:
        self._under_way -= 1
        self.failed.emit(message)

    def _go(self, share: float, left: float | None) -> None:
        self.share, self.left = share, left
        self.seen.emit()

    def _take(self, source: Source, path: CameraPath | None) -> None:
        self._under_way -= 1
        self.share, self.left = 0.0, None
        if path is not None:
            if self._is_there(source):
                self._document.know_camera(source.facts.origin, path)
        else:  # somebody may have wished to go on before it had stopped
            self._ask_for_what_is_read()
        self.seen.emit()
