"""What packages measure of footage, for a pace that follows it: measured once somebody wants it."""

from collections.abc import Hashable, Iterable

from PySide6.QtCore import QObject, Signal

from chronoxis.app.document.document import Document
from chronoxis.app.measuring.service import MeasuringService
from chronoxis.core.model.footage import Footage
from chronoxis.core.timing.lulls import Course
from chronoxis.core.traces.added_trace import added_traces
from chronoxis.core.traces.lull_courses import picture_course
from chronoxis.core.traces.trace_kinds import TraceKind, TraceWish, added_kinds


class AddedCourses(QObject):
    """Has traces of packages measured of all footage, those that are wanted.

    Signals:
        changed: more is known.
    """

    changed = Signal()

    def __init__(self, document: Document, service: MeasuringService) -> None:
        super().__init__()
        self._document, self._service = document, service
        self._wanted: frozenset[str] = frozenset()
        self._courses: dict[tuple[str, str], tuple[object, Course]] = {}
        service.progressed.connect(self._tell)
        document.footage_changed.connect(self._ask)

    @property
    def offered(self) -> list[tuple[str, str, str]]:
        """Of each: its key, what a person calls it, and what it is."""
        return [(key, trace.label, trace.about) for key, trace in added_traces().items()]

    def want(self, keys: Iterable[str]) -> None:
        """Have these measured, and no others."""
        wanted = frozenset(keys) & frozenset(added_kinds())
        if wanted != self._wanted:
            self._wanted = wanted
            self._ask()

    def course(self, footage: Footage, key: str) -> Course | None:
        """What is followed, over recorded seconds; None while not all of it is known."""
        kind, source = added_kinds()[key], self._document.known.opened(footage)
        trace = self._service.trace(kind, footage.origin)
        if source is None or trace is None or not kind.suffices(trace, ()):
            return None
        known = self._courses.get((footage.key, key))
        if known is None or known[0] is not trace:
            known = self._courses[footage.key, key] = trace, picture_course(footage, source, trace)
        return known[1]

    def _ask(self) -> None:
        sources = list(self._document.known.sources.values())
        for key, kind in added_kinds().items():
            wished = sources if key in self._wanted else []
            self._service.want(kind, [TraceWish(kind, source) for source in wished if kind.fits(source)])

    def _tell(self, kind: TraceKind[object], _origin: Hashable) -> None:
        if any(kind is each for each in added_kinds().values()):
            self.changed.emit()
