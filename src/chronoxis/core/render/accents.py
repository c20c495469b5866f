"""The accents of a plan: choices turned into looks with an amount for every result frame."""

from collections.abc import Callable, Mapping
from datetime import datetime
from fractions import Fraction
from functools import partial
from typing import Any, NamedTuple

import numpy as np

from chronoxis.core.extensions import ACCENTS, code_of
from chronoxis.core.model.accent import (
    AddedLook,
    Badge,
    Flash,
    Grain,
    Lines,
    Look,
    MissingLook,
    Shown,
    Streak,
    Stutter,
    Wobble,
)
from chronoxis.core.model.amounts import Placed, amounts_at, placed_accents
from chronoxis.core.model.playing import played_at
from chronoxis.core.model.project import Project
from chronoxis.core.picture.accents.added import AddedAccent
from chronoxis.core.picture.accents.badge import BadgeAccent
from chronoxis.core.picture.accents.clock_words import clock_words
from chronoxis.core.picture.accents.drawn_accent import Amounts, DrawnAccent
from chronoxis.core.picture.accents.flash import FlashAccent
from chronoxis.core.picture.accents.grain import GrainAccent
from chronoxis.core.picture.accents.screen_lines import LinesAccent
from chronoxis.core.picture.accents.streak import StreakAccent
from chronoxis.core.picture.accents.wobble import WobbleAccent
from chronoxis.core.picture.colour import Colour
from chronoxis.core.timing.schedule import Schedule
from chronoxis.core.timing.shot_columns import Frames
from chronoxis.core.timing.speed import format_speed

_HOLDING_AMOUNT = 0.5  # the amount from which a stutter holds
_LEVEL_DIRECTION = 0.0  # degrees of a streak that nothing was measured for

Said = Callable[[int], tuple[str, bool]]
"""Gives what is said of a result frame, and whether that runs back."""

Directions = Mapping[int, float]
"""Degrees in which the camera moves at a join, by its number."""


class _Around(NamedTuple):
    """What an accent may depend on beside its look.

    Attributes:
        placed: the accent and where it is.
        amounts: how much of it there is, by result frame.
        colour: of the pictures.
        rate: result frames per second.
        directions: how the camera moves.
        said: gives what a badge says.
    """

    placed: Placed
    amounts: Amounts
    colour: Colour
    rate: Fraction
    directions: Directions
    said: Callable[[Badge], Said]

    @property
    def seed(self) -> int:
        """The seed of what is random in the accent."""
        return self.placed.accent.seed


def accents_of(
    project: Project,
    schedule: Schedule,
    colour: Colour,
    directions: Directions,
    began: Mapping[str, datetime | None],
) -> tuple[tuple[DrawnAccent, ...], ...]:
    """The accents of each shot, in their order; those that never show are left out.

    ``began`` says when footage was recorded, by its key, as far as that is known.
    """
    by_shot: list[list[DrawnAccent]] = [[] for _ in project.shots]
    said = partial(_said_by, project, schedule, began)
    for placed in placed_accents(project):
        look = placed.accent.look
        if (
            look.holds
            or isinstance(look, MissingLook)
            or (amounts := _amounts(project, schedule, placed)) is None
        ):
            continue
        around = _Around(placed, amounts, colour, project.rate, directions, said)
        accent = _MAKERS.get(type(look), _added)(look, around)
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
        look = placed.accent.look
        if not isinstance(look, Stutter) or (amounts := _amounts(project, schedule, placed)) is None:
            continue
        numbers = amounts.first + np.flatnonzero(amounts.values > _HOLDING_AMOUNT)
        since = numbers / float(schedule.rate) - placed.begin
        beat = np.floor(since * look.rate + 1e-6).astype(np.int64)
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


def _streak(look: Streak, around: _Around) -> DrawnAccent:
    join = around.placed.join
    measured = around.directions.get(join, _LEVEL_DIRECTION) if join is not None else _LEVEL_DIRECTION
    direction = measured if look.direction is None else look.direction
    return StreakAccent(look, around.amounts, around.colour, direction)


def _added(look: AddedLook, around: _Around) -> DrawnAccent:
    return AddedAccent(look, around.amounts, around.seed, code_of(ACCENTS, look.key))


_MAKERS: dict[type[Look], Callable[[Any, _Around], DrawnAccent]] = {
    Flash: lambda look, around: FlashAccent(look, around.amounts, around.colour),
    Streak: _streak,
    Wobble: lambda look, around: WobbleAccent(look, around.amounts, around.seed, around.rate),
    Grain: lambda look, around: GrainAccent(look, around.amounts, around.seed),
    Lines: lambda look, around: LinesAccent(look, around.amounts, around.colour),
    Badge: lambda look, around: BadgeAccent(look, around.amounts, around.rate, around.said(look)),
}
"""Of each look of the program's own that changes pictures, what does so."""


def _said_by(project: Project, schedule: Schedule, began: Mapping[str, datetime | None], look: Badge) -> Said:
    """What a badge says of a result frame, and whether that runs back."""

    def said(result_frame: int) -> tuple[str, bool]:
        at = result_frame / float(schedule.rate)
        shot = project.shots[int(schedule.shots[result_frame])]
        if look.shows is Shown.SPEED:
            return format_speed(float(project.pace.speed_at(at))), shot.backwards
        seconds = float(played_at(project, [at]).recorded[0])
        return clock_words(look, began.get(shot.footage), seconds), shot.backwards

    return said
