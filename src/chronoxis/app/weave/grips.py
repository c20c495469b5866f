"""What in the Weave can be grasped, and what dragging it does."""

from collections.abc import Callable, Iterable
from dataclasses import dataclass
from enum import Enum
from fractions import Fraction
from functools import partial

import numpy as np
from PySide6.QtCore import QPointF

from chronoxis.app.weave.pace_curve import curve_y, dragged_speed, joint_speed
from chronoxis.app.weave.rails import GRIP, Rails
from chronoxis.core.model import arranging, pacing
from chronoxis.core.model.footage import Footage
from chronoxis.core.model.playing import place_at, result_span, result_time_of
from chronoxis.core.model.project import Place, Project
from chronoxis.core.timing.pace import Seconds
from chronoxis.core.timing.speed import MAX_SPEED, MIN_SPEED, format_speed
from chronoxis.core.timing.timecode import format_time

Edit = Callable[[Project], Project]


class Grip(Enum):
    """A kind of thing to grasp; its value names the step of undo."""

    IN = "Move in point"
    OUT = "Move out point"
    JOINT = "Move joint"
    LENGTH = "Change result length"
    SLIDE = "Slide joint"
    RAMP = "Change ramp"
    LEVEL = "Change speed"
    MARK = "Move mark"


@dataclass(frozen=True)
class Held:
    """Something that is grasped, and the passage it belongs to: the one before a joint.

    Of a mark of a recording: any passage of the shot above which it stands.

    Attributes:
        mark: key of the recording, or None for the result, and the moment of the mark that is grasped.
    """

    grip: Grip
    place: Place
    mark: tuple[str | None, Fraction] | None = None


def grip_at(project: Project, rails: Rails, at: QPointF) -> Held | None:
    """The grip of a passage, point or marker under a point."""
    if rails.recorded.contains(at):
        return _recorded_grip(project, rails, at.x())
    if rails.result.contains(at):
        return _nearest(_result_grips(project, rails, at.x(), GRIP), at.x())
    if rails.curve.contains(at):
        return _curve_grip(project, rails, at)
    if rails.recorded_ruler.contains(at):
        number = rails.shot_at(at.x())
        key = project.shots[number].footage
        return _nearest(_mark_grips(project, key, number, partial(rails.recorded_x, number)), at.x())
    if rails.result_ruler.contains(at):
        return _nearest(_mark_grips(project, None, 0, rails.result_x), at.x())
    return None


def _mark_grips(
    project: Project, key: str | None, shot: int, place: Callable[[float], float]
) -> list[tuple[Held, float]]:
    marks = marks_of(project, key)
    return [(Held(Grip.MARK, Place(shot, 0), (key, mark)), place(float(mark))) for mark in marks]


def marks_of(project: Project, key: str | None) -> list[Fraction]:
    """The moments of the marks of a recording, or of the result if ``key`` is None."""
    markers = project.footage_named(key).markers if key else project.markers
    return [marker.at for marker in markers]


def _recorded_grip(project: Project, rails: Rails, x: float) -> Held | None:
    number = rails.shot_at(x)
    shot = project.shots[number]
    last = len(shot.passages) - 1
    joints = rails.recorded_xs(np.full(last, number), shot.rows.leaves[:-1])
    places = [
        (Held(Grip.JOINT, Place(number, n)), float(joints[n]))
        for n in np.flatnonzero(np.abs(joints - x) <= GRIP).tolist()
    ]
    begin, end = Place(number, 0), Place(number, last)
    if shot.backwards:
        begin, end = end, begin
    places.append((Held(Grip.IN, begin), rails.recorded_x(number, float(shot.in_point))))
    places.append((Held(Grip.OUT, end), rails.recorded_x(number, float(shot.out_point))))
    return _nearest(places, x)


def _result_grips(project: Project, rails: Rails, x: float, near: float) -> list[tuple[Held, float]]:
    """The ends of passages within so many pixels of a place on the result rail."""
    places = rails.result_xs(project.rows.ends)
    return [
        (Held(Grip.LENGTH, project.place(row)), float(places[row]))
        for row in np.flatnonzero(np.abs(places - x) <= near).tolist()
    ]


def _curve_grip(project: Project, rails: Rails, at: QPointF) -> Held | None:
    ends, joints = [], []
    longest = float(project.rows.ramps.max()) / 2 * rails.result_scale
    for held, x in _result_grips(project, rails, at.x(), GRIP + longest):
        shot = project.shots[held.place.shot]
        if held.place.passage + 1 == len(shot.passages):
            continue
        y = curve_y(rails, joint_speed(project, held.place))
        if abs(at.y() - y) <= GRIP + 2:
            joints.append((Held(Grip.SLIDE, held.place), x))
        half = float(shot.pace.ramp_lengths[held.place.passage]) / 2 * rails.result_scale
        ends += [(Held(Grip.RAMP, held.place), x - half), (Held(Grip.RAMP, held.place), x + half)]
    grasped = _nearest(joints, at.x()) or _nearest(ends, at.x())
    if grasped is not None:
        return grasped
    seconds = float(rails.result_time(at.x()))
    if seconds >= project.result_length:
        return None
    place = place_at(project, seconds)
    level = curve_y(rails, float(project.passage(place).speed))
    return Held(Grip.LEVEL, place) if abs(level - at.y()) <= GRIP else None


def _nearest(grips: Iterable[tuple[Held, float]], x: float) -> Held | None:
    near = [(abs(place - x), held) for held, place in grips if abs(place - x) <= GRIP]
    return min(near, key=lambda pair: pair[0])[1] if near else None


@dataclass(frozen=True)
class Drag:
    """A drag under way.

    Attributes:
        held: what is dragged.
        project: the value at its beginning.
        rails: the geometry at its beginning; scales stay while it lasts.
        playhead: result seconds.
        grasped: where the pointer began.
        on_frame: gives when the frame begins that is nearest to a recorded second of footage.
        beats: result seconds of the beats at its beginning.
    """

    held: Held
    project: Project
    rails: Rails
    playhead: float
    grasped: QPointF
    on_frame: Callable[[Footage, Fraction], Fraction]
    beats: Seconds

    @property
    def label(self) -> str:
        """The label of its step of undo."""
        return self.held.grip.value

    def edit(self, at: QPointF, *, exact: bool) -> Edit:
        """The edit that the drag amounts to; ``exact`` defeats snapping."""
        place = self.held.place
        if self.held.mark is not None:
            key, mark = self.held.mark
            to = self._recorded(at, exact=exact) if key else self._result(at, exact=exact)
            return lambda project: arranging.move_marker(project, key, mark, to)
        match self.held.grip:
            case Grip.IN | Grip.OUT:
                return self._point(self._recorded(at, exact=exact))
            case Grip.JOINT:
                covered = self.project.shots[place.shot].covered(self._recorded(at, exact=exact))
                return lambda project: pacing.move_joint(project, place, covered)
            case Grip.LENGTH | Grip.SLIDE:
                length = self._result(at, exact=exact) - Fraction(result_span(self.project, place)[0])
                slides = self.held.grip is Grip.SLIDE
                change = pacing.slide_joint if slides else pacing.drag_result_length
                return lambda project: change(project, place, length)
            case Grip.RAMP:
                joint = result_span(self.project, place)[1]
                half = abs(float(self.rails.result_time(at.x())) - joint)
                length = (
                    Fraction(round(half * 2, 4))
                    if exact
                    else Fraction(round(half * 2, 2)).limit_denominator(100)
                )
                return lambda project: pacing.set_ramps(project, [place], length=length)
            case _:
                speed = self._level(at, exact=exact)
                return lambda project: pacing.set_speed(project, [place], speed)

    def outcome(self, now: Project) -> str:
        """Old and new, for the label at the pointer."""
        place, before = self.held.place, self.project
        if self.held.mark is not None:
            key, at = self.held.mark
            moved = set(marks_of(now, key)) - set(marks_of(before, key))
            return _change(*(format_time(moment, 2) for moment in (at, min(moved, default=at))))
        shots = before.shots[place.shot], now.shots[place.shot]
        match self.held.grip:
            case Grip.IN:
                return _change(*(format_time(shot.in_point, 2) for shot in shots))
            case Grip.OUT:
                return _change(*(format_time(shot.out_point, 2) for shot in shots))
            case Grip.JOINT:
                moments = (shot.recorded_time(shot.joints[place.passage + 1]) for shot in shots)
                return _change(*(format_time(moment, 2) for moment in moments))
            case Grip.RAMP:
                wished = (shot.passages[place.passage].ramp.length for shot in shots)
                real = float(shots[1].pace.ramp_lengths[place.passage])
                lengths = _change(*(f"{float(length):.2f} s" for length in wished))
                short = real < float(shots[1].passages[place.passage].ramp.length) - 1e-6
                return f"ramp {lengths}" + (f" · {real:.2f} s fit" if short else "")
        lengths = _change(*(format_time(p.passage_result_length(place), 2) for p in (before, now)))
        speeds = _change(*(format_speed(p.passage(place).speed) for p in (before, now)))
        return f"{speeds} · {lengths}" if self.held.grip is Grip.LEVEL else f"{lengths} · {speeds}"

    def _point(self, moment: Fraction) -> Edit:
        number = self.held.place.shot
        shot = self.project.shots[number]
        frame = 1 / self.project.footage_of(shot).rate
        if self.held.grip is Grip.IN:
            points = min(moment, shot.out_point - frame), shot.out_point
        else:
            points = shot.in_point, max(moment, shot.in_point + frame)
        return lambda project: arranging.set_points(project, number, *points)

    def _recorded(self, at: QPointF, *, exact: bool) -> Fraction:
        """Recorded time under the pointer: snapped to what stands near, else to a whole frame."""
        number = self.held.place.shot
        moment = self.rails.recorded_time(number, at.x())
        if exact:
            return moment
        shot = self.project.shots[number]
        footage = self.project.footage_of(shot)
        others = [Fraction(0), footage.length]
        if self.held.mark is None:
            others += marks_of(self.project, footage.key)
        near = GRIP / self.rails.recorded_scale
        own = self.held.place.passage if self.held.grip is Grip.JOINT else None
        joints = np.flatnonzero(np.abs(shot.rows.leaves[:-1] - float(moment)) <= near).tolist()
        others += [shot.recorded_time(shot.joints[n + 1]) for n in joints if n != own]
        for other in self.project.shots:
            if other is not shot and other.footage == shot.footage:
                others += [other.in_point, other.out_point]
        playing = self.project.shot_at(Fraction(self.playhead))
        if playing == number:
            since = self.playhead - float(self.project.shot_rows.begins[number])
            others.append(shot.recorded_time(Fraction(float(shot.pace.recorded_at(since)))))
        return snapped(moment, others, near, lambda moment: self.on_frame(footage, moment))

    def _result(self, at: QPointF, *, exact: bool) -> Fraction:
        """Result time under the pointer: snapped to what stands near, else to a whole frame."""
        moment = self.rails.result_time(at.x())
        if exact:
            return moment
        others = [Fraction(self.playhead)]
        near = GRIP / self.rails.result_scale
        others += map(Fraction, self.beats[np.abs(self.beats - float(moment)) <= near].tolist())
        if self.held.mark is None:
            here = float(moment)
            others += [mark.at for mark in self.project.markers if abs(mark.seconds - here) <= near]
        else:
            ends = self.project.rows.ends
            others += map(Fraction, ends[np.abs(ends - float(moment)) <= near].tolist())
        rate = self.project.rate
        return snapped(moment, others, near, lambda moment: round(moment * rate) / rate)

    def _level(self, at: QPointF, *, exact: bool) -> Fraction:
        begun = float(self.project.passage(self.held.place).speed)
        speed = dragged_speed(self.rails, begun, at.y() - self.grasped.y())
        rounded = speed if exact else float(f"{speed:.2g}")
        if not exact and abs(speed - 1) < 0.06:
            rounded = 1.0
        return min(max(Fraction(rounded).limit_denominator(1000), MIN_SPEED), MAX_SPEED)


def snapped(
    moment: Fraction, others: Iterable[Fraction], near: float, on_frame: Callable[[Fraction], Fraction]
) -> Fraction:
    """What of others is nearest to a moment, if that is so near; else when its frame begins."""
    close = [other for other in others if abs(float(other - moment)) <= near]
    return min(close, key=lambda other: abs(other - moment)) if close else on_frame(moment)


def _change(before: str, after: str) -> str:
    return f"{before} → {after}"


def recorded_moment(project: Project, rails: Rails, x: float) -> Fraction:
    """Result time at which what is under a place on the recorded rail plays."""
    number = rails.shot_at(x)
    return Fraction(result_time_of(project, number, float(rails.recorded_time(number, x))))
