"""The accents of a plan: choices turned into looks with an amount for every result frame."""

from collections.abc import Callable, Mapping

import numpy as np

from chronoxis.core.model.accent import Badge, Flash, Grain, Lines, Streak, Stutter, Wobble
from chronoxis.core.model.amounts import Placed, amounts_at, placed_accents
from chronoxis.core.model.project import Project
from chronoxis.core.picture.accents.accent import Accent, Amounts
from chronoxis.core.picture.accents.badge import BadgeAccent
from chronoxis.core.picture.accents.flash import FlashAccent
from chronoxis.core.picture.accents.grain import GrainAccent
from chronoxis.core.picture.accents.screen_lines import LinesAccent
from chronoxis.core.picture.accents.streak import StreakAccent
from chronoxis.core.picture.accents.wobble import WobbleAccent
from chronoxis.core.picture.colour import Colour
from chronoxis.core.timing.schedule import Schedule
from chronoxis.core.timing.shot_columns import Frames
from chronoxis.core.timing.speed import format_speed

_HELD = 0.5  # the amount from which a stutter holds
_LEVEL = 0.0  # degrees of a streak that nothing was measured for

Directions = Mapping[int, float]
"""Degrees in which the camera moves at a join, by its number."""


def accents_of(
    project: Project, schedule: Schedule, colour: Colour, directions: Directions
) -> tuple[tuple[Accent, ...], ...]:
    """The accents of each shot, in their order; those that never show are left out."""
    by_shot: list[list[Accent]] = [[] for _ in project.shots]
    said = _speeds_said(project, schedule)
    for placed in placed_accents(project):
        amounts = _amounts(project, schedule, placed)
        if amounts is None or isinstance(placed.accent.look, Stutter):
            continue
        accent = _accent(placed, amounts, project, colour, directions, said)
        first, last = schedule.shots[[amounts.first, amounts.first + len(amounts.values) - 1]].tolist()
        for shot in range(first, last + 1):
            by_shot[shot].append(accent)
    return tuple(map(tuple, by_shot))


def held_frames(project: Project, schedule: Schedule) -> Frames | None:
    """Which result frame's picture stands on each result frame, where stutters hold some; else None.

    All that a stutter is on keeps one cadence, from the beginning of that; a cut shows at once.
    """
    shown = np.arange(len(schedule))
    for placed in placed_accents(project):
        if not isinstance(placed.accent.look, Stutter):
            continue
        amounts = _amounts(project, schedule, placed)
        if amounts is None:
            continue
        numbers = amounts.first + np.flatnonzero(amounts.values > _HELD)
        since = numbers / float(schedule.rate) - placed.begin
        beat = np.floor(since * placed.accent.look.rate + 1e-6).astype(np.int64)
        fresh = np.ones(len(numbers), bool)
        fresh[1:] = (np.diff(beat) != 0) | (np.diff(numbers) != 1) | (np.diff(schedule.shots[numbers]) != 0)
        firsts = numbers[np.maximum.accumulate(np.where(fresh, np.arange(len(numbers)), 0))]
        shown[numbers] = shown[firsts]
    return shown if (shown != np.arange(len(schedule))).any() else None


def _amounts(project: Project, schedule: Schedule, placed: Placed) -> Amounts | None:
    """How much of an accent there is on the frames that it is on; None if it never shows."""
    rate, count = float(schedule.rate), len(schedule)
    first = int(np.clip(np.ceil(placed.begin * rate - 1e-6), 0, count))
    stop = int(np.clip(np.ceil(placed.end * rate - 1e-6), 0, count))
    if stop <= first or not placed.accent.strength:
        return None
    times = np.clip(np.arange(first, stop) / rate, placed.begin, np.nextafter(placed.end, -np.inf))
    amounts = Amounts(first, amounts_at(project, placed, times))
    return None if amounts.are_nothing else amounts


def _accent(
    placed: Placed,
    amounts: Amounts,
    project: Project,
    colour: Colour,
    directions: Directions,
    said: Callable[[int], tuple[str, bool]],
) -> Accent:
    seed = placed.accent.seed
    match look := placed.accent.look:
        case Flash():
            return FlashAccent(look, amounts, colour)
        case Streak():
            measured = directions.get(placed.join, _LEVEL) if placed.join is not None else _LEVEL
            return StreakAccent(look, amounts, colour, measured if look.direction is None else look.direction)
        case Wobble():
            return WobbleAccent(look, amounts, seed, project.rate)
        case Grain():
            return GrainAccent(look, amounts, seed)
        case Lines():
            return LinesAccent(look, amounts, colour)
        case Badge():
            return BadgeAccent(look, amounts, project.rate, said)
    raise TypeError(f"{look.key} is no look on a picture")


def _speeds_said(project: Project, schedule: Schedule) -> Callable[[int], tuple[str, bool]]:
    """The speed of a result frame in words, and whether it runs back."""

    def said(result_frame: int) -> tuple[str, bool]:
        speed = float(project.pace.speed_at(result_frame / float(schedule.rate)))
        back = project.shots[int(schedule.shots[result_frame])].backwards
        return format_speed(speed), back

    return said
