"""What it costs here to decode footage: measured, for whatever has to be told before it is done."""

import time
from collections.abc import Iterable
from dataclasses import dataclass
from math import inf

import numpy as np

from chronoxis.core.footage.prefetch import Check, never
from chronoxis.core.footage.source import Source
from chronoxis.core.model.export_format import Size

_MOST_SECONDS = 0.5  # that measuring goes on for
_MOST_FRAMES = 60
_STRETCH_FRAMES = 6  # frames


@dataclass(frozen=True)
class DecodingCost:
    """What decoding frames of footage takes, in seconds.

    Attributes:
        each: of one frame after another.
        leap: to the first frame of a group, in an open file.
        group: frames that hang on one another, on average; 1 where each is by itself.
    """

    each: float
    leap: float
    group: float

    @property
    def pointing(self) -> float:
        """Seconds to a frame that somebody points at, on average."""
        return self.leap + self.each * self.group / 2


def measure_cost(source: Source, needed: Size, check: Check = never) -> DecodingCost:
    """Decode a little in the middle of footage; ``needed`` is how large pictures have to be.

    Raises:
        FootageError: it cannot be decoded there.
        Cancelled: ``check`` raised it.
    """
    count, leaps = len(source.edges) - 1, source.originals.leaps
    if leaps is None:
        leaps = np.arange(count)
    middle = int(leaps[len(leaps) // 2])
    with source.reader(0, needed, fit=True) as reader:
        reader.frame(middle)  # whatever is done once is done
        again = int(leaps[len(leaps) // 3])
        begun = time.perf_counter()
        next(reader.frames([again], check))
        leap = time.perf_counter() - begun
        each = _quickest(reader.frames(range(again, min(again + _MOST_FRAMES, count)), check))
    return DecodingCost(each, leap, count / max(1, len(leaps)))


def _quickest(frames: Iterable[object]) -> float:
    """Seconds that a frame takes, in the quickest stretch: others may be busy meanwhile."""
    begun = since = time.perf_counter()
    quickest, decoded = inf, 0
    for decoded, _ in enumerate(frames, 1):
        now = time.perf_counter()
        if decoded % _STRETCH_FRAMES == 0:
            quickest, since = min(quickest, (now - since) / _STRETCH_FRAMES), now
        if decoded >= _STRETCH_FRAMES and now - begun > _MOST_SECONDS:
            break
    return quickest if quickest < inf else (time.perf_counter() - begun) / max(1, decoded)
