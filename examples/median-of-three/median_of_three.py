"""A way of making a frame, the median of three, and a trace, how green the picture is, for Chronoxis."""

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from chronoxis import api

Codes = npt.NDArray[np.uint16]


@dataclass(frozen=True)
class Mixed:
    """What the way is set by.

    Attributes:
        share: how much of the median there is, 0 to 1; the rest is the middle one of the three.
    """

    share: float = api.parameter(
        1.0, api.Number("Median", "How much of the median there is.", 0, 1, "%", shown=100)
    )


class MedianMaker:
    """Keeps the three recorded frames of a result frame."""

    def __init__(self, settings: Mixed) -> None:
        self._share = settings.share
        self._frames: list[Codes] = []

    def add(self, codes: Codes, _weight: float) -> None:
        """Take in a recorded frame."""
        self._frames.append(codes)

    def made(self) -> Codes:
        """Of each channel of each pixel the middle code: who crosses one of three frames is gone."""
        if len(self._frames) < 3:
            return self._frames[0]
        first, middle, last = self._frames
        median = np.maximum(np.minimum(first, middle), np.minimum(np.maximum(first, middle), last))
        if self._share == 1:
            return median
        mixed = middle + self._share * (median.astype(np.float32) - middle)
        return np.rint(mixed).astype(np.uint16)


MEDIAN = api.Way(
    "&Median of 3",
    "The middle one of three recorded frames, of each pixel: who walks by is gone",
    MedianMaker,
    settings=Mixed,
    most=3,
)


def greenness(light: npt.NDArray[np.float32], _before: npt.NDArray[np.float32]) -> float:
    """How much greener a picture is than grey, 0 to 1."""
    red, green, blue = light.mean(axis=(0, 1))
    return float(max(0.0, green - (red + blue) / 2) / max(green, 1e-6))


GREEN = api.Trace("green", "How green the picture is", greenness)
