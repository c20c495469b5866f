"""In what one state of a project differs from another, in a few words."""

from collections import defaultdict
from collections.abc import Callable, Iterator
from dataclasses import fields
from fractions import Fraction

from chronoxis.core.model.preset_words import frames_in_words
from chronoxis.core.model.project import Project, Shot
from chronoxis.core.timing.frame_making import FrameMaking
from chronoxis.core.timing.rates import format_rate
from chronoxis.core.timing.speed import format_speed
from chronoxis.core.timing.timecode import format_time

_MOST_WORDS = 4  # differences that are named
_NO_DIFFERENCE = "as it is now"


def difference(present: Project, other: Project) -> str:
    """What would be another if one state took the place of the present one: ``8× → 12×, long exposure``.

    States without shots are told by that alone.
    """
    if present.shots == other.shots == ():
        return _NO_DIFFERENCE
    if not present.shots or not other.shots:
        return f"{len(other.shots)} shots" if other.shots else "no shot"
    found = [words for tell in _TELLERS for words in tell(present, other)]
    if not found:
        return _NO_DIFFERENCE if _alike(present, other) else "the same but for details"
    more = f" and {len(found) - _MOST_WORDS} more" if len(found) > _MOST_WORDS else ""
    return ", ".join(found[:_MOST_WORDS]) + more


def usual_speed(project: Project) -> Fraction:
    """Recorded seconds for each result second, of all of it. Raises ZeroDivisionError without a shot."""
    return (project.recorded_length / project.result_length).limit_denominator(1000)


def usual_making(project: Project) -> FrameMaking:
    """How most result frames are made."""
    seconds: dict[FrameMaking, Fraction] = defaultdict(Fraction)
    for place in project.places():
        passage = project.passage(place)
        seconds[passage.making] += passage.piece.result_length
    return max(seconds, key=lambda making: seconds[making])


def _speeds(present: Project, other: Project) -> Iterator[str]:
    before, after = format_speed(usual_speed(present)), format_speed(usual_speed(other))
    if before != after:
        yield f"{before} → {after}"
    elif present.result_length != other.result_length:
        yield f"{format_time(present.result_length, 1)} → {format_time(other.result_length, 1)}"
    elif [_pace(shot) for shot in present.shots] != [_pace(shot) for shot in other.shots]:
        yield "other speeds on the way"


def _shots(present: Project, other: Project) -> Iterator[str]:
    if len(present.shots) != len(other.shots):
        yield f"{len(present.shots)} → {len(other.shots)} shots"
    elif any(a.footage != b.footage for a, b in zip(present.shots, other.shots, strict=True)):
        yield "other shots"


def _frames(present: Project, other: Project) -> Iterator[str]:
    before, after = (frames_in_words(usual_making(project)) for project in (present, other))
    if before != after:
        yield after


def _rates(present: Project, other: Project) -> Iterator[str]:
    if present.rate != other.rate:
        yield f"{format_rate(present.rate)} → {format_rate(other.rate)} fps"


def _shapes(present: Project, other: Project) -> Iterator[str]:
    sizes = [each.canvas.size if each.canvas else None for each in (present, other)]
    if sizes[0] != sizes[1] and sizes[1] is not None:
        yield f"{sizes[1][0]}×{sizes[1][1]}"
    elif {shot.framing for shot in present.shots} != {shot.framing for shot in other.shots}:
        yield "cropped otherwise"


def _treatments(present: Project, other: Project) -> Iterator[str]:
    for has, done, undone in _TREATMENTS:
        before, after = (any(map(has, project.shots)) for project in (present, other))
        if before != after:
            yield done if after else undone


def _accents(present: Project, other: Project) -> Iterator[str]:
    before, after = _accents_of(present), _accents_of(other)
    if after - before:
        yield "with " + " and ".join(sorted(after - before))
    if before - after:
        yield "without " + " and ".join(sorted(before - after))


def _music(present: Project, other: Project) -> Iterator[str]:
    if present.music != other.music:
        yield "other music" if other.music and present.music else "music" if other.music else "no music"


def _accents_of(project: Project) -> set[str]:
    shown = [*project.accents]
    for shot in project.shots:
        shown += [*shot.accents, *shot.join.accents, *(a for p in shot.passages for a in p.accents)]
    return {accent.name for accent in shown}


def _pace(shot: Shot) -> object:
    return [(passage.recorded_length, passage.speed) for passage in shot.passages]


def _alike(present: Project, other: Project) -> bool:
    own = [f.name for f in fields(Project) if f.name not in ("footage", "trials", "outside")]
    return all(getattr(present, name) == getattr(other, name) for name in own)


_TREATMENTS: tuple[tuple[Callable[[Shot], bool], str, str], ...] = (
    (lambda shot: shot.steady.is_on, "steadied", "not steadied"),
    (lambda shot: bool(shot.even_out.strength), "evened out", "not evened out"),
    (lambda shot: shot.backwards, "backwards", "forwards"),
    (lambda shot: shot.join.surge is not None, "with a Surge", "without a Surge"),
)
_TELLERS = (_speeds, _shots, _frames, _rates, _shapes, _treatments, _accents, _music)
