"""Pictures whose every place comes from another one, by strips of rows."""

import cv2
import numpy as np
import numpy.typing as npt

from chronoxis.core.picture.rgb import Rgb16
from chronoxis.core.picture.row_work import RowWork

Places = npt.NDArray[np.float32]


def remapped(
    codes: Rgb16, columns: Places, rows: Places, *, opens: bool = False, cubic: bool = True
) -> Rgb16:
    """A picture whose places come from given columns and rows of another.

    Args:
        codes: the other, with one channel or three.
        columns: shape (height, width).
        rows: likewise.
        opens: whether there is black beyond its edges; else they go on.
        cubic: whether it stays as sharp as can be, which takes longer.
    """
    # Rows one after another, whatever way the other's lie: of footage that is stored turned, in columns.
    made, work = np.empty(codes.shape, codes.dtype), RowWork()
    way = cv2.INTER_CUBIC if cubic else cv2.INTER_LINEAR
    border = cv2.BORDER_CONSTANT if opens else cv2.BORDER_REPLICATE

    def move(part: slice) -> None:
        cv2.remap(codes, columns[part], rows[part], way, dst=made[part], borderMode=border)

    work.give(move, codes.shape[0])
    work.wait()
    return made
