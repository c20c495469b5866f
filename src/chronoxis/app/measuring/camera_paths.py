"""How the camera moves: followed where somebody looks, and where what is steadied or drawn out needs it."""

from collections.abc import Hashable, Iterable

from chronoxis.app.document.document import Document
from chronoxis.app.measuring.service import Measured, MeasuringService, Progress
from chronoxis.app.measuring.traces_of_kind import TracesOfKind
from chronoxis.core.footage.source import Source
from chronoxis.core.render.camera_at_joins import JoinCamera, camera_at
from chronoxis.core.render.measuring import join_wishes, steadying_wishes, streak_wishes
from chronoxis.core.render.steadied import span_of
from chronoxis.core.traces.trace_kinds import CAMERA, TraceWish

_USUAL_PIXEL_SECONDS = 4e-9  # seconds for each pixel of a frame, until it is known better
_LEARNT_FRAMES = 200  # frames from which on it is


class CameraPaths(TracesOfKind):
    """Has the camera followed."""

    def __init__(self, document: Document, service: MeasuringService) -> None:
        super().__init__(document, service, CAMERA)
        self._looked_at: list[TraceWish] = []  # at joins that somebody looked at
        self._glanced: tuple[TraceWish, ...] = ()  # for a look that somebody takes now
        self._stopped: set[Hashable] = set()  # origins of footage that is not to be followed for shots
        self._pixel_seconds = _USUAL_PIXEL_SECONDS
        service.measured.connect(self._learn)
        document.planned.connect(self._want)
        document.replaced.connect(self._stopped.clear)

    def at_join(self, join: int) -> JoinCamera | None:
        """What the camera does at a join; None until it was followed there."""
        project, service = self._document.project, self._service
        sources = self._document.known.all_opened(project)
        wished = join_wishes(project, sources, join)
        lacking = self._lacking(wished)
        if lacking:
            self._looked_at += [wish for wish in lacking if wish not in self._looked_at]
            self._want()
            return None
        known = ((f.key, service.trace(CAMERA, f.origin)) for f in project.footage)
        return camera_at(project, sources, {key: path for key, path in known if path is not None}, join)

    def glance_at(self, wishes: Iterable[TraceWish]) -> bool:
        """Follow it for a look that somebody takes, in place of one before; whether all of that is known."""
        glanced = tuple(self._lacking(wishes))
        if glanced != self._glanced:
            self._glanced = glanced
            self._want()
        return not glanced

    def _lacking(self, wishes: Iterable[TraceWish]) -> list[TraceWish]:
        """Those of some wishes that are not met."""
        return [wish for wish in wishes if not wish.is_met_by(self._service.trace(CAMERA, wish.origin))]

    @property
    def is_busy(self) -> bool:
        """Whether it is being followed now."""
        return self._service.is_busy(CAMERA)

    def progress(self, shot: int) -> Progress:
        """How far following it through a shot's footage is."""
        return self._service.progress(CAMERA, self._origin(shot))

    def takes(self, shot: int) -> float | None:
        """Seconds that following the camera through a shot takes; 0 once it is known, None if it cannot."""
        project = self._document.project
        footage = project.footage_of(project.shots[shot])
        source = self._document.known.opened(footage)
        if source is None or not CAMERA.fits(source):
            return None
        span = span_of(project.shots[shot], footage, source)
        path = self._service.trace(CAMERA, footage.origin)
        lacking = [span] if path is None else path.lacks([span])
        return sum(stop - first for first, stop in lacking) * _pixels(source) * self._pixel_seconds

    def is_stopped(self, shot: int) -> bool:
        """Whether a person stopped that the camera is followed through a shot."""
        return self._origin(shot) in self._stopped

    def stop(self, shot: int) -> None:
        """Follow the camera through a shot's footage no further; what is known of it is kept."""
        self._stopped.add(self._origin(shot))
        self._want()
        self.changed.emit()

    def go_on(self, shot: int) -> None:
        """Follow it on from where it was stopped."""
        self._stopped.discard(self._origin(shot))
        self._want()
        self.changed.emit()

    def _origin(self, shot: int) -> Hashable:
        project = self._document.project
        return project.footage_of(project.shots[shot]).origin

    def _wishes(self) -> list[TraceWish]:
        project = self._document.project
        sources = self._document.known.all_opened(project)
        self._looked_at = [wish for wish in self._looked_at if self._service.is_there(wish.source)]
        steadied = steadying_wishes(project, sources)
        wishes = [wish for wish in steadied if wish.origin not in self._stopped]
        return [*wishes, *streak_wishes(project, sources), *self._looked_at, *self._glanced]

    def _learn(self, wish: TraceWish, outcome: Measured) -> None:
        """How long following takes here."""
        if wish.kind is not CAMERA:
            return
        before = 0 if outcome.before is None else int(outcome.before.known.sum())
        frames = int(outcome.trace.known.sum()) - before
        if outcome.seconds and frames >= _LEARNT_FRAMES:
            self._pixel_seconds = outcome.seconds / frames / _pixels(wish.source)


def _pixels(source: Source) -> int:
    picture = source.facts.picture
    return picture.width * picture.height
