"""A pace that follows what happens: near the ideal curve, as long as wished, and evenly moving."""

from fractions import Fraction
from pathlib import Path

import numpy as np
import numpy.typing as npt
import pytest
from click.testing import CliRunner
from hypothesis import given
from hypothesis import strategies as st

from chronoxis.cli.main import cli
from chronoxis.core.errors import PlanError
from chronoxis.core.model import arranging, follow_acts, pacing
from chronoxis.core.model.project import Place, Project
from chronoxis.core.timing.following import OFF_AT_MOST, FollowWish, Stretch, ideal_paces
from chronoxis.core.timing.lulls import Course
from chronoxis.core.timing.reckoner import Quantity
from chronoxis.demo.larkfield import draw_field
from tests.core.test_lulls import SECONDS, shot_project

EDGES = np.arange(SECONDS * 25 + 1, dtype=np.float64) / 25
LEVELS = st.lists(st.floats(0, 1), min_size=1, max_size=30)


def course_of(levels: list[float]) -> Course:
    """Steps from level to level."""
    places = np.linspace(0, len(levels), len(EDGES) - 1, endpoint=False).astype(int)
    return Course(EDGES, np.array(levels, np.float64)[places])


def speeds_apart(project: Project, course: Course, wish: FollowWish) -> npt.NDArray[np.float64]:
    """By what share the shot's speeds differ from the ideal ones, at the same recorded moments."""
    shot, ideal = project.shots[0], follow_acts.followed(project, {0: [course]}, wish).paces[0]
    covered = (np.arange(len(ideal.speeds)) + 0.5) * ideal.step
    real = np.asarray(shot.pace.speed_at(shot.pace.result_at(covered)))
    return np.asarray(np.abs(real / ideal.speeds - 1))


@given(LEVELS, st.floats(0.5, 4), st.floats(0.1, 0.9), st.floats(0.5, 8), st.booleans())
def test_speeds_are_near_the_ideal_and_the_length_is_exact(
    levels: list[float], slowest: float, share: float, reaction: float, backwards: bool
) -> None:
    fastest = slowest * 16
    least, most = SECONDS / fastest, SECONDS / slowest
    wish = FollowWish(slowest, fastest, round(least + share * (most - least), 3), reaction)
    project, course = shot_project(), course_of(levels)
    if backwards:
        project = arranging.reverse(project, [0])
    made = follow_acts.follow(project, {0: [course]}, wish)
    assert abs(made.result_length - Fraction(wish.length).limit_denominator(10**6)) < Fraction(1, 10**9)
    assert made.shots[0].recorded_length == SECONDS
    assert speeds_apart(made, course, wish).max() < OFF_AT_MOST


@pytest.mark.parametrize("reaction", [2.0, 6.0])
def test_a_speed_changes_within_the_time_it_is_given(reaction: float) -> None:
    """All but a twentieth of a step, by the logarithm of the speed: four standard deviations of a bell."""
    step = Course(EDGES, np.where(EDGES[:-1] < SECONDS / 2, 0.1, 1.0))
    wish = FollowWish(0.1, 1000, 20, reaction)
    (pace,) = ideal_paces([Stretch([step], 0, SECONDS)], wish, reaction)
    speeds = np.log(pace.speeds)
    share = (speeds - speeds.max()) / (speeds.min() - speeds.max())
    lasting = np.count_nonzero((share > 0.0228) & (share < 0.9772)) * pace.step
    assert lasting == pytest.approx(reaction, rel=0.1)


def test_it_is_slow_where_much_happens() -> None:
    course, wish = course_of([0.1, 0.1, 1.0, 0.1, 0.1]), FollowWish(1, 20, 12, 1)
    shot = follow_acts.follow(shot_project(), {0: [course]}, wish).shots[0]
    speeds = np.asarray(shot.pace.speed_at(shot.pace.result_at(np.array([6.0, 30.0, 54.0]))))
    assert speeds[0] == pytest.approx(speeds[2], rel=0.1)
    assert speeds[0] > 5 * speeds[1]


def test_what_cannot_be_is_told() -> None:
    project, course = shot_project(), course_of([1])
    for wish in (FollowWish(1, 4, 70), FollowWish(1, 4, 10), FollowWish(4, 1, 20), FollowWish(0, 4, 20)):
        with pytest.raises(PlanError):
            follow_acts.follow(project, {0: [course]}, wish)
    held = pacing.set_held(project, [Place(0, 0)], Quantity.SPEED, True)
    with pytest.raises(PlanError, match="held"):
        follow_acts.follow(held, {0: [course]}, FollowWish(1, 4, 30))


def test_other_shots_stay_as_long_as_they_were() -> None:
    project = shot_project(2)
    made = follow_acts.follow(project, {0: [course_of([0.1, 1, 0.3])]}, FollowWish(1, 10, 20))
    assert made.shots[1] == project.shots[1]
    assert abs(made.result_length - 80) < Fraction(1, 10**9)


def test_shots_share_one_pace_and_courses_count_alike() -> None:
    project = shot_project(2)
    busy, calm = course_of([1]), course_of([0.1])
    made = follow_acts.follow(project, {0: [busy], 1: [calm]}, FollowWish(1, 100, 30))
    speeds = [made.shots[number].pace.result_length for number in (0, 1)]
    assert speeds[0] == pytest.approx(10 * speeds[1], rel=0.01)
    assert abs(made.result_length - 30) < Fraction(1, 10**9)
    one, other = course_of([1, 0.1, 0.1]), course_of([0.02, 0.02, 0.2])  # shares of their means count
    mixed = follow_acts.follow(shot_project(), {0: [one, other]}, FollowWish(1, 50, 6))
    at = mixed.shots[0].pace.speed_at(mixed.shots[0].pace.result_at(np.array([5.0, 30.0, 55.0])))
    assert at[0] == pytest.approx(at[2], rel=0.15)
    assert at[1] > 3 * at[0]


def test_there_are_at_most_so_many_passages() -> None:
    course = course_of([number % 2 for number in range(30)])
    for most in (10, 40):
        wish = FollowWish(1, 20, 12, 0.5, most)
        made = follow_acts.follow(shot_project(), {0: [course]}, wish)
        assert len(made.shots[0].passages) <= most
        assert follow_acts.followed(shot_project(), {0: [course]}, wish).reaction > 0.5
        assert speeds_apart(made, course, wish).max() < OFF_AT_MOST


def test_motion_of_a_recording_becomes_even(tmp_path: Path) -> None:
    film, out = tmp_path / "field.mp4", tmp_path / "plan.csv"
    draw_field(film, size=(320, 180), start=60, seconds=16)
    asked = ["plan", str(film), "--pace-by", "motion", "--slowest", "1x", "--fastest", "16x"]
    done = CliRunner().invoke(cli, [*asked, "--length", "4", "--csv", str(out)])
    assert done.exit_code == 0, done.output
    assert int(out.read_text().splitlines()[-1].split(",")[0]) == 99
    for wrong in (["--pace-by", "motion"], ["--slowest", "1x"], ["--pace-by", "motion", "--speed", "2x"]):
        assert CliRunner().invoke(cli, ["plan", str(film), *wrong, "--csv", "-"]).exit_code == 2
