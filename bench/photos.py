"""Photo runs, as ratios to what libraries alone do with the same photos."""

import os
import tempfile
from concurrent.futures import ThreadPoolExecutor
from datetime import datetime, timedelta
from functools import partial
from pathlib import Path

import cv2
import numpy as np
from PIL import Image

from bench.frame_making import condense
from bench.report import report, run, timed
from chronoxis.core.footage.kinds import footage_of, open_source
from chronoxis.core.footage.photos.photo_kind import read_headers
from chronoxis.core.model import arranging, composing, pacing
from chronoxis.core.model.photo_run import PhotoFiles
from chronoxis.core.model.project import Project
from chronoxis.core.model.settings import ResultSettings, SizeWish
from chronoxis.core.render.chain import result_frames
from chronoxis.core.render.planning import make_plan
from chronoxis.core.render.target import export_target

_CHOICES = ("--photos-per-second", "24", "--fps", "24", "--size", "1080p")
LARGE, COUNT, MORE, MANY = (6000, 4000), 48, 240, 2000


def measure(runs: int) -> None:
    """Make photos of 24 megapixels, then measure everything a few times."""
    with tempfile.TemporaryDirectory(prefix="chronoxis-bench-") as scratch:
        folder = make_photos(Path(scratch) / "photos", COUNT)
        many = link_photos(folder, Path(scratch) / "many", MANY)
        more = link_photos(folder, Path(scratch) / "more", MORE)
        for number in range(1, runs + 1):
            with run(f"photo runs, run {number}"):
                _measure(folder, many)
                for place, count in ((folder, COUNT), (more, MORE)):
                    _measure_all(place, count)


def _measure(folder: Path, many: Path) -> None:
    photos = PhotoFiles(many, tuple(sorted(path.name for path in many.iterdir())))
    report(
        f"reading {MANY} headers (at most 3)", timed(lambda: read_headers(photos.paths, lambda _: None)), "s"
    )
    bare = timed(lambda: reduce_all(folder))
    report("bare loop: decode and reduce all, on all cores", bare, "s")
    report(
        "bare loop / making frames of 1080p (at least 0.9)", bare / timed(lambda: make_frames(folder)), "×"
    )
    source = open_source(folder)
    with source.reader(0, (1280, 853)) as reader:
        jumps = np.random.default_rng(0).permutation(COUNT)[:12].tolist()
        took = [timed(partial(reader.frame, number)) for number in jumps]
    report("scrubbing: one photo for a picture 853 pixels high (at most 100)", 1000 * max(took), "ms")
    alone = timed(lambda: decode_quarter(source.files[jumps[0]]))
    report("the library's own decoding of one at a quarter / that", alone / max(took), "×")


def _measure_all(folder: Path, count: int) -> None:
    bare = timed(lambda: reduce_all(folder))
    peaks: list[float] = []
    ours = timed(lambda: peaks.append(condense(folder, *_CHOICES, ending="mp4")))
    report(f"bare loop / condensing {count} photos, with encoding and start (at least 0.9)", bare / ours, "×")
    report(f"peak memory, {count} photos of 24 megapixels (under 800)", peaks[0], "MB")


def decode_quarter(path: Path) -> None:
    """One photo, decoded at a quarter by the library alone."""
    with Image.open(path) as image:
        image.draft("RGB", (LARGE[0] // 4, LARGE[1] // 4))
        image.load()


def make_frames(folder: Path) -> None:
    """All result frames, not encoded."""
    source = open_source(folder)
    project = arranging.begin_with(Project(), footage_of(source.facts))
    project = composing.set_canvas(project, source.facts.picture.canvas)
    project = arranging.set_settings(project, ResultSettings(size=SizeWish(height=1080)))
    project = pacing.set_speed(project, project.places(), project.rate / project.footage[0].rate)
    plan = make_plan(project, {project.footage[0].key: source})
    for _ in result_frames(plan, export_target(plan)):
        pass


def make_photos(folder: Path, count: int) -> Path:
    """Photos from a tripod, of some megabytes each: a field that grows lighter, with a camera's grain."""
    folder.mkdir()
    random = np.random.default_rng(1)
    field = cv2.resize(random.integers(0, 230, (400, 600, 3), np.uint8), LARGE)
    grain = random.integers(0, 6, (*LARGE[::-1], 3), np.uint8)
    start = datetime(2026, 5, 9, 5)

    def write(number: int) -> None:
        exif = Image.Exif()
        date = start + timedelta(seconds=5 * number)
        exif.get_ifd(0x8769)[0x9003] = date.strftime("%Y:%m:%d %H:%M:%S")
        lighter = cv2.convertScaleAbs(field, alpha=0.8 + 0.2 * number / count)
        photo = np.asarray(cv2.add(lighter, np.roll(grain, 997 * number, 1)), np.uint8)
        Image.fromarray(photo).save(folder / f"P{number:05d}.jpg", quality=88, exif=exif)

    with ThreadPoolExecutor(os.cpu_count() or 1) as pool:
        list(pool.map(write, range(count)))
    return folder


def link_photos(source: Path, folder: Path, count: int) -> Path:
    """As many names for the same photos as are wanted."""
    folder.mkdir()
    photos = sorted(source.iterdir())
    for number in range(count):
        os.link(photos[number % len(photos)], folder / f"P{number:05d}.jpg")
    return folder


def reduce_all(folder: Path) -> None:
    """The plainest loop, by the fastest library: decoded at half the size, reduced, on all cores."""
    half = cv2.IMREAD_REDUCED_COLOR_2 | cv2.IMREAD_IGNORE_ORIENTATION

    def reduce(path: Path) -> None:
        photo = cv2.imread(str(path), half)
        assert photo is not None
        cv2.resize(photo, (1620, 1080), interpolation=cv2.INTER_AREA)

    with ThreadPoolExecutor(os.cpu_count() or 1) as pool:
        list(pool.map(reduce, sorted(folder.iterdir())))
