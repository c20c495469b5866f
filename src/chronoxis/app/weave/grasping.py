"""What under the pointer can be dragged, of all that the Weave shows."""

from dataclasses import dataclass

from PySide6.QtCore import QPointF, Qt

from chronoxis.app.document.document import Document
from chronoxis.app.measuring.found_lulls import FoundLulls
from chronoxis.app.weave.grips import Drag, Grip, grip_at
from chronoxis.app.weave.join_grips import JoinDrag, JoinGrip, join_grip_at
from chronoxis.app.weave.lull_brackets import LullDrag, LullGrip, lull_grip_at
from chronoxis.app.weave.rails import Rails
from chronoxis.app.weave.sound_grips import SoundDrag, sound_grip_at
from chronoxis.core.timing.pace import Seconds

AnyDrag = Drag | SoundDrag | JoinDrag | LullDrag
"""A drag under way: each has a label, an edit that it amounts to, and an outcome in words."""

_UPWARDS = (Grip.LEVEL, JoinGrip.PEAK)  # what is dragged up and down, all else goes sideways


@dataclass(frozen=True, eq=False)
class Graspable:
    """All that can be grasped.

    Attributes:
        document: the project, and where its playhead is.
        rails: where all of it stands.
        beats: of the result, in its seconds.
        lulls: of the selected shots.
    """

    document: Document
    rails: Rails
    beats: Seconds
    lulls: FoundLulls

    def drag_at(self, at: QPointF, *, draws: bool) -> AnyDrag | None:
        """A drag of what is under a point.

        Args:
            at: the point.
            draws: whether a lull is to be drawn on the recorded rail.
        """
        document, rails, project = self.document, self.rails, self.document.project
        playhead = float(document.playhead)
        on_frame = document.known.nearest_frame_time
        if (sound := sound_grip_at(project, rails, at, self.beats)) is not None:
            return SoundDrag(sound, project, rails, playhead, at, self.beats)
        held = grip_at(project, rails, at)
        is_point = held is not None and held.grip in (
            Grip.IN,
            Grip.OUT,
        )  # a lull there has its end on the lane
        lull = None if is_point else lull_grip_at(rails, self.lulls, at, draws=draws)
        if lull is not None:
            return LullDrag(lull, project, rails, self.lulls.here(), on_frame)
        if (join := join_grip_at(project, rails, at)) is not None:
            return JoinDrag(join, project, rails, at)
        if held is not None:
            return Drag(held, project, rails, playhead, at, on_frame, self.beats)
        return None


def cursor_of(drag: AnyDrag | None) -> Qt.CursorShape:
    """The shape of the pointer over what could be dragged."""
    if drag is None:
        return Qt.CursorShape.ArrowCursor
    if isinstance(drag, SoundDrag):
        return Qt.CursorShape.SizeHorCursor
    if drag.held.grip is LullGrip.NEW:
        return Qt.CursorShape.CrossCursor
    return Qt.CursorShape.SizeVerCursor if drag.held.grip in _UPWARDS else Qt.CursorShape.SizeHorCursor
