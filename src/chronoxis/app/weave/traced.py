"""What is known of footage that the Weave shows: what was measured of it, and where something is wrong."""

from dataclasses import dataclass

import numpy as np

from chronoxis.app.document.document import Document
from chronoxis.app.measuring.picture_traces import PictureTraces
from chronoxis.app.measuring.sound_traces import SoundTraces
from chronoxis.core.footage.source import Source
from chronoxis.core.model.footage import Footage
from chronoxis.core.render.corrections import moment_of
from chronoxis.core.timing.pace import Seconds
from chronoxis.core.timing.shot_columns import Frames
from chronoxis.core.traces.picture_trace import PictureTrace
from chronoxis.core.traces.sound_trace import SoundTrace


@dataclass(frozen=True, eq=False)
class Traced:
    """Footage with what is known of it; there is no trace before its pictures are looked at."""

    footage: Footage
    source: Source
    trace: PictureTrace | None
    sound: SoundTrace

    def displayed_at(self, seconds: Seconds) -> Frames:
        """Numbers of the source's frames on display at recorded seconds."""
        edges = self.source.edges
        stored = seconds / float(self.footage.scale)
        return np.clip(np.searchsorted(edges, stored, "right") - 1, 0, len(edges) - 2)

    def frames_at(self, seconds: Seconds) -> Frames:
        """Numbers of the recorded frames, or photos, on display at recorded seconds."""
        return self.source.originals.recorded(self.displayed_at(seconds))

    def moments(self) -> list[tuple[float, float]]:
        """When somebody passes, recorded seconds."""
        spans = self.trace.passers.tolist() if self.trace is not None else []
        return [moment_of(self.footage, self.source, *span) for span in spans]


def all_traced(document: Document, pictures: PictureTraces, sounds: SoundTraces) -> dict[str, Traced]:
    """What was measured of footage, by key; of footage that is steadied as well, which has no trace yet."""
    found, plan = {}, document.plan
    courses = zip(plan.project.shots, plan.steadied, strict=False) if plan is not None else ()
    steadied = {shot.footage for shot, course in courses if course is not None}
    for footage in document.project.footage:
        trace, source = pictures.trace(footage.origin), document.known.opened(footage)
        if source is not None and (trace is not None or footage.key in steadied):
            found[footage.key] = Traced(footage, source, trace, sounds.trace(footage.origin))
    return found


def flaws_of(document: Document) -> tuple[Seconds, ...]:
    """Where something is wrong with each footage; recorded seconds, shape (flaws, 2)."""
    found = []
    for footage in document.project.footage:
        source = document.known.opened(footage)
        spans = [(flaw.begin, flaw.end) for flaw in source.flaws] if source is not None else []
        found.append(np.array(spans, np.float64).reshape(-1, 2) * float(footage.scale))
    return tuple(found)
