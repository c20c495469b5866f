"""Every export format: written, and read back by loops of its own."""

import os
import resource
import signal
import subprocess
import sys
import time
from contextlib import suppress
from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import av
import cv2
import numpy as np
import numpy.typing as npt
import pytest
from PIL import Image

from chronoxis.core.errors import ExportError, PlanError
from chronoxis.core.files.atomic import sweep_unfinished
from chronoxis.core.footage.kinds import footage_of, open_source
from chronoxis.core.model import arranging, pacing
from chronoxis.core.model.export_format import Container, ExportFormat, Quality
from chronoxis.core.model.export_formats import (
    FORMATS,
    GIF,
    JPEG,
    MKV,
    MP4,
    PNG,
    TIFF,
    VP9,
    WEBP,
    format_named,
    format_of,
)
from chronoxis.core.model.project import Project
from chronoxis.core.model.settings import ResultSettings, parse_bitrate, parse_megabytes
from chronoxis.core.render.estimate import estimate
from chronoxis.core.render.export import ExportProgress, export
from chronoxis.core.render.plan import Plan
from chronoxis.core.render.planning import make_plan
from tests.command_line import chronoxis
from tests.photo_makers import make_photos

SIZE = (320, 192)
# Every format at a plain rate, and at one that clocks cannot tell exactly those that differ in their clocks.
WRITTEN = [(each, Fraction(25)) for each in FORMATS]
WRITTEN += [(each, Fraction(30000, 1001)) for each in FORMATS if each.key in ("mp4", "vp9", "webp", "gif")]


@pytest.fixture(scope="module")
def photos(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """Forty photos that move softly, as pictures do."""
    folder = tmp_path_factory.mktemp("photos") / "dawn"
    folder.mkdir()
    rng = np.random.default_rng(1)
    field = cv2.GaussianBlur(rng.normal(0, 1, (192, 420, 3)).astype(np.float32), (0, 0), 6)
    field = 128 + 60 * field / field.std()
    for number in range(40):
        part = field[:, 2 * number : 2 * number + 320] + number
        Image.fromarray(part.clip(0, 255).astype(np.uint8)).save(folder / f"dawn{number:03d}.png")
    return folder


def plan_for(photos: Path, settings: ResultSettings, rate: Fraction = Fraction(25)) -> Plan:
    source = open_source(photos)
    project = arranging.begin_with(Project(settings=settings), footage_of(source.facts))
    project = replace(project, rate=rate, canvas=source.facts.picture.canvas)
    project = pacing.set_speed(project, project.places(), rate / project.footage[0].rate)
    return make_plan(project, {project.footage[0].key: source})


def truth(photos: Path) -> list[npt.NDArray[np.uint8]]:
    return [np.asarray(Image.open(path)) for path in sorted(photos.iterdir())]


def read_stream(
    path: Path,
) -> tuple[list[npt.NDArray[np.uint8]], list[float], av.VideoFrame, tuple[int, ...]]:
    """Frames, their times, the first as it is, and what the file says of its colours."""
    with av.open(str(path)) as container:
        told = container.streams.video[0].codec_context
        tags = tuple(int(tag) for tag in (told.color_primaries, told.color_trc, told.colorspace))
        frames = list(container.decode(video=0))
    times = [float((frame.pts or 0) * (frame.time_base or 1)) for frame in frames]
    return [np.asarray(f.to_ndarray(format="rgb24"), np.uint8) for f in frames], times, frames[0], tags


def read_loop(path: Path) -> tuple[list[npt.NDArray[np.uint8]], list[float]]:
    frames, times, now = [], [], 0.0
    with Image.open(path) as image:
        assert image.info["loop"] == 0
        for number in range(image.n_frames):  # type: ignore[attr-defined]
            image.seek(number)
            frames.append(np.asarray(image.convert("RGB")))
            times.append(now)
            now += image.info["duration"] / 1000
    return frames, times


@pytest.mark.sampled(1)
@pytest.mark.parametrize(
    "format_", [each for each in FORMATS if not each.is_folder], ids=lambda each: each.key
)
def test_one_frame_and_two_are_results(tmp_path: Path, format_: ExportFormat) -> None:
    rng = np.random.default_rng(3)
    for count in (1, 2):
        folder = tmp_path / f"of {count}"
        folder.mkdir()
        for number in range(count):
            grain = rng.integers(0, 255, (360, 640, 3), np.uint8)
            Image.fromarray(grain).save(folder / f"dawn{number}.png")
        output = tmp_path / f"{count}{format_.ending}"
        assert export(plan_for(folder, ResultSettings(format_)), output).frames == count
        if format_ is WEBP:
            with Image.open(output) as image:
                shown = getattr(image, "n_frames", 1)
        else:
            shown = len(read_stream(output)[0])
        assert shown == count


@pytest.mark.sampled(2)
@pytest.mark.parametrize("format_", [MKV, VP9, MP4], ids=lambda each: each.key)
def test_the_same_result_is_written_in_the_same_bytes(
    photos: Path, tmp_path: Path, format_: ExportFormat
) -> None:
    written = [tmp_path / f"{number}{format_.ending}" for number in range(2)]
    for output in written:
        export(plan_for(photos, ResultSettings(format_)), output)
    assert written[0].read_bytes() == written[1].read_bytes()


@pytest.mark.sampled(2)
@pytest.mark.parametrize(("format_", "rate"), WRITTEN, ids=lambda each: getattr(each, "key", str(each)))
def test_what_is_written_is_what_was_planned(
    photos: Path, tmp_path: Path, format_: ExportFormat, rate: Fraction
) -> None:
    plan = plan_for(photos, ResultSettings(format_, quality=Quality.HIGH), rate)
    output = tmp_path / ("out" if format_.is_folder else f"out{format_.ending}")
    policies = set[int]()

    def look(_progress: ExportProgress) -> None:
        for entry in Path("/proc/self/task").iterdir():
            with suppress(ProcessLookupError):  # a thread that has ended since it was listed
                policies.add(os.sched_getscheduler(int(entry.name)))

    done = export(plan, output, progress=look)
    assert policies == {os.SCHED_OTHER}  # as root, an encoder may take the highest real-time priority
    frames: list[npt.NDArray[np.uint8]]
    assert done.frames == len(plan.schedule) == 40
    if format_.is_folder:
        files = sorted(output.iterdir())
        assert [file.name for file in files] == [f"out_{n:05d}{format_.ending}" for n in range(1, 41)]
        assert done.size == sum(file.stat().st_size for file in files)
        read = [np.asarray(cv2.imread(str(file), cv2.IMREAD_UNCHANGED))[..., ::-1] for file in files]
        assert read[0].dtype == (np.uint16 if format_ is TIFF else np.uint8)
        frames = [np.asarray(part >> 8 if part.dtype == np.uint16 else part, np.uint8) for part in read]
    elif format_.container is Container.LOOP:
        frames, times = read_loop(output)
    else:
        frames, times, first, tags = read_stream(output)
        assert (first.width, first.height) == SIZE
        assert tags == (1, 13, 1 if format_.has_quality else 0)
        if format_.key in ("h265-10", "av1", "prores"):
            assert max(part.bits for part in first.format.components) == 10
    if not format_.is_folder:
        assert done.size == output.stat().st_size
        tick = 1 / (format_.clock or 1000) if format_.key != "mp4" else 1e-4
        assert np.abs(np.array(times) - times[0] - np.arange(40) / float(rate)).max() <= tick + 1e-6
    assert len(frames) == 40
    off = [np.abs(a.astype(int) - b).mean() for a, b in zip(frames, truth(photos), strict=True)]
    assert max(off) < (
        0.001 if format_ in (PNG, TIFF) or format_.key == "mkv" else 12 if format_ is GIF else 5
    )
    assert list(tmp_path.iterdir()) == [output]


@pytest.mark.sampled(1)
@pytest.mark.parametrize("format_", FORMATS, ids=lambda each: each.key)
def test_the_expected_size_is_near(photos: Path, tmp_path: Path, format_: ExportFormat) -> None:
    plan = plan_for(photos, ResultSettings(format_))
    expected = estimate(plan)
    assert expected is not None
    real = export(plan, tmp_path / ("out" if format_.is_folder else f"out{format_.ending}")).size
    assert (
        0.55 < expected.size / real < 2
    )  # of so short a piece, of which much is what files say of themselves


@pytest.mark.sampled(2)
@pytest.mark.parametrize("key", ["mp4", "h265", "vp9", "av1"])
def test_a_file_is_held_to_a_size_and_a_bitrate(photos: Path, tmp_path: Path, key: str) -> None:
    format_ = format_named(key)
    free = export(
        plan_for(photos, ResultSettings(format_, quality=Quality.MASTER)), tmp_path / f"a{format_.ending}"
    )
    limit = max(free.size // 2, 12_000)
    settings = ResultSettings(format_, quality=Quality.MASTER, at_most=limit)
    held = export(plan_for(photos, settings), tmp_path / f"b{format_.ending}")
    assert held.size <= limit
    assert held.frames == 40
    wish = ResultSettings(format_, bitrate=600_000)
    rated = export(plan_for(photos, wish), tmp_path / f"c{format_.ending}")
    assert rated.size * 8 / float(rated.length) < 1_200_000
    with pytest.raises(PlanError, match="not both"):
        plan_for(photos, replace(settings, bitrate=600_000))


def test_what_has_no_bitrate_says_so(photos: Path) -> None:
    for format_ in (JPEG, GIF, WEBP, format_named("prores")):
        with pytest.raises(PlanError, match="cannot be held to a size; MP4"):
            plan_for(photos, ResultSettings(format_, at_most=10**6))
    assert parse_bitrate("8M") == parse_bitrate("8 Mbit/s") == 8_000_000
    assert parse_bitrate("800k") == 800_000
    assert parse_megabytes("25 MB") == parse_megabytes("25") == 25_000_000
    assert parse_megabytes("1.5 GB") == 1_500_000_000
    for wrong in ("", "x", "0", "-3", "1/0", "9" * 80):
        with pytest.raises(PlanError):
            parse_bitrate(wrong)
        with pytest.raises(PlanError):
            parse_megabytes(wrong)


def test_endings_and_patterns_choose_formats(photos: Path, tmp_path: Path) -> None:
    for name, key in (
        ("a.mp4", "mp4"),
        ("a.MKV", "mkv"),
        ("a.webm", "vp9"),
        ("a.mov", "prores"),
        ("a", "jpeg"),
    ):
        assert format_of(Path(name)).key == key
    assert format_of(Path("d/%05d.tif")) is TIFF
    assert format_of(Path("a.webm"), "av1").key == "av1"
    for name, wrong in (("a.png", None), ("a.avi", None), ("a.mp4", "av1"), ("a.jpg", "png")):
        with pytest.raises(PlanError, match="should end in"):
            format_of(Path(name), wrong)
    export(plan_for(photos, ResultSettings(PNG)), tmp_path / "dawn" / "light%04d.png")
    assert (tmp_path / "dawn" / "light0001.png").exists()
    with pytest.raises(ExportError, match="one place for a number"):
        export(plan_for(photos, ResultSettings(PNG)), tmp_path / "other" / "%d%d.png")


def test_a_folder_of_stills_replaces_nothing_but_stills(photos: Path, tmp_path: Path) -> None:
    plan = plan_for(photos, ResultSettings(JPEG))
    output = tmp_path / "out"
    export(plan, output)
    before = {file.name: file.stat().st_mtime_ns for file in output.iterdir()}
    with pytest.raises(ExportError, match="already there"):
        export(plan, output)
    export(plan, output, overwrite=True)
    assert before.keys() == {file.name for file in output.iterdir()}
    (output / "diary.txt").write_text("precious")
    with pytest.raises(ExportError, match=r"holds other files, such as diary\.txt"):
        export(plan, output, overwrite=True)
    assert (output / "diary.txt").read_text() == "precious"
    with pytest.raises(ExportError, match=r"holds other files|where what is read here lies"):
        export(plan, photos, overwrite=True)
    assert len(list(photos.iterdir())) == 40
    (tmp_path / "file").write_text("precious")
    with pytest.raises(ExportError, match="is a file"):
        export(plan, tmp_path / "file", overwrite=True)
    assert sorted(path.name for path in tmp_path.iterdir()) == ["file", "out"]


@pytest.mark.sampled(1)
@pytest.mark.parametrize("key", ["jpeg", "tiff"])
def test_a_full_disk_leaves_no_folder_of_stills(tmp_path: Path, key: str) -> None:
    folder = make_photos(tmp_path / "photos", range(12), size=(600, 400))

    def limit() -> None:
        signal.signal(signal.SIGXFSZ, signal.SIG_IGN)
        resource.setrlimit(resource.RLIMIT_FSIZE, (1_000, 1_000))

    wish = ("condense", folder, "-o", tmp_path / "out" / "stills", "--format", key, "--progress", "none")
    (tmp_path / "out").mkdir()
    done = chronoxis(*wish, prepared=limit)
    assert done.returncode == 1
    assert "stills was not written" in done.stderr
    assert len(done.stderr.strip().splitlines()) == 1
    assert list((tmp_path / "out").iterdir()) == []


@pytest.mark.thorough
def test_a_killed_export_of_stills_leaves_nothing(tmp_path: Path) -> None:
    folder = make_photos(tmp_path / "photos", range(40), size=(900, 600))
    command = [sys.executable, "-m", "chronoxis.cli", "condense", str(folder), "-o", str(tmp_path / "out")]
    command += ["--speed", "1/8x"]  # long enough that none ends while nobody looks
    with subprocess.Popen([*command, "--format", "png", "--progress", "none"]) as process:
        end = time.monotonic() + 60
        while not any(len(list(p.rglob("*.png"))) > 5 for p in tmp_path.glob(".out*")):
            assert time.monotonic() < end
            time.sleep(0.02)
        process.kill()
    assert not (tmp_path / "out").exists()
    for left in tmp_path.glob(".out*"):
        os.utime(left, (0, 0))
    sweep_unfinished()
    assert not list(tmp_path.glob(".out*"))
    with subprocess.Popen([*command, "--format", "png", "--progress", "none"]) as process:
        while not any(list(p.rglob("*.png")) for p in tmp_path.glob(".out*")):
            time.sleep(0.02)
        process.send_signal(signal.SIGTERM)
    assert process.returncode != 0
    assert not list(tmp_path.glob("*out*"))
    assert MP4 is FORMATS[0]
