"""How the linked quantities are called, read and written, in frames or in photos."""

import re
from fractions import Fraction

import numpy as np

from chronoxis.core.model.footage import Footage
from chronoxis.core.model.passage_rows import Numbers
from chronoxis.core.model.project import Place, Project
from chronoxis.core.timing.pace import Seconds
from chronoxis.core.timing.rates import format_rate, parse_rate
from chronoxis.core.timing.reckoner import Quantity
from chronoxis.core.timing.schedule import result_frame_count
from chronoxis.core.timing.speed import format_exact_speed, format_speed, parse_speed
from chronoxis.core.timing.step import format_exact_step, format_step, parse_step, step_words
from chronoxis.core.timing.timecode import format_exact_time, format_time, parse_time

_PLACES = 9  # decimals of seconds that texts are told apart by
_PHOTOS = re.compile(r"(\d+(?:[.,]\d+)?)\s*(?:photos?|places?)?")


def step_label(project: Project, place: Place) -> str:
    """What the step is called, with the letter of its key marked."""
    if _footage(project, place).is_told_by_count:
        return "Photos per se&cond"
    return step_words(project.reckoner(place).step)


def read_quantity(quantity: Quantity, text: str, project: Project, place: Place) -> Fraction:
    """The value that a text means for a passage. Raises PlanError if it means none."""
    footage = _footage(project, place)
    if footage.is_told_by_count:
        photos = _PHOTOS.fullmatch(text.strip().lower())
        if quantity is Quantity.RECORDED_LENGTH and photos:
            return Fraction(photos[1].replace(",", ".")) / footage.rate
        if quantity is Quantity.STEP:
            return parse_rate(text.lower().removesuffix("a second")) / project.rate
    match quantity:
        case Quantity.SPEED:
            return parse_speed(text, footage.rate / project.rate)
        case Quantity.RECORDED_LENGTH | Quantity.RESULT_LENGTH:
            recorded = quantity is Quantity.RECORDED_LENGTH
            return parse_time(text, footage.rate if recorded else project.rate)
        case Quantity.RATE:
            return parse_rate(text)
        case _:
            return parse_step(text)


def alike_in(project: Project, numbers: Numbers, quantity: Quantity) -> tuple[Seconds, ...]:
    """For each of some rows numbers by which quantities of the same text can be told: quicker than it."""
    rows = project.rows
    footage = project.shot_rows.footage[rows.shots[numbers]].astype(np.float64)
    match quantity:
        case Quantity.RATE:
            return (np.zeros(len(numbers)),)
        case Quantity.SPEED | Quantity.STEP:
            return rows.speeds[numbers], footage
        case Quantity.RECORDED_LENGTH:
            return np.round(np.abs(rows.leaves[numbers] - rows.enters[numbers]), _PLACES), footage
        case _:
            return np.round(rows.ends[numbers] - rows.begins[numbers], _PLACES), footage


def quantity_text(project: Project, place: Place, quantity: Quantity) -> str:
    """A quantity as a person reads it."""
    passage = project.passage(place)
    match quantity:
        case Quantity.RECORDED_LENGTH | Quantity.STEP:
            return _footage_text(project, place, quantity)
        case Quantity.SPEED:
            return format_speed(passage.speed)
        case Quantity.RESULT_LENGTH:
            return format_time(project.passage_result_length(place), 2)
        case Quantity.RATE:
            return f"{format_rate(project.rate)} fps"
        case _:
            return f"{result_frame_count(project.passage_result_length(place), project.rate)}"


def _footage_text(project: Project, place: Place, quantity: Quantity) -> str:
    """How much of the footage there is, or how fast it passes."""
    passage, footage = project.passage(place), _footage(project, place)
    if quantity is Quantity.RECORDED_LENGTH:
        return footage.amount_in_words(passage.recorded_length)
    if footage.is_told_by_count:
        return f"{format_rate(passage.speed * footage.rate)} a second"
    return format_step(project.reckoner(place).step)


def exact_text(project: Project, place: Place, quantity: Quantity) -> str:
    """A quantity as it is edited."""
    counted = _footage(project, place).is_told_by_count
    match quantity:
        case Quantity.RECORDED_LENGTH if not counted:
            return format_exact_time(project.passage(place).recorded_length)
        case Quantity.SPEED:
            return format_exact_speed(project.passage(place).speed)
        case Quantity.RESULT_LENGTH:
            return format_exact_time(project.passage_result_length(place))
        case Quantity.STEP if not counted:
            return format_exact_step(project.reckoner(place).step)
        case _:
            return quantity_text(project, place, quantity)


def _footage(project: Project, place: Place) -> Footage:
    return project.footage_of(project.shots[place.shot])
