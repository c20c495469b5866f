"""Exports, estimates and the demo's truth."""

import csv
import json
import os
import subprocess
import sys
import threading
import time
from collections.abc import Iterator
from contextlib import closing
from fractions import Fraction
from itertools import pairwise
from pathlib import Path

import numpy as np
import pytest

from chronoxis.core.errors import Cancelled, ExportError, FootageError
from chronoxis.core.files.atomic import publish, temporary_beside
from chronoxis.core.files.project_file import save_project
from chronoxis.core.footage.kinds import footage_of, open_source
from chronoxis.core.footage.prefetch import Check, ahead
from chronoxis.core.model import arranging, making, pacing
from chronoxis.core.model.composing import set_framings
from chronoxis.core.model.export_format import Quality
from chronoxis.core.model.export_formats import MKV
from chronoxis.core.model.framing import Fit, Framing
from chronoxis.core.model.project import Place, Project
from chronoxis.core.model.settings import ResultSettings
from chronoxis.core.render.estimate import estimate
from chronoxis.core.render.export import ExportProgress, export
from chronoxis.core.render.plan import Plan
from chronoxis.core.render.planning import make_plan
from chronoxis.core.timing.frame_making import OWN_EACH_FRAME, EachFrame
from chronoxis.core.timing.reckoner import Quantity
from chronoxis.demo import tower_truth
from chronoxis.demo.larkfield import draw_field
from chronoxis.demo.tower_picture import frames
from tests.command_line import chronoxis
from tests.footage_makers import decode_all, make_recording, recording_of

ONLY = Place(0, 0)


@pytest.fixture(scope="session")
def field(tmp_path_factory: pytest.TempPathFactory) -> Path:
    path = tmp_path_factory.mktemp("field") / "field.mp4"
    draw_field(path, size=(320, 180), start=100, seconds=16)
    return path


def plan_for(path: Path, settings: ResultSettings, each: EachFrame = EachFrame.ONE, step: int = 4) -> Plan:
    source = open_source(path)
    project = arranging.begin_with(Project(settings=settings), footage_of(source.facts))
    project = pacing.change_quantity(project, ONLY, Quantity.STEP, Fraction(step))
    project = making.set_each_frame(project, [ONLY], each)
    return make_plan(project, {project.footage[0].key: source})


@pytest.mark.thorough
@pytest.mark.parametrize("quality", [Quality.DRAFT, Quality.GOOD, Quality.MASTER])
@pytest.mark.parametrize("each", list(OWN_EACH_FRAME))
def test_the_expected_size_is_near(field: Path, tmp_path: Path, quality: Quality, each: EachFrame) -> None:
    plan = plan_for(field, ResultSettings(quality=quality), each)
    expected = estimate(plan)
    assert expected is not None
    real = export(plan, tmp_path / "out.mp4").size
    assert 0.6 < expected.size / real < 1.7
    assert expected.seconds > 0
    assert estimate(plan, lambda: False) is None


def test_better_quality_is_larger(field: Path) -> None:
    wishes = [*(ResultSettings(quality=quality) for quality in Quality), ResultSettings(MKV)]
    found = [estimate(plan_for(field, wish)) for wish in wishes]
    sizes = [each.size for each in found if each is not None]
    assert len(sizes) == len(wishes)
    assert sizes == sorted(sizes)


def test_progress_counts_every_frame_and_cancels(field: Path, tmp_path: Path) -> None:
    plan = plan_for(field, ResultSettings())
    told: list[ExportProgress] = []
    export(plan, tmp_path / "out.mp4", progress=told.append)
    assert [now.done for now in told] == list(range(1, 101))
    assert told[-1].seconds_left == 0

    def stop(now: ExportProgress) -> None:
        if now.done == 10:
            raise Cancelled

    with pytest.raises(Cancelled):
        export(plan, tmp_path / "no.mp4", progress=stop)
    assert [path.name for path in tmp_path.iterdir()] == ["out.mp4"]


def test_a_name_taken_meanwhile_is_not_overwritten(field: Path, tmp_path: Path) -> None:
    plan, out = plan_for(field, ResultSettings()), tmp_path / "out.mp4"

    def take(now: ExportProgress) -> None:
        if now.done == 50:
            out.write_bytes(b"somebody else's")

    with pytest.raises(ExportError, match="already there"):
        export(plan, out, progress=take)
    assert out.read_bytes() == b"somebody else's"
    assert [path.name for path in tmp_path.iterdir()] == ["out.mp4"]


def test_a_recording_that_shrinks_during_export_is_said(tmp_path: Path) -> None:
    source = make_recording(tmp_path / "in.mkv", frames=150, size=(320, 240), codec="ffv1", options={})
    plan = plan_for(source, ResultSettings(), step=1)

    def shrink(now: ExportProgress) -> None:
        if now.done == 5:
            with source.open("r+b") as file:
                file.truncate(source.stat().st_size // 2)

    with pytest.raises(FootageError, match=r"in\.mkv"):
        export(plan, tmp_path / "out.mp4", progress=shrink)
    assert [path.name for path in tmp_path.iterdir()] == ["in.mkv"]


def test_a_shaped_project_is_rendered_frame_by_frame_as_listed(tmp_path: Path) -> None:
    """Ramps, two recordings, one of them backwards, against a loop that only reads the listing."""
    one = make_recording(tmp_path / "one.mkv", frames=120)
    two = make_recording(tmp_path / "two.mkv", frames=90, rate=Fraction(30), options={"crf": "30", "g": "7"})
    project = arranging.begin_with(Project(), recording_of(one, Fraction(25), Fraction(120, 25)))
    for covered in (Fraction(1), Fraction(2), Fraction(3)):
        project = pacing.divide(project, 0, covered)
    for number, speed in enumerate((4.0, 0.5, 3.0, 8.0)):
        project = pacing.set_speed(project, [Place(0, number)], Fraction(speed))
    project = pacing.set_ramps(project, project.places(), length=Fraction(1, 3))
    project = arranging.begin_with(project, recording_of(two, Fraction(30), Fraction(3)))
    project = arranging.reverse(pacing.set_speed(project, [Place(1, 0)], Fraction(3, 2)), [1])
    film, out, listing = (tmp_path / name for name in ("film.chronoxis", "out.mkv", "plan.csv"))
    save_project(project, film)
    assert chronoxis("plan", film, "--csv", listing).returncode == 0
    done = chronoxis("render", film, "-o", out, "--progress", "none")
    assert (done.returncode, done.stderr) == (0, "")
    every = {"one": decode_all(one), "two": decode_all(two)}
    rows = list(csv.DictReader(listing.read_text().splitlines()))
    made = decode_all(out)
    assert [int(row["result_frame"]) for row in rows] == list(range(len(made)))
    for row, picture in zip(rows, made, strict=True):
        assert np.array_equal(picture, every[row["footage"]][int(row["recorded_frame"])]), row
    numbers = [int(row["recorded_frame"]) for row in rows if row["shot"] == "2"]
    assert numbers[0] in (87, 88, 89)  # the shot begins between two result frames
    assert numbers == sorted(numbers, reverse=True)
    times = np.array([float(row["recorded_time"]) for row in rows if row["shot"] == "1"])
    wish = project.shots[0].pace.recorded_at(np.arange(len(times)) / 25)
    assert np.all((wish - times > -1e-6) & (wish - times < 0.04 + 1e-6))


@pytest.mark.thorough
def test_backwards_long_exposures_are_the_forward_ones_in_reverse(field: Path, tmp_path: Path) -> None:
    plan = plan_for(field, ResultSettings(MKV), EachFrame.LONG_EXPOSURE)
    recordings = {plan.project.footage[0].key: plan.sources[0]}
    turned = make_plan(arranging.reverse(plan.project, [0]), recordings)
    forward = decode_all(export(plan, tmp_path / "forward.mkv").path, "gbrp16le")
    backward = decode_all(export(turned, tmp_path / "backward.mkv").path, "gbrp16le")
    assert len(forward) == len(backward) == 100
    for one, other in zip(forward, reversed(backward), strict=True):
        assert np.array_equal(one, other)


def test_recordings_of_another_shape_stand_between_bars(tmp_path: Path) -> None:
    wide = make_recording(tmp_path / "wide.mkv", frames=10, size=(160, 90))
    tall = make_recording(tmp_path / "tall.mkv", frames=10, size=(64, 90))
    project = arranging.begin_with(Project(), recording_of(wide, Fraction(25), Fraction(10, 25)))
    project = arranging.begin_with(project, recording_of(tall, Fraction(25), Fraction(10, 25)))
    project = set_framings(project, {1: Framing(fit=Fit.BARS)})
    save_project(pacing.set_speed(project, project.places(), Fraction(1)), tmp_path / "film.chronoxis")
    done = chronoxis("render", tmp_path / "film.chronoxis", "-o", tmp_path / "out.mp4", "--progress", "none")
    assert done.returncode == 0
    made = decode_all(tmp_path / "out.mp4", "rgb24")
    assert len(made) == 20
    assert made[0][:, :40].mean() > 30
    assert made[15][:, :40].mean() < 8
    assert made[15][:, 60:100].mean() > 30


def test_what_has_changed_on_disk_is_said(tmp_path: Path) -> None:
    take = make_recording(tmp_path / "take.mkv", frames=50)
    film = tmp_path / "film.chronoxis"
    project = arranging.begin_with(Project(), recording_of(take, Fraction(25), Fraction(2)))
    save_project(arranging.measure(project, "take", Fraction(25), Fraction(2)), film)
    make_recording(take, frames=30)
    done = chronoxis("render", film, "-o", tmp_path / "out.mkv", "--progress", "none")
    assert done.returncode == 1
    assert "take.mkv has changed" in done.stderr
    take.unlink()
    done = chronoxis("render", film, "-o", tmp_path / "out.mkv", "--progress", "none")
    assert done.returncode == 1
    assert "take.mkv is not there" in done.stderr
    assert len(done.stderr.strip().splitlines()) == 1


def test_ahead_stays_near_and_hands_on_errors() -> None:
    made: list[int] = []

    def numbers() -> Iterator[int]:
        for number in range(1000):
            made.append(number)
            yield number
            if number == 20:
                raise FootageError("broken")

    taken: list[int] = []
    with closing(ahead(lambda _: numbers(), 3)) as items:
        taken.append(next(items))
        time.sleep(0.1)
        assert len(made) <= 6
        with pytest.raises(FootageError, match="broken"):
            taken.extend(items)
    before = threading.active_count()
    with closing(ahead(lambda _: iter(range(10**9)), 3)) as endless:
        assert next(endless) == 0
    assert threading.active_count() == before


def test_what_is_no_longer_wanted_is_given_up_in_its_midst() -> None:
    def never_done(check: Check) -> Iterator[int]:
        while True:
            check()
            time.sleep(0.001)
        yield 0

    looks = 0

    def check() -> None:
        nonlocal looks
        looks += 1
        if looks > 3:
            raise Cancelled

    before = threading.active_count()
    with pytest.raises(Cancelled), closing(ahead(never_done, 3, check)) as items:
        next(items)
    assert threading.active_count() == before


def test_publishing(tmp_path: Path) -> None:
    final = tmp_path / "film.mp4"
    with temporary_beside(final) as first:
        first.write_bytes(b"one")
        publish(first, final, overwrite=False)
    with temporary_beside(final) as second:
        second.write_bytes(b"two")
        with pytest.raises(ExportError, match="already there"):
            publish(second, final, overwrite=False)
        assert final.read_bytes() == b"one"
        publish(second, final, overwrite=True)
    assert final.read_bytes() == b"two"
    assert list(tmp_path.iterdir()) == [final]


def test_what_a_killed_export_left_is_removed_by_the_next(tmp_path: Path) -> None:
    final, other = tmp_path / "film.mp4", tmp_path / ".film-2-abcdefgh.part"
    code = (
        "import os, signal, sys; from pathlib import Path\n"
        "from chronoxis.core.files.atomic import temporary_beside\n"
        "with temporary_beside(Path(sys.argv[1])): os.kill(os.getpid(), signal.SIGKILL)"
    )
    subprocess.run([sys.executable, "-c", code, str(final)], check=False)
    other.touch()
    (left,) = (path for path in tmp_path.iterdir() if path != other)
    with temporary_beside(final) as written:
        for path in tmp_path.iterdir():
            os.utime(path, (0, 0))
        with temporary_beside(final) as beside:
            assert set(tmp_path.iterdir()) == {other, written, beside}
    assert not left.exists()
    assert list(tmp_path.iterdir()) == [other]


def test_the_demo_is_what_its_truth_says() -> None:
    size = (320, 180)
    assert np.array_equal(next(frames(size, 1, 2500)), next(frames(size, 1, 2500)))
    dark, light = next(frames(size, 1, 100)), next(frames(size, 1, 5600))
    assert light.mean() > 2 * dark.mean()
    passer = tower_truth.PASSERS[2]
    middle = (passer.enter + passer.leave) / 2
    there = next(frames(size, 1, round(middle * 25))).astype(int)
    gone = next(frames(size, 1, round((passer.leave + 0.4) * 25))).astype(int)
    column = int(passer.x(middle) * size[0])
    assert np.abs(there - gone)[100:150, column - 5 : column + 5].mean() > 15
    shifts = [tower_truth.flicker((5900 + number) / 25) for number in range(50)]
    grass = [picture[165:].mean() for picture in frames(size, 50, 5900)]
    assert np.corrcoef(shifts, grass)[0, 1] > 0.9


def test_the_truth_is_data() -> None:
    truth = json.loads(tower_truth.truth_json())
    assert len(truth["flicker"]) == 6000
    assert len(truth["balloons"]) == len(tower_truth.BALLOONS)
    for balloon in tower_truth.BALLOONS:
        ys = [tower_truth.place(balloon, second).y for second in range(240)]
        assert ys[0] == balloon.ground_y
        assert ys[-1] < balloon.ground_y - 0.1
        assert all(later <= earlier for earlier, later in pairwise(ys))
