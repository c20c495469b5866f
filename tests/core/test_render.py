"""Exports, estimates and the demo's truth."""

import json
import threading
import time
from collections.abc import Iterator
from contextlib import closing
from dataclasses import replace
from fractions import Fraction
from itertools import pairwise
from pathlib import Path

import numpy as np
import pytest

from chronoxis.core.errors import Cancelled, ExportError, FootageError
from chronoxis.core.files.atomic import publish, temporary_beside
from chronoxis.core.footage.facts import read_facts
from chronoxis.core.footage.frame_index import build_index
from chronoxis.core.model import edits
from chronoxis.core.model.project import Footage, Project
from chronoxis.core.model.settings import Quality, ResultFormat, ResultSettings
from chronoxis.core.render.ahead import ahead
from chronoxis.core.render.estimate import estimate_size
from chronoxis.core.render.export import ExportProgress, Plan, export, make_plan
from chronoxis.core.render.frames import Recording
from chronoxis.core.timing.reckoner import Quantity
from chronoxis.core.timing.schedule import EachFrame
from chronoxis.demo import tower_truth
from chronoxis.demo.larkfield import draw_field
from chronoxis.demo.tower_picture import frames
from tests.footage_makers import decode_all, make_recording


@pytest.fixture(scope="session")
def field(tmp_path_factory: pytest.TempPathFactory) -> Path:
    path = tmp_path_factory.mktemp("field") / "field.mp4"
    draw_field(path, size=(320, 180), start=100, seconds=16)
    return path


def plan_for(path: Path, settings: ResultSettings, each: EachFrame = EachFrame.ONE, step: int = 4) -> Plan:
    index = build_index(path)
    facts = read_facts(path).counted(index)
    project = edits.open_footage(Project(settings=settings), Footage(path, facts.rate, facts.length))
    project = edits.change_quantity(project, Quantity.STEP, Fraction(step))
    return make_plan(edits.set_each_frame(project, each), Recording(facts, index))


@pytest.mark.parametrize("quality", [Quality.DRAFT, Quality.GOOD, Quality.MASTER])
@pytest.mark.parametrize("each", list(EachFrame))
def test_the_expected_size_is_near(field: Path, tmp_path: Path, quality: Quality, each: EachFrame) -> None:
    plan = plan_for(field, ResultSettings(quality=quality), each)
    expected = estimate_size(plan)
    assert expected is not None
    real = export(plan, tmp_path / "out.mp4").size
    assert 0.6 < expected / real < 1.7
    assert estimate_size(plan, lambda: False) is None


def test_better_quality_is_larger(field: Path) -> None:
    sizes = [estimate_size(plan_for(field, ResultSettings(quality=quality))) or 0 for quality in Quality]
    assert sizes == sorted(sizes)
    lossless = estimate_size(plan_for(field, ResultSettings(ResultFormat.MKV))) or 0
    assert lossless > sizes[-1]


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
    source = make_recording(tmp_path / "in.mkv", frames=600, size=(320, 240), codec="ffv1", options={})
    plan = plan_for(source, ResultSettings(), step=1)

    def shrink(now: ExportProgress) -> None:
        if now.done == 5:
            with source.open("r+b") as file:
                file.truncate(source.stat().st_size // 2)

    with pytest.raises(FootageError, match=r"in\.mkv"):
        export(plan, tmp_path / "out.mp4", progress=shrink)
    assert [path.name for path in tmp_path.iterdir()] == ["in.mkv"]


def test_overlapping_windows_share_recorded_frames(field: Path, tmp_path: Path) -> None:
    plan = plan_for(field, ResultSettings(ResultFormat.MKV), EachFrame.LONG_EXPOSURE)
    wide = replace(plan, schedule=plan_with_shutter(field, 720).schedule)
    for number in range(len(wide.schedule) - 2):
        assert len(wide.schedule.sources(number)[0]) == 8
    narrow = decode_all(export(plan, tmp_path / "narrow.mkv").path, "gbrp16le")
    broad = decode_all(export(wide, tmp_path / "wide.mkv").path, "gbrp16le")
    assert len(narrow) == len(broad) == 100
    assert np.abs(narrow[50].astype(int) - broad[50]).max() > 0


def plan_with_shutter(path: Path, shutter: float) -> Plan:
    index = build_index(path)
    facts = read_facts(path).counted(index)
    settings = ResultSettings(ResultFormat.MKV)
    project = edits.open_footage(Project(settings=settings), Footage(path, facts.rate, facts.length))
    project = edits.change_quantity(project, Quantity.STEP, Fraction(4))
    project = edits.set_shutter(edits.set_each_frame(project, EachFrame.LONG_EXPOSURE), shutter)
    return make_plan(project, Recording(facts, index))


def test_ahead_stays_near_and_hands_on_errors() -> None:
    made: list[int] = []

    def numbers() -> Iterator[int]:
        for number in range(1000):
            made.append(number)
            yield number
            if number == 20:
                raise FootageError("broken")

    taken: list[int] = []
    with closing(ahead(numbers(), 3)) as items:
        taken.append(next(items))
        time.sleep(0.1)
        assert len(made) <= 6
        with pytest.raises(FootageError, match="broken"):
            taken.extend(items)
    before = threading.active_count()
    with closing(ahead(iter(range(10**9)), 3)) as endless:
        assert next(endless) == 0
    assert threading.active_count() == before


def test_publishing(tmp_path: Path) -> None:
    final = tmp_path / "film.mp4"
    first = temporary_beside(final)
    first.write_bytes(b"one")
    publish(first, final, overwrite=False)
    second = temporary_beside(final)
    second.write_bytes(b"two")
    with pytest.raises(ExportError, match="already there"):
        publish(second, final, overwrite=False)
    assert final.read_bytes() == b"one"
    publish(second, final, overwrite=True)
    assert final.read_bytes() == b"two"
    assert list(tmp_path.iterdir()) == [final]


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
