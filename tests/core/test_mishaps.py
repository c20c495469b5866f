"""What goes wrong around a command: names that are taken, signals, full disks, values out of all bounds."""

import json
import os
import signal
import stat
import subprocess
import sys
import time
import tracemalloc
from fractions import Fraction
from pathlib import Path

import pytest

from chronoxis.core.errors import ExportError, PlanError, ProjectFileError
from chronoxis.core.files.atomic import sweep_unfinished, temporary_beside
from chronoxis.core.files.interchange import import_timeline
from chronoxis.core.files.outputs import check_output
from chronoxis.core.files.project_file import as_json, from_json, load_project, save_project
from chronoxis.core.files.timeline_reading import read_timeline
from chronoxis.core.footage.absent import AbsentSource
from chronoxis.core.model import arranging, nesting, pacing
from chronoxis.core.model.project import Place, Project
from chronoxis.core.render.planning import make_plan
from tests.command_line import chronoxis
from tests.footage_makers import make_recording, recording_of


@pytest.fixture
def take(tmp_path: Path) -> Path:
    return make_recording(tmp_path / "take.mp4", frames=50)


def test_no_command_replaces_what_it_reads_or_what_is_there(take: Path, tmp_path: Path) -> None:
    kept = take.read_bytes()
    (tmp_path / "link.csv").symlink_to(take)
    os.link(take, tmp_path / "hard.csv")
    (tmp_path / "there.csv").write_text("precious")
    spare = make_recording(tmp_path / "spare.mkv", frames=20)
    film = tmp_path / "film.chronoxis"
    project = arranging.begin_with(Project(), recording_of(take, Fraction(25), Fraction(2), counted=True))
    project = arranging.bring_in(project, recording_of(spare, Fraction(25), Fraction(20, 25), counted=True))
    save_project(project, film)
    content = film.read_bytes()
    for arguments, said in (
        (("plan", take, "--every", 2, "--csv", take, "--overwrite"), "what is read"),
        (("plan", take, "--every", 2, "--csv", tmp_path / "link.csv", "--overwrite"), "what is read"),
        (("plan", take, "--every", 2, "--csv", tmp_path / "hard.csv", "--overwrite"), "what is read"),
        (("plan", take, "--every", 2, "--csv", tmp_path / "there.csv"), "already there"),
        (("plan", film, "--csv", spare, "--overwrite"), "what is read"),
        (("render", film, "-o", spare, "--overwrite"), "what is read"),
        (("convert", film, "-o", film, "--overwrite"), "what is read"),
    ):
        done = chronoxis(*arguments)
        assert (done.returncode, said in done.stderr) == (1, True), (arguments, done.stderr)
        assert len(done.stderr.strip().splitlines()) == 1
    assert take.read_bytes() == kept
    assert film.read_bytes() == content
    assert (tmp_path / "there.csv").read_text() == "precious"
    assert (
        chronoxis("plan", take, "--every", 2, "--csv", tmp_path / "there.csv", "--overwrite").returncode == 0
    )
    assert len((tmp_path / "there.csv").read_text().splitlines()) == 26


def test_names_out_of_bounds(tmp_path: Path) -> None:
    for name, said in (
        ("x" * 300 + ".mp4", "too long"),
        ("", "needs a file name"),
        (".", "needs a file name"),
    ):
        with pytest.raises(ExportError, match=said):
            check_output(Path(name), overwrite=False)
    with temporary_beside(tmp_path / ("ö" * 120 + ".mp4")) as temporary:
        assert len(os.fsencode(temporary.name)) < 255


@pytest.mark.sampled(2)
@pytest.mark.parametrize("number", [signal.SIGINT, signal.SIGTERM, signal.SIGHUP])
@pytest.mark.parametrize("after", [0.05, 0.5, 1.2])
def test_a_signal_at_any_moment_ends_in_one_line_and_leaves_nothing(
    take: Path, tmp_path: Path, number: signal.Signals, after: float
) -> None:
    out = tmp_path / "out"
    out.mkdir()
    command = [
        sys.executable,
        "-m",
        "chronoxis.cli",
        "condense",
        str(take),
        "--speed",
        "1/100",
        "-o",
        str(out / "o.mkv"),
    ]
    with subprocess.Popen([*command, "--progress", "none"], stderr=subprocess.PIPE, text=True) as child:
        time.sleep(after)
        child.send_signal(number)
        _, said = child.communicate(timeout=20)
    interpreter_was_starting = "cli/main.py" not in said and "Cancelled" not in said
    if (
        child.returncode != 0 and interpreter_was_starting
    ):  # before our signals; how Python ends is its own affair
        assert after < 0.2
    elif child.returncode != 0:
        assert (child.returncode, said.strip()) == (1, "Cancelled; nothing was left behind.")
    assert child.returncode == 0 or list(out.iterdir()) == []


def test_what_a_killed_program_left_is_swept_by_the_next_start(tmp_path: Path, own_state: Path) -> None:
    code = (
        "import os, sys, signal\nfrom pathlib import Path\n"
        "from chronoxis.core.files.atomic import temporary_beside\n"
        "with temporary_beside(Path(sys.argv[1])) as t:\n os.kill(os.getpid(), signal.SIGKILL)\n"
    )
    (tmp_path / "results").mkdir()
    subprocess.run([sys.executable, "-c", code, str(tmp_path / "results" / "film.mp4")], check=False)
    (left,) = (tmp_path / "results").iterdir()
    os.utime(left, (0, 0))
    with temporary_beside(tmp_path / "results" / "film.mp4") as held:
        os.utime(held, (0, 0))
        sweep_unfinished()
        assert held.exists()  # somebody writes it
    assert list((tmp_path / "results").iterdir()) == []
    assert list((own_state / "unfinished").iterdir()) == []


@pytest.mark.thorough
def test_a_full_standard_output(take: Path, tmp_path: Path) -> None:
    command = [sys.executable, "-m", "chronoxis.cli"]
    with Path("/dev/full").open("w") as full:
        for arguments in (["facts", str(take)], ["plan", str(take), "--every", "2", "--csv", "-"]):
            done = subprocess.run(
                [*command, *arguments], stdout=full, stderr=subprocess.PIPE, text=True, check=False
            )
            assert (done.returncode, "No space" in done.stderr) == (1, True)
            assert len(done.stderr.strip().splitlines()) == 1
        out = tmp_path / "out.mkv"
        arguments = ["condense", str(take), "--every", "2", "-o", str(out), "--progress", "json"]
        done = subprocess.run(
            [*command, *arguments], stdout=full, stderr=subprocess.PIPE, text=True, check=False
        )
        assert (done.returncode, done.stderr, out.exists()) == (0, "", True)


BAD_VALUES = (
    ('"in": "0"', f'"in": "{"9" * 5000}"', "longer than any"),
    ('"in": "0"', '"in": "99999999999999"', "longer than any recording"),
    ('"recorded": "2"', f'"recorded": "{"9" * 60}"', "longer than any recording"),
    ('"recorded": "2"', '"recorded": "3"', "beyond the end"),
    ('"length": "0"', f'"length": "{"9" * 30}"', "ramp.length is out of range"),
    ('"shutter": 360.0', '"shutter": NaN', "NaN is no number"),
    ('"shutter": 360.0', f'"shutter": {"9" * 5000}', "far too long"),
    ('"rate": "25",\n "footage"', '"rate": 25,\n "footage"', "should be text"),
    ('"rate": "25",\n "footage"', '"rate": "x",\n "footage"', "should be a number as text"),
    ('"version": 8', '"version": "2"', "version should be “8”"),
    ('"quality": "good"', '"quality": "best"', "should be one of draft, sharing"),
    ('"held": []', '"held": [], "colour": 3', "not known here"),
    ('"in": "0",', "", "lacks in"),
)


@pytest.mark.parametrize("old, new, said", BAD_VALUES)
def test_no_value_of_a_project_file_is_beyond_refusal(tmp_path: Path, old: str, new: str, said: str) -> None:
    film = tmp_path / "film.chronoxis"
    first = recording_of(tmp_path / "take.mp4", Fraction(25), Fraction(2), counted=True)
    save_project(arranging.begin_with(Project(), first), film)
    text = film.read_text()
    assert old in text
    film.write_text(text.replace(old, new, 1))
    with pytest.raises(ProjectFileError, match=said) as refusal:
        load_project(film)
    assert "\n" not in str(refusal.value)
    assert len(str(refusal.value)) < 300
    assert "definition" not in str(refusal.value)


def test_nesting_and_long_paths(tmp_path: Path) -> None:
    film = tmp_path / "film.chronoxis"
    film.write_text('{"format": "chronoxis project", "a": ' + "[" * 100_000 + "]" * 100_000 + "}")
    with pytest.raises(ProjectFileError, match="nested"):
        load_project(film)
    save_project(
        arranging.begin_with(Project(), recording_of(Path("/" + "x" * 300), Fraction(25), Fraction(2))), film
    )
    assert len(load_project(film).footage) == 1
    for name, content in (("null.otio", {"OTIO_SCHEMA": "Timeline.1", "tracks": None}), ("deep.otio", None)):
        timeline = tmp_path / name
        deep = '{"OTIO_SCHEMA":"Timeline.1","metadata":' + '{"a":' * 200_000 + "1" + "}" * 200_001
        timeline.write_text(json.dumps(content) if content else deep)
        with pytest.raises(ProjectFileError, match=r"damaged|no clip|nested"):
            read_timeline(timeline)


def test_hostile_projects_take_no_memory_worth_speaking_of(tmp_path: Path) -> None:
    project = Project()
    for number in range(20):
        rate = Fraction(60_000 + number, 1001)
        gone = recording_of(tmp_path / f"{number}.mp4", rate, 2_000_000 / rate, counted=True)
        project = arranging.begin_with(project, gone)
    project = pacing.fit_to_length(project, Fraction(20))
    tracemalloc.start()
    plan = make_plan(project, {footage.key: AbsentSource(footage) for footage in project.footage})
    assert tracemalloc.get_traced_memory()[1] < 60e6
    tracemalloc.stop()
    assert all(edges[-1] == float(f.length) for edges, f in zip(plan.edges, project.footage, strict=True))
    assert len(plan.schedule) == pytest.approx(20 * project.rate, abs=1)


def test_runs_too_deep_or_too_long_inside_one_another_are_refused(tmp_path: Path) -> None:
    gone = recording_of(tmp_path / "gone.mp4", Fraction(25), Fraction(500_000), counted=True)
    project = pacing.set_speed(arranging.begin_with(Project(), gone), [Place(0, 0)], Fraction(1))
    long = nesting.nest(nesting.nest(project, [0]), [0])
    with pytest.raises(PlanError, match=r"nested runs would have 25,000,000 frames; the limit is 20,000,000"):
        make_plan(long, {"gone": AbsentSource(gone)})
    for _ in range(nesting.DEEPEST):
        project = nesting.nest(project, [0])
    data = as_json(project, tmp_path)
    assert from_json(data, tmp_path / "deep.chronoxis") == project
    outer = dict(data["footage"][-1], key="one-more")
    outer["shots"] = [dict(data["shots"][0])]
    data["footage"].append(outer)
    data["shots"][0] = dict(data["shots"][0], footage="one-more")
    with pytest.raises(ProjectFileError, match="more than 16 deep"):
        from_json(data, tmp_path / "deep.chronoxis")


def test_names_that_are_no_text_are_saved_read_and_put_into_timelines(tmp_path: Path) -> None:
    take = Path(os.fsdecode(os.fsencode(tmp_path / "take") + b"-\xff.mkv"))
    make_recording(tmp_path / "take.mkv", frames=50).rename(take)
    project = arranging.begin_with(Project(), recording_of(take, Fraction(25), Fraction(2), counted=True))
    project = arranging.add_marker(project, None, Fraction(0), "half \ud83d a letter")
    film, cut = tmp_path / "film.chronoxis", tmp_path / "cut.otio"
    save_project(project, film)
    film.read_bytes().decode()
    assert load_project(film) == project
    done = chronoxis("convert", film, "-o", cut)
    assert (done.returncode, done.stderr) == (0, "")
    assert import_timeline(cut).project == project
    timeline = json.loads(cut.read_text())
    timeline["metadata"] = {}
    cut.write_text(json.dumps(timeline))
    (shot,) = import_timeline(cut).project.shots
    assert import_timeline(cut).project.footage_of(shot).files == (take,)


def test_a_pipe_is_never_replaced(tmp_path: Path) -> None:
    take, pipe = make_recording(tmp_path / "take.mkv", frames=50), tmp_path / "out.mkv"
    os.mkfifo(pipe)
    project = arranging.begin_with(Project(), recording_of(take, Fraction(25), Fraction(2), counted=True))
    done = chronoxis("condense", take, "-o", pipe, "--overwrite", "--every", "5", "--progress", "none")
    assert done.returncode == 1
    assert done.stderr.strip().endswith("is a pipe or a device, not a file; choose another name.")
    with pytest.raises(ExportError, match="is a pipe or a device"):
        save_project(project, pipe)
    assert stat.S_ISFIFO(pipe.stat().st_mode)


def test_notes_of_what_is_gone_go_once_nobody_can_be_about_to_write_it(
    own_state: Path, tmp_path: Path
) -> None:
    notes = own_state / "unfinished"
    notes.mkdir(parents=True)
    for name, age in (("long ago", 60), ("just now", 0)):
        (notes / name).symlink_to(tmp_path / name)
        moment = time.time() - age
        os.utime(notes / name, (moment, moment), follow_symlinks=False)
    sweep_unfinished()
    assert [each.name for each in notes.iterdir()] == ["just now"]
