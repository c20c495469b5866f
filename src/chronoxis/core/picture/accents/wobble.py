"""Wobble: waves of sideways displacement that run through the picture."""

from dataclasses import dataclass
from fractions import Fraction

import numpy as np
import numpy.typing as npt

from chronoxis.core.model.accent import Wobble
from chronoxis.core.picture.accents.drawn_accent import Amounts
from chronoxis.core.picture.accents.remapping import remapped
from chronoxis.core.picture.rgb import Rgb16

# Three waves, whose lengths and paces have no common measure: how many of the first's, turns a second, share.
_WAVES = ((1.0, 1.3, 0.55), (1.618, -2.1, 0.3), (2.802, 3.7, 0.15))


@dataclass(frozen=True, eq=False)
class WobbleAccent:
    """Sums of sines over the height, that move with result time; a seed shifts them.

    Unless its edges may open, the displacement fades towards the sides, so that none of it reaches beyond
    the picture.
    """

    look: Wobble
    amounts: Amounts
    seed: int
    rate: Fraction

    def applied(self, result_frame: int, codes: Rgb16) -> Rgb16:
        """A result frame with its rows displaced."""
        height, width = codes.shape[:2]
        moved = self.displacement(result_frame, height) * (self.amounts[result_frame] * width)
        across = (np.arange(width, dtype=np.float32) + 0.5) / width
        # 4 x (1 - x), whose steepest part is 4: with less than a quarter of the width nothing is turned over.
        fades = np.ones_like(across) if self.look.opens else 4 * across * (1 - across)
        columns = np.arange(width, dtype=np.float32) + moved[:, None].astype(np.float32) * fades
        rows = np.repeat(np.arange(height, dtype=np.float32)[:, None], width, axis=1)
        return remapped(codes, columns, rows, opens=self.look.opens)

    def displacement(self, result_frame: int, height: int) -> npt.NDArray[np.float64]:
        """Of each row at a full amount, as a share of the width; shape (height,)."""
        down = (np.arange(height) + 0.5) / height
        t = result_frame / float(self.rate)
        phases = np.random.default_rng(self.seed).random(len(_WAVES))
        turns = (
            share * np.sin(2 * np.pi * (down * self.look.waves * many + pace * t + phase))
            for (many, pace, share), phase in zip(_WAVES, phases.tolist(), strict=True)
        )
        return np.asarray(self.look.size * sum(turns))
