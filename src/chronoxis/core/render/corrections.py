"""What traces change in a shot: gains of its recorded frames, and which of them are not to be seen."""

import numpy as np

from chronoxis.core.footage.source import Source
from chronoxis.core.model.footage import Footage
from chronoxis.core.model.project import Shot
from chronoxis.core.picture.correction import Correction
from chronoxis.core.picture.evening import EvenLight
from chronoxis.core.render.nested_source import NestedSource
from chronoxis.core.timing.frame_making import PassersBy
from chronoxis.core.timing.shot_columns import NO_FRAMES, NO_SPANS, Frames, Spans, stretches
from chronoxis.core.traces.picture_trace import Column, PictureTrace


def corrections_of(
    shot: Shot, footage: Footage, source: Source, trace: PictureTrace | None
) -> tuple[Correction, ...]:
    """What is done to the recorded frames of a shot first; nothing where its footage was not measured yet."""
    if trace is None or not shot.even_out.strength:
        return ()
    gains = source.originals.along_course(gains_of(shot, footage, trace))
    return (EvenLight(gains, source.facts.picture.colour),)


def gains_of(shot: Shot, footage: Footage, trace: PictureTrace) -> Column:
    """What the light of each recorded frame or photo is multiplied with, shape (frames, 3)."""
    even = shot.even_out
    span = float(even.span * footage.rate) if even.span is not None else None
    return trace.gains(even.strength, span, channels=even.channels)


def passers_by(
    shot: Shot, footage: Footage, source: Source, trace: PictureTrace | None
) -> tuple[Spans, Spans]:
    """The frames of a shot's footage that are skipped, and those that are cleared."""
    if trace is None or not shot.reads_traces:
        return NO_SPANS, NO_SPANS
    marks = {PassersBy.SKIP: np.zeros(len(trace), np.bool_), PassersBy.CLEAR: np.zeros(len(trace), np.bool_)}
    for first, stop in trace.passers.tolist():
        wish = shot.handles_passer_by(*moment_of(footage, source, first, stop))
        if wish in marks:
            marks[wish][first:stop] = True
    own = {wish: source.originals.along_course(marked) for wish, marked in marks.items()}
    return stretches(own[PassersBy.SKIP]), stretches(own[PassersBy.CLEAR])


def cuts_of(shot: Shot, source: Source, trace: PictureTrace | None) -> Frames:
    """The first frames of scenes in a shot's footage but the first, where they matter and are known."""
    if not shot.reads_traces:
        return NO_FRAMES
    if isinstance(source, NestedSource):
        return source.cuts
    if trace is None:
        return NO_FRAMES
    numbers = source.originals.numbers
    if numbers is None:
        return trace.scenes
    scenes = np.searchsorted(trace.scenes, numbers, "right")
    return np.flatnonzero(np.diff(scenes)) + 1


def moment_of(footage: Footage, source: Source, first: int, stop: int) -> tuple[float, float]:
    """The recorded seconds of recorded frames or photos ``first`` to ``stop``."""
    numbers = source.originals.numbers
    if numbers is not None:
        shown = np.flatnonzero((numbers >= first) & (numbers < stop))
        if not len(shown):
            return 0.0, 0.0
        first, stop = int(shown[0]), int(shown[-1]) + 1
    scale = float(footage.scale)
    return float(source.edges[first]) * scale, float(source.edges[stop]) * scale
