"""Screen lines: the picture of a curved screen, with dark gaps between its lines and colours that part."""

from dataclasses import dataclass
from functools import lru_cache

import cv2
import numpy as np
import numpy.typing as npt

from chronoxis.core.model.accent import Lines
from chronoxis.core.picture import kernels
from chronoxis.core.picture.accents.drawn_accent import Amounts
from chronoxis.core.picture.accents.remapping import Places, remapped
from chronoxis.core.picture.colour import Colour
from chronoxis.core.picture.rgb import Rgb16
from chronoxis.core.picture.row_work import RowWork


@dataclass(frozen=True, eq=False)
class LinesAccent:
    """Bulges the picture, parts red and blue towards the sides, and takes light from between its lines."""

    look: Lines
    amounts: Amounts
    colour: Colour

    def applied(self, result_frame: int, codes: Rgb16) -> Rgb16:
        """A result frame as it would look on a screen."""
        amount = self.amounts[result_frame]
        warped = self._warped(codes, amount)
        if not self.look.depth:
            return warped
        made, work = np.empty_like(codes), RowWork()
        kernels.gain(work, warped, self.colour, [1.0] * 3, made, self.shade(codes.shape[0], amount))
        work.wait()
        return made

    def shade(self, height: int, amount: float) -> npt.NDArray[np.float32]:
        """What each row keeps of its light: the mean of a wave of lines over the row."""
        apart = 2 * np.pi * self.look.count / height
        waves = np.diff(np.sin(apart * np.arange(height + 1))) / apart
        return np.asarray(1 - min(self.look.depth * amount, 1.0) * (0.5 - 0.5 * waves), np.float32)

    def _warped(self, codes: Rgb16, amount: float) -> Rgb16:
        height, width = codes.shape[:2]
        warp, fringe = self.look.warp * amount, self.look.fringe * amount
        if warp * width < 1 and fringe * width < 1:
            return codes
        places, rows = _bulge(height, width, warp, fringe)
        channels = zip(cv2.split(codes), places, strict=True)
        parted = [
            remapped(np.asarray(channel, np.uint16), columns, rows, cubic=False)
            for channel, columns in channels
        ]
        return np.asarray(cv2.merge(parted), np.uint16)


@lru_cache(maxsize=2)
def _bulge(
    height: int, width: int, warp: float, fringe: float
) -> tuple[tuple[Places, Places, Places], Places]:
    """Columns that red, green and blue of each place come from, and rows: nearer to the middle.

    The corners stay where they are, so the edge of the picture never opens; red and blue part to the sides.
    """
    x = (np.arange(width, dtype=np.float32) + 0.5 - width / 2)[None]
    y = (np.arange(height, dtype=np.float32) + 0.5 - height / 2)[:, None]
    far = (x**2 + y**2) / np.float32((width**2 + height**2) / 4)
    scale = 1 - np.float32(warp) * (1 - far)
    columns = (x * scale + np.float32(width / 2 - 0.5)).astype(np.float32)
    rows = (y * scale + np.float32(height / 2 - 0.5)).astype(np.float32)
    parted = (x * np.float32(2 * fringe)).astype(np.float32)
    return (columns - parted, columns, columns + parted), rows
