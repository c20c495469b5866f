"""Streak: light drawn out along a direction, as by a fast camera while the shutter is open."""

from dataclasses import dataclass
from math import cos, radians, sin

import numpy as np

from chronoxis.core.model.accent import Streak
from chronoxis.core.picture import accent_kernels, kernels
from chronoxis.core.picture.accents.drawn_accent import Amounts
from chronoxis.core.picture.colour import Colour
from chronoxis.core.picture.rgb import Rgb16
from chronoxis.core.picture.row_work import RowWork


@dataclass(frozen=True, eq=False)
class StreakAccent:
    """The mean of light over a line about each place, as long as the amount says.

    Attributes:
        direction: degrees, 0 to the right, 90 up.
    """

    look: Streak
    amounts: Amounts
    colour: Colour
    direction: float

    def applied(self, result_frame: int, codes: Rgb16) -> Rgb16:
        """A streaked result frame; beyond the picture its edge goes on."""
        length = self.look.length * self.amounts[result_frame] * codes.shape[1]
        if length <= 1:
            return codes
        angle = radians(self.direction)
        light, made, work = np.empty((*codes.shape[:2], 4), np.float32), np.empty_like(codes), RowWork()
        kernels.pixels(work, codes, self.colour, light)
        accent_kernels.streak(work, light, (cos(angle), -sin(angle)), length, self.colour.transfer, made)
        return made
