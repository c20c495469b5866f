"""Grain: noise that is new in every frame, of the same look at any size."""

from dataclasses import dataclass
from functools import lru_cache
from math import ceil

import cv2
import numpy as np
import numpy.typing as npt

from chronoxis.core.model.accent import Grain
from chronoxis.core.picture import accent_kernels
from chronoxis.core.picture.accents.drawn_accent import Amounts
from chronoxis.core.picture.rgb import Rgb16
from chronoxis.core.picture.row_work import RowWork

# Grains by which the field is larger than a picture: every frame takes another part of it.
_FIELD_MARGIN = 192
_MOST_GRAINS = 2.0  # a pixel: finer ones look alike
# Between grains noise is interpolated both ways, which leaves two thirds of its deviation.
_SMOOTHING_LOSS = 2 / 3


@dataclass(frozen=True, eq=False)
class GrainAccent:
    """Adds a seeded normal noise to code values, most in mid tones and none in black and white."""

    look: Grain
    amounts: Amounts
    seed: int

    def applied(self, result_frame: int, codes: Rgb16) -> Rgb16:
        """A grainy result frame."""
        height, width = codes.shape[:2]
        noise = self.noise(result_frame, height, width)
        made, work = np.empty_like(codes), RowWork()
        accent_kernels.grain(work, codes, noise, self.look.level * self.amounts[result_frame], made)
        work.wait()
        return made

    def noise(self, result_frame: int, height: int, width: int) -> npt.NDArray[np.float32]:
        """What a frame gets in mid tones at a level of 1; shape (height, width), deviation about 1."""
        per_pixel = min(1 / (self.look.size * height), _MOST_GRAINS)
        across, down = ceil(width * per_pixel) + 2, ceil(height * per_pixel) + 2
        field = _field(self.seed, down + _FIELD_MARGIN, across + _FIELD_MARGIN)
        left, top = np.random.default_rng((self.seed, result_frame)).integers(0, _FIELD_MARGIN, 2).tolist()
        part = field[top : top + down, left : left + across]
        made, work = np.empty((height, width), np.float32), RowWork()
        columns = ((np.arange(width, dtype=np.float32) + 0.5) * np.float32(per_pixel))[None]

        def spread(rows: slice) -> None:
            # Across and down in turn: both are straight lines between grains.
            places = (np.arange(rows.start, rows.stop, dtype=np.float32) + 0.5) * np.float32(per_pixel)
            whole = places.astype(np.intp)
            share = (places - whole)[:, None]
            lines = cv2.remap(
                part[whole[0] : whole[-1] + 2],
                np.repeat(columns, whole[-1] + 2 - whole[0], axis=0),
                np.repeat(np.arange(whole[-1] + 2 - whole[0], dtype=np.float32)[:, None], width, axis=1),
                cv2.INTER_LINEAR,
            )
            near = whole - whole[0]
            made[rows] = lines[near] + share * (lines[near + 1] - lines[near])

        work.give(spread, height)
        work.wait()
        return made


@lru_cache(maxsize=4)
def _field(seed: int, rows: int, columns: int) -> npt.NDArray[np.float32]:
    """Independent grains; the same for the same seed, whatever the size: more of them go on to the right."""
    generator = np.random.default_rng(seed)
    return (generator.standard_normal((columns, rows), np.float32) / np.float32(_SMOOTHING_LOSS)).T.copy()
