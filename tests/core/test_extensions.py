"""What packages add: in a project, on the command line, in files, and once they are gone."""

import json
import os
import subprocess
import sys
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
import pytest

from chronoxis.core.errors import PlanError
from chronoxis.core.extensions import ACCENTS, TRACES, WAYS, ExtensionError, code_of, usable
from chronoxis.core.files.project_file import load_project, save_project
from chronoxis.core.footage.kinds import footage_of, open_source
from chronoxis.core.model import arranging, joining, making, nesting, pacing
from chronoxis.core.model.accent import Accent, MissingLook, looks, parse_accent
from chronoxis.core.model.missing_additions import missing_additions
from chronoxis.core.model.project import Place, Project
from chronoxis.core.render.chain import result_frames
from chronoxis.core.render.frame_identity import FrameIdentities
from chronoxis.core.render.opened_project import planned
from chronoxis.core.render.target import unwritten_target
from chronoxis.core.timing.frame_making import EachFrame
from chronoxis.core.traces.added_trace import AddedTrace
from chronoxis.core.traces.glances import Small
from chronoxis.core.traces.store import TraceStore
from tests.added_packages import GLOW, GREEN, MEDIAN, with_packages
from tests.footage_makers import make_recording


@pytest.fixture(scope="module")
def recording(tmp_path_factory: pytest.TempPathFactory) -> Path:
    return make_recording(tmp_path_factory.mktemp("take") / "take.mp4", frames=100)


def condensed(recording: Path, each: str) -> Project:
    source = open_source(recording)
    project = arranging.begin_with(Project(), footage_of(source.facts))
    project = pacing.set_speed(project, project.places(), Fraction(10))
    return making.set_each_frame(project, project.places(), EachFrame.named(each))


def run(*arguments: object) -> subprocess.CompletedProcess[str]:
    command = [sys.executable, "-m", "chronoxis.cli", *map(str, arguments)]
    return subprocess.run(command, capture_output=True, text=True, check=False, env=dict(os.environ))


def test_a_way_gathers_what_it_says_and_makes_the_very_median(installed: Path, recording: Path) -> None:
    plan = planned(condensed(recording, MEDIAN))
    frames, weights = plan.schedule.sources(1)
    assert frames.tolist() == [10, 14, 18]  # three of ten, evenly spread
    assert weights.tolist() == [1 / 3] * 3
    assert plan.schedule.way(1) == EachFrame.named(MEDIAN)
    plain = planned(condensed(recording, "one"))
    target = unwritten_target(plan)
    source = plan.sources[0]
    with source.reader(0, plan.size, fit=True) as reader:
        from chronoxis.core.picture.kernels import codes_of  # noqa: PLC0415

        colour = source.facts.picture.colour
        three = [codes_of(frame, colour).copy() for _, frame in reader.frames(frames)]
    (made,) = result_frames(plan, target, 1, 2)
    assert np.array_equal(made.to_ndarray(), np.median(three, axis=0).astype(np.uint16))
    identities = FrameIdentities(plan, target), FrameIdentities(plain, target)
    assert identities[0].of(1) != identities[1].of(1)


@pytest.mark.parametrize("step", [1, 2, 3, 4, 5, 6, 7, 13])
def test_a_way_takes_as_many_frames_as_it_says_spread_evenly(
    installed: Path, recording: Path, step: int
) -> None:
    project = condensed(recording, MEDIAN)
    plan = planned(pacing.set_speed(project, project.places(), Fraction(step)))
    frames = plan.schedule.sources(2)[0]
    assert len(frames) == min(step, 3)
    assert frames[0] == 2 * step
    assert set(np.diff(frames)) <= {(step - 1) // 2, 1}


def test_settings_are_kept_in_files_and_out_of_range_is_refused(
    installed: Path, recording: Path, tmp_path: Path
) -> None:
    project = condensed(recording, MEDIAN)
    way = EachFrame.of_file(MEDIAN, {"share": 0.5})
    project = making.set_each_frame(project, project.places(), way)
    look = next(each for each in looks() if each.key == GLOW)
    project = joining.set_accents(project, lambda _: (Accent(look()),), whole=True)
    save_project(project, tmp_path / "film.chronoxis")
    assert load_project(tmp_path / "film.chronoxis") == project
    for values in ({"share": 2}, {"share": "much"}):
        with pytest.raises(PlanError):
            EachFrame.of_file(MEDIAN, values)
    with pytest.raises(ExtensionError, match="broken:choosy failed: KeyError"):
        EachFrame.of_file("broken:choosy", {"share": 0.25})
    data = json.loads((tmp_path / "film.chronoxis").read_text())
    assert data["accents"][0]["settings"] == {"light": 0.6, "width": 0.01, "tint": "their own"}


def test_without_its_package_a_project_opens_says_so_and_keeps_all(
    packages: Path, recording: Path, tmp_path: Path
) -> None:
    path = tmp_path / "film.chronoxis"
    with with_packages(packages):
        project = condensed(recording, MEDIAN)
        look = usable(ACCENTS)[GLOW]
        project = joining.set_accents(project, lambda _: (Accent(look(light=1.5)),), whole=True)
        save_project(project, path)
        written = path.read_text()
    opened = load_project(path)
    assert opened.shots[0].makings[0].each.is_missing
    assert isinstance(opened.accents[0].look, MissingLook)
    plan = planned(opened)
    assert plan.schedule.way(0).is_missing  # type: ignore[union-attr]
    assert len(plan.schedule.sources(0)[0]) == 1  # one frame stands for it
    assert MEDIAN in plan.remark
    assert GLOW in plan.remark
    target = unwritten_target(plan)
    stands = [each.to_ndarray() for each in result_frames(plan, target, 0, 2)]
    usual = planned(condensed(recording, "one"))
    assert all(
        np.array_equal(one, other.to_ndarray())
        for one, other in zip(stands, result_frames(usual, target, 0, 2), strict=True)
    )
    save_project(opened, path)
    assert json.loads(path.read_text()) == json.loads(written)
    said = run("plan", path, "--checks")
    assert f"extension missing: {MEDIAN}" in said.stdout
    assert (
        run("condense", recording, "--speed", 10, "--each", MEDIAN, "-o", tmp_path / "no.mkv").returncode == 2
    )


def test_the_command_line_uses_all_that_is_added(installed: Path, recording: Path, tmp_path: Path) -> None:
    listed = run("extensions").stdout
    for key in (MEDIAN, GLOW, GREEN):
        assert f"{key} " in listed
    assert "broken:lacking" in listed
    assert "cannot be used: AttributeError" in listed
    assert "cannot be used: ValueError: nothing is possible" in listed
    assert "letters, digits, dots and dashes only" in listed
    assert "cannot be used: ValueError: size of Loose should be made by parameter()" in listed
    out = tmp_path / "out.mkv"
    done = run("condense", recording, "--speed", 10, "--each", MEDIAN, "--accent", f"{GLOW}:50%", "-o", out)
    assert done.returncode == 0, done.stderr
    with av.open(str(out)) as container:
        assert sum(1 for _ in container.decode(video=0)) == 10
    out = tmp_path / "followed.mkv"
    paced = ["--pace-by", GREEN, "--slowest", "1", "--fastest", "20", "--length", "1"]
    done = run("condense", recording, *paced, "-o", out)
    assert done.returncode == 0, done.stderr


@pytest.mark.sampled(1)
@pytest.mark.parametrize(
    ("key", "words"),
    [
        ("broken:fails", "failed: RuntimeError: no such luck"),
        ("broken:nothing", "gave no picture but NoneType"),
        ("broken:scribbles", "read-only"),
    ],
)
def test_what_fails_in_a_package_is_told_in_one_line(
    installed: Path, recording: Path, tmp_path: Path, key: str, words: str
) -> None:
    with pytest.raises(ExtensionError, match=words):
        list(result_frames(plan := planned(condensed(recording, key)), unwritten_target(plan), 0, 1))
    done = run(
        "condense", recording, "--speed", 10, "--each", key, "-o", tmp_path / "o.mkv", "--progress", "none"
    )
    assert done.returncode == 1
    (line,) = [
        line for line in done.stderr.splitlines() if not line.startswith("an extension cannot be used")
    ]
    assert words in line
    assert list(tmp_path.iterdir()) == []


def test_a_trace_is_measured_once_for_the_same_code(
    installed: Path, recording: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    trace, source, store = usable(TRACES)[GREEN], open_source(recording), TraceStore(tmp_path)
    told: list[float] = []

    def note(_values: object, share: float) -> None:
        told.append(share)

    values = trace.of(source, store, note)
    assert len(values) == 100
    assert np.isfinite(values).all()
    assert told
    told.clear()
    assert np.array_equal(trace.of(source, store, note), values)
    assert not told  # it was kept
    monkeypatch.setattr("chronoxis.core.traces.added_trace.code_of", lambda *_: "another")
    trace.of(source, store, note)
    assert told


def test_a_trace_sees_each_frame_and_the_one_before(recording: Path, tmp_path: Path) -> None:
    seen: list[tuple[float, float]] = []

    def note(light: Small, before: Small) -> float:
        seen.append((float(light.mean()), float(before.mean())))
        return 0.0

    AddedTrace("theirs:note", "note", "", note).of(open_source(recording), TraceStore(tmp_path))
    assert len(seen) == 100
    assert seen[0][1] == seen[0][0]
    assert [before for _, before in seen[1:]] == [light for light, _ in seen[:-1]]


@pytest.mark.thorough
def test_what_other_code_made_is_told_apart(
    installed: Path, recording: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    plan = planned(condensed(recording, MEDIAN))
    one = FrameIdentities(plan, unwritten_target(plan)).of(1)
    assert FrameIdentities(plan, unwritten_target(plan)).of(1) == one
    monkeypatch.setattr("chronoxis.core.render.frame_identity.code_of", lambda *_: "another")
    assert FrameIdentities(plan, unwritten_target(plan)).of(1) != one
    assert code_of(WAYS, MEDIAN) != code_of(WAYS, "broken:fails") != ""
    assert code_of(WAYS, "one") == ""


def test_missing_packages_are_told_wherever_they_were_used(recording: Path) -> None:
    look = Accent(MissingLook("theirs:glow"))
    project = arranging.duplicate(condensed(recording, "one"), [0])
    assert missing_additions(project) == []
    on_join = joining.set_accents(project, lambda _: (look,), joins=[0])
    on_passage = joining.set_accents(project, lambda _: (look,), places=[Place(1, 0)])
    for each in (on_join, on_passage):
        assert missing_additions(each) == ["theirs:glow"]
    way = EachFrame.of_file("theirs:way", {})
    inside = nesting.nest(making.set_each_frame(project, [Place(1, 0)], way), [0, 1])
    assert missing_additions(inside) == ["theirs:way"]


def test_an_accent_is_read_by_its_whole_name(installed: Path) -> None:
    assert parse_accent(GLOW).look.key == GLOW
    assert parse_accent(f"{GLOW}:0.5").strength == 0.5
    assert parse_accent("edge glow:50%").strength == 0.5
    assert parse_accent("flash:0.5").look.key == "flash"
    with pytest.raises(PlanError, match="is no accent"):
        parse_accent("edge-glow:none")
    assert set(usable(WAYS)) == {
        MEDIAN,
        *(f"broken:{name}" for name in ("fails", "nothing", "scribbles", "choosy")),
    }
