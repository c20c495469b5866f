"""Photo runs: which photos there are, when each is on display, and that exactly they come out."""

import io
import json
import os
import random
from dataclasses import replace
from datetime import timedelta
from fractions import Fraction
from itertools import pairwise
from pathlib import Path
from struct import pack

import cv2
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from hypothesis.extra.numpy import arrays
from numpy.typing import NDArray
from PIL import Image, ImageCms, ImageOps

from chronoxis.core.errors import FootageError, PlanError
from chronoxis.core.files.project_file import load_project, save_project
from chronoxis.core.footage.kinds import as_chosen, count, footage_of, meet, open_source
from chronoxis.core.footage.photos.capture_times import capture_times
from chronoxis.core.footage.photos.folders import photos_at, photos_of, run_around, runs_in
from chronoxis.core.footage.photos.photo_facts import PhotoRunFacts
from chronoxis.core.footage.photos.photo_header import PhotoHeader, read_header
from chronoxis.core.footage.photos.photo_kind import PhotoSource, with_choices
from chronoxis.core.footage.photos.photo_pixels import read_pixels
from chronoxis.core.footage.photos.run_names import natural_key, numbered, runs_among
from chronoxis.core.model import arranging, making, pacing
from chronoxis.core.model.export_formats import MKV
from chronoxis.core.model.photo_run import (
    DATES,
    FlawKind,
    Handling,
    PhotoRun,
    PhotoTime,
    apart_in_words,
    parse_interval,
    parse_photo_rate,
)
from chronoxis.core.model.project import Place, Project
from chronoxis.core.model.settings import ResultSettings
from chronoxis.core.picture.scaling import averaged
from chronoxis.core.render.export import export
from chronoxis.core.render.plan import Plan
from chronoxis.core.render.planning import make_plan
from chronoxis.core.timing.frame_making import EachFrame
from tests.footage_makers import decode_all
from tests.photo_makers import START, make_photos, photo_pixels

RATES = [10, 12, 15, 24, 25, 30]


def opened(folder: Path) -> PhotoSource:
    source = open_source(folder)
    assert isinstance(source, PhotoSource)
    return source


def planned(source: PhotoSource, run: PhotoRun | None = None, rate: int = 25) -> Plan:
    run = source.facts.measured(run or source.run)
    project = arranging.bring_in(Project(settings=ResultSettings(MKV), rate=Fraction(rate)), run)
    project = arranging.add_shot(project, project.footage[0].key)
    return make_plan(project, {project.footage[0].key: source})


def shown(plan: Plan) -> list[int]:
    """Numbers of the photos of all result frames."""
    source = plan.sources[0]
    assert isinstance(source, PhotoSource)
    slots = source.course.slots
    return [slots[plan.schedule.sources(n)[0][0]].shows for n in range(len(plan.schedule))]


@pytest.mark.parametrize("photo_rate", RATES)
@pytest.mark.parametrize("rate", [24, 25, 30, 60])
def test_photos_at_a_rate_last_exactly_their_number_by_it(tmp_path: Path, photo_rate: int, rate: int) -> None:
    source = opened(make_photos(tmp_path / "knot", range(48), size=(8, 8), interval=None))
    plan = planned(source, replace(source.run, time=PhotoTime.at_rate(Fraction(photo_rate))), rate)
    assert plan.project.result_length == Fraction(48, photo_rate)
    frames = shown(plan)
    assert frames == [min(k * photo_rate // rate, 47) for k in range(-(-48 * rate // photo_rate))]


def test_one_frame_gives_the_very_pixels_of_the_photos(tmp_path: Path) -> None:
    folder = make_photos(tmp_path / "dawn", range(30), size=(97, 64), turned=[4], ending=".jpg")
    plan = planned(opened(folder))
    export(plan, tmp_path / "dawn.mkv")
    frames = decode_all(tmp_path / "dawn.mkv", "rgb24")
    assert len(frames) == 30
    for path, frame in zip(sorted(folder.iterdir()), frames, strict=True):
        with Image.open(path) as image:
            upright = image.transpose(Image.Transpose.ROTATE_270) if path.name == "IMG_0004.jpg" else image
            assert np.array_equal(frame, np.asarray(upright)), path.name


def test_deep_photos_keep_their_sixteen_bits(tmp_path: Path) -> None:
    folder = tmp_path / "deep"
    folder.mkdir()
    rng = np.random.default_rng(3)
    made = rng.integers(0, 65536, (3, 20, 30, 3)).astype(np.uint16)
    for number, ending in enumerate((".tif", ".tif", ".tif")):
        cv2.imwrite(str(folder / f"{number}{ending}"), made[number][..., ::-1])
    plan = planned(opened(folder))
    assert plan.sources[0].facts.picture.bit_depth == 16
    export(plan, tmp_path / "deep.mkv")
    for frame, want in zip(decode_all(tmp_path / "deep.mkv", "gbrp16le"), made, strict=True):
        assert np.array_equal(frame, want[..., [0, 1, 2]] if frame.shape == want.shape else frame)
        assert np.array_equal(np.sort(frame, axis=-1), np.sort(want, axis=-1))


def test_missing_numbers_are_held_or_left_out(tmp_path: Path) -> None:
    there = [n for n in range(20) if n not in (7, 8, 15)]
    source = opened(make_photos(tmp_path / "dawn", there))
    assert [(flaw.kind, flaw.photo, flaw.count) for flaw in source.facts.flaws] == [
        (FlawKind.MISSING, 6, 2),
        (FlawKind.MISSING, 12, 1),
    ]
    assert source.length == 100
    held = planned(source)
    assert shown(held) == [0, 1, 2, 3, 4, 5, 6, 6, 6, 7, 8, 9, 10, 11, 12, 12, 13, 14, 15, 16]
    left = planned(source, source.run.with_handling(FlawKind.MISSING, Handling.LEAVE_OUT))
    assert left.project.recorded_length == 85
    assert shown(left) == list(range(17))
    one = source.run.with_handling(FlawKind.MISSING, Handling.LEAVE_OUT, "IMG_0006.png")
    assert len(planned(source, one).schedule) == 18
    assert [(flaw.begin, flaw.end) for flaw in source.flaws] == [(35.0, 35.0), (75.0, 75.0)]


@pytest.mark.parametrize("damage", ["empty", "cut", "text", "gone"])
def test_a_damaged_photo_is_held_and_said(tmp_path: Path, damage: str) -> None:
    folder = make_photos(tmp_path / "dawn", range(6), ending=".jpg", size=(300, 200))
    victim = folder / "IMG_0003.jpg"
    content = victim.read_bytes()
    victim.write_bytes(
        {"empty": b"", "cut": content[: len(content) // 2], "text": b"hello"}.get(damage, content)
    )
    source = opened(folder)
    if damage == "gone":
        victim.unlink()
        assert source.facts.flaws == ()
    else:
        assert [(flaw.kind, flaw.photo) for flaw in source.facts.flaws] == [(FlawKind.UNREADABLE, 3)]
    plan = planned(source)
    done = export(plan, tmp_path / "out.mkv")
    frames = decode_all(tmp_path / "out.mkv", "rgb24")
    assert len(frames) == 6
    assert np.array_equal(frames[3], frames[2])
    assert not np.array_equal(frames[4], frames[2])
    assert bool(done.remark) == (damage == "gone")


def test_what_nobody_can_read_is_said_in_one_line(tmp_path: Path) -> None:
    (tmp_path / "none").mkdir()
    with pytest.raises(FootageError, match=r"none holds no photos; choose a folder with .jpg"):
        open_source(tmp_path / "none")
    (tmp_path / "none" / "a.jpg").write_bytes(b"")
    with pytest.raises(FootageError, match=r"a\.jpg is empty"):
        open_source(tmp_path / "none")
    folder = make_photos(tmp_path / "three", range(5))
    make_photos(folder, range(3), stem="B-")
    make_photos(folder, range(4), stem="C-", ending=".jpg")
    with pytest.raises(FootageError, match=r"three holds 3 runs .*IMG_0000.png \(5 photos\).*name one photo"):
        open_source(folder)
    assert photos_at(folder / "B-0001.png").names == ("B-0000.png", "B-0001.png", "B-0002.png")
    assert [len(run.names) for run in runs_in(folder)] == [5, 4, 3]
    with pytest.raises(FootageError, match="nowhere"):
        open_source(tmp_path / "nowhere" / "a.jpg")
    gone = opened(make_photos(tmp_path / "gone", range(3)))
    for path in gone.files:
        path.unlink()
    with gone.reader() as reader, pytest.raises(FootageError, match="no longer in"):
        reader.frame(1)


def test_a_first_photo_whose_pixels_are_damaged_is_passed_over(tmp_path: Path) -> None:
    folder = make_photos(tmp_path / "dawn", range(4), size=(200, 150))
    content = bytearray((folder / "IMG_0000.png").read_bytes())
    content[len(content) // 3 : -20] = bytes(len(content) - 20 - len(content) // 3)
    (folder / "IMG_0000.png").write_bytes(content)
    facts, frame = meet(folder)
    assert facts.frame_count == 4
    assert frame.to_ndarray().any()
    plan = planned(opened(folder))
    assert export(plan, tmp_path / "out.mkv").remark.startswith("One recorded frame could not be decoded")
    frames = decode_all(tmp_path / "out.mkv", "rgb24")
    assert np.array_equal(frames[0], frames[1])


def test_names_are_sorted_as_people_count() -> None:
    names = ["b 10.JPG", "b 9.jpg", "b 1.jpg", "B 2.jpg", "ü 3.jpg", "cover.jpg"]
    assert sorted(names[:4], key=natural_key) == ["b 1.jpg", "B 2.jpg", "b 9.jpg", "b 10.JPG"]
    runs = runs_among(names)
    assert runs[0].names == ("b 1.jpg", "B 2.jpg", "b 9.jpg", "b 10.JPG")
    assert set(runs[1].names) == {"ü 3.jpg", "cover.jpg"}
    assert numbered(f"day2_{n:03d}.jpg" for n in (1, 2, 5, 6)).missing == {2: 2}
    assert numbered(f"{n}.jpg" for n in range(0, 100, 2)).missing == {}
    assert numbered(["a1.jpg", "a2.jpg", "a90000.jpg"]).missing == {}


@given(
    st.sets(st.integers(0, 400), min_size=60),
    st.sampled_from([Fraction(1), Fraction(5, 2), Fraction(5), Fraction(37), Fraction(3600)]),
    st.integers(0, 999),
)
def test_a_steady_interval_is_found_in_whole_seconds(there: set[int], interval: Fraction, phase: int) -> None:
    """Cameras write whole seconds; whatever is missing, the interval and every place come out exactly."""
    numbers = sorted(there)
    missing = {n: after - before - 1 for n, (before, after) in enumerate(pairwise(numbers), 1)}
    seconds = [Fraction(phase, 1000) + number * interval for number in numbers]
    photos = [
        PhotoHeader(f"{n}", taken=START + timedelta(seconds=int(at)))
        for n, at in zip(numbers, seconds, strict=True)
    ]
    times = capture_times(photos, missing)
    assert times is not None
    assert times.steady
    if max(numbers) - min(numbers) > 150 or interval.denominator == 1:
        assert times.interval == interval
    assert [round(at / times.interval) for at in times.seconds] == [n - numbers[0] for n in numbers]
    assert not times.gaps
    assert not times.disordered


def test_dates_that_are_wrong_are_found_and_stood_in_for() -> None:
    at = [n * 10 for n in range(40)]
    at[7], at[20:] = 9000, [second + 500 for second in at[20:]]
    at[30:] = [second - 10 for second in at[30:]]
    photos = [PhotoHeader(f"{n}", taken=START + timedelta(seconds=second)) for n, second in enumerate(at)]
    times = capture_times(photos, {})
    assert times is not None
    assert times.disordered == {7}
    assert times.gaps == {20: 50}
    assert times.doubled == {30}
    assert all(before < after for before, after in zip(times.seconds, times.seconds[1:], strict=False))
    assert capture_times([PhotoHeader(str(n)) for n in range(5)], {}) is None
    assert capture_times(photos[:1], {}) is None
    falling = [PhotoHeader(f"{n}", taken=START - timedelta(seconds=n)) for n in range(20)]
    assert capture_times(falling, {}) is None
    zones = [
        PhotoHeader(
            f"{n}", taken=START + timedelta(seconds=10 * n, hours=n // 5), offset=timedelta(hours=n // 5)
        )
        for n in range(10)
    ]
    assert (moved := capture_times(zones, {})) is not None
    assert moved.interval == 10
    assert moved.steady


def at_rate(project: Project, source: PhotoSource, rate: int) -> Project:
    run = project.footage[0]
    assert isinstance(run, PhotoRun)
    return with_choices(project, source, replace(run, time=PhotoTime.at_rate(Fraction(rate))))


@given(st.data())
def test_switching_the_clock_keeps_photos_and_lengths(
    tmp_path_factory: pytest.TempPathFactory, data: st.DataObject
) -> None:
    folder = tmp_path_factory.getbasetemp() / "switch"
    if not folder.exists():
        make_photos(folder, [n for n in range(40) if n not in (11, 12, 30)], size=(8, 8))
    source = opened(folder)
    project = arranging.begin_with(Project(), source.run)
    key = project.footage[0].key
    project = pacing.divide(project, 0, Fraction(data.draw(st.integers(1, 39))) * 5)
    project = arranging.set_points(project, 0, Fraction(5 * data.draw(st.integers(0, 5))), Fraction(195))
    if data.draw(st.booleans()):
        project = arranging.reverse(project, [0])
    before = shown(make_plan(project, {key: source}))
    lengths = [passage.recorded_length / passage.speed for passage in project.shots[0].passages]
    for time in data.draw(
        st.lists(
            st.sampled_from([DATES, PhotoTime.every(Fraction(2)), PhotoTime.at_rate(Fraction(12))]),
            max_size=4,
        )
    ):
        run = project.footage_named(key)
        assert isinstance(run, PhotoRun)
        project = with_choices(project, source, replace(run, time=time))
    assert [passage.recorded_length / passage.speed for passage in project.shots[0].passages] == lengths
    assert shown(make_plan(project, {key: source})) == before
    # Photos per second, changed, change how long it lasts.
    at12 = at_rate(project, source, 12)
    at6 = at_rate(at12, source, 6)
    assert at6.result_length == 2 * at12.result_length


def test_a_run_is_the_same_after_saving(tmp_path: Path) -> None:
    source = opened(make_photos(tmp_path / "dawn", [0, 1, 2, 4, 5]))
    run = source.run.with_handling(FlawKind.GAP, Handling.HOLD)
    run = run.with_handling(FlawKind.MISSING, Handling.LEAVE_OUT, "IMG_0002.png")
    project = arranging.begin_with(Project(), source.facts.measured(run))
    save_project(project, tmp_path / "dawn.chronoxis")
    assert load_project(tmp_path / "dawn.chronoxis") == project
    content = json.loads((tmp_path / "dawn.chronoxis").read_text())
    assert content["footage"][0]["folder"] == "dawn"


def test_long_exposure_over_photos_adds_light(tmp_path: Path) -> None:
    folder = tmp_path / "light"
    folder.mkdir()
    for number, code in enumerate([0, 255] * 4):
        Image.fromarray(np.full((16, 24, 3), code, np.uint8)).save(folder / f"{number}.png")
    source = opened(folder)
    project = arranging.begin_with(Project(settings=ResultSettings(MKV)), source.run)
    project = pacing.set_speed(project, [Place(0, 0)], Fraction(2))
    project = making.set_each_frame(project, [Place(0, 0)], EachFrame.LONG_EXPOSURE)
    export(make_plan(project, {project.footage[0].key: source}), tmp_path / "light.mkv")
    codes = np.stack(decode_all(tmp_path / "light.mkv", "gbrp16le")) >> 8
    assert np.abs(codes.astype(int) - 188).max() <= 1  # half of the light, in sRGB's curve


def test_every_kind_of_photo_comes_out_right(tmp_path: Path) -> None:
    size, rgb = (40, 24), photo_pixels(3, (40, 24))
    image = Image.fromarray(rgb)
    grey = Image.fromarray(rgb[..., 0])
    deep = rgb[..., ::-1].astype(np.uint16) * 257
    wide = ImageCms.createProfile("sRGB")
    buffer = ImageCms.ImageCmsProfile(wide).tobytes()
    image.save(tmp_path / "plain.png")
    image.save(tmp_path / "plain.tif")
    image.save(tmp_path / "plain.webp", lossless=True)
    image.save(tmp_path / "profiled.png", icc_profile=buffer)
    image.quantize(256).save(tmp_path / "palette.png")
    grey.save(tmp_path / "grey.png")
    image.convert("RGBA").save(tmp_path / "alpha.png")
    image.convert("CMYK").save(tmp_path / "ink.tif")
    cv2.imwrite(str(tmp_path / "deep.png"), deep)
    Image.fromarray(deep[..., 2].astype(np.int32).astype(np.uint16)).save(tmp_path / "deepgrey.png")
    for name in ("plain.png", "plain.tif", "plain.webp", "profiled.png", "alpha.png", "ink.tif"):
        assert read_header(tmp_path / name).size == size
        assert np.abs(read_pixels(tmp_path / name).astype(int) - rgb).max() <= 1, name
    assert np.abs(read_pixels(tmp_path / "palette.png").astype(int) - rgb).mean() < 10
    assert np.array_equal(read_pixels(tmp_path / "grey.png"), np.repeat(rgb[..., :1], 3, -1))
    assert read_header(tmp_path / "deep.png").deep
    assert np.array_equal(read_pixels(tmp_path / "deep.png"), deep[..., ::-1])
    assert np.array_equal(read_pixels(tmp_path / "deepgrey.png")[..., 0], deep[..., 2])
    for orientation in range(1, 9):
        exif = Image.Exif()
        exif[0x0112] = orientation
        image.save(tmp_path / "turned.png", exif=exif)
        with Image.open(tmp_path / "turned.png") as saved:
            want = np.asarray(ImageOps.exif_transpose(saved))
        header = read_header(tmp_path / "turned.png")
        assert np.array_equal(read_pixels(tmp_path / "turned.png"), want), orientation
        assert header.size == want.shape[1::-1]
        half = read_pixels(tmp_path / "turned.png", 2)
        assert half.shape[:2] == tuple(-(-side // 2) for side in want.shape[:2])
        fitted = want.shape[1] * 5 // 8, want.shape[0] * 5 // 8
        small = read_pixels(tmp_path / "turned.png", fitted=fitted).astype(int)
        assert np.abs(small - exact_means(want, fitted)).max() <= 0.51, orientation
        image.save(tmp_path / "turned.tif", tiffinfo={0x0112: orientation})
        deep16 = deep[..., ::-1].astype(np.uint16)
        write_turned_tiff(tmp_path / "turned16.tif", deep16, orientation)
        for name, upright in (("turned.tif", want), ("turned16.tif", upright_of(deep16, orientation))):
            assert read_header(tmp_path / name).size == upright.shape[1::-1], (name, orientation)
            assert np.array_equal(read_pixels(tmp_path / name), upright), (name, orientation)
        assert read_header(tmp_path / "turned16.tif").deep


def upright_of(stored: NDArray[np.uint16], orientation: int) -> NDArray[np.uint16]:
    """Samples turned as Pillow turns a picture of one channel at a time."""
    exif = Image.Exif()
    exif[0x0112] = orientation
    planes = []
    for channel in range(3):
        plane = Image.fromarray(stored[..., channel].astype(np.int32), "I")
        plane.info["exif"] = exif.tobytes()
        planes.append(np.asarray(ImageOps.exif_transpose(plane), np.uint16))
    return np.stack(planes, -1)


def write_turned_tiff(path: Path, samples: NDArray[np.uint16], orientation: int) -> None:
    """A TIFF of sixteen bits in three channels, as a scanner writes it: plain, in one strip."""
    height, width, _ = samples.shape
    bits = 8 + 2 + 12 * 10 + 4
    data = bits + 6
    entries = [
        (256, 4, 1, width), (257, 4, 1, height), (258, 3, 3, bits), (259, 3, 1, 1), (262, 3, 1, 2),
        (273, 4, 1, data), (274, 3, 1, orientation), (277, 3, 1, 3), (278, 4, 1, height),
        (279, 4, 1, samples.nbytes),
    ]  # fmt: skip
    packed = b""
    for tag, kind, many, value in entries:
        short = (kind, many) == (3, 1)
        packed += pack("<HHI", tag, kind, many) + (pack("<HH", value, 0) if short else pack("<I", value))
    head = b"II" + pack("<HI", 42, 8) + pack("<H", len(entries)) + packed + pack("<I", 0)
    path.write_bytes(head + pack("<HHH", 16, 16, 16) + samples.astype("<u2").tobytes())


def exact_means(pixels: NDArray[np.uint8], size: tuple[int, int]) -> NDArray[np.float64]:
    """Of the parts that each pixel of a smaller picture covers."""
    wide = pixels.astype(float).repeat(size[1], 0).repeat(size[0], 1)
    return np.asarray(wide.reshape(size[1], pixels.shape[0], size[0], pixels.shape[1], -1).mean((1, 3)))


@given(
    arrays(np.uint8, st.tuples(st.integers(1, 19), st.integers(1, 19), st.just(4))),
    st.floats(0, 1),
    st.floats(0, 1),
)
def test_a_smaller_picture_is_of_the_means_of_what_its_pixels_cover(
    pixels: NDArray[np.uint8], across: float, down: float
) -> None:
    size = max(1, round(across * pixels.shape[1])), max(1, round(down * pixels.shape[0]))
    small = averaged(pixels, size)
    assert small.shape == (size[1], size[0], 3)
    assert np.abs(small - exact_means(pixels[..., :3], size)).max() <= 0.501


def test_a_photo_of_another_size_is_fitted_and_absurd_ones_are_refused(tmp_path: Path) -> None:
    folder = make_photos(tmp_path / "mixed", range(5))
    make_photos(folder, [2], size=(64, 96))
    source = opened(folder)
    assert [(flaw.kind, flaw.photo) for flaw in source.facts.flaws] == [(FlawKind.OTHER_SIZE, 2)]
    with source.reader() as reader:
        pixels = reader.frame(2).to_ndarray()
    assert pixels.shape == (64, 96, 3)
    assert not pixels[:, :20].any()
    assert pixels[:, 40:50].any()
    buffer = io.BytesIO()
    Image.new("1", (1, 1)).save(buffer, "PNG")
    bomb = bytearray(buffer.getvalue())
    bomb[16:24] = (70000).to_bytes(4) + (70000).to_bytes(4)
    (tmp_path / "bomb.png").write_bytes(bomb)
    assert read_header(tmp_path / "bomb.png").wrong
    with pytest.raises(FootageError):
        read_pixels(tmp_path / "bomb.png")


def test_thousands_of_photos_are_read_apart_and_given_up(tmp_path: Path) -> None:
    folder = make_photos(tmp_path / "one", [0])
    for number in range(1, 900):
        os.link(folder / "IMG_0000.png", folder / f"IMG_{number:04d}.png")
    facts, frame = meet(folder)
    assert frame.height == 64
    assert facts.frame_count == 900
    shares: list[float] = []
    source = count(facts, shares.append, gently=True)
    assert shares == sorted(shares)
    assert len(shares) > 5
    assert len(source.edges) == 901


def test_words_and_numbers_of_photo_time() -> None:
    assert parse_interval("1m30s").value == 90
    assert parse_photo_rate("1/2").interval == 2
    assert parse_photo_rate("12 a second").value == 12
    for wrong in ("", "x", "0", "1/0", "9" * 70):
        with pytest.raises(PlanError):
            parse_photo_rate(wrong)
    assert apart_in_words(Fraction(5)) == "one per 5 s"
    assert apart_in_words(Fraction(1, 12)) == "12 a second"
    assert apart_in_words(Fraction(90)) == "one per 1:30"


def test_chosen_photos_make_a_run_for_each_folder(tmp_path: Path) -> None:
    one, two = make_photos(tmp_path / "a", range(12)), make_photos(tmp_path / "b", range(3))
    chosen = [*one.iterdir(), *two.iterdir()]
    random.Random(1).shuffle(chosen)
    runs = {run.folder.name: run.names for run in photos_of(chosen)}
    assert runs == {folder.name: tuple(sorted(p.name for p in folder.iterdir())) for folder in (one, two)}
    source = open_source(photos_of(chosen)[0])
    assert as_chosen(source, footage_of(source.facts)) is source


def test_a_clock_that_was_set_back_on_the_way_is_one_disorder(tmp_path: Path) -> None:
    folder = make_photos(tmp_path / "night", range(40))
    for number in range(20, 40):
        redate(folder / f"IMG_{number:04d}.png", number * 5 - 3600)
    facts = open_source(folder).facts
    assert isinstance(facts, PhotoRunFacts)
    assert facts.times is not None
    assert facts.times.interval == 5
    assert [flaw.photo for flaw in facts.flaws] == [20]
    assert facts.in_words(facts.flaws[0]) == "IMG_0020.png has a date out of order"
    assert facts.times.seconds == tuple(Fraction(5 * number) for number in range(40))
    redate(folder / "IMG_0030.png", -90_000)  # and one that is wrong by itself
    facts = open_source(folder).facts
    assert isinstance(facts, PhotoRunFacts)
    assert [flaw.photo for flaw in facts.flaws] == [20, 30]


def test_where_the_interval_changes_every_photo_is_shown_once(tmp_path: Path) -> None:
    folder = make_photos(tmp_path / "city", range(100))
    for number in range(30, 100):
        redate(folder / f"IMG_{number:04d}.png", 60 + (number - 29) * 60)
    for number in range(30):
        redate(folder / f"IMG_{number:04d}.png", 2 * number)
    source = open_source(folder)
    project = arranging.begin_with(Project(), footage_of(source.facts))
    plan = make_plan(project, {project.footage[0].key: source})
    assert len(np.unique(plan.schedule.frames)) == len(plan.schedule) == 100


def test_a_counter_that_rolled_over_follows_the_dates(tmp_path: Path) -> None:
    folder = make_photos(tmp_path / "card", [*range(9990, 10_000), *range(1, 31)], stem="DSC")
    for place, number in enumerate([*range(9990, 10_000), *range(1, 31)]):
        redate(folder / f"DSC{number:04d}.png", 5 * place)
    (folder / "DSC0007.png").unlink()
    for origin in (photos_at(folder), run_around(folder / "DSC0003.png")):
        assert origin.names[:11] == (*(f"DSC{n}.png" for n in range(9990, 10_000)), "DSC0001.png")
    facts = open_source(folder).facts
    assert isinstance(facts, PhotoRunFacts)
    assert [(flaw.kind, flaw.photo, flaw.count) for flaw in facts.flaws] == [(FlawKind.MISSING, 15, 1)]
    assert ("counter", "began anew after DSC9999.png; the dates tell the order") in facts.rows()
    for place, number in enumerate([*range(1, 31), *range(9990, 10_000)]):
        if number != 7:
            redate(folder / f"DSC{number:04d}.png", 5 * place)
    assert photos_at(folder).names[0] == "DSC0001.png"  # it did not: so the dates say


def redate(photo: Path, seconds: int) -> None:
    """Say that a photo was taken so many seconds after the first."""
    with Image.open(photo) as image:
        image.load()
        exif = Image.Exif()
        exif[0x0131] = "made up"
        taken = START + timedelta(seconds=seconds)
        exif.get_ifd(0x8769)[0x9003] = taken.strftime("%Y:%m:%d %H:%M:%S")
        image.save(photo, exif=exif)
