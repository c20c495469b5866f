"""What Checks see of shots by looking at a few recorded frames."""

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from chronoxis.core.footage.prefetch import never
from chronoxis.core.footage.reader_pool import Readers
from chronoxis.core.footage.source import Source
from chronoxis.core.picture.rgb import rgb16

_PLACES = (0.1, 0.3, 0.5, 0.7, 0.9)  # shares of a shot at which it is looked at
_HEIGHT = 180  # pixels
_TOP, _BOTTOM = 0.995, 0.008  # of the range of codes, beyond which there is nothing left


@dataclass(frozen=True)
class ShotGlance:
    """What was seen of a shot.

    Attributes:
        blown: share of its pictures that is bare white.
        black: share that is bare black.
    """

    blown: float
    black: float


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
    size = max(2, round(picture.width * _HEIGHT / picture.height)), _HEIGHT
    numbers = np.unique([first + int(share * (stop - first)) for share in _PLACES])
    blown, black = [], []
    for number in numbers.tolist():
        check()
        with readers.lend(source, size, fit=True, number=number) as reader:
            codes = np.asarray(rgb16(reader.frame(number), picture.colour), np.float32) / 65535
        least, most = codes.min(axis=2), codes.max(axis=2)
        blown.append(float((least >= _TOP).mean()))
        black.append(float((most <= _BOTTOM).mean()))
    return ShotGlance(float(np.median(blown)), float(np.median(black)))
