"""The loops over pixels of accents, in C: on rows shared out among the cores."""

import ctypes
from math import ceil, hypot

import numpy as np
import numpy.typing as npt

from chronoxis.core.picture.colour import Colour
from chronoxis.core.picture.described import Pixels, curve_of, frames_of
from chronoxis.core.picture.kernel_library import Slant, address, expect_shape, library
from chronoxis.core.picture.rgb import Rgb16
from chronoxis.core.picture.row_work import RowWork

Luma = tuple[float, float, float]
"""The shares of red, green and blue in luminance."""


def flash(
    work: RowWork, codes: Rgb16, colour: Colour, gain: float, knee: float, luma: Luma, into: Rgb16
) -> None:
    """Codes of light that is multiplied by a gain above 1, and goes to white along its hue above a knee."""
    frames, curve = frames_of([codes], colour, into.shape[:2]), curve_of(colour.transfer)
    width = into.shape[1]
    shoulder, shares = (ctypes.c_float * 2)(gain, knee), (ctypes.c_float * 3)(*luma)

    def brighten(rows: slice) -> None:
        library().chronoxis_flash(
            frames.given,
            ctypes.byref(curve),
            shoulder,
            shares,
            width,
            rows.start,
            rows.stop,
            into,
        )

    work.give(brighten, into.shape[0])


def grain(work: RowWork, codes: Rgb16, noise: npt.NDArray[np.float32], strength: float, into: Rgb16) -> None:
    """Codes with noise, shape (height, width), of which mid tones get ``strength`` times."""
    expect_shape(noise, *codes.shape[:2])
    expect_shape(into, *codes.shape)

    def add(rows: slice) -> None:
        library().chronoxis_grain(codes, noise, strength, codes.shape[1], rows.start, rows.stop, into)

    work.give(add, codes.shape[0])


def streak(
    work: RowWork, light: Pixels, direction: tuple[float, float], length: float, transfer: int, into: Rgb16
) -> None:
    """R′G′B′ codes of light that is drawn out along a direction; waits until it is done.

    Args:
        work: on pictures of that height.
        light: of the picture.
        direction: right and down, not both 0.
        length: in pixels, above 1, along the direction.
        transfer: of the codes.
        into: the codes.
    """
    height, width = into.shape[:2]
    expect_shape(light, height, width, 4)
    right, down = direction
    steep = abs(down) > abs(right)
    slope = right / down if steep else down / right
    along, across = (height, width) if steep else (width, height)
    reach = slope * (along - 1)
    above = ceil(max(reach, 0.0))
    count = across + ceil(abs(reach)) + 1
    lines = np.empty((along, count, 4) if steep else (count, along, 4), np.float32)
    slant = Slant(
        address(light, np.float32), address(lines, np.float32), along, across, count, above, slope,
        *((4 * width, 4, 4 * count, 4) if steep else (4, 4 * width, 4, 4 * along)),
    )  # fmt: skip
    places = max(length / hypot(1.0, slope), 1.0)

    def blur(rows: slice) -> None:
        library().chronoxis_streak(ctypes.byref(slant), places, rows.start, rows.stop)

    curve = curve_of(transfer)

    def unslant(rows: slice) -> None:
        library().chronoxis_unslant(
            ctypes.byref(slant), ctypes.byref(curve), int(steep), width, rows.start, rows.stop, into
        )

    work.wait()  # lines run through rows of other cores
    work.give(blur, count)
    work.wait()
    work.give(unslant, height)
    work.wait()
