"""Trials: states of the whole project, kept in it, taken, told apart, and corrected along with it."""

from collections.abc import Callable
from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import pytest
from hypothesis import given

from chronoxis.core.errors import PlanError, ProjectFileError
from chronoxis.core.files.project_file import as_json, from_json, load_project, save_project
from chronoxis.core.model import arranging, correcting, joining, making, nesting, pacing, trials
from chronoxis.core.model.accent import STEADY, Accent, Flash
from chronoxis.core.model.even_out import EvenOut
from chronoxis.core.model.project import Place, Project
from chronoxis.core.model.steady import Steady, SteadyMode
from chronoxis.core.model.trial_words import difference
from chronoxis.core.timing.frame_making import EachFrame
from tests.core.test_model import later_projects
from tests.footage_makers import recording_of

Edit = Callable[[Project], Project]
FIELD = Path("/footage/Field.mp4")


@pytest.fixture
def project() -> Project:
    made = arranging.begin_with(Project(), recording_of(FIELD, Fraction(25), Fraction(240)))
    return at_speed(8)(made)


def at_speed(speed: int) -> Edit:
    return lambda p: pacing.set_speed(p, p.places(), Fraction(speed))


def in_way(each: EachFrame) -> Edit:
    return lambda p: making.set_each_frame(p, p.places(), each)


def test_a_trial_is_taken_in_whole_and_others_stay(project: Project) -> None:
    kept = trials.keep_trial(project)
    changed = trials.keep_trial(in_way(EachFrame.LONG_EXPOSURE)(at_speed(12)(kept)), "slow shutter")
    assert [trial.name for trial in changed.trials] == ["Trial 1", "slow shutter"]
    assert all(trial.state.trials == () for trial in changed.trials)
    back = trials.take_trial(changed, 0)
    assert replace(back, trials=()) == project
    assert back.trials == changed.trials
    assert replace(trials.take_trial(back, 1), trials=()) == replace(changed, trials=())
    renamed = trials.rename_trial(changed, 0, "  first  ")
    assert [trial.name for trial in renamed.trials] == ["first", "slow shutter"]
    assert trials.rename_trial(renamed, 0, "first") == renamed
    assert [trial.name for trial in trials.remove_trial(renamed, 0).trials] == ["slow shutter"]
    assert trials.keep_trial(trials.remove_trial(changed, 0)).trials[-1].name == "Trial 1"


def test_footage_brought_in_since_stays_when_a_trial_is_taken(project: Project) -> None:
    kept = trials.keep_trial(project)
    more = arranging.bring_in(kept, recording_of(Path("/footage/Walk.mp4"), Fraction(60), Fraction(24)))
    taken = trials.take_trial(more, 0)
    assert {footage.key for footage in taken.footage} == {footage.key for footage in more.footage}
    assert taken.shots == project.shots
    without = arranging.drop_footage(kept, kept.footage[0].key)
    assert trials.take_trial(without, 0).footage == project.footage
    other = arranging.bring_in(without, recording_of(Path("/else/Field.mp4"), Fraction(25), Fraction(9)))
    if other.footage[0].key == project.footage[0].key:
        with pytest.raises(PlanError, match="goes by its name"):
            trials.take_trial(other, 0)


def test_what_cannot_be_kept_says_why(project: Project) -> None:
    with pytest.raises(PlanError, match="no shot yet"):
        trials.keep_trial(Project())
    full = project
    for _ in range(trials.MOST_TRIALS):
        full = trials.keep_trial(full)
    with pytest.raises(PlanError, match="remove one"):
        trials.keep_trial(full)
    for name, said in (("", "needs a name"), ("Trial 2", "already"), ("x" * 41, "40 letters")):
        with pytest.raises(PlanError, match=said):
            trials.rename_trial(full, 0, name)


def test_inside_a_run_the_whole_is_kept(project: Project) -> None:
    nested = nesting.nest(project, [0])
    inside = at_speed(2)(nesting.open_run(nested, nested.shots[0].footage))
    kept = trials.keep_trial(inside)
    assert kept.outside is not None
    assert kept.trials[0].state == nesting.outermost(inside)
    assert nesting.come_back(kept).trials == kept.trials
    taken = trials.take_trial(kept, 0)
    assert taken.outside is None
    assert taken.trials == kept.trials


def test_what_becomes_known_of_footage_is_so_in_trials(project: Project) -> None:
    kept = trials.keep_trial(at_speed(4)(trials.keep_trial(project)))
    key = project.footage[0].key
    counted = trials.with_trials(
        lambda p: arranging.measure(p, key, Fraction(30000, 1001), Fraction(239))
    )(kept)  # fmt: skip
    for state in (counted, *(trial.state for trial in counted.trials)):
        assert state.footage[0].length == 239
        assert state.shots[0].out_point == 239
    assert [trial.state.shots[0].longest.speed for trial in counted.trials] == [8, 4]


@pytest.mark.thorough
@given(later_projects())
def test_the_version_before_opens_as_the_equal_project(made: Project) -> None:
    made = replace(nesting.outermost(made), trials=(), aside=())
    data = as_json(made, FIELD.parent)
    assert (data.pop("trials"), data.pop("aside"), data["settings"].pop("goes_to")) == ([], [], "")
    assert from_json({**data, "version": 7}, FIELD.with_name("film.chronoxis")) == made


def test_a_trial_that_is_damaged_is_refused_with_its_place(project: Project, tmp_path: Path) -> None:
    path = tmp_path / "film.chronoxis"
    save_project(trials.keep_trial(trials.keep_trial(project)), path)
    good = path.read_text()
    shot = good.rindex('"speed": "8"')
    for text, said in (
        (good[:shot] + '"speed": "999999999"' + good[shot + 12 :], r"trials\[1\]\.state\.shots\[0\]"),
        (good.replace('"name": "Trial 2"', '"name": "Trial 1"'), "one name twice"),
        (good.replace('"name": "Trial 2"', '"name": ""'), r"trials\[1\]\.name"),
        (good.replace('"state": {', '"state": {"trials": [],'), "trials"),
    ):
        assert text != good
        path.write_text(text)
        with pytest.raises(ProjectFileError, match=said):
            load_project(path)


@pytest.mark.parametrize(
    ("edits", "words"),
    [
        ([], "as it is now"),
        ([at_speed(12)], "8× → 12×"),
        ([at_speed(12), in_way(EachFrame.LONG_EXPOSURE)], "8× → 12×, long exposure"),
        ([lambda p: arranging.set_rate(p, Fraction(30))], "25 → 30 fps"),
        ([lambda p: correcting.set_steady(p, [0], Steady(SteadyMode.SMOOTH))], "steadied"),
        ([lambda p: correcting.set_even_out(p, [0], EvenOut(0.5))], "evened out"),
        ([lambda p: arranging.reverse(p, [0])], "backwards"),
        ([lambda p: arranging.set_points(p, 0, Fraction(0), Fraction(120))], "0:30.0 → 0:15.0"),
        ([lambda p: arranging.duplicate(p, [0])], "0:30.0 → 1:00.0, 1 → 2 shots"),
        (
            [lambda p: joining.set_accents(p, lambda _: (Accent(Flash(), STEADY),), shots=[0])],
            "with flash",
        ),
        ([lambda p: making.set_shutter(p, [Place(0, 0)], 90)], "the same but for details"),
        ([lambda p: arranging.add_marker(p, None, Fraction(2), "here")], "the same but for details"),
    ],
)
def test_a_difference_is_told_in_a_few_words(project: Project, edits: list[Edit], words: str) -> None:
    other = project
    for edit in edits:
        other = edit(other)
    assert difference(project, other) == words
