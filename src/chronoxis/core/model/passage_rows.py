"""All passages and shots of a project as columns of numbers, for whoever looks at thousands at once."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from chronoxis.core.timing.pace import Seconds

Numbers = npt.NDArray[np.int64]


@dataclass(frozen=True, eq=False)
class ShotRows:
    """One row per shot; every column has the shape (shots,).

    Attributes:
        begins: result seconds at which they begin.
        covered: recorded seconds of all shots before.
        origins: recorded seconds in their footage with which they begin.
        directions: 1 forwards, -1 backwards.
        footage: places of their footage in the project's.
    """

    begins: Seconds
    covered: Seconds
    origins: Seconds
    directions: Seconds
    footage: Numbers


class PassageRows:
    """One row per passage, in playing order; every column has the shape (passages,).

    Attributes:
        shots: numbers of their shots in the result.
        passages: their own numbers in their shots.
        begins: result seconds at which they begin.
        ends: result seconds at which they end.
        enters: recorded seconds in their footage with which they begin; above ``leaves`` backwards.
        leaves: recorded seconds with which they end.
        speeds: recorded seconds per result second, between their ramps.
        ramps: result seconds that the ramp at their end really has; 0 at the end of a shot.
    """

    def __init__(self, counts: Sequence[int], columns: npt.NDArray[np.float64]) -> None:
        """From the number of passages of each shot, and from ``begins`` on the columns themselves."""
        self.shots: Numbers = np.repeat(np.arange(len(counts)), counts)
        self._firsts = np.cumsum(counts, dtype=np.int64) - counts
        self.passages: Numbers = np.arange(len(self.shots)) - self._firsts[self.shots]
        self._columns = columns
        self.begins, self.ends, self.enters, self.leaves, self.speeds, self.ramps = columns

    def __len__(self) -> int:
        return len(self.shots)

    def of(self, places: Sequence[tuple[int, int]]) -> Numbers:
        """The rows of passages, by the numbers of their shots and their own in them."""
        shots, passages = np.array(places, np.int64).reshape(-1, 2).T
        return np.asarray(self._firsts[shots] + passages)

    @classmethod
    def of_shot(cls, joints: Seconds, recorded: Seconds, speeds: Seconds, ramps: Seconds) -> "PassageRows":
        """The rows of a shot that stands alone.

        Args:
            joints: result seconds at which its passages begin and the last one ends.
            recorded: recorded seconds in its footage at the same moments.
            speeds: of its passages.
            ramps: result seconds of its ramps, one fewer.
        """
        columns = joints[:-1], joints[1:], recorded[:-1], recorded[1:], speeds, np.append(ramps, 0.0)
        return cls([len(speeds)], np.stack(columns))

    @classmethod
    def end_to_end(cls, shots: "Sequence[PassageRows]", starts: Seconds) -> "PassageRows":
        """The rows of shots that follow one another, from the result seconds at which each starts."""
        counts = [len(rows) for rows in shots]
        columns = np.concatenate([np.zeros((6, 0)), *(rows._columns for rows in shots)], axis=1)
        columns[:2] += np.repeat(starts, counts)
        return cls(counts, columns)
