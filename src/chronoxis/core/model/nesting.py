"""Edits of nested runs: taking shots together, opening a run, coming back, dissolving it."""

from collections.abc import Iterable
from dataclasses import replace
from fractions import Fraction

from chronoxis.core.errors import PlanError
from chronoxis.core.model.arranging import measure, refit, reverse, trimmed
from chronoxis.core.model.composing import on_canvas
from chronoxis.core.model.framing import Framing
from chronoxis.core.model.join import CUT
from chronoxis.core.model.nested import Nested
from chronoxis.core.model.project import Outside, Passage, Project, Shot
from chronoxis.core.timing.speed import checked_speed

DEEPEST = 16
"""How many runs may lie inside one another."""


def nest(project: Project, numbers: Iterable[int], title: str = "") -> Project:
    """Take shots together to one nested run, which stands where the first of them stood and plays the same.

    Joins between them stay inside; a Surge at either end of the run becomes a plain cut.

    Raises:
        PlanError: there is no shot, or runs would lie too deep inside one another.
    """
    chosen = sorted(set(numbers))
    if not chosen:
        raise PlanError("Select the shots that should become one.")
    keys = [project.shots[number].footage for number in chosen]
    if depth(project, keys) >= DEEPEST:
        raise PlanError(f"Runs lie {DEEPEST} deep inside one another at most; dissolve one of them first.")
    inside = [
        project.shots[number] if number + 1 in chosen else replace(project.shots[number], join=CUT)
        for number in chosen
    ]
    taken = {footage.key for footage in project.footage}
    key = next(k for n in range(1, len(taken) + 2) if (k := f"run-{n}") not in taken)
    run = Nested.of(key, title or f"Run {key.removeprefix('run-')}", tuple(inside), project.rate)
    alone = replace(project, shots=tuple(inside))
    joins = [replace(project.shots[n].join, surge=None) for n in (chosen[0] - 1, chosen[-1]) if n >= 0]
    shots = list(project.shots)
    if chosen[0] > 0:
        shots[chosen[0] - 1] = replace(shots[chosen[0] - 1], join=joins[0])
    shots[chosen[0]] = Shot(key, Fraction(0), (Passage(alone.result_length, Fraction(1)),), join=joins[-1])
    kept = [shot for number, shot in enumerate(shots) if number not in chosen[1:]]
    return replace(project, footage=(*project.footage, run), shots=tuple(kept))


def open_run(project: Project, key: str) -> Project:
    """Go inside a nested run: its shots become the result, until `come_back`.

    Raises:
        PlanError: it is none.
    """
    run = project.footage_named(key)
    if not isinstance(run, Nested):
        raise PlanError(f"{run.label} is not a nested run; it cannot be opened.")
    return replace(
        project,
        shots=run.shots,
        rate=run.stored_rate,
        markers=run.markers,
        accents=run.accents,
        music=(),
        aside=(),
        outside=Outside(project, key),
    )


def come_back(project: Project) -> Project:
    """Leave the run that was opened, with what was changed inside; as it is, if none was."""
    if project.outside is None:
        return project
    if not project.shots:
        raise PlanError("A nested run needs a shot; undo, or dissolve it outside.")
    outer, key = project.outside.project, project.outside.key
    there = {footage.key for footage in project.footage}
    for footage in outer.footage:  # what was counted meanwhile
        if footage.key in there and not footage.made_of and not footage.counted:
            now_known = project.footage_named(footage.key)
            outer = measure(outer, footage.key, now_known.stored_rate, now_known.stored_length)
    outer = replace(
        outer,
        footage=project.footage,
        shots=tuple(
            shot
            for shot in (on_canvas(outer, outer.shots, project.canvas) if project.canvas else outer.shots)
            if shot.footage in there
        ),
        music=tuple(piece for piece in outer.music if piece.footage in there),
        settings=project.settings,
        canvas=project.canvas,
        mix=project.mix,
        looks=project.looks,
        lulls=project.lulls,
        trials=project.trials,
    )
    run = project.outside.project.footage_named(key)
    assert isinstance(run, Nested)
    inside = project.accents, project.markers
    now = Nested.of(key, run.title, project.shots, project.rate, *inside, run.judged)
    # What was edited inside may have changed the run already, but not yet the shots of it out here.
    return outer.with_footage(now) if _lasts_alike(run, now) else refit(outer.with_footage(run), now)


def outermost(project: Project) -> Project:
    """The project as it is once all runs are left."""
    while project.outside is not None:
        project = come_back(project)
    return project


def dissolve(project: Project, number: int) -> Project:
    """Put the shots of a nested run in the place of a shot of it; they play as it did.

    Raises:
        PlanError: the shot is not of a nested run, or does something that its shots cannot do one by one.
    """
    shot = project.shots[number]
    run = project.footage_of(shot)
    if not isinstance(run, Nested):
        raise PlanError(f"{run.label} is not a nested run.")
    if len(shot.passages) > 1 or any(shot.runs):
        raise PlanError("The run has ramps or passages of its own; merge them first, then dissolve it.")
    if shot.framing != Framing() or shot.is_corrected:
        raise PlanError("The run is framed or corrected as a whole; take that back first, then dissolve it.")
    inner = list(_between(run, shot.in_point, shot.out_point))
    if shot.backwards:
        turned = reverse(replace(project, shots=tuple(inner)), range(len(inner))).shots
        joins = [shot.join for shot in inner[:-1]]
        inner = [replace(one, join=join) for one, join in zip(reversed(turned), [*reversed(joins), CUT],
                                                              strict=True)]  # fmt: skip
    speed, accents = shot.passages[0].speed, shot.passages[0].accents + shot.accents + run.accents
    for place, one in enumerate(inner):
        passages = tuple(
            replace(passage, speed=checked_speed(passage.speed * speed),
                    ramp=replace(passage.ramp, length=passage.ramp.length / speed))
            for passage in one.passages
        )  # fmt: skip
        inner[place] = replace(one, passages=passages, accents=one.accents + accents)
    inner[-1] = replace(inner[-1], join=shot.join)
    shots = (*project.shots[:number], *inner, *project.shots[number + 1 :])
    return replace(project, shots=shots)


def contains_itself(project: Project, key: str) -> bool:
    """Whether a run is part of what it is made of, as only a damaged file can have it."""
    return key in project.with_parts(project.footage_named(key).made_of)


def _between(run: Nested, begin: Fraction, end: Fraction) -> Iterable[Shot]:
    """The shots of a run from one moment inside to another."""
    start = Fraction(0)
    for shot in run.shots:
        low, high = max(begin - start, Fraction(0)), min(end - start, shot.pace.result_length)
        if low < high:
            whole = low == 0 and high == shot.pace.result_length
            yield shot if whole else _part(shot, low, high)
        start += shot.pace.result_length


def _part(shot: Shot, low: Fraction, high: Fraction) -> Shot:
    covered = (Fraction(float(shot.pace.recorded_at(float(t)))).limit_denominator(10**9) for t in (low, high))
    points = sorted(shot.recorded_time(min(c, shot.recorded_length)) for c in covered)
    return trimmed(shot, *points)


def _lasts_alike(before: Nested, after: Nested) -> bool:
    return (before.stored_rate, before.stored_length) == (after.stored_rate, after.stored_length)


def depth(project: Project, keys: Iterable[str]) -> int:
    """How many runs lie inside one another in some footage, of which none contains itself."""
    found: dict[str, int] = {}
    waiting = [*keys]
    while waiting:
        key = waiting[-1]
        parts = project.footage_named(key).made_of
        unknown = [part for part in parts if part not in found]
        waiting += unknown
        if not unknown:
            found[key] = 1 + max(found[part] for part in parts) if parts else 0
            waiting.pop()
    return max((found[key] for key in keys), default=0)
