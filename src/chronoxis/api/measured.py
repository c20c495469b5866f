"""What is measured of footage: once, and kept beside everything else that was."""

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import numpy.typing as npt

from chronoxis.api.footage import Footage
from chronoxis.core.errors import FootageError
from chronoxis.core.footage.kinds import open_source
from chronoxis.core.footage.source import Source
from chronoxis.core.model.music import MusicFile
from chronoxis.core.traces.camera_path import follow
from chronoxis.core.traces.picture_trace import watch
from chronoxis.core.traces.sound_trace import listen
from chronoxis.core.traces.store import TraceStore

Column = npt.NDArray[np.float32]
Share = Callable[[float], None]
"""Called with the share done, 0 to 1; it may raise `Cancelled` to stop."""


def _nobody(_share: float) -> None:
    """Progress that nobody asked for."""


@dataclass(frozen=True, eq=False)
class Traces:
    """What the pictures of footage are like, by recorded frame; shape (frames,) each.

    Attributes:
        light: mean luminance, linear, 0 to 1.
        motion: mean difference from the frame before, 0 to 1, the change of light taken out.
        change: the largest change of any part of the picture from the frame before, 0 to 1.
        passers_by: whether something large crosses near the lens.
    """

    light: Column
    motion: Column
    change: Column
    passers_by: npt.NDArray[np.bool_]


@dataclass(frozen=True, eq=False)
class CameraMoves:
    """How each frame lies against the one before; shape (frames,) each.

    Attributes:
        right: pixels of the full picture, at its middle.
        down: likewise.
        turned: degrees.
        grown: times.
        confidence: 0 to 1, 0 where it could not be followed.
    """

    right: Column
    down: Column
    turned: Column
    grown: Column
    confidence: Column


@dataclass(frozen=True)
class Beats:
    """The beats of music.

    Attributes:
        times: seconds, ascending.
        bar_starts: whether each begins a bar.
    """

    times: tuple[float, ...]
    bar_starts: tuple[bool, ...]


def traces(footage: Footage, told: Share = _nobody) -> Traces:
    """Measure the pictures of footage. Raises FootageError if they cannot be read."""
    trace = watch(_seen(footage), TraceStore(), lambda _, share: told(share))
    return Traces(trace.light, trace.motion, trace.change, trace.has_passer)


def camera_moves(footage: Footage, told: Share = _nobody) -> CameraMoves:
    """Follow the camera through all of a recording. Raises FootageError if it cannot be read."""
    source = _seen(footage)
    originals = source.originals.source
    spans = ((0, len(originals.edges) - 1),)
    path = follow(source, spans, TraceStore(), lambda _, share: told(share))
    return CameraMoves(*path.in_pixels(originals.facts.picture.width))


def _seen(footage: Footage) -> Source:
    """What has pictures. Raises FootageError if there are none."""
    if not footage.source.has_pictures:
        raise FootageError(f"{footage.path.name} has no pictures to be measured.")
    return footage.source


def beats(path: str | Path) -> Beats:
    """Find the beats of music, of any file with sound. Raises FootageError if there is none."""
    found = listen(open_source(MusicFile(Path(path))), TraceStore()).beats
    starts = tuple(bool(found.begins_bar(number)) for number in range(len(found.times)))
    return Beats(tuple(found.times), starts)
