"""High dynamic range brought to what ordinary screens show."""

from functools import cache

import cv2
import numpy as np
import numpy.typing as npt

from chronoxis.core.picture.colour import BT709, Colour, encoded_table, to_linear
from chronoxis.core.picture.rgb import Rgb16

_PQ, _HLG = 16, 18
_REFERENCE_WHITE = 203.0  # cd/m² (ITU-R BT.2408, table 1)
_PEAK_LIGHT = 1000.0 / _REFERENCE_WHITE
_KNEE_LIGHT = 0.7  # of reference white, up to which light stays as it is
# From BT.2020 to BT.709 primaries (ITU-R BT.2087, annex 1, inverted).
_TO_BT709 = np.array(
    [[1.6605, -0.5876, -0.0728], [-0.1246, 1.1329, -0.0083], [-0.0182, -0.1006, 1.1187]], np.float32
)


def is_high_range(colour: Colour) -> bool:
    """Whether code values stand for more light than ordinary screens show: PQ and HLG."""
    return colour.transfer in (_PQ, _HLG)


def ordinary(codes: Rgb16, colour: Colour) -> Rgb16:
    """R′G′B′ codes of PQ or HLG as those of BT.709.

    HLG goes through its display function for a peak of 1000 cd/m² (ITU-R BT.2100-2, table 5). Light above
    the knee is bent towards white on the strongest of the three, so that hues stay.
    """
    light = np.take(_light(colour.transfer), codes)
    if colour.transfer == _HLG:
        luminance = light @ np.array([0.2627, 0.6780, 0.0593], np.float32)
        light *= np.maximum(luminance, 1e-6)[..., None] ** np.float32(0.2) * np.float32(_PEAK_LIGHT)
    light = np.maximum(cv2.transform(light, _TO_BT709), 0)
    strongest = np.maximum(light.max(-1), 1e-6)
    over, most = (
        (strongest - _KNEE_LIGHT) / (1 - _KNEE_LIGHT),
        (_PEAK_LIGHT - _KNEE_LIGHT) / (1 - _KNEE_LIGHT),
    )
    bent = _KNEE_LIGHT + (1 - _KNEE_LIGHT) * over * (1 + over / most**2) / (1 + over)
    light *= np.where(over > 0, bent / strongest, 1.0)[..., None].astype(np.float32)
    steps = np.rint(light.clip(0, 1) * 65535).astype(np.uint16)
    return np.asarray(np.take(encoded_table(BT709), steps), np.uint16)


@cache
def _light(transfer: int) -> npt.NDArray[np.float32]:
    """Light of all codes: of PQ relative to reference white, of HLG relative to the brightest."""
    light = to_linear(np.arange(65536) / 65535, transfer)
    return (light * (10_000 / _REFERENCE_WHITE if transfer == _PQ else 1.0)).astype(np.float32)
