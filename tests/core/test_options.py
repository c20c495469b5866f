"""Options of the command line: each does what it says, or says why it would do nothing."""

import csv
from fractions import Fraction
from pathlib import Path

import av
import pytest

from chronoxis.core.files.project_file import save_project
from chronoxis.core.model import arranging, making, pacing
from chronoxis.core.model.project import Place, Project
from chronoxis.core.timing.frame_making import EachFrame
from tests.command_line import chronoxis
from tests.core.test_music import tone, write_sound
from tests.footage_makers import decode_all, make_recording, recording_of


@pytest.fixture(scope="module")
def take(tmp_path_factory: pytest.TempPathFactory) -> Path:
    return make_recording(tmp_path_factory.mktemp("options") / "take.mkv", frames=100, sound=True)


@pytest.fixture
def film(take: Path, tmp_path: Path) -> Path:
    """A project that clears, and neither steadies nor evens out."""
    project = arranging.begin_with(Project(), recording_of(take, Fraction(25), Fraction(4), counted=True))
    project = pacing.set_speed(project, [Place(0, 0)], Fraction(5))
    project = making.set_each_frame(project, [Place(0, 0)], EachFrame.CLEAR)
    save_project(project, tmp_path / "film.chronoxis")
    return tmp_path / "film.chronoxis"


@pytest.mark.parametrize(
    ("options", "words"),
    [
        (("--crop-budget", "5"), "--crop-budget has no effect without --steady"),
        (("--level",), "--level has no effect without --steady"),
        (("--even-out-span", "4"), "--even-out-span has no effect without --even-out"),
        (("--window", "2"), "--window has no effect without --each clear"),
        (("--shutter", "90"), "--shutter has no effect without --each or --fill"),
        (("--credits",), "--credits is for music, and there is none"),
        (("--loudness", "-14", "--sound", "none"), "--loudness has no effect on --sound none"),
    ],
)
def test_an_option_that_would_do_nothing_says_so(
    take: Path, tmp_path: Path, options: tuple[str, ...], words: str
) -> None:
    done = chronoxis("condense", take, "-o", tmp_path / "out.mkv", "--every", "5", *options)
    assert done.returncode == 2
    assert words in done.stderr
    assert "Traceback" not in done.stderr
    assert not (tmp_path / "out.mkv").exists()


def test_what_a_project_has_already_needs_no_option(film: Path, tmp_path: Path) -> None:
    out = tmp_path / "out.mkv"
    assert chronoxis("render", film, "-o", out, "--window", "1", "--progress", "none").returncode == 0
    refused = chronoxis("render", film, "-o", tmp_path / "no.mkv", "--level")
    assert (refused.returncode, "--level has no effect without --steady" in refused.stderr) == (2, True)


def test_loudness_wants_the_recorded_sound(take: Path, tmp_path: Path) -> None:
    out = tmp_path / "out.mkv"
    done = chronoxis("condense", take, "-o", out, "--speed", "1", "--loudness", "-20", "--progress", "none")
    assert (done.returncode, done.stderr) == (0, "")
    with av.open(str(out)) as container:
        assert container.streams.audio


def test_what_cannot_be_heard_is_said(take: Path, tmp_path: Path) -> None:
    music = write_sound(tmp_path / "tune.wav", tone(2), "pcm_s16le")
    usual = ("--progress", "none", "--music", f"{music}@0:10")
    done = chronoxis("condense", take, "-o", tmp_path / "a.mkv", "--speed", "4", *usual)
    assert done.returncode == 0
    assert "tune.wav begins at 0:10.0, after the end of the result (0:01.0): it is not heard." in done.stderr
    assert "Nothing is heard" not in done.stderr
    brief = ("--speed", "1", "--to", "0.2", "--loudness", "-14", "--progress", "none")
    done = chronoxis("condense", take, "-o", tmp_path / "b.mkv", *brief)
    assert done.returncode == 0
    assert "The loudness of less than 0.4 s cannot be measured" in done.stderr


def test_a_plan_takes_what_an_export_takes_and_writes_no_file_unasked(
    take: Path, film: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.chdir(tmp_path)
    before = sorted(tmp_path.iterdir())
    choices = ("--speed", "2", "--reverse", "--accent", "grain", "--sound", "follows")
    listed = chronoxis("plan", take, *choices, "--csv", "-")
    rows = list(csv.DictReader(listed.stdout.splitlines()))
    assert [int(row["recorded_frame"]) for row in rows[:2]] == [99, 97]
    heard = list(csv.DictReader(chronoxis("plan", take, *choices, "--heard", "-").stdout.splitlines()))
    assert [row["manner"] for row in heard] == ["follows"]
    silent = chronoxis("plan", take, "--speed", "2", "--sound", "none", "--heard", "-").stdout
    assert len(silent.splitlines()) == 1
    assert sorted(tmp_path.iterdir()) == before
    refused = chronoxis("plan", film, "--from", "1", "--csv", "-")
    assert (refused.returncode, "--from is for footage" in refused.stderr) == (2, True)
    assert chronoxis("plan", film, "--accent", "grain", "--sound", "held", "--csv", "-").returncode == 0


def test_an_export_of_a_project_takes_accents(film: Path, tmp_path: Path) -> None:
    plain, dark = tmp_path / "plain.mkv", tmp_path / "dark.mkv"
    assert chronoxis("render", film, "-o", plain, "--progress", "none").returncode == 0
    done = chronoxis("render", film, "-o", dark, "--accent", "lines", "--progress", "none")
    assert (done.returncode, done.stderr) == (0, "")
    assert decode_all(dark, "rgb24")[0].mean() < 0.9 * decode_all(plain, "rgb24")[0].mean()
