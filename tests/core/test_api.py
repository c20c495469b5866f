"""The surface for other programs: what its page shows runs, and comes to what the command line comes to."""

import re
from fractions import Fraction
from pathlib import Path

import numpy as np
import pytest

from chronoxis import api
from tests.command_line import chronoxis
from tests.footage_makers import make_recording
from tests.photo_makers import make_photos

PAGE = Path(__file__).parents[2] / "docs" / "api.md"


@pytest.fixture(scope="module")
def walk(tmp_path_factory: pytest.TempPathFactory) -> Path:
    return make_recording(tmp_path_factory.mktemp("walk") / "walk.mp4", frames=500)


def test_the_examples_of_its_page_run_one_after_another(
    walk: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    (tmp_path / "walk.mp4").symlink_to(walk)
    monkeypatch.chdir(tmp_path)
    names: dict[str, object] = {}
    examples = re.findall(r"```python\n(.*?)```", PAGE.read_text(), re.S)
    assert len(examples) >= 9
    for example in examples:
        exec(compile(example, str(PAGE), "exec"), names)
    said = capsys.readouterr().out
    assert "500 25 20.0 (96, 64)" in said
    assert "nothing.mp4" in said
    assert sorted(path.name for path in tmp_path.iterdir()) == ["walk-8x.mkv", "walk.chronoxis", "walk.mp4"]


def test_an_export_equals_that_of_the_command_line(walk: Path, tmp_path: Path) -> None:
    project = api.Project.of(walk).with_points(2, 18).with_speed(8).with_way("long-exposure", shutter=180)
    api.export(api.plan(project), tmp_path / "api.mkv")
    options = ["--from", 2, "--to", 18, "--speed", 8, "--each", "long-exposure", "--shutter", 180]
    assert chronoxis("condense", walk, *options, "-o", tmp_path / "line.mkv").returncode == 0
    assert (tmp_path / "api.mkv").read_bytes() == (tmp_path / "line.mkv").read_bytes()


def test_frames_are_those_of_the_file(walk: Path, tmp_path: Path) -> None:
    plan = api.plan(api.Project.of(walk).with_speed("20x").with_way("brightest").with_settings(form="mkv"))
    api.export(plan, tmp_path / "out.mkv")
    again = api.plan(api.Project.of(tmp_path / "out.mkv"))
    made = dict(api.frames(plan, [0, 7, 24]))
    assert list(made) == [0, 7, 24]
    for number, codes in api.frames(again, [0, 7, 24]):
        assert codes.shape == (64, 96, 3)
        assert np.abs(codes.astype(int) - made[number]).max() <= 16  # what 12 bits leave of 16
    assert list(api.frames(plan, [])) == []


def test_edits_give_other_projects_and_leave_the_first(walk: Path) -> None:
    first = api.Project.of(walk, walk)
    assert first.shot_count == 2
    other = first.with_speed("1/2x", shots=[1]).with_rate("50").reversed([0]).with_accent("grain:20%")
    assert first.length == 40
    assert other.length == 20 + 40
    assert first.rate == 25
    assert other.rate == 50
    assert other.with_length(30).length == 30
    assert first.with_cut(5).shot_count == 3
    assert api.Project.of(walk).with_speed("every 10th").length == 2
    assert api.Project.of(walk).with_length(Fraction(1, 3)).length == Fraction(1, 3)


@pytest.mark.parametrize(
    ("wrong", "kind"),
    [
        (lambda p, _: p.with_speed(0), api.PlanError),
        (lambda p, _: p.with_speed("fast"), api.PlanError),
        (lambda p, _: p.with_points(5, 4), api.PlanError),
        (lambda p, _: p.with_way("sideways"), api.PlanError),
        (lambda p, _: p.with_preset("no such"), api.ChronoxisError),
        (lambda p, _: p.with_way("one", shots=[7]) and p.with_points(0, 1, shot=7), api.PlanError),
        (lambda p, path: api.export(api.plan(p), path), api.ExportError),
        (lambda p, path: p.save(path), api.ExportError),
        (lambda _, path: api.Project.load(path), api.ProjectFileError),
        (lambda _, path: api.open_footage(path.parent), api.FootageError),
    ],
)
def test_what_goes_wrong_is_one_line_of_ours(walk: Path, tmp_path: Path, wrong: object, kind: type) -> None:
    there = tmp_path / "there.mkv"
    there.write_text("a person's own")
    with pytest.raises(kind) as told:
        wrong(api.Project.of(walk), there)  # type: ignore[operator]
    assert "\n" not in str(told.value)
    assert there.read_text() == "a person's own"


def test_an_export_that_is_stopped_leaves_nothing(walk: Path, tmp_path: Path) -> None:
    plan = api.plan(api.Project.of(walk).with_speed(2))
    with pytest.raises(api.Cancelled):
        api.export(plan, tmp_path / "out.mkv", progress=lambda now: now.done < 5)
    assert list(tmp_path.iterdir()) == []


def test_what_is_measured_of_photos_is_of_those_that_are_there(tmp_path: Path) -> None:
    run = api.open_footage(make_photos(tmp_path / "run", [n for n in range(12) if n != 7]))
    moves, traces = api.camera_moves(run), api.traces(run)
    assert len(moves.right) == len(traces.light) == len(traces.passers_by) == 11


def test_all_that_is_promised_is_there_and_told() -> None:
    for name in api.__all__:
        assert (getattr(api, name).__doc__ or "").strip(), name
