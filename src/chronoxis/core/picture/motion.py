"""Optical flow between two pictures, both ways, with its confidence."""

from dataclasses import dataclass
from functools import cache, cached_property
from math import isfinite
from threading import local

import cv2
import numpy as np
import numpy.typing as npt
from av.video.frame import VideoFrame

from chronoxis.core.cores import threads_alike
from chronoxis.core.picture.described import Picture, size_of
from chronoxis.core.picture.motion_kernels import Differences, Flow, Motion, residual, with_confidence
from chronoxis.core.picture.rgb import planar_depth, planar_format, samples_of

Grey = npt.NDArray[np.uint8]
"""Encoded luma, shape (rows, columns)."""

_CUT_SIZE = (16, 9)
# 8-bit codes by which large areas of pictures of two scenes differ in the mean, or more.
_CUT_DIFFERENCE = 14.0
_HISTOGRAM_BINS = 24
_CUT_HISTOGRAM_SHARE = 0.25  # of the pixels that lie in other bins across a cut, or more
_CUT_RESIDUAL_RATIO = 0.6  # residual to plain difference, above which flow explains nothing, as across a cut
_LEAST_SIDE = 24  # rows and columns that the library's own pyramids need
_PYRAMID_STEP = 2
_COARSEST_COLUMNS = 120
_CLEARLY_BETTER_RATIO = 0.7  # of the difference that coarse motion leaves to the one that fine motion does
# Places of the grid from which on motion is another than that of the picture as one, and times the difference
# it leaves, up to which that one explains a place as well: where a pattern repeats, both do.
_OTHER_MOTION_PLACES, _AS_GOOD_RATIO = 3.0, 1.15
_COMPARED_WINDOW = (5, 5)  # places of the grid over which differences are looked at together
_CONFIDENCE_WINDOW = (11, 11)  # places of the grid over which confidence has to be shared
_CODE_NOISE = 1.0  # codes
_ROUND_TRIP_PLACES = 0.6  # forward-backward error that is allowed, in places of the grid
_ROUND_TRIP_SHARE = 0.08  # the same as a share of the motion, which is allowed as well


@dataclass(frozen=True)
class Care:
    """How carefully motion is looked for.

    Attributes:
        columns: of the grid, about, at most.
        preset: of the library's dense inverse search.
        is_finest: whether it goes down to single places, and lets motion differ more from one to the next.
    """

    columns: int
    preset: int
    is_finest: bool = False


QUICK = Care(320, cv2.DISOPTICAL_FLOW_PRESET_ULTRAFAST)
GOOD = Care(320, cv2.DISOPTICAL_FLOW_PRESET_FAST)
CAREFUL = Care(480, cv2.DISOPTICAL_FLOW_PRESET_MEDIUM)
FINEST = Care(480, cv2.DISOPTICAL_FLOW_PRESET_MEDIUM, is_finest=True)


@dataclass(frozen=True, eq=False)
class MotionBetween:
    """Motion between two pictures, both ways, on a grid that lies over them.

    Attributes:
        onwards: from the first to the second.
        backwards: from the second to the first.
        is_cut: whether they are of two scenes, and nothing moves from one to the other.
    """

    onwards: Motion
    backwards: Motion
    is_cut: bool

    @property
    def grid(self) -> tuple[int, int]:
        """Columns and rows."""
        return self.onwards.shape[1], self.onwards.shape[0]

    @cached_property
    def speeds(self) -> npt.NDArray[np.float32]:
        """Places of the grid that things move, where there is confidence in it; shape (rows, columns)."""
        return np.maximum(*(_speeds(motion) for motion in (self.onwards, self.backwards)))


def _speeds(motion: Motion) -> npt.NDArray[np.float32]:
    right, down, confidence = motion[..., 0], motion[..., 1], motion[..., 2]
    return np.asarray(np.sqrt(right * right + down * down) * np.minimum(confidence * 2, 1), np.float32)


def grey_of(picture: Picture, columns: int) -> Grey:
    """A picture's luma, reduced by a whole number to about so many columns at most."""
    height, width = size_of(picture)
    luma = _luma(picture)
    share = max(1, -(-width // columns))
    while share % 2 == 0 and min(width, height) > 1:  # the library halves far faster than it divides
        width, height, share = width // 2, height // 2, share // 2
        luma = np.asarray(cv2.resize(luma, (width, height), interpolation=cv2.INTER_AREA), np.uint8)
    size = max(1, width // share), max(1, height // share)
    if share > 1:
        luma = np.asarray(cv2.resize(luma, size, interpolation=cv2.INTER_AREA), np.uint8)
    return np.ascontiguousarray(luma)


def _luma(picture: Picture) -> Grey:
    if isinstance(picture, VideoFrame):
        name = planar_format(picture)
        if name is not None:
            depth = planar_depth(name)
            return np.asarray(samples_of(picture.planes[0], depth) >> (depth - 8), np.uint8)
        return np.asarray(picture.to_ndarray(format="gray"), np.uint8)
    return np.asarray(cv2.cvtColor((picture >> 8).astype(np.uint8), cv2.COLOR_RGB2GRAY), np.uint8)


def motion_between(first: Grey, second: Grey, care: Care) -> MotionBetween:
    """Motion between two pictures of one size."""
    height, width = first.shape
    if min(height, width) < _LEAST_SIDE:
        still = np.zeros((height, width, 4), np.float32)
        return MotionBetween(still, still, _is_cut(first, second))
    both = threads_alike("motion", 2)
    one, other = both.submit(_flow, first, second, care), both.submit(_flow, second, first, care)
    right, down = _as_one(first, second)
    one, other = (
        both.submit(_or_as_one, first, second, one.result(), (right, down)),
        both.submit(_or_as_one, second, first, other.result(), (-right, -down)),
    )
    there, back = one.result(), other.result()
    plain = np.asarray(cv2.blur(cv2.absdiff(first, second).astype(np.float32), _COMPARED_WINDOW), np.float32)
    on = both.submit(_judged, first, second, there, back, plain)
    backwards, _ = both.submit(_judged, second, first, back, there, plain).result()
    onwards, unexplained = on.result()
    cut = _is_cut(first, second) and unexplained > _CUT_RESIDUAL_RATIO
    return MotionBetween(onwards, backwards, cut)


_SEARCH = local()
_MOST_SEARCHES = 12  # that each thread keeps


def _flow(first: Grey, second: Grey, care: Care) -> Flow:
    """Dense inverse search (Kroeger et al., 2016, arXiv:1603.03590); shape (rows, columns, 2).

    What is small and goes far is found where it is seen coarsely; of both findings, that stands which makes
    the pictures more alike.
    """
    searches = _SEARCH.__dict__.setdefault("by_care", {})
    height, width = first.shape
    search = searches.get((care, first.shape))  # one whose pictures change size makes all its arrays anew
    if search is None:
        if len(searches) >= _MOST_SEARCHES:
            searches.clear()
        search = searches[care, first.shape] = _search(care)
    own = np.asarray(search.calc(first, second, None), np.float32)
    cv2.patchNaNs(own, 0.0)  # our own loops count on numbers
    if min(height, width) < _PYRAMID_STEP * _LEAST_SIDE or width <= _COARSEST_COLUMNS:
        return own
    size = width // _PYRAMID_STEP, height // _PYRAMID_STEP
    small = [cv2.resize(grey, size, interpolation=cv2.INTER_AREA) for grey in (first, second)]
    found = _flow(np.asarray(small[0], np.uint8), np.asarray(small[1], np.uint8), QUICK)
    coarse = cv2.resize(found, (width, height), interpolation=cv2.INTER_LINEAR) * np.float32(_PYRAMID_STEP)
    left, left_coarse = (
        cv2.blur(residual(first, second, flow)[0], _COMPARED_WINDOW) for flow in (own, coarse)
    )
    better = left_coarse < _CLEARLY_BETTER_RATIO * left - _CODE_NOISE
    own[better] = coarse[better]
    return own


def _as_one(first: Grey, second: Grey) -> tuple[float, float]:
    """The motion of all of a picture as one, by phase correlation: patterns that repeat do not deceive it."""
    one, other = first.astype(np.float32), second.astype(np.float32)
    (right, down), _ = cv2.phaseCorrelate(one, other, _window(first.shape))
    return (right, down) if isfinite(right) and isfinite(down) else (0.0, 0.0)


def _or_as_one(first: Grey, second: Grey, flow: Flow, shift: tuple[float, float]) -> Flow:
    """The motion found, or that of the picture as one where another was found that explains no more."""
    right, down = shift
    least, most = (
        (right - _OTHER_MOTION_PLACES, down - _OTHER_MOTION_PLACES),
        (right + _OTHER_MOTION_PLACES, down + _OTHER_MOTION_PLACES),
    )
    elsewhere = cv2.bitwise_not(cv2.inRange(flow, least, most))
    if not cv2.countNonZero(elsewhere):
        return flow
    as_one = np.full_like(flow, shift)
    left, left_as_one = (
        cv2.blur(residual(first, second, each)[0], _COMPARED_WINDOW) for each in (flow, as_one)
    )
    taken = cv2.compare(left_as_one, _AS_GOOD_RATIO * left + _CODE_NOISE, cv2.CMP_LT)
    return np.asarray(cv2.copyTo(as_one, cv2.bitwise_and(elsewhere, taken), flow), np.float32)


@cache
def _window(shape: tuple[int, ...]) -> npt.NDArray[np.float32]:
    return np.asarray(cv2.createHanningWindow((shape[1], shape[0]), cv2.CV_32F), np.float32)


def _search(care: Care) -> cv2.DISOpticalFlow:
    search = cv2.DISOpticalFlow.create(care.preset)
    if care.is_finest:
        # Half the preset's weight of smoothness and twice that of brightness were best of what was tried.
        search.setFinestScale(0)
        search.setVariationalRefinementAlpha(10.0)
        search.setVariationalRefinementDelta(10.0)
        search.setGradientDescentIterations(12)
    return search


def _judged(here: Grey, there: Grey, flow: Flow, back: Flow, plain: Differences) -> tuple[Motion, float]:
    """Motion with its confidence, and the share of the plain difference that it leaves unexplained."""
    left, round_trip = residual(here, there, flow, back)
    left = np.asarray(cv2.blur(left, _COMPARED_WINDOW), np.float32)
    allowed = _ROUND_TRIP_PLACES, _ROUND_TRIP_SHARE
    motion = with_confidence(flow, plain, left, round_trip, _CODE_NOISE, *allowed)
    # A place with confidence among others with next to none has it by chance.
    around = cv2.blur(np.ascontiguousarray(motion[..., 2]), _CONFIDENCE_WINDOW)
    motion[..., 2] *= np.clip(4 * around - 1, 0, 1)
    return motion, float(left.mean() / max(float(plain.mean()), 1e-3))


def _is_cut(first: Grey, second: Grey) -> bool:
    """Whether the large areas of two pictures, and their brightness as a whole, are unlike."""
    small = [
        cv2.resize(grey, _CUT_SIZE, interpolation=cv2.INTER_AREA).astype(np.float32)
        for grey in (first, second)
    ]
    if float(np.abs(small[0] - small[1]).mean()) <= _CUT_DIFFERENCE:
        return False
    # A camera that is torn around sees other things of the same brightness.
    shares = [np.histogram(grey, _HISTOGRAM_BINS, (0, 256))[0] / grey.size for grey in (first, second)]
    return float(np.abs(shares[0] - shares[1]).sum()) / 2 > _CUT_HISTOGRAM_SHARE
