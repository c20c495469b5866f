"""Recorded frames gathered into one picture, some of them at once."""

from collections.abc import Callable, Sequence

import numpy as np

from chronoxis.core.picture.described import Picture, Pixels, Planes, size_of
from chronoxis.core.picture.kernels import Gathered
from chronoxis.core.picture.rgb import Rgb16
from chronoxis.core.picture.row_work import RowWork

Gather = Callable[[RowWork, Sequence[Picture], Sequence[float], Gathered], None]

# What is gathered so far is fetched from memory, and put back, once for so many frames: never, where a result
# frame has no more of them.
_FEWEST_TOGETHER, _MOST_TOGETHER = 5, 12
_WAITING_BYTES = 256 * 1024 * 1024


class Gathering:
    """Lets pictures wait until some can be gathered at once."""

    def __init__(self, gather: Gather) -> None:
        self._gather, self._work = gather, RowWork()
        self._pictures: list[Picture] = []
        self._weights: list[float] = []
        self._size = (0, 0)
        self._planes: Planes = np.empty((3, 0, 0), np.float32)
        self._so_far: Planes | None = None

    def take(self, picture: Picture, weight: float) -> None:
        """Take in a picture, which must not change before `made`; the work goes on after this returns.

        Raises:
            ValueError: it has another size than those before it.
        """
        if not self._pictures:
            self._size = size_of(picture)
        elif size_of(picture) != self._size:
            raise ValueError("what is gathered has one size")
        room = _WAITING_BYTES // _bytes_of(picture)
        if len(self._pictures) >= int(np.clip(room, _FEWEST_TOGETHER, _MOST_TOGETHER)):
            self._go_on()
        self._pictures.append(picture)
        self._weights.append(weight)

    def made(self, scale: float = 1.0, more: Pixels | None = None) -> Rgb16:
        """R′G′B′ codes of what came, scaled, and ``more``. It is forgotten, so that the next can be gathered.

        Raises:
            ValueError: nothing came.
        """
        if not self._pictures:
            raise ValueError("a picture needs at least one frame")
        codes = np.empty((*self._size, 3), np.uint16)
        self._give(Gathered(self._so_far, codes, scale, more))
        self._work.wait()
        self._so_far = None
        return codes

    def _go_on(self) -> None:
        if self._planes.shape[1:] != self._size:
            self._planes = np.empty((3, *self._size), np.float32)
        self._give(Gathered(self._so_far, self._planes))
        self._so_far = self._planes
        self._work.wait(1)

    def _give(self, gathered: Gathered) -> None:
        self._gather(self._work, self._pictures, self._weights, gathered)
        self._pictures, self._weights = [], []


def _bytes_of(picture: Picture) -> int:
    if isinstance(picture, np.ndarray):
        return picture.nbytes
    return sum(plane.buffer_size for plane in picture.planes)
