"""Flash: more light, or less, by doublings."""

from dataclasses import dataclass

import numpy as np

from chronoxis.core.model.accent import Flash
from chronoxis.core.picture import accent_kernels, kernels
from chronoxis.core.picture.accents.drawn_accent import Amounts
from chronoxis.core.picture.colour import Colour
from chronoxis.core.picture.rgb import Rgb16
from chronoxis.core.picture.row_work import RowWork

KNEE = 0.7
"""Light, of white, above which a flash bends it."""


@dataclass(frozen=True, eq=False)
class FlashAccent:
    """Multiplies light by 2 to the power of its stops times the amount.

    What that brings above the knee is bent softly, so that what was white is white again and nothing is
    clipped: u above it becomes u (1 + u / w²) / (1 + u), both in parts of the room between knee and white,
    where w is what white becomes (Reinhard et al., ACM Transactions on Graphics 21, 2002, 267, equation 4).
    Luminance and the strongest channel are bent so, and the others keep their places between them: colours
    go to white along their own hue.
    """

    look: Flash
    amounts: Amounts
    colour: Colour

    def applied(self, result_frame: int, codes: Rgb16) -> Rgb16:
        """A brighter result frame, or a darker one where the stops are below zero."""
        gain = 2.0 ** (self.look.stops * self.amounts[result_frame])
        made, work = np.empty_like(codes), RowWork()
        if gain > 1:
            accent_kernels.flash(work, codes, self.colour, gain, KNEE, self.colour.luma_shares, made)
        else:
            kernels.gain(work, codes, self.colour, [gain] * 3, made)
        work.wait()
        return made
