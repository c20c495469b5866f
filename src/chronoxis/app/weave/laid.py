"""Where the passages stand on both rails, in pixels."""

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from chronoxis.app.weave.rails import Rails
from chronoxis.core.model.passage_rows import PassageRows
from chronoxis.core.model.project import Place, Project

Pixels = npt.NDArray[np.float64]
Mask = npt.NDArray[np.bool_]


@dataclass(frozen=True, eq=False)
class Laid:
    """Passages as they are drawn; one row per passage, as in ``rows``.

    Attributes:
        rows: their times and speeds.
        left: where they begin on the result rail.
        right: where they end there.
        enter: the place on the recorded rail of what they begin with.
        leave: the place there of what they end with; left of ``enter`` backwards.
        shown: whether any of it is visible.
        selected: whether they are selected.
    """

    rows: PassageRows
    left: Pixels
    right: Pixels
    enter: Pixels
    leave: Pixels
    shown: Mask
    selected: Mask

    @property
    def widths(self) -> Pixels:
        """Pixels on the result rail."""
        return np.asarray(self.right - self.left)

    @property
    def inner(self) -> Mask:
        """Whether a joint follows, rather than the end of a shot."""
        last = np.append(self.rows.shots[1:] != self.rows.shots[:-1], True)
        return ~last


def lay(project: Project, rails: Rails, selection: frozenset[Place]) -> Laid:
    """Work out where all passages stand."""
    rows = project.rows
    left, right = rails.result_xs(rows.begins), rails.result_xs(rows.ends)
    enter, leave = rails.recorded_xs(rows.shots, rows.enters), rails.recorded_xs(rows.shots, rows.leaves)
    begin, end = rails.result.left(), rails.result.right()
    below = (right >= begin) & (left <= end)
    above = (np.maximum(enter, leave) >= begin) & (np.minimum(enter, leave) <= end)
    return Laid(rows, left, right, enter, leave, below | above, _selected(rows, selection))


def _selected(rows: PassageRows, selection: frozenset[Place]) -> Mask:
    chosen = np.zeros(len(rows), np.bool_)
    if selection:
        places = np.array(list(selection))
        chosen[np.searchsorted(rows.shots, places[:, 0]) + places[:, 1]] = True
    return chosen
