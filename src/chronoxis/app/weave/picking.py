"""Which passage lies at a point of the Weave, and which are selected by a press there."""

import numpy as np
from PySide6.QtCore import QPointF, Qt

from chronoxis.app.document.selection import Selection
from chronoxis.app.weave.rails import Rails
from chronoxis.core.model.playing import place_at
from chronoxis.core.model.project import Place, Project


def passage_at(project: Project, rails: Rails, at: QPointF) -> Place | None:
    """The passage whose part of a rail is at a point."""
    if rails.is_in_recorded(at):
        number = rails.shot_at(at.x())
        shot = project.shots[number]
        covered = float(shot.covered(rails.recorded_time(number, at.x())))
        if not 0 <= covered <= shot.recorded_length:
            return None
        joints = np.abs(shot.rows.leaves[:-1] - shot.rows.enters[0])
        return Place(number, int(np.searchsorted(joints, covered, "right")))
    if rails.is_in_result(at):
        seconds = float(rails.result_time(at.x()))
        return place_at(project, seconds) if seconds < project.result_length else None
    return None


def pick(selection: Selection, project: Project, place: Place, modifiers: Qt.KeyboardModifier) -> None:
    """Select a passage; with Ctrl as well as others or no longer, with Shift all from the others to it."""
    chosen = selection.places
    if modifiers & Qt.KeyboardModifier.ControlModifier:
        selection.select(chosen ^ {place})
    elif modifiers & Qt.KeyboardModifier.ShiftModifier and chosen:
        low, high = min(*chosen, place), max(*chosen, place)
        selection.select(each for each in project.places() if low <= each <= high)
    else:
        selection.select([place])
