"""Work on the rows of pictures, shared out among the cores."""

from collections import deque
from collections.abc import Callable
from concurrent.futures import Future

import cv2

from chronoxis.core.cores import threads_alike, usable_cores

# What runs here uses every core already.
cv2.setNumThreads(1)
_CORES = usable_cores()
# Rows that are taken at a time, even, few enough that what is worked on stays in the processor's cache.
_STRIP_ROWS = 180


class RowWork:
    """What is under way on pictures of one height.

    Each core has rows of its own, and does to them in turn what it is given; so one piece of work
    follows another without any core waiting for the others in between.
    """

    def __init__(self) -> None:
        self._under_way: deque[list[Future[None]]] = deque()

    def give(self, work: Callable[[slice], None], height: int) -> None:
        """Have ``work`` done on strips of the rows 0 to ``height``; every strip begins at an even row."""
        share = -(-height // (2 * _CORES)) * 2

        def run(top: int, bottom: int) -> None:
            for first in range(top, bottom, _STRIP_ROWS):
                work(slice(first, min(first + _STRIP_ROWS, bottom)))

        shares = [(top, min(top + share, height)) for top in range(0, height, share)]
        self._under_way.append(
            [threads_alike("rows", 1, place).submit(run, *rows) for place, rows in enumerate(shares)]
        )

    def wait(self, left: int = 0) -> None:
        """Wait until at most ``left`` pieces of work are under way. Raises what the work raised."""
        while len(self._under_way) > left:
            for outcome in self._under_way.popleft():
                outcome.result()
