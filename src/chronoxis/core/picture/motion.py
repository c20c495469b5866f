"""How things move from one picture to the next, and how far that can be relied on."""

from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from functools import cached_property
from threading import local

import cv2
import numpy as np
import numpy.typing as npt
from av.video.frame import VideoFrame

from chronoxis.core.picture.kernels import Motion, Picture, size_of
from chronoxis.core.picture.rgb import planar_depth, planar_format

Grey = npt.NDArray[np.uint8]
"""Encoded luma, shape (rows, columns)."""

_CUT_SIZE = (16, 9)
# Mean differences, in 8-bit codes, of two pictures' large areas from which they may be of two scenes.
_CUT = 14.0
# Motion that leaves so much of the difference between two pictures does not explain it.
_UNEXPLAINED = 0.6
_NEAR = (5, 5)  # places of the grid over which differences are looked at together
_NOISE = 2.0  # codes
_INCONSISTENT = 0.6  # places of the grid, and the share of the motion, by which both directions may differ
_INCONSISTENT_SHARE = 0.08
_BOTH = ThreadPoolExecutor(2, thread_name_prefix="motion")


@dataclass(frozen=True)
class Care:
    """How carefully motion is looked for.

    Attributes:
        columns: of the grid, about, at most.
        preset: of the library's dense inverse search.
    """

    columns: int
    preset: int


QUICK = Care(320, cv2.DISOPTICAL_FLOW_PRESET_ULTRAFAST)
GOOD = Care(480, cv2.DISOPTICAL_FLOW_PRESET_FAST)
FINEST = Care(960, cv2.DISOPTICAL_FLOW_PRESET_MEDIUM)


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
        """Places of the grid that things move, where that is relied on; shape (rows, columns)."""
        return np.maximum(*(_speeds(motion) for motion in (self.onwards, self.backwards)))


def _speeds(motion: Motion) -> npt.NDArray[np.float32]:
    return np.asarray(
        np.hypot(motion[..., 0], motion[..., 1]) * np.minimum(motion[..., 2] * 2, 1), np.float32
    )


def grey_of(picture: Picture, columns: int) -> Grey:
    """A picture's luma, reduced by a whole number to about so many columns at most."""
    height, width = size_of(picture)
    luma = _luma(picture)
    share = max(1, -(-width // columns))
    if share == 1:
        return np.ascontiguousarray(luma)
    size = max(1, width // share), max(1, height // share)
    return np.asarray(cv2.resize(luma, size, interpolation=cv2.INTER_AREA), np.uint8)


def _luma(picture: Picture) -> Grey:
    if isinstance(picture, VideoFrame):
        name = planar_format(picture)
        if name is not None:
            plane, depth = picture.planes[0], planar_depth(name)
            if depth == 8:
                return np.frombuffer(memoryview(plane), np.uint8).reshape(plane.height, -1)[:, : plane.width]
            deep = np.frombuffer(memoryview(plane), np.uint16).reshape(plane.height, -1)[:, : plane.width]
            return (deep >> (depth - 8)).astype(np.uint8)
        return np.asarray(picture.to_ndarray(format="gray"), np.uint8)
    return np.asarray(cv2.cvtColor((picture >> 8).astype(np.uint8), cv2.COLOR_RGB2GRAY), np.uint8)


def motion_between(first: Grey, second: Grey, care: Care) -> MotionBetween:
    """Motion between two pictures of one size."""
    least = 24  # the library's own pyramids need some room
    height, width = first.shape
    if min(height, width) < least:
        still = np.zeros((height, width, 4), np.float32)
        return MotionBetween(still, still, _is_cut(first, second))
    one, other = _BOTH.submit(_flow, first, second, care), _BOTH.submit(_flow, second, first, care)
    there, back = one.result(), other.result()
    plain = _difference(first, second)
    onwards, explained = _relied(first, second, there, back, plain)
    backwards, _ = _relied(second, first, back, there, plain)
    cut = _is_cut(first, second) and explained > _UNEXPLAINED
    return MotionBetween(onwards, backwards, cut)


_SEARCH = local()


def _flow(first: Grey, second: Grey, care: Care) -> npt.NDArray[np.float32]:
    """Dense inverse search (Kroeger et al., 2016, arXiv:1603.03590); shape (rows, columns, 2)."""
    searches = _SEARCH.__dict__.setdefault("by_preset", {})
    if care.preset not in searches:
        searches[care.preset] = cv2.DISOpticalFlow.create(care.preset)
    found = searches[care.preset].calc(first, second, None)
    return np.asarray(found, np.float32)


def _difference(one: npt.NDArray[np.float32] | Grey, other: Grey) -> npt.NDArray[np.float32]:
    return np.asarray(cv2.blur(cv2.absdiff(one, other).astype(np.float32), _NEAR), np.float32)


def _relied(
    here: Grey,
    there: Grey,
    flow: npt.NDArray[np.float32],
    back: npt.NDArray[np.float32],
    plain: npt.NDArray[np.float32],
) -> tuple[Motion, float]:
    """Motion with how far it can be relied on, and how much of the difference it leaves unexplained.

    It is relied on where it makes the pictures more alike than they are without it, and where the way back
    leads to where it began.
    """
    height, width = here.shape
    x, y = np.meshgrid(np.arange(width, dtype=np.float32), np.arange(height, dtype=np.float32))
    to_x, to_y = x + flow[..., 0], y + flow[..., 1]
    warped = cv2.remap(there, to_x, to_y, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
    left = _difference(here, np.asarray(warped, np.uint8))
    alike = np.clip((plain + _NOISE - left) / (0.25 * plain + _NOISE), 0, 1)
    returned = cv2.remap(back, to_x, to_y, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
    apart = np.hypot(flow[..., 0] + returned[..., 0], flow[..., 1] + returned[..., 1])
    allowed = _INCONSISTENT + _INCONSISTENT_SHARE * np.hypot(flow[..., 0], flow[..., 1])
    consistent = np.clip(2 - apart / allowed, 0, 1)
    motion = np.zeros((height, width, 4), np.float32)
    motion[..., :2] = flow
    motion[..., 2] = alike * consistent
    return motion, float(left.mean() / max(float(plain.mean()), 1e-3))


def _is_cut(first: Grey, second: Grey) -> bool:
    """Whether the large areas of two pictures are unlike."""
    small = [
        cv2.resize(grey, _CUT_SIZE, interpolation=cv2.INTER_AREA).astype(np.float32)
        for grey in (first, second)
    ]
    return float(np.abs(small[0] - small[1]).mean()) > _CUT
