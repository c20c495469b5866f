"""What of joins can be grasped in the Weave, and what dragging it does."""

from dataclasses import dataclass, replace
from enum import Enum
from fractions import Fraction

import numpy as np
from PySide6.QtCore import QPointF

from chronoxis.app.weave.grips import Edit
from chronoxis.app.weave.pace_curve import curve_y, dragged_speed
from chronoxis.app.weave.rails import GRIP, JOIN_RADIUS, Rails
from chronoxis.core.model import joining
from chronoxis.core.model.join import Surge
from chronoxis.core.model.project import Project
from chronoxis.core.timing.speed import MAX_SPEED, MIN_SPEED, format_speed
from chronoxis.core.timing.timecode import format_time

_LEAST_RUN = Fraction(1, 25)


class JoinGrip(Enum):
    """A kind of thing to grasp; its value names the step of undo."""

    CUT = "Slide the cut"
    PEAK = "Change peak"
    RUN_UP = "Change run-up"
    RUN_OUT = "Change run-out"


@dataclass(frozen=True)
class HeldJoin:
    """Something that is grasped, and the number of the join it belongs to."""

    grip: JoinGrip
    join: int


def join_grip_at(project: Project, rails: Rails, at: QPointF) -> HeldJoin | None:
    """What of a join is under a point: its handle on the result rail, its peak or a run on the curve."""
    if len(project.shots) < 2:
        return None
    if rails.result.contains(at) and abs(at.y() - rails.result.center().y()) <= JOIN_RADIUS + 1:
        apart = np.abs(rails.result_xs(project.shot_rows.begins[1:]) - at.x())
        return HeldJoin(JoinGrip.CUT, int(apart.argmin())) if apart.min() <= JOIN_RADIUS else None
    return _curve_grip(project, rails, at) if rails.curve.contains(at) else None


def _curve_grip(project: Project, rails: Rails, at: QPointF) -> HeldJoin | None:
    near: list[tuple[float, HeldJoin]] = []
    for join, shot in enumerate(project.shots[:-1]):
        if shot.join.surge is None:
            continue
        x = rails.result_x(float(project.shot_rows.begins[join + 1]))
        if abs(at.y() - curve_y(rails, float(shot.join.surge.peak))) <= GRIP + 3 and abs(at.x() - x) <= GRIP:
            return HeldJoin(JoinGrip.PEAK, join)
        before = shot.pace.run_lengths[1] * rails.result_scale
        after = project.shots[join + 1].pace.run_lengths[0] * rails.result_scale
        near.append((abs(at.x() - x + before), HeldJoin(JoinGrip.RUN_UP, join)))
        near.append((abs(at.x() - x - after), HeldJoin(JoinGrip.RUN_OUT, join)))
    nearest = min(near, key=lambda pair: pair[0], default=None)
    return nearest[1] if nearest is not None and nearest[0] <= GRIP / 2 else None


@dataclass(frozen=True)
class JoinDrag:
    """A drag under way.

    Attributes:
        held: what is dragged.
        project: the value at its beginning.
        rails: the geometry at its beginning.
        grasped: where the pointer began.
    """

    held: HeldJoin
    project: Project
    rails: Rails
    grasped: QPointF

    @property
    def label(self) -> str:
        """The label of its step of undo."""
        return self.held.grip.value

    def edit(self, at: QPointF, *, exact: bool) -> Edit:
        """The edit that the drag amounts to; ``exact`` defeats rounding to frames and even numbers."""
        join = self.held.join
        if self.held.grip is JoinGrip.CUT:
            by = self.rails.result_time(at.x()) - self.rails.result_time(self.grasped.x())
            by = by if exact else round(by * self.project.rate) / self.project.rate
            return lambda project: joining.slide_cut(project, join, by) if by else project
        if self.held.grip is JoinGrip.PEAK:
            peak = self._peak(at, exact=exact)
            return lambda project: joining.set_surges(project, [join], lambda s: replace(s, peak=peak))
        length, after = self._length(at, exact=exact), self.held.grip is JoinGrip.RUN_OUT

        def changed(surge: Surge) -> Surge:
            side = surge.run_out if after else surge.run_up
            return surge.with_side(replace(side, length=length), after=after)

        return lambda project: joining.set_surges(project, [join], changed)

    def outcome(self, now: Project) -> str:
        """Old and new, for the label at the pointer."""
        join = self.held.join
        if self.held.grip is JoinGrip.CUT:
            last, first = now.shots[join], now.shots[join + 1]
            leaves = format_time(last.recorded_time(last.recorded_length), 2)
            return f"cut from {leaves} to {format_time(first.recorded_time(Fraction(0)), 2)}"
        old, new = (project.shots[join].join.surge for project in (self.project, now))
        if old is None or new is None:
            return ""
        if self.held.grip is JoinGrip.PEAK:
            return f"peak {format_speed(old.peak)} → {format_speed(new.peak)}"
        after = self.held.grip is JoinGrip.RUN_OUT
        side = new.run_out if after else new.run_up
        real = now.shots[join + 1].pace.run_lengths[0] if after else now.shots[join].pace.run_lengths[1]
        short = real < float(side.length) * (1 - 1e-6)
        words = f"run-{'out' if after else 'up'} {float(side.length):.2f} s"
        return words + (f" · {real:.2f} s fit" if short else "")

    def _peak(self, at: QPointF, *, exact: bool) -> Fraction:
        surge = self.project.shots[self.held.join].join.surge
        begun = float(surge.peak) if surge else 1.0
        speed = dragged_speed(self.rails, begun, at.y() - self.grasped.y())
        return min(max(Fraction(f"{speed:.{6 if exact else 2}g}"), MIN_SPEED), MAX_SPEED)

    def _length(self, at: QPointF, *, exact: bool) -> Fraction:
        cut = float(self.project.shot_rows.begins[self.held.join + 1])
        length = round(abs(float(self.rails.result_time(at.x())) - cut), 4 if exact else 2)
        wish = Fraction(length).limit_denominator(10_000 if exact else 100)
        return min(max(wish, _LEAST_RUN), joining.LONGEST_RUN)
