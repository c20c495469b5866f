"""What Checks see of shots by looking at a few recorded frames."""

from collections.abc import Callable, Iterator
from dataclasses import dataclass

import numpy as np

from chronoxis.core.checks.regular_motion import PICTURES, passing_rate
from chronoxis.core.footage.prefetch import never
from chronoxis.core.footage.reader_pool import Readers
from chronoxis.core.footage.source import Source
from chronoxis.core.picture.rgb import rgb16
from chronoxis.core.traces.camera_steps import ROWS, looked_at

_SINGLE_LOOKS = (0.1, 0.3, 0.5, 0.7, 0.9)  # shares of a shot at which it is looked at
_CONSECUTIVE_LOOKS = (0.1, 0.5, 0.9)  # shares of it at which consecutive frames are looked at
_LOOKED_AT_HEIGHT = 180  # pixels
_BLOWN_CODE, _BLACK_CODE = 0.995, 0.008  # of the range of codes, beyond which there is nothing left


@dataclass(frozen=True)
class ShotGlance:
    """What was seen of a shot.

    Attributes:
        blown: share of its pictures that is bare white.
        black: share that is bare black.
        passing: where something regular moves: number of a frame, and how often in the time of a recorded
            frame one of its parts comes by.
    """

    blown: float
    black: float
    passing: tuple[tuple[int, float], ...] = ()


def glance_at(
    source: Source, first: int, stop: int, readers: Readers, check: Callable[[], None] = never
) -> ShotGlance:
    """Look at a few frames of a source between two numbers.

    Args:
        source: opened and counted.
        first: number of the first frame.
        stop: behind the last one.
        readers: where frames come from.
        check: called between frames; it may raise `Cancelled`.

    Raises:
        FootageError: a frame cannot be decoded.
        Cancelled: ``check`` raised it.
    """
    picture = source.facts.picture
    size = max(2, round(picture.width * _LOOKED_AT_HEIGHT / picture.height)), _LOOKED_AT_HEIGHT
    numbers = np.unique([first + int(share * (stop - first)) for share in _SINGLE_LOOKS])
    blown, black = [], []
    for number in numbers.tolist():
        check()
        with readers.lend(source, size, fit=True, number=number) as reader:
            codes = np.asarray(rgb16(reader.frame(number), picture.colour), np.float32) / 65535
        least, most = codes.min(axis=2), codes.max(axis=2)
        blown.append(float((least >= _BLOWN_CODE).mean()))
        black.append(float((most <= _BLACK_CODE).mean()))
    passing = tuple(_passing(source, first, stop, readers, check))
    return ShotGlance(float(np.median(blown)), float(np.median(black)), passing)


def _passing(
    source: Source, first: int, stop: int, readers: Readers, check: Callable[[], None]
) -> Iterator[tuple[int, float]]:
    """Where something regular moves, and how fast; photos are too far apart to tell."""
    picture = source.facts.picture
    if stop - first < PICTURES or source.originals.numbers is not None:
        return
    size = max(1, round(picture.width / picture.height * ROWS)), ROWS
    for share in _CONSECUTIVE_LOOKS:
        begin = first + int(share * (stop - first - PICTURES))
        numbers = range(begin, begin + PICTURES)
        with readers.lend(source, size, fit=True, number=begin) as reader:
            pictures = [looked_at(frame, picture) for _, frame in reader.frames(numbers, check)]
        check()
        if rate := passing_rate(pictures):
            yield begin, rate
