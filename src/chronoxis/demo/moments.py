"""Any moment of the demo's footage by itself, as small as is wanted: before the footage is all drawn."""

from collections.abc import Callable

from chronoxis.demo import (
    crew_picture,
    first_light_picture,
    first_light_truth,
    knot_picture,
    plan_picture,
    tower_picture,
    tower_truth,
    walk_picture,
)
from chronoxis.demo.larkfield import CREW_NAME, FIELD_NAME, KNOT_NAME, LIGHT_NAME, PLAN_NAME, WALK_NAME
from chronoxis.demo.sprites import Codes

Size = tuple[int, int]
Moment = Callable[[int, Size], Codes]
"""Draws a frame or a photo, by its number, in a size: uint8 R′G′B′, shape (height, width, 3)."""


def _field(number: int, size: Size) -> Codes:
    return tower_picture.picture_at(size, number / tower_truth.RATE)


def _walk(number: int, size: Size) -> Codes:
    return next(walk_picture.frames(size, 1, number))


def _crew(number: int, size: Size) -> Codes:
    return next(crew_picture.frames(size, 1, number))


def _plan(number: int, size: Size) -> Codes:
    return next(plan_picture.frames(size, 1, number))


def _light(number: int, size: Size) -> Codes:
    return first_light_picture.photo(first_light_truth.there()[number], size)


MOMENTS: dict[str, Moment] = {
    FIELD_NAME: _field,
    WALK_NAME: _walk,
    CREW_NAME: _crew,
    PLAN_NAME: _plan,
    LIGHT_NAME: _light,
    KNOT_NAME: knot_picture.photo,
}
"""By the names of the footage that has pictures."""
