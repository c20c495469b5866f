"""From traces to the courses that lulls are found in, and paces follow."""

import numpy as np

from chronoxis.core.footage.source import Source
from chronoxis.core.model.footage import Footage
from chronoxis.core.timing.lulls import Course, Seconds
from chronoxis.core.traces.levels import PER_SECOND
from chronoxis.core.traces.picture_trace import Column, PictureTrace
from chronoxis.core.traces.sound_trace import SoundTrace
from chronoxis.core.traces.speech import WINDOW_SECONDS


def speech_course(footage: Footage, trace: SoundTrace | None) -> Course | None:
    """How probable it is that somebody speaks, over recorded seconds; None where nothing is known of it."""
    if trace is None or not len(trace.speech):
        return None
    return Course(_evenly(len(trace.speech), float(WINDOW_SECONDS * footage.scale)), trace.speech)


def level_course(footage: Footage, trace: SoundTrace | None) -> Course | None:
    """How loud it is, over recorded seconds; None where nothing is known of it."""
    if trace is None or not len(trace.levels):
        return None
    return Course(_evenly(len(trace.levels), float(footage.scale) / PER_SECOND), trace.levels)


def _evenly(count: int, step: float) -> Seconds:
    return np.arange(count + 1, dtype=np.float64) * step


def picture_course(footage: Footage, source: Source, column: Column) -> Course:
    """A column of its pictures' trace, over recorded seconds."""
    return Course(source.edges * float(footage.scale), source.originals.along_course(column))


def change_course(footage: Footage, source: Source, trace: PictureTrace | None) -> Course | None:
    """How much of the picture changes, over recorded seconds; None where nothing is known of it."""
    return None if trace is None else picture_course(footage, source, trace.change)
