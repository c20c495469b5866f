"""Of pictures that differ in little: the part in which they differ most, larger."""

from collections.abc import Hashable, Mapping

import numpy as np
import numpy.typing as npt
from PySide6.QtCore import QObject, QRect
from PySide6.QtGui import QImage

from chronoxis.app.bench.live_pictures import LivePictures
from chronoxis.app.bench.picture_chip import PictureChip

_SHOWN_SHARE = 0.3  # of the width and the height of a picture that is shown
_LOOK_STEP = 8  # pixels from one place that is looked at to the next


class Detail(QObject):
    """Shows on chips the same part of each picture, as pictures of choices are made."""

    def __init__(self, live: LivePictures, chips: Mapping[Hashable, PictureChip]) -> None:
        super().__init__()
        self._live, self._chips = live, chips
        self.part: QRect | None = None
        live.made.connect(lambda _key, _image: self._show())
        live.outdated.connect(self._dim)

    def _show(self) -> None:
        images = self._live.images
        self.part = telling_part(list(images.values()))
        for key, image in images.items():
            self._chips[key].show_picture(image.copy(self.part))

    def _dim(self) -> None:
        for chip in self._chips.values():
            chip.dim_picture()


def telling_part(images: list[QImage]) -> QRect:
    """The part in which pictures of one size differ most; the middle, if they do not."""
    codes = [grey(image) for image in images]
    height, width = codes[0].shape
    high, wide = round(height * _SHOWN_SHARE), round(width * _SHOWN_SHARE)
    alike = [each for each in codes if each.shape == codes[0].shape]
    apart = np.abs(np.diff(np.stack(alike), axis=0)).sum(axis=0)
    if len(alike) < 2 or not apart.any():
        return QRect((width - wide) // 2, (height - high) // 2, wide, high)
    summed = np.pad(apart, ((1, 0), (1, 0))).cumsum(axis=0).cumsum(axis=1)
    tops, lefts = np.arange(0, height - high + 1, _LOOK_STEP), np.arange(0, width - wide + 1, _LOOK_STEP)
    within = (
        summed[np.ix_(tops + high, lefts + wide)]
        - summed[np.ix_(tops, lefts + wide)]
        - summed[np.ix_(tops + high, lefts)]
        + summed[np.ix_(tops, lefts)]
    )
    row, column = np.unravel_index(int(within.argmax()), within.shape)
    return QRect(int(lefts[column]), int(tops[row]), wide, high)


def grey(image: QImage) -> npt.NDArray[np.float64]:
    """Grey codes, shape (height, width)."""
    grey = image.convertToFormat(QImage.Format.Format_Grayscale8)
    rows = np.frombuffer(grey.constBits(), np.uint8).reshape(grey.height(), grey.bytesPerLine())
    return rows[:, : grey.width()].astype(np.float64)
