"""Edits are pure functions; what they refuse, they refuse for a reason."""

from collections.abc import Callable
from fractions import Fraction
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from chronoxis.core.errors import PlanError
from chronoxis.core.model import edits
from chronoxis.core.model.project import Footage, Project
from chronoxis.core.model.settings import Quality, ResultFormat, SizeWish
from chronoxis.core.timing.reckoner import Quantity
from chronoxis.core.timing.schedule import EachFrame

FOOTAGE = Footage(Path("/footage/Field-from-the-tower.mp4"), Fraction(25), Fraction(240))


@pytest.fixture
def project() -> Project:
    return edits.open_footage(Project(), FOOTAGE)


def test_opening_takes_all_of_it_at_its_own_rate(project: Project) -> None:
    shot = project.expect_shot()
    assert (shot.in_point, shot.out_point) == (Fraction(0), Fraction(240))
    assert project.rate == 25
    assert FOOTAGE.name == "Field from the tower"
    with pytest.raises(ValueError, match="empty"):
        Project().expect_shot()


def test_trimming_keeps_the_speed_unless_the_length_is_held(project: Project) -> None:
    trimmed = edits.set_points(project, Fraction(60), Fraction(180))
    assert trimmed.expect_shot().speed == project.expect_shot().speed
    assert trimmed.reckoner.result_length == 12
    held = edits.set_held(project, Quantity.RESULT_LENGTH, True)
    squeezed = edits.set_points(held, Fraction(60), Fraction(180))
    assert squeezed.reckoner.result_length == 24
    assert squeezed.expect_shot().speed == 5
    reopened = edits.set_points(trimmed, Fraction(0), Fraction(240))
    assert reopened == project


def test_moving_both_points_slips_the_stretch(project: Project) -> None:
    first = edits.set_points(project, Fraction(10), Fraction(20))
    slipped = edits.set_points(first, Fraction(30), Fraction(40))
    assert slipped.expect_shot().in_point == 30
    assert slipped.reckoner.result_length == first.reckoner.result_length


REFUSED: list[tuple[Callable[[Project], Project], str]] = [
    (lambda p: edits.set_points(p, Fraction(20), Fraction(20)), "before the out point"),
    (lambda p: edits.set_points(p, Fraction(0), Fraction(241)), "outside"),
    (lambda p: edits.set_points(p, Fraction(-1), Fraction(20)), "outside"),
    (lambda p: edits.set_shutter(p, 721), "out of range"),
    (lambda p: edits.change_quantity(p, Quantity.SPEED, Fraction(0)), "above zero"),
    (lambda p: edits.change_quantity(p, Quantity.SPEED, Fraction(200_000)), "out of range"),
    (lambda p: edits.change_quantity(p, Quantity.COUNT, Fraction(5, 2)), "whole number"),
    (lambda p: edits.change_quantity(p, Quantity.RECORDED_LENGTH, Fraction(300)), "from the in point"),
    (lambda p: edits.change_quantity(p, Quantity.RATE, Fraction(2000)), "the limit is 1000"),
]


@pytest.mark.parametrize(("edit", "said"), REFUSED)
def test_refusals_say_why(project: Project, edit: Callable[[Project], Project], said: str) -> None:
    with pytest.raises(PlanError, match=said):
        edit(project)


def test_two_at_most_are_held(project: Project) -> None:
    for quantity in (Quantity.SPEED, Quantity.RATE):
        project = edits.set_held(project, quantity, True)
    with pytest.raises(PlanError, match="let go"):
        edits.set_held(project, Quantity.COUNT, True)
    assert edits.set_held(project, Quantity.SPEED, False).held == {Quantity.RATE}


@given(st.fractions(Fraction(1, 100), 3600, max_denominator=100))
def test_dragging_the_result_changes_the_speed_alone(wished: Fraction) -> None:
    project = edits.open_footage(Project(), FOOTAGE)
    dragged = edits.set_result_length_by_drag(project, wished)
    shot = dragged.expect_shot()
    assert (shot.in_point, shot.out_point) == (Fraction(0), Fraction(240))
    assert dragged.reckoner.result_length == wished


def test_counting_corrects_what_was_not_touched(project: Project) -> None:
    counted = edits.measure_footage(project, Fraction(30000, 1001), Fraction(239))
    assert counted.expect_shot().out_point == 239
    assert counted.rate == Fraction(30000, 1001)
    trimmed = edits.set_points(project, Fraction(5), Fraction(50))
    assert edits.measure_footage(trimmed, Fraction(25), Fraction(239)).expect_shot().out_point == 50
    assert edits.measure_footage(trimmed, Fraction(25), Fraction(20)).expect_shot().out_point == 20


def test_each_frame_and_settings(project: Project) -> None:
    changed = edits.set_each_frame(edits.set_shutter(project, 180), EachFrame.LONG_EXPOSURE)
    assert (changed.expect_shot().each, changed.expect_shot().shutter) == (EachFrame.LONG_EXPOSURE, 180)
    assert project.expect_shot().each is EachFrame.ONE


@pytest.mark.parametrize(
    ("text", "stretch", "recorded", "even", "size"),
    [
        ("as recorded", False, (1280, 720), True, (1280, 720)),
        ("as recorded", False, (1279, 719), True, (1278, 718)),
        ("as recorded", False, (1279, 719), False, (1279, 719)),
        ("720p", False, (1920, 1080), True, (1280, 720)),
        ("1080p", False, (1080, 1920), True, (608, 1080)),
        ("2160p", False, (1920, 1080), True, (3840, 2160)),
        ("1280x720", False, (640, 480), True, (960, 720)),
        ("1280×720", True, (640, 480), True, (1280, 720)),
        ("500 x 2000", False, (1000, 1000), True, (500, 500)),
    ],
)
def test_sizes(
    text: str, stretch: bool, recorded: tuple[int, int], even: bool, size: tuple[int, int]
) -> None:
    wish = SizeWish.parse(text, stretch=stretch)
    assert wish.size(recorded, even=even) == size
    assert SizeWish.parse(str(wish), stretch=stretch) == wish


@pytest.mark.parametrize("text", ["1280", "x720", "0x0", "99999x99999", "wide", "-5x5"])
def test_other_sizes_are_refused(text: str) -> None:
    with pytest.raises(PlanError):
        SizeWish.parse(text)


def test_quality_and_format_words() -> None:
    assert Quality.parse("Good") is Quality.parse("3") is Quality.GOOD
    assert ResultFormat.of(Path("a.MP4")) is ResultFormat.MP4
    with pytest.raises(PlanError, match=r"draft \(1\)"):
        Quality.parse("perfect")
    with pytest.raises(PlanError, match=r"\.mkv"):
        ResultFormat.of(Path("a.gif"))
