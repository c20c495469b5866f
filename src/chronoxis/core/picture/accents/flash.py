"""Flash: more light, or less, by doublings."""

from dataclasses import dataclass

import numpy as np

from chronoxis.core.model.accent import Flash
from chronoxis.core.picture import kernels
from chronoxis.core.picture.accents.accent import Amounts
from chronoxis.core.picture.colour import Colour
from chronoxis.core.picture.rgb import Rgb16
from chronoxis.core.picture.row_work import RowWork


@dataclass(frozen=True, eq=False)
class FlashAccent:
    """Multiplies light by 2 to the power of its stops times the amount."""

    look: Flash
    amounts: Amounts
    colour: Colour

    def applied(self, result_frame: int, codes: Rgb16) -> Rgb16:
        """A brighter result frame; what goes above white is white."""
        gain = 2.0 ** (self.look.stops * self.amounts[result_frame])
        made, work = np.empty_like(codes), RowWork()
        kernels.gain(work, codes, self.colour, [gain] * 3, made)
        work.wait()
        return made
