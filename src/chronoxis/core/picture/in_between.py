"""Pictures between two recorded frames, by the motion from the one to the other."""

import cv2
import numpy as np

from chronoxis.core.cores import threads_alike
from chronoxis.core.picture import kernels, motion_kernels
from chronoxis.core.picture.colour import Colour
from chronoxis.core.picture.described import Picture, Pixels, size_of
from chronoxis.core.picture.kernels import codes_of
from chronoxis.core.picture.motion import Care, Grey, MotionBetween, grey_of, motion_between
from chronoxis.core.picture.motion_kernels import Blends, Marked, Motion, Tiles
from chronoxis.core.picture.rgb import Rgb16
from chronoxis.core.picture.row_work import RowWork

_MIXED_MOTION = 1.2  # pixels: up to there a plain mix is sharper than what is drawn at parts of a pixel
_FOLLOWED_MOTION = 1.8  # pixels from which on motion has its whole confidence
_UNCOVERING_MOTION = 4.0  # pixels from which on what moves uncovers what is beside it, which is no mix then
_POOLED_PLACES = 4  # rows and columns of the grid that are pooled for these
_POOLING_WINDOW = (3, 3)  # pools over which motion is averaged
_BESIDE = np.ones((3, 3), np.uint8)  # pools about what moves


class LightPair:
    """Two recorded frames and the motion between them, kept for pictures between the same two.

    Attributes:
        sums: light that was added up of pictures between them.
    """

    def __init__(self, colour: Colour, care: Care) -> None:
        self._colour, self._care = colour, care
        self._pictures: list[Picture] = []
        self._greys: list[Grey] = []
        self._pixels: list[Pixels] = []
        self._lit: list[Picture | None] = [None, None]
        self._motion: MotionBetween | None = None
        self._blends = np.zeros((0, 0, 8), np.float32)
        self._splatted = np.zeros((0, 0, 4), np.float32), np.zeros((0, 0, 4), np.float32)
        self._work = RowWork()
        self.sums: Pixels = np.zeros((0, 0, 4), np.float32)

    def between(self, first: Picture, second: Picture, share: float) -> Rgb16:
        """The picture a share of the way from the first frame to the second, as R′G′B′ codes."""
        if self.hold(first, second).is_cut:
            return codes_of(first if share < 0.5 else second, self._colour).copy()
        pair, blends = self._light(), self._blend_map(share)
        encoded = np.empty((*pair[0].shape[:2], 3), np.uint16)
        motion_kernels.encode_between(self._work, pair, blends, self._colour.transfer, encoded)
        self._work.wait()
        return encoded

    def hold(self, first: Picture, second: Picture) -> MotionBetween:
        """Take two frames, and find the motion; what is known from before is not worked out anew."""
        known = self._pictures
        if len(known) == 2 and known[0] is first and known[1] is second and self._motion is not None:
            return self._motion
        if len(known) == 2 and known[1] is first:
            self._greys.reverse()
        else:
            self._greys = [grey_of(first, self._care.columns)] * 2
        self._greys[1] = grey_of(second, self._care.columns)
        self._motion = motion_between(self._greys[0], self._greys[1], self._care)
        pixels = size_of(first)[1] / self._motion.grid[0]
        for motion in (self._motion.onwards, self._motion.backwards):
            _leave_small(motion, pixels)
        self._pictures = [first, second]
        return self._motion

    def add_between(self, share: float, weight: float, tiles: Tiles, chosen: int) -> None:
        """Add the picture a share of the way between the two that are held to the sums, in marked tiles."""
        pair = self._light()
        blends = self._blend_map(share, self._marked(_with_neighbours(tiles, chosen), 1))
        motion_kernels.add_between(self._work, pair, blends, weight, self.sums, self._marked(tiles, chosen))
        self._work.wait()

    def _blend_map(self, share: float, within: Marked | None = None) -> Blends:
        """The blend map of the two that are held a share of the way; in marked tiles, if any are."""
        motion = self._motion
        assert motion is not None
        if self._blends.shape[:2] != motion.onwards.shape[:2]:
            self._blends = np.zeros((*motion.onwards.shape[:2], 8), np.float32)
            self._splatted = np.empty_like(motion.onwards), np.empty_like(motion.onwards)
        on = threads_alike("splatting", 1).submit(
            motion_kernels.splat, motion.onwards, share, self._splatted[0]
        )
        motion_kernels.splat(motion.backwards, 1 - share, self._splatted[1])
        on.result()
        motion_kernels.find_blends(self._work, *self._splatted, share, self._blends, within)
        self._work.wait()
        return self._blends

    def add_both(self, weights: tuple[float, float], tiles: Tiles, chosen: int) -> None:
        """Add the two that are held, as they are, to the sums, in marked tiles."""
        motion_kernels.add_both(self._work, self._light(), weights, self.sums, self._marked(tiles, chosen))
        self._work.wait()

    def _marked(self, tiles: Tiles, chosen: int) -> Marked:
        assert self._motion is not None
        return Marked(tiles, chosen, self._motion.grid)

    def _light(self) -> tuple[Pixels, Pixels]:
        """The two that are held, as pixels."""
        shape = (*size_of(self._pictures[0]), 4)
        if self.sums.shape != shape:
            self.sums = np.zeros(shape, np.float32)
            self._pixels = [np.empty(shape, np.float32) for _ in range(2)]
            self._lit = [None, None]
        if self._lit[1] is self._pictures[0]:
            self._lit.reverse()
            self._pixels.reverse()
        for place, picture in enumerate(self._pictures):
            if self._lit[place] is not picture:
                kernels.pixels(self._work, picture, self._colour, self._pixels[place])
                self._lit[place] = picture
        self._work.wait()
        return self._pixels[0], self._pixels[1]


def _leave_small(motion: Motion, pixels: float) -> None:
    """Lower the confidence, in place, where motion is small; ``pixels`` are those of a place of its grid."""
    height, width = motion.shape[:2]
    size = -(-width // _POOLED_PLACES), -(-height // _POOLED_PLACES)
    around = cv2.blur(cv2.resize(motion, size, interpolation=cv2.INTER_AREA), _POOLING_WINDOW)
    way = np.hypot(around[..., 0], around[..., 1]) * pixels
    beside = cv2.dilate(way, _BESIDE)
    way = np.where(beside > _UNCOVERING_MOTION, beside, way)
    confidence = np.clip((way - _MIXED_MOTION) / (_FOLLOWED_MOTION - _MIXED_MOTION), 0, 1)
    motion[..., 2] *= cv2.resize(confidence, (width, height), interpolation=cv2.INTER_LINEAR)


def _with_neighbours(tiles: Tiles, chosen: int) -> Tiles:
    """Marks of the chosen tiles, and of those beside them: between places of a grid both count."""
    marked = (tiles == chosen).astype(np.uint8)
    return np.asarray(cv2.dilate(marked, np.ones((3, 3), np.uint8)), np.uint8)


class InBetween:
    """Makes one picture between two, by the weights they come with."""

    def __init__(self, pair: LightPair) -> None:
        """``pair`` may be shared with others whose pictures are made in turn: the same two serve several."""
        self._pair = pair
        self._taken: list[tuple[Picture, float]] = []

    def add(self, picture: Picture, weight: float = 1.0, _passed: object = None) -> None:
        """Take in the first frame, then the second. Raises ValueError if there is one too many."""
        if len(self._taken) == 2:
            raise ValueError("a picture is between two frames")
        self._taken.append((picture, weight))

    def made(self) -> Rgb16:
        """The picture as R′G′B′ codes; across a cut, of the nearer frame. Raises ValueError without two."""
        taken, self._taken = self._taken, []
        if len(taken) < 2:
            raise ValueError("a picture between two frames needs both")
        (first, of_first), (second, of_second) = taken
        return self._pair.between(first, second, of_second / (of_first + of_second))
