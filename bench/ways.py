"""Ways of making a frame and traces, decoded and gathered but not encoded, as ratios to the library."""

import subprocess
import sys
import tempfile
from fractions import Fraction
from functools import partial
from itertools import pairwise
from pathlib import Path

import av
import cv2
import numpy as np
from tqdm import tqdm

from bench.frame_making import decode_all, make_footage, mix_by_filter, repeat
from bench.report import report, run, timed
from chronoxis.core.footage.kinds import open_source
from chronoxis.core.footage.prefetch import ahead
from chronoxis.core.footage.source import Source
from chronoxis.core.picture.colour import Colour
from chronoxis.core.picture.frame_makers import FrameMaker, FrameMakers
from chronoxis.core.picture.in_between import LightPair
from chronoxis.core.picture.motion import FINEST
from chronoxis.core.timing.frame_making import EachFrame
from chronoxis.core.timing.shot_columns import Derived, Way
from chronoxis.core.traces.picture_trace import PictureTrace, sampled, watch
from chronoxis.core.traces.store import TraceStore

_SECONDS = 40
_LARGE, _LARGE_FRAMES = (3840, 2160), 150
_PHOTOS = 60


def measure(runs: int) -> None:
    """Make the footage, then measure everything a few times."""
    with tempfile.TemporaryDirectory(prefix="chronoxis-bench-") as name:
        folder = Path(name)
        footage = make_footage(folder / "bench.mp4", _SECONDS)
        long = repeat(footage, folder / "long.mp4", 30)
        large, photos = _large(folder / "large.mp4"), _photos(folder / "photos")
        motion = _moving(folder / "moving.mkv")
        for number in range(1, runs + 1):
            with run(f"ways of making a frame, run {number}"):
                _measure_ways(footage)
                _measure_between(motion)
                _measure_traces(footage, long, folder)
                _measure_large(large, photos)
        print("memory")
        for what, path, *choices in (
            ("clear, window 15, step 10 (under 800)", footage, "clear", "0.6"),
            ("2160p 10-bit, long exposure (under 1500)", large, "long-exposure", ""),
        ):
            report(what, _peak(path, choices[0], choices[1]), "MB")


def _measure_ways(footage: Path) -> None:
    source = open_source(footage)  # that takes as long for any length, and was done when it was brought in
    bare = timed(lambda: decode_all(footage))
    report("bare decode of all frames", bare, "s")
    plain = timed(lambda: gather(source, EachFrame.LONG_EXPOSURE))
    library = timed(lambda: mix_by_filter(footage))
    report("tmix=frames=10 / long exposure 10× (at least 1.3)", library / plain, "×")
    report("bare decode / long exposure 10× (at least 0.6)", bare / plain, "×")
    for each in (EachFrame.BRIGHTEST, EachFrame.DARKEST):
        kept = timed(partial(gather, source, each))
        report(f"bare decode / {each} 10× (at least 0.7)", bare / kept, "×")
    clear = timed(lambda: gather(source, EachFrame.CLEAR, window=15))
    report("bare decode / clear, window 15, step 10 (at least 0.25)", bare / clear, "×")
    filled = timed(lambda: gather(source, Derived.FILLED_GOOD, count=400)) * (_SECONDS * 25 / 400)
    report("long exposure with fill good / plain (at most 6)", filled / plain, "×")


def _measure_between(motion: Path) -> None:
    """At a quarter of the speed: of every four frames one is kept, three are made, and the truth is known."""
    truth = _frames(motion)
    kept = truth[::4]
    made, ours = _between(kept)
    library, theirs = _interpolated(kept, motion.parent)
    report("in between by motion / minterpolate, frames a second (at least 6)", theirs / ours, "×")
    luma = np.array([0.299, 0.587, 0.114])
    made, library, truth = ([frame @ luma for frame in each] for each in (made, library, truth))
    gained = _nearness(made, truth) - _nearness(library, truth)
    report("PSNR of luma above minterpolate's (at least 3)", gained, "dB")


def _measure_traces(footage: Path, long: Path, folder: Path) -> None:
    source, whole = open_source(footage), open_source(long)
    bare = timed(lambda: decode_all(footage))
    with tempfile.TemporaryDirectory(dir=folder) as store:
        watched = timed(lambda: watch(source, TraceStore(Path(store))))
    report("bare decode / traces (at least 0.8)", bare / watched, "×")
    frames = len(whole.edges) - 1
    looked = timed(lambda: sampled(whole, PictureTrace.blank(frames, 3)))
    report(
        "traces of 20 minutes / the same sampled (at least 10)",
        watched * frames / (_SECONDS * 25) / looked,
        "×",
    )


def _measure_large(large: Path, photos: Path) -> None:
    film, run_ = open_source(large), open_source(photos)
    bare = timed(lambda: decode_all(large))
    report("bare decode / long exposure 10×, 2160p HEVC 10-bit (at least 0.45)",
           bare / timed(lambda: gather(film, EachFrame.LONG_EXPOSURE)), "×")  # fmt: skip
    loaded = timed(lambda: [cv2.imread(str(path)) for path in sorted(photos.iterdir())])
    report("bare decode / long exposure 10×, photos of 24 megapixels (at least 0.45)",
           loaded / timed(lambda: gather(run_, EachFrame.LONG_EXPOSURE)), "×")  # fmt: skip


def gather(source: Source, way: Way, *, window: int = 10, count: int | None = None) -> int:
    """Every ten frames into one; decoded and gathered, not encoded. Windows may reach into the next ten."""
    makings, under_way, made = FrameMakers(source.facts.picture.colour), list[tuple[int, FrameMaker]](), 0
    frames = min(count or 10**9, len(source.edges) - 1)
    with source.reader(0) as reader:
        for number, frame in ahead(partial(reader.frames, range(frames)), 6):
            if number % 10 == 0:
                under_way.append((number, makings.begin(way)))
            for _, making in under_way:
                making.add(frame, 0.1, (0.0, 1.0, 0.1))
            if under_way and number == under_way[0][0] + window - 1:
                making = under_way.pop(0)[1]
                making.made()
                makings.end(way, making)
                made += 1
    return made


def _between(kept: list[np.ndarray]) -> tuple[list[np.ndarray], float]:
    """Three pictures between each two, and the seconds they took."""
    frames = [av.VideoFrame.from_ndarray(codes, "rgb24").reformat(format="yuv420p") for codes in kept]
    pair, made = LightPair(Colour(6, 1, 1, False), FINEST), [kept[0]]

    def make() -> None:
        for first, second, last in zip(frames, frames[1:], kept[1:], strict=False):
            made.extend(
                (pair.between(first, second, share) >> 8).astype(np.uint8) for share in (0.25, 0.5, 0.75)
            )
            made.append(last)

    return made, timed(make)


def _interpolated(kept: list[np.ndarray], folder: Path) -> tuple[list[np.ndarray], float]:
    """The same by the library, and the seconds."""
    made: list[np.ndarray] = []

    def make() -> None:
        graph = av.filter.Graph()
        height, width = kept[0].shape[:2]
        steps = (
            graph.add_buffer(width=width, height=height, format=av.VideoFormat("yuv420p"),
                             time_base=Fraction(1, 25)),
            graph.add("minterpolate", "fps=100:mi_mode=mci"), graph.add("buffersink"),
        )  # fmt: skip
        for one, other in pairwise(steps):
            one.link_to(other)
        graph.configure()
        for number, codes in enumerate([*kept, None]):
            frame = None
            if codes is not None:
                frame = av.VideoFrame.from_ndarray(codes, "rgb24").reformat(format="yuv420p")
                frame.pts, frame.time_base = number, Fraction(1, 25)
            graph.push(frame)
            while True:
                try:
                    pulled = graph.pull()
                except (BlockingIOError, av.error.EOFError):
                    break
                assert isinstance(pulled, av.VideoFrame)
                made.append(pulled.to_ndarray(format="rgb24"))

    return made, timed(make)


def _nearness(made: list[np.ndarray], truth: list[np.ndarray]) -> float:
    """PSNR of those that are not recorded frames."""
    wrong = [
        np.mean((one.astype(float) - other) ** 2)
        for number, (one, other) in enumerate(zip(made, truth, strict=False))
        if number % 4
    ]
    return float(10 * np.log10(255**2 / np.mean(wrong)))


def _frames(path: Path) -> list[np.ndarray]:
    with av.open(str(path)) as container:
        return [frame.to_ndarray(format="rgb24") for frame in container.decode(video=0)]


def _moving(path: Path) -> Path:
    """1080p: textured things that cross textured ground, two to four pixels a frame."""
    width, height = 1920, 1080
    random = np.random.default_rng(3)
    rough = random.normal(0, 1, (height + 200, width + 400, 3)).astype(np.float32)
    fine, coarse = cv2.GaussianBlur(rough, (0, 0), 3), cv2.GaussianBlur(rough, (0, 0), 30)
    ground = np.clip(115 + 25 * fine / fine.std() + 30 * coarse / coarse.std(), 0, 255)
    y, x = np.mgrid[0:height, 0:width].astype(np.float32)
    with av.open(str(path), "w") as container:
        stream = container.add_stream("libx264", rate=100)
        assert isinstance(stream, av.VideoStream)
        stream.width, stream.height, stream.pix_fmt = width, height, "yuv420p"
        stream.codec_context.options = {"preset": "ultrafast", "crf": "6"}
        for number in tqdm(range(33), desc="making footage", unit="frame", leave=False):
            picture = ground[100 : 100 + height, 100 + number : 100 + number + width].copy()
            for thing in range(5):
                middle = 200 + 320 * thing + (2 + thing % 3) * number, 200 + 160 * thing
                inside = (x - middle[0]) ** 2 + (y - middle[1]) ** 2 < 130**2
                moved = np.roll(ground[:height, :width], (40 * thing, int(middle[0])), (0, 1)) * 0.8 + 30
                picture[inside] = moved[inside]
            codes = np.ascontiguousarray(picture.clip(0, 255), np.uint8)
            frame = av.VideoFrame.from_ndarray(codes, "rgb24").reformat(format="yuv420p")
            frame.pts, frame.time_base = number, Fraction(1, 100)
            container.mux(stream.encode(frame))
        container.mux(stream.encode(None))
    return path


def _large(path: Path) -> Path:
    """2160p, HEVC, ten bits."""
    width, height = _LARGE
    y, x = np.mgrid[0:height, 0:width].astype(np.float32)
    grain = np.random.default_rng(0).normal(0, 6, (height, width)).astype(np.float32)
    base = np.clip(512 + 240 * np.sin(x / 197) + 180 * np.sin(y / 81) + grain, 64, 940).astype(np.uint16)
    with av.open(str(path), "w") as container:
        stream = container.add_stream("libx265", rate=25)
        assert isinstance(stream, av.VideoStream)
        stream.width, stream.height, stream.pix_fmt = width, height, "yuv420p10le"
        stream.codec_context.options = {"preset": "ultrafast", "crf": "22", "x265-params": "log-level=error"}
        chroma = np.full((height // 2, width), 512, np.uint16)
        for number in tqdm(range(_LARGE_FRAMES), desc="making footage", unit="frame", leave=False):
            planes = np.concatenate([np.roll(base, 4 * number, 1), chroma])
            frame = av.VideoFrame.from_ndarray(np.ascontiguousarray(planes), "yuv420p10le")
            frame.pts, frame.time_base = number, Fraction(1, 25)
            container.mux(stream.encode(frame))
        container.mux(stream.encode(None))
    return path


def _photos(folder: Path) -> Path:
    """JPEG of 24 megapixels."""
    folder.mkdir()
    y, x = np.mgrid[0:4000, 0:6000].astype(np.float32)
    base = 128 + 60 * np.sin(x / 197) + 50 * np.sin(y / 81) + np.random.default_rng(0).normal(0, 3, x.shape)
    picture = np.repeat(base.clip(0, 255).astype(np.uint8)[..., None], 3, 2)
    for number in tqdm(range(_PHOTOS), desc="making photos", unit="photo", leave=False):
        cv2.imwrite(str(folder / f"p{number:03}.jpg"), np.roll(picture, 9 * number, 1))
    return folder


def _peak(path: Path, way: str, window: str) -> float:
    """Peak memory of a child that makes every tenth frame so, in MB."""
    code = (
        "import sys\n"
        "from pathlib import Path\n"
        "from bench.ways import EachFrame, gather, open_source\n"
        "gather(open_source(Path(sys.argv[1])), EachFrame(sys.argv[2]), window=15 if sys.argv[3] else 10)\n"
        # The usual count of a child begins with what its parent had.
        "print(Path('/proc/self/status').read_text().split('VmHWM:')[1].split()[0])"
    )
    command = [sys.executable, "-c", code, str(path), way, window]
    done = subprocess.run(command, capture_output=True, text=True, check=True)
    return float(done.stdout) / 1024
