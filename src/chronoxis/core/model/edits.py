"""Edits: pure functions from one project to the next."""

from dataclasses import replace
from fractions import Fraction

from chronoxis.core.errors import PlanError
from chronoxis.core.model.project import Footage, Project, Shot
from chronoxis.core.model.settings import ResultSettings
from chronoxis.core.timing.reckoner import Quantity
from chronoxis.core.timing.schedule import MAX_SHUTTER, EachFrame
from chronoxis.core.timing.speed import MAX_SPEED, MIN_SPEED

_FIRST_SPEED = Fraction(10)
_MAX_HELD = 2


def open_footage(project: Project, footage: Footage) -> Project:
    """Begin with a recording: all of it, at a first speed, at its own frame rate, nothing held."""
    shot = Shot(footage, Fraction(0), footage.length, _FIRST_SPEED)
    return replace(project, shot=shot, rate=footage.rate, held=frozenset())


def measure_footage(project: Project, rate: Fraction, length: Fraction) -> Project:
    """Take over what counting the frames found; what was not touched follows, points stay inside."""
    shot = project.expect_shot()
    old = shot.footage
    footage = replace(old, rate=rate, length=length)
    untrimmed = shot.out_point == old.length
    out_point = length if untrimmed else min(shot.out_point, length)
    in_point = shot.in_point if shot.in_point < out_point else Fraction(0)
    result_rate = rate if project.rate == old.rate else project.rate
    moved = replace(shot, footage=footage, in_point=in_point, out_point=out_point)
    return replace(project, shot=moved, rate=result_rate)


def set_points(project: Project, in_point: Fraction, out_point: Fraction) -> Project:
    """Choose the stretch. With the result length held the speed follows; else the result length does.

    Raises:
        PlanError: the points lie outside the recording or not in order, or the speed that follows is
            out of range.
    """
    shot = project.expect_shot()
    if in_point >= out_point:
        raise PlanError("The in point must lie before the out point.")
    if in_point < 0 or out_point > shot.footage.length:
        raise PlanError("The stretch reaches outside the recording.")
    before = project.reckoner
    moved = replace(project, shot=replace(shot, in_point=in_point, out_point=out_point))
    if before.recorded_length == moved.expect_shot().recorded_length:
        return moved
    held = project.held - {Quantity.RECORDED_LENGTH}
    state = replace(before, available=shot.footage.length - in_point)
    return moved.with_reckoner(state.change(Quantity.RECORDED_LENGTH, out_point - in_point, held))


def change_quantity(project: Project, quantity: Quantity, value: Fraction) -> Project:
    """Change one of the linked quantities; held ones stay, the free one follows.

    Raises:
        PlanError: it cannot be had; the message says why.
    """
    return project.with_reckoner(project.reckoner.change(quantity, value, sorted(project.held)))


def set_result_length_by_drag(project: Project, result_length: Fraction) -> Project:
    """Make the result last so long by its speed, whatever is held, within the speeds there are."""
    recorded = project.expect_shot().recorded_length
    speed = min(max(recorded / max(result_length, Fraction(1, 1000)), MIN_SPEED), MAX_SPEED)
    return project.with_reckoner(replace(project.reckoner, speed=speed).checked())


def set_held(project: Project, quantity: Quantity, held: bool) -> Project:
    """Hold a quantity or let go of it.

    Raises:
        PlanError: two are held already; a third would leave nothing to follow.
    """
    if held and quantity not in project.held and len(project.held) >= _MAX_HELD:
        names = " and ".join(sorted(project.held))
        raise PlanError(f"{names.capitalize()} are held already; let go of one of them first.")
    now = project.held | {quantity} if held else project.held - {quantity}
    return replace(project, held=now)


def set_each_frame(project: Project, each: EachFrame) -> Project:
    """Choose how one result frame is made."""
    return replace(project, shot=replace(project.expect_shot(), each=each))


def set_shutter(project: Project, degrees: float) -> Project:
    """Set the shutter angle.

    Raises:
        PlanError: it lies outside 0° to 720°.
    """
    if not 0 <= degrees <= MAX_SHUTTER:
        raise PlanError(f"A shutter of {degrees:g}° is out of range; it lies between 0° and {MAX_SHUTTER}°.")
    return replace(project, shot=replace(project.expect_shot(), shutter=degrees))


def set_settings(project: Project, settings: ResultSettings) -> Project:
    """Choose what the exported file should be like."""
    return replace(project, settings=settings)
