"""An accent for Chronoxis: edges that glow."""

from dataclasses import dataclass
from enum import StrEnum
from typing import ClassVar

import cv2
import numpy as np
import numpy.typing as npt

from chronoxis import api

Codes = npt.NDArray[np.uint16]


class Tint(StrEnum):
    """In which colour edges glow."""

    OWN = "their own"
    WARM = "warm"
    COLD = "cold"


_COLOURS: dict[Tint, npt.NDArray[np.float32]] = {
    Tint.WARM: np.array((1.0, 0.7, 0.3), np.float32),
    Tint.COLD: np.array((0.4, 0.8, 1.0), np.float32),
}


@dataclass(frozen=True)
class EdgeGlow(api.Look):
    """Light along edges.

    Attributes:
        light: how much there is, when full.
        width: of the glow, as a share of the picture's height.
        tint: its colour.
    """

    name: ClassVar[str] = "edge glow"
    about: ClassVar[str] = "Light along whatever has an edge"
    light: float = api.parameter(0.6, api.Number("Light", "How bright edges glow.", 0, 2, "%", shown=100))
    width: float = api.parameter(
        0.01, api.Number("Width", "Of the glow, as a share of the height.", 0.001, 0.1, "% of picture", 100)
    )
    tint: Tint = api.parameter(Tint.OWN, api.Choice("Colour", "The colour of the glow.", Tint))

    def drawn(self, codes: Codes, amount: float, result_frame: int, seed: int) -> Codes:
        """A result frame with glowing edges."""
        values = codes.astype(np.float32) / 65535
        grey = values.mean(axis=2)
        across, down = (cv2.Sobel(grey, cv2.CV_32F, *order) for order in ((1, 0), (0, 1)))
        edges = cv2.GaussianBlur(np.hypot(across, down), (0, 0), max(self.width * len(codes), 0.3))
        bright = values + amount * self.light * edges[..., None] * _COLOURS.get(self.tint, values)
        glowing: Codes = np.rint(np.clip(bright, 0, 1) * 65535).astype(np.uint16)
        return glowing
