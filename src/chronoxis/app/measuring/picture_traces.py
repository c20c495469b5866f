"""What is known of the pictures of all footage."""

from collections.abc import Hashable

from PySide6.QtCore import QObject, Signal

from chronoxis.app.document.document import Document
from chronoxis.app.measuring.service import MeasuringService
from chronoxis.core.traces.picture_trace import PictureTrace
from chronoxis.core.traces.trace_kinds import PICTURES, TraceKind, TraceWish


class PictureTraces(QObject):
    """Has the pictures of all the document's footage measured.

    Signals:
        changed: more is known of some footage.
    """

    changed = Signal()

    def __init__(self, document: Document, service: MeasuringService) -> None:
        super().__init__()
        self._document, self._service = document, service
        service.progressed.connect(self._tell)
        document.footage_changed.connect(self._want)

    def trace(self, origin: Hashable) -> PictureTrace | None:
        """What is known of the pictures of footage."""
        return self._service.trace(PICTURES, origin)

    def share(self, origin: Hashable) -> float:
        """How much of footage was looked at, 0 to 1."""
        trace = self.trace(origin)
        whole = trace is not None and trace.is_whole
        return 1.0 if whole else self._service.progress(PICTURES, origin).share

    def _want(self) -> None:
        sources = self._document.known.sources.values()
        self._service.want(PICTURES, (TraceWish(PICTURES, each) for each in sources if PICTURES.fits(each)))

    def _tell(self, kind: TraceKind[object], _origin: Hashable) -> None:
        if kind is PICTURES:
            self.changed.emit()
