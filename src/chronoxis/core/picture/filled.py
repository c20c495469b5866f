"""A long exposure with steps along the motion between recorded frames, so that no separate copies show."""

from dataclasses import dataclass

import cv2
import numpy as np

from chronoxis.core.picture.colour import Colour
from chronoxis.core.picture.described import Picture, size_of
from chronoxis.core.picture.in_between import LightPair
from chronoxis.core.picture.long_exposure import LightMean
from chronoxis.core.picture.motion import CAREFUL, GOOD, QUICK, Care, MotionBetween
from chronoxis.core.picture.motion_kernels import TILE, Tiles
from chronoxis.core.picture.rgb import Rgb16

Passed = tuple[float, float, float]
"""From which share of the way between two frames to which it is exposed, and how much of all that is."""

AT_ONCE: Passed = (0.0, 0.0, 0.0)
"""Nothing of the way is exposed."""


@dataclass(frozen=True)
class Steps:
    """How finely motion is followed.

    Attributes:
        care: about the motion.
        apart: pixels that two steps may lie apart, of 1080 rows.
        most: steps from one recorded frame to the next.
    """

    care: Care
    apart: float
    most: int


QUICK_STEPS = Steps(QUICK, 6.0, 8)
GOOD_STEPS = Steps(GOOD, 3.0, 16)
FINEST_STEPS = Steps(CAREFUL, 1.5, 64)


class Filled:
    """A mean of frames, in which what moves is replaced by its course from frame to frame."""

    def __init__(self, colour: Colour, steps: Steps) -> None:
        self._steps = steps
        self._mean, self._pair = LightMean(colour), LightPair(colour, steps.care)
        self._before: Picture | None = None
        self._moves = False

    def add(self, picture: Picture, weight: float = 1.0, passed: Passed = AT_ONCE) -> None:
        """Take in the next frame with its weight in the mean; ``passed`` is of the way to it."""
        self._mean.add(picture, weight)
        before, self._before = self._before, picture
        low, high, share = passed
        if before is None or share <= 0:
            return
        motion = self._pair.hold(before, picture)
        if motion.is_cut:
            return
        height, width = size_of(picture)
        tiles = self._tiles(motion, (high - low) * width / motion.grid[0], height)
        middle = (low + high) / 2
        for count in np.unique(tiles[tiles > 0]).tolist():
            self._moves = True
            self._pair.add_both((-share * (1 - middle), -share * middle), tiles, count)
            for step in range(count):
                at = low + (high - low) * (step + 0.5) / count
                self._pair.add_between(at, share / count, tiles, count)

    def made(self) -> Rgb16:
        """The picture as R′G′B′ codes. Raises ValueError if nothing was added."""
        made = self._mean.made(self._pair.sums if self._moves else None)
        if self._moves:
            self._pair.sums[:] = 0
        self._before, self._moves = None, False
        return made

    def _tiles(self, motion: MotionBetween, scale: float, height: int) -> Tiles:
        """How many steps each tile takes, a power of two; 0 where nothing moves far enough to be seen."""
        columns, rows = motion.grid
        across, down = -(-columns // TILE), -(-rows // TILE)
        padded = np.zeros((down * TILE, across * TILE), np.float32)
        padded[:rows, :columns] = motion.speeds
        fastest = padded.reshape(down, TILE, across, TILE).max(axis=(1, 3)) * scale
        # What moves into a tile comes from those beside it.
        reach = 1 + int(np.ceil(float(fastest.max()) / scale / TILE)) if fastest.any() else 1
        around = cv2.dilate(fastest, np.ones((2 * reach + 1, 2 * reach + 1), np.uint8))
        wanted = around / max(self._steps.apart * height / 1080, 0.5)
        counts = 2 ** np.ceil(np.log2(np.clip(wanted, 1, self._steps.most)))
        return np.ascontiguousarray(np.where(wanted <= 1, 0, counts).astype(np.uint8))
