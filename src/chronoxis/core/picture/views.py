"""Which part of its pictures a shot shows in each of its result frames."""

from dataclasses import dataclass
from math import ceil
from typing import Any, NamedTuple

import numpy as np
import numpy.typing as npt

from chronoxis.core.model.export_format import Size
from chronoxis.core.model.framing import Fit, Framing, View
from chronoxis.core.picture.picture_format import PictureFormat

SAME_SHAPE = 2
"""Pixels by which rounding and odd sides may miss the result's size."""

Box = tuple[float, float, float, float]
"""Left, top, width and height, in pixels."""


class Crop(NamedTuple):
    """A part of a picture as it was decoded, in its pixels, and the size that it gets before it is turned."""

    box: Box
    size: Size


@dataclass(frozen=True, eq=False)
class Views:
    """The views of a shot.

    Attributes:
        rows: float64, shape (result frames of the shot, 4), or (1, 4) if all are alike: left, top, width
            and height in pixels of the upright picture.
        first: number of the shot's first result frame.
    """

    rows: npt.NDArray[np.float64]
    first: int

    @property
    def moves(self) -> bool:
        """Whether they are not all alike."""
        return len(self.rows) > 1

    def box(self, result_frame: int) -> Box:
        """The view of a result frame."""
        left, top, width, height = self.rows[min(result_frame - self.first, len(self.rows) - 1)].tolist()
        return left, top, width, height

    @property
    def smallest(self) -> tuple[float, float]:
        """The least width and height there are."""
        return float(self.rows[:, 2].min()), float(self.rows[:, 3].min())


def views_of(framing: Framing, picture: PictureFormat, result: Size, first: int, count: int) -> Views | None:
    """The views of a shot; None if it shows all of its pictures.

    Args:
        framing: the choice.
        picture: what the shot's pictures are like.
        result: size of the result; what does not have its shape is trimmed, unless bars are wished.
        first: number of the shot's first result frame.
        count: how many it has.
    """
    if not framing.steps and (framing.fit is Fit.BARS or _shaped_alike(picture.size, result)):
        return None
    steps = [(float(step.at), _box(step.view)) for step in framing.steps] or [
        (0.0, _box(View.whole(picture.size)))
    ]
    if not framing.moves:
        rows = np.array([steps[0][1]])
    else:
        at, boxes = np.array([at for at, _ in steps]), np.array([box for _, box in steps])
        shares = np.arange(count) / max(1, count - 1)
        place = np.clip(np.searchsorted(at, shares, "right") - 1, 0, len(at) - 2)
        part: Any = np.clip((shares - at[place]) / (at[place + 1] - at[place]), 0, 1)
        rows = boxes[place] + (boxes[place + 1] - boxes[place]) * np.asarray(framing.eased(part))[:, None]
    if framing.fit is Fit.FILL:
        rows = _trimmed(rows, result)
    return Views(rows, first)


def crop_of(picture: PictureFormat, size: Size, view: Box | None, *, stretch: bool) -> Crop:
    """What is seen of decoded pictures in a result of a size.

    ``view`` is the part of the upright picture that is shown; all of it, if there is none.
    """
    left, top, width, height = view or (0.0, 0.0, *map(float, picture.size))
    within = inside(width, height, size, stretch=stretch)
    if picture.rotation == 90:
        left, top, width, height = picture.height - top - height, left, height, width
    elif picture.rotation == 180:
        left, top = picture.width - left - width, picture.height - top - height
    elif picture.rotation == 270:
        left, top, width, height = top, picture.width - left - width, height, width
    if picture.mirrored:
        left = picture.lying(picture.size)[0] - left - width
    return Crop((left, top, width, height), picture.lying(within))


def scaled_box(box: Box, picture: PictureFormat, sides: tuple[int, int]) -> Box:
    """A part of a decoded picture in pixels of what it was scaled to, of that height and width."""
    width, height = picture.lying(picture.size)
    across, down = sides[1] / width, sides[0] / height
    return box[0] * across, box[1] * down, box[2] * across, box[3] * down


def inside(width: float, height: float, size: Size, *, stretch: bool) -> Size:
    """The size that a picture takes up in the result: all of it, or as much as its shape allows."""
    scale = min(size[0] / width, size[1] / height)
    within = round(width * scale), round(height * scale)
    near = size[0] - within[0] <= SAME_SHAPE and size[1] - within[1] <= SAME_SHAPE
    return size if stretch or near else (max(2, within[0] // 2 * 2), max(2, within[1] // 2 * 2))


def needed_size(views: Views | None, picture: PictureFormat, size: Size, *, stretch: bool) -> Size:
    """The size of whole upright pictures at which views fill their place in a result of a size.

    It is no larger than the pictures are.
    """
    width, height = views.smallest if views else picture.size
    within = inside(width, height, size, stretch=stretch)
    if views is None:
        return within
    across, down = min(1.0, within[0] / width), min(1.0, within[1] / height)
    return max(2, ceil(picture.width * across - 1e-9)), max(2, ceil(picture.height * down - 1e-9))


def enlargement(views: Views | None, picture: PictureFormat, size: Size) -> float:
    """How many pixels of a result of a size stand, at most, for one of the picture's own."""
    width, height = views.smallest if views else picture.size
    within = inside(width, height, size, stretch=False)
    return max(within[0] / width, within[1] / height)


def _box(view: View) -> Box:
    return float(view.left), float(view.top), float(view.width), float(view.height)


def _shaped_alike(picture: Size, result: Size) -> bool:
    return inside(*picture, result, stretch=False) == result


def _trimmed(rows: npt.NDArray[np.float64], result: Size) -> npt.NDArray[np.float64]:
    """The largest views of the result's shape within some, in their middle; as they are, if near enough."""
    left, top, width, height = rows.T
    shape = result[0] / result[1]
    trimmed = np.minimum(width, height * shape), np.minimum(height, width / shape)
    scale = np.maximum(result[0] / width, result[1] / height)
    near = ((width - trimmed[0]) * scale <= SAME_SHAPE) & ((height - trimmed[1]) * scale <= SAME_SHAPE)
    wide, high = np.where(near, width, trimmed[0]), np.where(near, height, trimmed[1])
    return np.stack([left + (width - wide) / 2, top + (height - high) / 2, wide, high], -1)
