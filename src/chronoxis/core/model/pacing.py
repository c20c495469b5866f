"""Edits of passages: speeds, lengths, joints and ramps; pure functions from one project to the next."""

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, replace
from fractions import Fraction
from functools import partial

from chronoxis.core.errors import PlanError
from chronoxis.core.model.arranging import set_rate
from chronoxis.core.model.project import Passage, Place, Project, Shot
from chronoxis.core.timing import fitting
from chronoxis.core.timing.fitting import PaceWish
from chronoxis.core.timing.ramps import ABRUPT, Ramp, RampShape
from chronoxis.core.timing.reckoner import Quantity
from chronoxis.core.timing.speed import MAX_SPEED, MIN_SPEED, checked_speed
from chronoxis.core.timing.timecode import format_time

_MAX_HELD = 2
# A ramp belongs to two passages: giving each its length in turn brings both there.
_MOST_ROUNDS = 6
_LENGTHS = (Quantity.RESULT_LENGTH, Quantity.COUNT)


def divide(project: Project, number: int, covered: Fraction) -> Project:
    """Make two passages of one, ``covered`` recorded seconds after the shot's start.

    Raises:
        PlanError: there is a joint already, or nothing on one side.
    """
    shot = project.shots[number]
    if not 0 < covered < shot.recorded_length or covered in shot.joints:
        raise PlanError("There is nothing to divide here; move the playhead into a passage.")
    return project.with_shot(number, divided(shot, [covered]))


def divided(shot: Shot, at: Iterable[Fraction]) -> Shot:
    """A shot with joints at more moments: recorded seconds since its start, where it has none, inside it."""
    left, passages = sorted(at, reverse=True), []
    for passage, begin, end in zip(shot.passages, shot.joints[:-1], shot.joints[1:], strict=True):
        rest, low = passage, begin
        while left and left[-1] < end:
            high = left.pop()
            before, after = rest.sound.divided()
            passages.append(replace(rest, recorded_length=high - low, ramp=ABRUPT, effect=None, sound=before))
            rest, low = replace(rest, sound=after), high
        passages.append(replace(rest, recorded_length=end - low))
    return replace(shot, passages=tuple(passages))


def merge(project: Project, places: Iterable[Place]) -> Project:
    """Make one passage of neighbours; it lasts as long as they did together.

    Raises:
        PlanError: there are fewer than two, or they are not neighbours in one shot.
    """
    chosen = sorted(set(places))
    shots, numbers = {place.shot for place in chosen}, [place.passage for place in chosen]
    if len(chosen) < 2 or len(shots) > 1 or numbers[-1] - numbers[0] != len(numbers) - 1:
        raise PlanError("Select neighbouring passages of one shot to merge them.")
    shot = project.shots[chosen[0].shot]
    group = shot.passages[numbers[0] : numbers[-1] + 1]
    recorded = sum((passage.recorded_length for passage in group), Fraction(0))
    lasting = sum((project.passage_result_length(place) for place in chosen), Fraction(0))
    speed = _in_range(recorded / lasting)
    if all(passage.speed == group[0].speed for passage in group):
        speed = group[0].speed
    sound = replace(group[0].sound, fade_out=group[-1].sound.fade_out)
    last = group[-1]
    merged = replace(
        group[0], recorded_length=recorded, speed=speed, ramp=last.ramp, effect=last.effect, sound=sound
    )
    passages = (*shot.passages[: numbers[0]], merged, *shot.passages[numbers[-1] + 1 :])
    return project.with_shot(chosen[0].shot, replace(shot, passages=passages))


def move_joint(project: Project, place: Place, covered: Fraction) -> Project:
    """Move the joint behind a passage to another recorded moment; speeds stay.

    Args:
        project: the project.
        place: of the passage before the joint.
        covered: recorded seconds since the shot's start; kept a frame away from the next joints.
    """
    shot = project.shots[place.shot]
    frame = 1 / project.footage_of(shot).rate
    low, high = shot.joints[place.passage] + frame, shot.joints[place.passage + 2] - frame
    if low > high:
        return project
    return _with_recorded(project, place, min(max(covered, low), high) - shot.joints[place.passage])


def slide_joint(project: Project, place: Place, result_length: Fraction) -> Project:
    """Move the joint behind a passage in result time: it lasts so long, the next takes up the rest.

    The footage of both stays, the speeds of both follow.

    Raises:
        PlanError: a speed that follows is out of range, or nothing is left for the next.
    """
    follower = Place(place.shot, place.passage + 1)
    both = project.passage_result_length(place) + project.passage_result_length(follower)
    for _ in range(_MOST_ROUNDS):
        project = set_result_length(project, place, result_length)
        project = set_result_length(project, follower, both - result_length)
    return project


def set_speed(project: Project, places: Iterable[Place], speed: Fraction) -> Project:
    """Give passages a speed; footage stays, lengths follow. Raises PlanError if it is out of range."""
    checked_speed(speed)
    return changed(project, places, lambda passage: replace(passage, speed=speed))


def set_result_length(project: Project, place: Place, wish: Fraction) -> Project:
    """Make a passage last so long by its speed; its ramps stand.

    Raises:
        PlanError: no speed in the range gives that.
    """
    passage = project.passage(place)
    if wish <= 0:
        raise PlanError("The result length must be above zero.")
    if not project.is_ramped(place):
        speed = checked_speed(passage.recorded_length / wish)
    else:
        speed = fitting.solve_speed(_pace_wish(project.shots[place.shot]), place.passage, wish)
    return project.with_passage(place, replace(passage, speed=speed))


def drag_result_length(project: Project, place: Place, wish: Fraction) -> Project:
    """As `set_result_length`, but as near as speeds and ramps allow."""
    passage = project.passage(place)
    try:
        return set_result_length(project, place, max(wish, Fraction(1, 1000)))
    except PlanError:
        slower = wish > project.passage_result_length(place)
        return project.with_passage(place, replace(passage, speed=MIN_SPEED if slower else MAX_SPEED))


def set_ramps(
    project: Project,
    places: Iterable[Place],
    *,
    length: Fraction | None = None,
    shape: RampShape | None = None,
) -> Project:
    """Give the joints behind passages a ramp length or shape; the last joint of a shot has none.

    Raises:
        PlanError: the length is negative.
    """
    if length is not None and length < 0:
        raise PlanError("A ramp cannot have a negative length; 0 is an abrupt change.")

    def ramped(passage: Passage) -> Passage:
        old = passage.ramp
        ramp = Ramp(old.length if length is None else length, shape or old.shape)
        return replace(passage, ramp=ramp)

    inner = [place for place in places if place.passage + 1 < len(project.shots[place.shot].passages)]
    return changed(project, inner, ramped)


def set_held(project: Project, places: Iterable[Place], quantity: Quantity, held: bool) -> Project:
    """Hold a quantity of passages or let go of it.

    Raises:
        PlanError: two are held already; a third would leave nothing to follow.
    """

    def with_held(passage: Passage) -> Passage:
        if held and quantity not in passage.held and len(passage.held) >= _MAX_HELD:
            names = " and ".join(sorted(passage.held))
            raise PlanError(f"{names.capitalize()} are held already; let go of one of them first.")
        return replace(passage, held=passage.held | {quantity} if held else passage.held - {quantity})

    return changed(project, places, with_held)


def change_quantity(project: Project, place: Place, quantity: Quantity, value: Fraction) -> Project:
    """Change one of the linked quantities of a passage; held ones stay, the free one follows.

    Recorded length moves the joint behind the passage, or the shot's point. Where ramps take part of the
    passage, its result length is the real one, from joint to joint.

    Raises:
        PlanError: it cannot be had; the message says why.
    """
    passage = project.passage(place)
    if not project.is_ramped(place):
        state = project.reckoner(place).change(quantity, value, sorted(passage.held))
        project = project.with_passage(place, replace(passage, speed=state.speed))
        return _with_recorded(set_rate(project, state.rate), place, state.recorded_length)
    if value <= 0:
        raise PlanError(f"The {quantity} must be above zero.")
    if quantity in _LENGTHS:
        return _last(project, place, value if quantity is Quantity.RESULT_LENGTH else value / project.rate)
    before = project.passage_result_length(place)
    # A reckoner of the passage alone says what follows; its length is then set right for the ramps.
    plain = project.reckoner(place).change(quantity, value, sorted(passage.held - set(_LENGTHS)))
    project = project.with_passage(place, replace(passage, speed=plain.speed))
    project = _with_recorded(set_rate(project, plain.rate), place, plain.recorded_length)
    if passage.held & set(_LENGTHS):
        return _last(project, place, before, speed_stays=quantity is not Quantity.RECORDED_LENGTH)
    return project


def change_quantity_of_all(project: Project, quantity: Quantity, values: Mapping[Place, Fraction]) -> Project:
    """Change one of the linked quantities of several passages, as `change_quantity` does of one.

    Raises:
        PlanError: it cannot be had somewhere.
    """
    speeds = _plain_speeds(project, quantity, values)
    project = changed_each(project, {place: partial(_with_speed, speed=s) for place, s in speeds.items()})
    for place in sorted(values.keys() - speeds.keys()):
        rate = project.rate
        project = change_quantity(project, place, quantity, values[place])
        if project.rate != rate:
            raise PlanError(
                f"The {quantity} of several passages cannot change: what is held would change the frame rate "
                "of the whole result. Let go of it, or change one of them."
            )
    return project


def _with_speed(passage: Passage, speed: Fraction) -> Passage:
    return replace(passage, speed=speed)


def _plain_speeds(
    project: Project, quantity: Quantity, values: Mapping[Place, Fraction]
) -> dict[Place, Fraction]:
    """The speeds that those passages get of which nothing but the speed can follow."""
    if quantity not in (Quantity.SPEED, Quantity.STEP):
        return {}
    if any(value <= 0 for value in set(values.values())):
        raise PlanError(f"The {quantity} must be above zero.")
    follows_not = {quantity, Quantity.RATE, Quantity.RECORDED_LENGTH}
    rates = {footage.key: footage.rate for footage in project.footage}
    found: dict[tuple[Fraction, str], Fraction] = {}
    speeds = {}
    for place, value in values.items():
        if not project.passage(place).held <= follows_not:
            continue
        of = value, project.shots[place.shot].footage
        if of not in found:
            is_step = quantity is Quantity.STEP
            found[of] = checked_speed(value * project.rate / rates[of[1]] if is_step else value)
        speeds[place] = found[of]
    return speeds


def fit_to_length(project: Project, wish: Fraction) -> Project:
    """Give the whole result a length; passages whose speed is not held share the change.

    Raises:
        PlanError: it cannot be had; the message says by how much.
    """
    if wish <= 0:
        raise PlanError("The result length must be above zero.")
    if not project.shots:
        raise PlanError("There is no shot yet; open a recording first.")
    speeds = fitting.fit_to_length([_pace_wish(shot) for shot in project.shots], wish)
    shots = (
        replace(shot, passages=tuple(replace(p, speed=s) for p, s in zip(shot.passages, row, strict=True)))
        for shot, row in zip(project.shots, speeds, strict=True)
    )
    return replace(project, shots=tuple(shots))


def fit_places_to_length(project: Project, places: Iterable[Place], wish: Fraction) -> Project:
    """Give the whole result a length by the speeds of some passages alone. Raises PlanError as above."""
    chosen = set(places)
    every = [place for place in project.places() if place not in chosen]
    kept = {place: project.passage(place).held for place in project.places()}
    held = changed(project, every, lambda p: replace(p, held=p.held | {Quantity.SPEED}))
    let_go = changed(held, chosen, lambda p: replace(p, held=frozenset()))
    fitted = fit_to_length(let_go, wish)
    return changed_each(fitted, {place: partial(replace, held=holds) for place, holds in kept.items()})


def changed(project: Project, places: Iterable[Place], change: Callable[[Passage], Passage]) -> Project:
    """A project with some passages changed, wherever they are."""
    return changed_each(project, dict.fromkeys(places, change))


def changed_each(project: Project, changes: Mapping[Place, Callable[[Passage], Passage]]) -> Project:
    """A project with some passages changed, each in its own way."""
    shots = list(project.shots)
    passages: dict[int, list[Passage]] = {}
    for place, change in changes.items():
        of_shot = passages.setdefault(place.shot, list(shots[place.shot].passages))
        of_shot[place.passage] = change(of_shot[place.passage])
    for number, of_shot in passages.items():
        shots[number] = replace(shots[number], passages=tuple(of_shot))
    return replace(project, shots=tuple(shots)) if passages else project


@dataclass(frozen=True)
class CopiedPace:
    """The pace of a shot, to be given to another."""

    passages: tuple[Passage, ...]


def copy_pace(project: Project, number: int) -> CopiedPace:
    """Take up the pace of a shot."""
    return CopiedPace(project.shots[number].passages)


def paste_pace(project: Project, numbers: Iterable[int], pace: CopiedPace) -> Project:
    """Give shots the passages of another: in the same proportions, at the same speeds."""
    total = sum((passage.recorded_length for passage in pace.passages), Fraction(0))
    for number in numbers:
        shot = project.shots[number]
        share = shot.recorded_length / total
        scaled = tuple(replace(p, recorded_length=p.recorded_length * share) for p in pace.passages)
        project = project.with_shot(number, replace(shot, passages=scaled))
    return project


def _last(project: Project, place: Place, wish: Fraction, *, speed_stays: bool | None = None) -> Project:
    """Make a ramped passage last so long: by its speed, or, if that stays, by its footage."""
    passage = project.passage(place)
    if speed_stays is None:
        speed_stays = bool(passage.held & {Quantity.SPEED, Quantity.STEP})
    if not speed_stays:
        return set_result_length(project, place, wish)
    more = (wish - project.passage_result_length(place)) * passage.speed
    if more > project.room_after(place) or passage.recorded_length + more <= 0:
        raise PlanError(
            f"At {format_time(wish, 2)} the passage would need {format_time(abs(more), 2)} "
            f"{'more' if more > 0 else 'less'} recorded time than there is. Let go of its speed."
        )
    return _with_recorded(project, place, passage.recorded_length + more)


def _with_recorded(project: Project, place: Place, length: Fraction) -> Project:
    """Give a passage other footage at its end: the next passage's, or what lies beyond the shot."""
    shot = project.shots[place.shot]
    more = length - shot.passages[place.passage].recorded_length
    if place.passage + 1 < len(shot.passages):
        follower = shot.passages[place.passage + 1]
        shorter = replace(follower, recorded_length=follower.recorded_length - more)
        project = project.with_passage(Place(place.shot, place.passage + 1), shorter)
        return project.with_passage(place, replace(project.passage(place), recorded_length=length))
    if not more:
        return project
    last = replace(shot.passages[-1], recorded_length=length)
    begin = shot.in_point - more if shot.backwards else shot.in_point
    return project.with_shot(place.shot, replace(shot, in_point=begin, passages=(*shot.passages[:-1], last)))


def _pace_wish(shot: Shot) -> PaceWish:
    return PaceWish(
        [passage.piece for passage in shot.passages],
        [passage.ramp for passage in shot.passages[:-1]],
        [Quantity.SPEED in passage.held for passage in shot.passages],
        shot.runs,
    )


def _in_range(speed: Fraction) -> Fraction:
    return min(max(speed, MIN_SPEED), MAX_SPEED)
