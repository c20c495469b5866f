"""A pace that is proposed and not taken yet, for the pace curve to show."""

from typing import NamedTuple

import numpy as np
from PySide6.QtCore import QObject, Signal

from chronoxis.core.model.project import Project
from chronoxis.core.timing.following import Following
from chronoxis.core.timing.pace import Seconds


class ProposedLine(NamedTuple):
    """What is proposed for a shot.

    Attributes:
        times: result seconds, as the project plays now, at which the same is on display.
        speeds: proposed there.
    """

    times: Seconds
    speeds: Seconds


class ProposedPace(QObject):
    """Holds what is proposed.

    Signals:
        changed: something else is proposed, or nothing any more.
    """

    changed = Signal()

    def __init__(self) -> None:
        super().__init__()
        self._project: Project | None = None
        self._lines: list[ProposedLine] = []

    def propose(self, project: Project, numbers: list[int], following: Following) -> None:
        """Propose a pace for shots of a project, by their numbers."""
        self._project = project
        self._lines = []
        for number, pace in zip(numbers, following.paces, strict=True):
            shot = project.shots[number]
            covered = (np.arange(len(pace.speeds)) + 0.5) * pace.step
            times = float(project.shot_rows.begins[number]) + np.asarray(shot.pace.result_at(covered))
            self._lines.append(ProposedLine(times, pace.speeds))
        self.changed.emit()

    def drop(self) -> None:
        """Propose nothing any more."""
        if self._project is not None:
            self._project, self._lines = None, []
            self.changed.emit()

    def lines(self, project: Project) -> list[ProposedLine]:
        """What is proposed for a project; nothing, if it was for another."""
        return self._lines if project is self._project else []
