"""*First light*, drawn: the field before dawn to sunrise, photo by photo, with light that jumps."""

import numpy as np

from chronoxis.core.picture.colour import SRGB, from_linear, to_linear
from chronoxis.demo import first_light_truth as truth
from chronoxis.demo import tower_picture
from chronoxis.demo.sprites import Codes


def photo(number: int, size: tuple[int, int] = truth.SIZE) -> Codes:
    """One photo: uint8 R′G′B′, shape (height, width, 3)."""
    steady = tower_picture.picture_at(size, truth.moment(number))
    light = to_linear(np.arange(256) / 255, SRGB) * (1 + truth.jump(number))
    table = np.rint(from_linear(light, SRGB) * 255).astype(np.uint8)
    return np.asarray(table[steady], np.uint8)
