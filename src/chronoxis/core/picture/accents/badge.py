"""Badge: a mark that time is condensed, or runs back, and how fast."""

from collections.abc import Callable
from dataclasses import dataclass
from fractions import Fraction
from functools import lru_cache
from importlib.resources import as_file, files

import numpy as np
import numpy.typing as npt
from PIL import Image, ImageDraw, ImageFont

from chronoxis.core.model.accent import Badge, Corner, Shown
from chronoxis.core.picture.accents.drawn_accent import Amounts
from chronoxis.core.picture.rgb import Rgb16

_MARGIN_SHARE = 0.045  # of the height, to the sides of the picture
_LIT_SHARE = 0.62  # of each second, when it blinks
_SUPERSAMPLING = 4  # times as fine it is drawn, then brought to size
_SHADE_SHARE = 0.45  # of the picture's code values behind the mark


@dataclass(frozen=True, eq=False)
class BadgeAccent:
    """Lays a mark over a corner.

    Attributes:
        said: what it says on a result frame, and whether that runs back.
    """

    look: Badge
    amounts: Amounts
    rate: Fraction
    said: Callable[[int], tuple[str, bool]]

    def applied(self, result_frame: int, codes: Rgb16) -> Rgb16:
        """A result frame with the mark; as it is while a blinking mark is gone."""
        if self.look.blinks and result_frame / self.rate % 1 >= _LIT_SHARE:
            return codes
        height, width = codes.shape[:2]
        tall = max(4, round(self.look.size * height))
        text, back = self.said(result_frame)
        bars = None if self.look.shows is not Shown.SPEED else back
        drawn = _drawn(text, tall, bars)
        mark, shade = (part * min(self.amounts[result_frame], 1.0) for part in drawn)
        aside = round(_MARGIN_SHARE * height)
        corner, wide = self.look.corner, mark.shape[1]
        left = aside if corner in (Corner.TOP_LEFT, Corner.BOTTOM_LEFT) else width - aside - wide
        top = aside if corner in (Corner.TOP_LEFT, Corner.TOP_RIGHT) else height - aside - tall
        left, top = max(left, 0), max(top, 0)
        made = codes.copy()
        place = made[top : top + tall, left : left + wide]
        mark, shade = (part[: place.shape[0], : place.shape[1], None] for part in (mark, shade))
        dimmed = place * (1 - shade * _SHADE_SHARE)
        place[:] = np.rint(dimmed + (65535 - dimmed) * mark)
        return made


@lru_cache(maxsize=64)
def _drawn(
    text: str, tall: int, back: bool | None
) -> tuple[npt.NDArray[np.float32], npt.NDArray[np.float32]]:
    """The mark, white on a plate, and the plate; 0 to 1, shape (tall, some width).

    It has bars that say where time goes, unless ``back`` is None. Figures are all of one width.
    """
    size = tall * _SUPERSAMPLING
    letters = _letters(round(size * 0.5))
    bars = 0 if back is None else round(size * 0.92)
    steps = [letters.getlength("0" if letter.isdigit() else letter) for letter in text]
    wide = round(size * 0.36 + bars + sum(steps) + size * 0.3)
    mark, plate = Image.new("L", (wide, size)), Image.new("L", (wide, size))
    ImageDraw.Draw(plate).rounded_rectangle((0, 0, wide - 1, size - 1), size * 0.22, fill=255)
    draw = ImageDraw.Draw(mark)
    # Threads that draw together: three slanted bars, each wider than the one before, towards where time goes.
    for number in range(0 if back is None else 3):
        place = number if not back else 2 - number
        left, thick = size * 0.26 + size * 0.26 * place, size * (0.06 + 0.05 * number)
        lean = size * 0.16 * (-1 if back else 1)
        top, bottom = size * 0.27, size * 0.73
        draw.polygon(
            [(left, top), (left + thick, top), (left + thick + lean, (top + bottom) / 2),
             (left + thick, bottom), (left, bottom), (left + lean, (top + bottom) / 2)], fill=255,
        )  # fmt: skip
    at = size * 0.36 + bars
    for letter, step in zip(text, steps, strict=True):
        draw.text((at + step / 2, size / 2), letter, fill=255, font=letters, anchor="mm")
        at += step
    small = (max(1, round(wide / _SUPERSAMPLING)), tall)

    def brought(part: Image.Image) -> npt.NDArray[np.float32]:
        return np.asarray(part.resize(small, Image.Resampling.BOX), np.float32) / np.float32(255)

    return brought(mark), brought(plate)


@lru_cache(maxsize=8)
def _letters(size: int) -> ImageFont.FreeTypeFont:
    with as_file(files("chronoxis") / "fonts" / "IBMPlexSans-SemiBold.ttf") as path:
        return ImageFont.truetype(str(path), size)
