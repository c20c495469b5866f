"""Edits of footage, shots and markers: pure functions from one project to the next."""

from collections.abc import Callable, Iterable
from dataclasses import replace
from fractions import Fraction
from pathlib import Path

from chronoxis.core.errors import PlanError
from chronoxis.core.model.footage import Footage
from chronoxis.core.model.join import CUT
from chronoxis.core.model.marker import Marker
from chronoxis.core.model.music import MusicPiece
from chronoxis.core.model.nested import Nested
from chronoxis.core.model.project import Passage, Project, Shot
from chronoxis.core.model.settings import ResultSettings
from chronoxis.core.timing.judged import Judged
from chronoxis.core.timing.ramps import ABRUPT
from chronoxis.core.timing.rates import MAX_RATE
from chronoxis.core.timing.reckoner import Quantity
from chronoxis.core.timing.speed import checked_speed
from chronoxis.core.timing.timecode import format_time


def bring_in(project: Project, footage: Footage) -> Project:
    """Add footage, under a key of its own that is made from the one it comes with."""
    taken = {other.key for other in project.footage}
    stem = footage.key
    key = next(k for n in range(1, len(taken) + 2) if (k := stem if n == 1 else f"{stem}-{n}") not in taken)
    return replace(project, footage=(*project.footage, replace(footage, key=key)))


def begin_with(project: Project, footage: Footage) -> Project:
    """Bring in footage and put all of it at the end; the first one also gives the result's rate.

    Music is laid under the result, behind what music there is.
    """
    grown = bring_in(project, footage)
    if not footage.has_pictures:
        return lay_music(grown, grown.footage[-1].key)
    if not project.shots:
        grown = replace(grown, rate=footage.first_result_rate)
    return add_shot(grown, grown.footage[-1].key)


def add_shot(project: Project, key: str, at: int | None = None) -> Project:
    """Put all of some footage into the result, before shot ``at`` or at the end, at a first speed.

    Raises:
        PlanError: it has no pictures.
    """
    footage = project.footage_named(key)
    if not footage.has_pictures:
        raise PlanError(f"{footage.label} is music; lay it under the result instead.")
    if _holds(project, key):
        raise PlanError(f"{footage.label} cannot stand inside itself.")
    shot = Shot(key, Fraction(0), (Passage(footage.length, footage.first_speed(project.rate)),))
    at = len(project.shots) if at is None else at
    return replace(project, shots=(*project.shots[:at], shot, *project.shots[at:]))


def _holds(project: Project, key: str) -> bool:
    """Whether footage is, or is made of, a run that is open now."""
    around, opened = project.outside, set()
    while around is not None:
        opened.add(around.key)
        around = around.project.outside
    return not opened.isdisjoint(project.with_parts([key]))


def lay_music(project: Project, key: str, at: Fraction | None = None) -> Project:
    """Lay the sound of footage under the result, at a result second or behind the last music."""
    if at is None:
        ends = [
            piece.at + piece.end_in(project.footage_named(piece.footage).stored_length) - piece.in_point
            for piece in project.music
        ]
        at = max((end for end in ends if end < project.result_length), default=Fraction(0))
    return replace(project, music=(*project.music, MusicPiece(key, at)))


def measure(project: Project, key: str, rate: Fraction, length: Fraction) -> Project:
    """Take over what counting a recording's frames found, ``rate`` and ``length`` as stored.

    What reached to the old end reaches to the new one; points stay inside. A shot that lies wholly
    beyond the new end keeps a last frame, so that nothing a person made vanishes.
    """
    old = project.footage_named(key)
    new = replace(old, stored_rate=rate, stored_length=length, counted=True)
    new = replace(new, markers=_within(old.markers, new.length))
    if (old.rate, old.length) == (new.rate, new.length):
        return project.with_footage(new)

    def reaching(shot: Shot) -> Shot:
        if shot.footage != key:
            return shot
        out_point = new.length if shot.out_point == old.length else min(shot.out_point, new.length)
        in_point = min(shot.in_point, out_point - min(1 / new.rate, out_point))
        return trimmed(shot, in_point, out_point)

    is_begun = any((s.in_point, s.out_point) == (Fraction(0), old.length) for s in project.shots)
    follows = project.rate == old.first_result_rate and len(project.footage) == 1 and is_begun
    measured = replace(
        project.with_footage(new),
        shots=tuple(map(reaching, project.shots)),
        rate=new.first_result_rate if follows else project.rate,
    )
    return _with_runs_changed(measured, key, reaching)


def _with_runs_changed(project: Project, key: str, change: Callable[[Shot], Shot]) -> Project:
    """A project whose nested runs have their shots of some footage changed, and what follows from that."""
    for number in range(len(project.footage)):
        run = project.footage[number]
        if isinstance(run, Nested) and key in run.made_of:
            project = refit(project, run.with_shots(tuple(map(change, run.shots))))
    return project


def refit(project: Project, now: Nested) -> Project:
    """The project with another value of a nested run; shots of it reach to its new end, or stay inside it."""
    old = project.footage_named(now.key)
    content = replace(now, stored_rate=old.stored_rate, stored_length=old.stored_length)
    return measure(project.with_footage(content), now.key, now.stored_rate, now.stored_length)


def retime(
    project: Project, new: Footage, moved: Callable[[Fraction], Fraction], *, faster: Fraction | None
) -> Project:
    """Give footage another course of recorded time; shots keep their pictures.

    Args:
        project: with the footage as it was, under the same key.
        new: the footage as it will be.
        moved: where a moment of the old recorded time lies in the new one; never falling.
        faster: by how much speeds grow; None so that passages keep their result lengths.

    Raises:
        PlanError: a speed that follows is out of range.
    """
    old = project.footage_named(new.key)
    markers = tuple(replace(mark, at=moved(mark.at)) for mark in old.markers)
    new = replace(new, markers=_within(markers, new.length), judged=_judged_moved(old.judged, moved))

    def retimed(shot: Shot) -> Shot:
        edges = [shot.recorded_time(covered) for covered in shot.joints]
        places = [min(moved(edge), new.length) for edge in edges]
        passages = []
        for passage, begin, end in zip(shot.passages, places[:-1], places[1:], strict=True):
            length = abs(end - begin)
            speed = passage.speed * (length / passage.recorded_length if faster is None else faster)
            if length:
                passages.append(replace(passage, recorded_length=length, speed=checked_speed(speed)))
        in_point = min(places[0], places[-1])
        if not passages:  # all that it showed is left out: it keeps one frame, so that nothing vanishes
            least = min(1 / new.rate, new.length)
            in_point = min(in_point, new.length - least)
            passages = [replace(shot.passages[0], recorded_length=least)]
        return replace(shot, in_point=in_point, passages=tuple(passages))

    def changed(shot: Shot) -> Shot:
        return retimed(shot) if shot.footage == new.key else shot

    project = replace(project.with_footage(new), shots=tuple(map(changed, project.shots)))
    return _with_runs_changed(project, new.key, changed)


def _judged_moved(judged: tuple[Judged, ...], moved: Callable[[Fraction], Fraction]) -> tuple[Judged, ...]:
    """What was said about lulls, on another course of recorded time; what lasts no time then is left out."""
    kept = []
    for each in judged:
        spans = [(moved(begin), moved(end)) for begin, end in each.lulls]
        begin, end = moved(each.begin), moved(each.end)
        if end > begin:
            kept.append(Judged(begin, end, tuple(span for span in spans if span[1] > span[0])))
    return tuple(kept)


def _within(markers: tuple[Marker, ...], length: Fraction) -> tuple[Marker, ...]:
    """Markers, those beyond an end on it; of several on one moment, the first."""
    kept: dict[Fraction, Marker] = {}
    for marker in markers:
        kept.setdefault(min(marker.at, length), replace(marker, at=min(marker.at, length)))
    return tuple(kept.values())


def locate(project: Project, key: str, place: Path) -> Project:
    """Say where footage lies now."""
    return project.with_footage(project.footage_named(key).moved(place))


def drop_footage(project: Project, key: str) -> Project:
    """Remove footage and its shots, inside nested runs as well; a run that is left empty goes with it.

    Raises:
        PlanError: it is, or is made of, a run that is open now.
    """
    if project.outside is not None and _holds(project, key):
        raise PlanError(f"{project.footage_named(key).label} is open; come back out of it first.")
    gone = {key}
    while emptied := {
        run.key
        for run in project.footage
        if run.made_of and gone.issuperset(run.made_of) and run.key not in gone
    }:
        gone |= emptied
    for number in range(len(project.footage)):
        run = project.footage[number]
        if isinstance(run, Nested) and run.key not in gone and not gone.isdisjoint(run.made_of):
            left = tuple(shot for shot in run.shots if shot.footage not in gone)
            project = refit(project, run.with_shots(left))
    return replace(
        project,
        footage=tuple(footage for footage in project.footage if footage.key not in gone),
        shots=tuple(shot for shot in project.shots if shot.footage not in gone),
        music=tuple(piece for piece in project.music if piece.footage not in gone),
    )


def set_points(project: Project, number: int, in_point: Fraction, out_point: Fraction) -> Project:
    """Choose the stretch of a shot. Passages at its ends grow, shrink or go.

    In a shot of one passage whose result length is held, the speed follows.

    Raises:
        PlanError: the points lie outside the recording or not in order, or the speed that follows is
            out of range.
    """
    shot = project.shots[number]
    if in_point >= out_point:
        raise PlanError("The in point must lie before the out point.")
    if in_point < 0 or out_point > project.footage_of(shot).length:
        raise PlanError("The stretch reaches outside the recording.")
    chosen = trimmed(shot, in_point, out_point)
    passage = shot.passages[0]
    if len(shot.passages) == 1 and Quantity.RESULT_LENGTH in passage.held:
        speed = passage.speed * chosen.recorded_length / shot.recorded_length
        chosen = replace(chosen, passages=(replace(chosen.passages[0], speed=speed),))
        chosen.pace  # noqa: B018 - raises if the speed is out of range
    return project.with_shot(number, chosen)


def cut_shot(project: Project, number: int, covered: Fraction) -> Project:
    """Make two shots of one, ``covered`` recorded seconds after its start.

    Raises:
        PlanError: there is nothing on one side.
    """
    shot = project.shots[number]
    if not 0 < covered < shot.recorded_length:
        raise PlanError("A cut needs a frame on either side; move the playhead into the shot.")
    pair = halved(shot, covered)
    return replace(project, shots=(*project.shots[:number], *pair, *project.shots[number + 1 :]))


def halved(shot: Shot, covered: Fraction) -> tuple[Shot, Shot]:
    """Two shots of one, ``covered`` recorded seconds after its start, inside of it."""
    middle = shot.recorded_time(covered)
    halves = trimmed(shot, shot.in_point, middle), trimmed(shot, middle, shot.out_point)
    pair = halves[::-1] if shot.backwards else halves
    pair = _with_sound(pair[0], -1, 0), _with_sound(pair[1], 0, 1)
    first, second = shot.framing, shot.framing
    if shot.framing.moves:
        share = Fraction(float(pair[0].pace.result_length / shot.pace.result_length)).limit_denominator(10**6)
        first, second = shot.framing.cut(share) if 0 < share < 1 else (first, second)
    return replace(pair[0], framing=first, join=CUT), replace(pair[1], framing=second)


def _with_sound(shot: Shot, place: int, half: int) -> Shot:
    """One side of a cut: no fade where there was none."""
    passages = list(shot.passages)
    passages[place] = replace(passages[place], sound=passages[place].sound.divided()[half])
    return replace(shot, passages=tuple(passages))


def reverse(project: Project, numbers: Iterable[int]) -> Project:
    """Play shots the other way; every bit of footage keeps its speed."""
    for number in numbers:
        shot = project.shots[number]
        ramps = [(passage.ramp, passage.effect) for passage in shot.passages[:-1]]
        mirrored = [(replace(ramp, shape=ramp.shape.mirrored), effect) for ramp, effect in reversed(ramps)]
        passages = tuple(
            replace(passage, ramp=ramp, effect=effect, sound=passage.sound.reversed())
            for passage, (ramp, effect) in zip(
                reversed(shot.passages), [*mirrored, (ABRUPT, None)], strict=True
            )
        )
        project = project.with_shot(
            number,
            replace(shot, passages=passages, backwards=not shot.backwards, framing=shot.framing.reversed()),
        )
    return project


def move_shot(project: Project, number: int, to: int) -> Project:
    """Give a shot another place in the order: number ``to`` when it is done."""
    shots = list(project.shots)
    shots.insert(min(max(to, 0), len(shots) - 1), shots.pop(number))
    return replace(project, shots=tuple(shots))


def duplicate(project: Project, numbers: Iterable[int]) -> Project:
    """Put a copy of each shot right behind it; the copy goes on as the shot did."""
    chosen = set(numbers)
    shots: list[Shot] = []
    for number, shot in enumerate(project.shots):
        shots += [replace(shot, join=CUT), shot] if number in chosen else [shot]
    return replace(project, shots=tuple(shots))


def delete_shots(project: Project, numbers: Iterable[int]) -> Project:
    """Take shots out of the result; the rest closes up."""
    gone = set(numbers)
    return replace(project, shots=tuple(shot for n, shot in enumerate(project.shots) if n not in gone))


def set_settings(project: Project, settings: ResultSettings) -> Project:
    """Choose what the exported file should be like."""
    return replace(project, settings=settings)


def set_rate(project: Project, rate: Fraction) -> Project:
    """Choose the result's frame rate.

    Raises:
        PlanError: it is out of range.
    """
    if not 0 < rate <= MAX_RATE:
        raise PlanError(f"A frame rate lies above 0 and up to {MAX_RATE} fps.")
    return replace(project, rate=rate)


def add_marker(project: Project, key: str | None, at: Fraction, name: str) -> Project:
    """Name a moment of a recording, or of the result if ``key`` is None; one already there is renamed.

    Raises:
        PlanError: it lies outside.
    """

    def added(markers: tuple[Marker, ...], length: Fraction) -> tuple[Marker, ...]:
        if not 0 <= at <= length:
            raise PlanError(
                f"A marker at {format_time(at)} lies outside; the end is at {format_time(length)}."
            )
        others = (marker for marker in markers if marker.at != at)
        return tuple(sorted([*others, Marker(at, name)], key=lambda marker: marker.at))

    return _with_markers(project, key, added)


def move_marker(project: Project, key: str | None, at: Fraction, to: Fraction) -> Project:
    """Move the marker at a moment of a recording, or of the result if ``key`` is None.

    It stays within; raises PlanError if another one stands there already.
    """

    def moved(markers: tuple[Marker, ...], length: Fraction) -> tuple[Marker, ...]:
        place = min(max(to, Fraction(0)), length)
        if any(marker.at == place != at for marker in markers):
            raise PlanError(f"There is a marker at {format_time(place, 2)} already.")
        there = (replace(marker, at=place) if marker.at == at else marker for marker in markers)
        return tuple(sorted(there, key=lambda marker: marker.at))

    return _with_markers(project, key, moved)


def delete_marker(project: Project, key: str | None, at: Fraction) -> Project:
    """Remove the marker at a moment of a recording, or of the result if ``key`` is None."""
    return _with_markers(project, key, lambda markers, _: tuple(mark for mark in markers if mark.at != at))


def _with_markers(
    project: Project,
    key: str | None,
    change: Callable[[tuple[Marker, ...], Fraction], tuple[Marker, ...]],
) -> Project:
    if key is None:
        return replace(project, markers=change(project.markers, project.result_length))
    footage = project.footage_named(key)
    return project.with_footage(replace(footage, markers=change(footage.markers, footage.length)))


def shot_alone(project: Project, number: int, first: Fraction, last: Fraction) -> Project:
    """One shot by itself, between two recorded times, which are brought into it; without sound or accents.

    Raises:
        PlanError: nothing of the shot lies between them.
    """
    shot = project.shots[number]
    begin, end = max(first, shot.in_point), min(last, shot.out_point)
    if begin >= end:
        raise PlanError("There is nothing of the shot between these times.")
    alone = replace(trimmed(shot, begin, end), join=CUT, accents=())
    return replace(project, shots=(alone,), music=(), accents=(), markers=())


def trimmed(shot: Shot, in_point: Fraction, out_point: Fraction) -> Shot:
    """The shot between other points: passages at its ends grow, shrink or go."""
    head, tail = in_point - shot.in_point, shot.out_point - out_point
    if shot.backwards:
        head, tail = tail, head
    passages = _shortened(list(shot.passages), head)
    passages = _shortened(passages[::-1], tail)[::-1]
    return replace(shot, in_point=in_point, passages=tuple(passages))


def _shortened(passages: list[Passage], by: Fraction) -> list[Passage]:
    while len(passages) > 1 and passages[0].recorded_length <= by:
        by -= passages.pop(0).recorded_length
    first = passages[0]
    return [replace(first, recorded_length=first.recorded_length - by), *passages[1:]]
