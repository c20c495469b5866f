"""Passers-by: what is large and near, crosses the picture, and is out of pattern with its neighbours."""

from collections import deque

import cv2
import numpy as np
import numpy.typing as npt

from chronoxis.core.timing.shot_columns import NO_SPANS, Spans, stretches
from chronoxis.core.traces.glances import Small

HELD = 49
"""Pictures about one, whose median is what stands still there."""

REACH = HELD // 2
"""Pictures after one that are looked at to judge it."""

RENEWED = 4
"""Pictures after which what stands still is worked out anew."""

_LUMA = np.array([0.2126, 0.7152, 0.0722], np.float32)
_LEAST_DIFFERENCE = 0.08  # of the range, by which a pixel differs from what stands still
# Shares of the picture: whoever is near reaches one of them.
_TALL_SHARE = 0.5
_WIDE_SHARE = 0.6
_LARGE_SHARE = 0.10
_LEAST_COVERED = 0.025  # share of the picture that is covered
_LEAST_RATIO = 2.5  # times what is usual around, at least
_BACKGROUND_PICTURES = 10  # times as many pictures as are held, over which the usual is taken
_MERGED_GAP = 3  # pictures between two moments that are one


class PasserWatch:
    """Watches pictures that follow one another at even distances."""

    def __init__(self) -> None:
        self._held: deque[npt.NDArray[np.float32]] = deque(maxlen=HELD)
        self._still: npt.NDArray[np.float32] | None = None
        self._seen = 0
        self._covered: list[float] = []

    def see(self, codes: Small) -> None:
        """Take in the next one."""
        self._held.append(np.asarray(codes @ _LUMA, np.float32))
        self._seen += 1
        if len(self._held) == HELD:
            if self._seen == HELD:
                self._covered += [self._cover(self._held[place]) for place in range(REACH)]
            self._covered.append(self._cover(self._held[REACH]))

    def covered(self, *, ended: bool) -> npt.NDArray[np.float32]:
        """Of every picture, the share that something large covers.

        Those at the end are judged by what was last seen if there are no more; else they are yet to come.
        """
        unjudged = self._seen - len(self._covered)
        rest = [self._cover(grey) for grey in list(self._held)[-unjudged:]] if ended and unjudged else []
        return np.array([*self._covered, *rest], np.float32)

    def _cover(self, grey: npt.NDArray[np.float32]) -> float:
        if self._still is None or self._seen % RENEWED == 0 or len(self._held) < HELD:
            # Contiguous for each place: that is quicker by far.
            held = np.ascontiguousarray(np.stack(self._held).reshape(len(self._held), -1).T)
            self._still = np.median(held, axis=1).reshape(grey.shape)
        return _largest(grey, self._still)


def _largest(grey: npt.NDArray[np.float32], still: npt.NDArray[np.float32]) -> float:
    """The share of the largest thing that differs and is near, 0 if there is none."""
    # Light that flickers over all of the picture is nobody.
    gain = _middle(grey) / max(_middle(still), 0.004)
    differs = (np.abs(grey - np.clip(still * gain, 0, 1)) > _LEAST_DIFFERENCE).astype(np.uint8)
    differs = cv2.morphologyEx(differs, cv2.MORPH_CLOSE, np.ones((3, 3), np.uint8))
    count, _, stats, _ = cv2.connectedComponentsWithStats(differs, connectivity=8)
    height, width = grey.shape
    largest = 0.0
    for part in stats[1:count]:
        area = float(part[cv2.CC_STAT_AREA]) / (width * height)
        near = (
            part[cv2.CC_STAT_HEIGHT] >= _TALL_SHARE * height
            or part[cv2.CC_STAT_WIDTH] >= _WIDE_SHARE * width
            or area >= _LARGE_SHARE
        )
        if near:
            largest = max(largest, area)
    return largest


def _middle(values: npt.NDArray[np.float32]) -> float:
    """The median, or the upper one of two; the library's own takes several times as long."""
    place = values.size // 2
    return float(np.partition(values, place, axis=None)[place])


def moments(covered: npt.NDArray[np.float32]) -> Spans:
    """Where something crosses: stretches of pictures, shape (moments, 2), first and the one behind the last.

    What covers as much as is usual around, as where the camera itself moves, is no moment, and neither is
    what stays longer than a passer-by does.
    """
    if not len(covered):
        return NO_SPANS
    usual = _usual(covered)
    found = stretches((covered > _LEAST_COVERED) & (covered > _LEAST_RATIO * usual))
    spans: list[list[int]] = []
    # At the edge of the picture less shows than what counts: a picture before and one after belong to it.
    beside = found + np.array([-1, 1])
    for begin, end in beside.clip(0, len(covered)).tolist():
        if spans and begin - spans[-1][1] <= _MERGED_GAP:
            spans[-1][1] = end
        else:
            spans.append([begin, end])
    short = [span for span in spans if span[1] - span[0] <= HELD]
    return np.array(short, np.int64).reshape(-1, 2)


def _usual(covered: npt.NDArray[np.float32]) -> npt.NDArray[np.float32]:
    """The upper quartile of what is covered around each picture."""
    reach = HELD * _BACKGROUND_PICTURES // 2
    firsts = np.arange(0, len(covered), max(1, REACH))
    levels = [np.quantile(covered[max(0, at - reach) : at + reach], 0.75) for at in firsts.tolist()]
    return np.interp(np.arange(len(covered)), firsts, levels).astype(np.float32)
