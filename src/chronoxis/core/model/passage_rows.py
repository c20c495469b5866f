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
    """

    begins: Seconds
    covered: Seconds
    origins: Seconds
    directions: Seconds


@dataclass(frozen=True, eq=False)
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

    shots: Numbers
    passages: Numbers
    begins: Seconds
    ends: Seconds
    enters: Seconds
    leaves: Seconds
    speeds: Seconds
    ramps: Seconds

    def __len__(self) -> int:
        return len(self.shots)

    @classmethod
    def of_shot(cls, joints: Seconds, recorded: Seconds, speeds: Seconds, ramps: Seconds) -> "PassageRows":
        """The rows of a shot that stands alone.

        Args:
            joints: result seconds at which its passages begin and the last one ends.
            recorded: recorded seconds in its footage at the same moments.
            speeds: of its passages.
            ramps: result seconds of its ramps, one fewer.
        """
        return cls(
            np.zeros(len(speeds), np.int64),
            np.arange(len(speeds)),
            joints[:-1],
            joints[1:],
            recorded[:-1],
            recorded[1:],
            speeds,
            np.concatenate((ramps, [0.0])),
        )

    @classmethod
    def end_to_end(cls, shots: "Sequence[PassageRows]", starts: Seconds) -> "PassageRows":
        """The rows of shots that follow one another, from the result seconds at which each starts."""
        if not shots:
            numbers, none = np.zeros(0, np.int64), np.zeros(0)
            return cls(numbers, numbers, none, none, none, none, none, none)
        counts = [len(rows) for rows in shots]
        begin = np.repeat(starts, counts)
        return cls(
            np.repeat(np.arange(len(shots)), counts),
            np.concatenate([rows.passages for rows in shots]),
            np.concatenate([rows.begins for rows in shots]) + begin,
            np.concatenate([rows.ends for rows in shots]) + begin,
            np.concatenate([rows.enters for rows in shots]),
            np.concatenate([rows.leaves for rows in shots]),
            np.concatenate([rows.speeds for rows in shots]),
            np.concatenate([rows.ramps for rows in shots]),
        )
