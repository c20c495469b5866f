"""What is known of the pictures of all footage."""

from collections.abc import Hashable

from chronoxis.app.document.document import Document
from chronoxis.app.measuring.service import MeasuringService
from chronoxis.app.measuring.traces_of_kind import TracesOfKind
from chronoxis.core.traces.picture_trace import PictureTrace
from chronoxis.core.traces.trace_kinds import PICTURES


class PictureTraces(TracesOfKind):
    """Has the pictures of all the document's footage measured."""

    def __init__(self, document: Document, service: MeasuringService) -> None:
        super().__init__(document, service, PICTURES)

    def trace(self, origin: Hashable) -> PictureTrace | None:
        """What is known of the pictures of footage."""
        return self._service.trace(PICTURES, origin)

    def share(self, origin: Hashable) -> float:
        """How much of footage was looked at, 0 to 1."""
        trace = self.trace(origin)
        whole = trace is not None and trace.is_whole
        return 1.0 if whole else self._service.progress(PICTURES, origin).share
