"""What every part of the window that reads traces of one kind does alike."""

from collections.abc import Hashable, Iterable
from typing import Any

from PySide6.QtCore import QObject, Signal

from chronoxis.app.document.document import Document
from chronoxis.app.measuring.service import MeasuringService
from chronoxis.core.traces.trace_kinds import TraceKind, TraceWish


class TracesOfKind(QObject):
    """Has traces of one kind measured: of all footage that has what is measured, unless told otherwise.

    Signals:
        changed: more is known of some footage, or measuring is further on.
    """

    changed = Signal()

    def __init__(self, document: Document, service: MeasuringService, kind: TraceKind[Any]) -> None:
        super().__init__()
        self._document, self._service, self._kind = document, service, kind
        service.progressed.connect(self._tell)
        document.footage_changed.connect(self._want)

    def _wishes(self) -> Iterable[TraceWish]:
        """All that is wished for now."""
        sources = self._document.known.sources.values()
        return [TraceWish(self._kind, source) for source in sources if self._kind.fits(source)]

    def _want(self) -> None:
        self._service.want(self._kind, self._wishes())

    def _tell(self, kind: TraceKind[Any], _origin: Hashable) -> None:
        if kind is self._kind:
            self.changed.emit()
