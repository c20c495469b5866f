"""Making frames, as ratios to what the library alone does with the same recording."""

import subprocess
import sys
import tempfile
from dataclasses import replace
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
import numpy as np
from tqdm import tqdm

from bench.report import report, run, timed
from chronoxis.core.picture.accents.drawn_accent import Amounts

RATE, SIZE, SECONDS = 25, (1920, 1080), 180


def measure(runs: int) -> None:
    """Make the footage, then measure everything a few times."""
    with tempfile.TemporaryDirectory(prefix="chronoxis-bench-") as folder:
        footage = make_footage(Path(folder) / "bench.mp4", SECONDS)
        fourfold = repeat(footage, Path(folder) / "fourfold.mp4", 4)
        for number in range(1, runs + 1):
            with run(f"making frames, run {number}"):
                _measure_speed(footage)
        print("memory while making frames")
        for name, path in (("180 s", footage), ("720 s", fourfold)):
            for each in ("one", "long-exposure"):
                peak = condense(path, "--every", "100", "--each", each, ending="mp4")
                report(f"peak memory, {each}, {name} (under 600)", peak, "MB")


def _measure_speed(footage: Path) -> None:
    bare = timed(lambda: decode_all(footage))
    report("bare decode of all frames", bare, "s")
    decimate = timed(lambda: condense(footage, "--every", "20", "--size", "720p", ending="mp4"))
    report("every 20th to 720p / bare decode (at most 1.25)", decimate / bare, "×")
    sparse = timed(lambda: condense(footage, "--every", "600", ending="mkv"))
    report("bare decode / every 600th (at least 8)", bare / sparse, "×")
    plain = timed(lambda: make_frames(footage, idle_stages=False))
    idle = timed(lambda: make_frames(footage, idle_stages=True))
    report("stages with nothing to do / none at all (about 1)", idle / plain, "×")


def make_footage(
    path: Path,
    seconds: int,
    *,
    size: tuple[int, int] = SIZE,
    group: int = 50,
    codec: str = "libx264",
    pixel_format: str = "yuv420p",
    preset: str = "veryfast",
) -> Path:
    """A detailed picture that pans, with a little grain; H.264 with a key frame every 2 s at first."""
    width, height = size
    random = np.random.default_rng(0)
    y, x = np.mgrid[0:height, 0:width].astype(np.float32)
    base = 128 + 60 * np.sin(x / 97) + 50 * np.sin(y / 41) + random.normal(0, 3, (height, width))
    luma = np.clip(base, 16, 235).astype(np.uint8)
    chroma = np.concatenate([80 + 60 * np.sin(x / 60), 150 + 50 * np.cos(y / 30)])[::4].astype(np.uint8)
    with av.open(str(path), "w", options={"movflags": "+faststart"}) as container:
        stream = container.add_stream(codec, rate=RATE)
        assert isinstance(stream, av.VideoStream)
        stream.width, stream.height, stream.pix_fmt = width, height, pixel_format
        options = {"preset": preset, "crf": "20", "g": f"{group}", "keyint_min": f"{group}"}
        scenes = {"x265-params": f"keyint={group}:min-keyint={group}:scenecut=0:log-level=none"}
        stream.codec_context.options = options | (scenes if "265" in codec else {"sc_threshold": "0"})
        for number in tqdm(range(seconds * RATE), desc="making footage", unit="frame", leave=False):
            planes = np.concatenate([np.roll(luma, 2 * number, 1), np.roll(chroma, number, 1)])
            frame = av.VideoFrame.from_ndarray(np.ascontiguousarray(planes), "yuv420p")
            frame.pts, frame.time_base = number, Fraction(1, RATE)
            container.mux(stream.encode(frame.reformat(format=pixel_format)))
        container.mux(stream.encode(None))
    return path


def repeat(source: Path, path: Path, times: int) -> Path:
    """The same packets several times over."""
    with av.open(str(path), "w") as out:
        offset, stream = 0, None
        for _ in range(times):
            with av.open(str(source)) as container:
                video = container.streams.video[0]
                stream = stream or out.add_stream_from_template(video)
                for packet in container.demux(video):
                    if packet.dts is None or packet.pts is None:
                        continue
                    packet.dts, packet.pts = packet.dts + offset, packet.pts + offset
                    packet.stream = stream
                    out.mux(packet)
                offset += video.duration or 0
    return path


def decode_all(path: Path) -> int:
    """The plainest decoding loop, on as many threads as the library likes."""
    with av.open(str(path)) as container:
        stream = container.streams.video[0]
        stream.thread_type = "AUTO"
        return sum(1 for _ in container.decode(stream))


def mix_by_filter(path: Path) -> int:
    """The library's own mean of ten frames, which works on code values."""
    with av.open(str(path)) as container:
        stream = container.streams.video[0]
        stream.thread_type = "AUTO"
        graph = av.filter.Graph()
        source, mix, sink = (
            graph.add_buffer(template=stream),
            graph.add("tmix", "frames=10"),
            graph.add("buffersink"),
        )
        source.link_to(mix)
        mix.link_to(sink)
        graph.configure()
        count = 0
        for frame in container.decode(stream):
            graph.push(frame)
            while True:
                try:
                    graph.pull()
                except (BlockingIOError, av.error.EOFError):
                    break
                count += 1
        return count


class _Idle:
    """A correction or an accent that acts on nothing."""

    def __init__(self) -> None:
        self.amounts = Amounts(0, np.zeros(1_000_000))

    def acts_on(self, _frame: int) -> bool:
        return False


def make_frames(path: Path, *, idle_stages: bool) -> int:
    """The frames of every 5th, lossless, not encoded; perhaps with an idle correction and accent."""
    from chronoxis.cli.frame_options import FRAME_CHOICES  # noqa: PLC0415
    from chronoxis.cli.wished_plan import plan_of_footage  # noqa: PLC0415
    from chronoxis.core.model.export_formats import MKV  # noqa: PLC0415
    from chronoxis.core.model.settings import ResultSettings  # noqa: PLC0415
    from chronoxis.core.render.chain import result_frames  # noqa: PLC0415
    from chronoxis.core.render.target import export_target  # noqa: PLC0415

    of_pace, of_photos = (
        ("speed", "length", "fps", "begin", "end"),
        ("photos_per_second", "interval", "missing"),
    )
    asked = dict.fromkeys((*of_pace, *of_photos, *FRAME_CHOICES, "framing", "crop", "fit"))
    plan = plan_of_footage(path, ResultSettings(MKV), {**asked, "every": "5"})
    target = export_target(plan)
    if idle_stages:
        idle: Any = _Idle()
        plan = replace(plan, corrections=((idle,),), accents=((idle,),))
    return sum(1 for _ in result_frames(plan, target))


def condense(path: Path, *choices: str, ending: str) -> float:
    """Run the command line and return the child's peak memory in MB."""
    with tempfile.TemporaryDirectory() as folder:
        out = Path(folder) / f"out.{ending}"
        code = (
            "import sys\n"
            "from bench.memory import peak\n"
            "from chronoxis.cli.main import cli\n"
            "cli(sys.argv[1:], standalone_mode=False)\n"
            "print(peak())"
        )
        command = [sys.executable, "-c", code, "condense", str(path), "-o", str(out), "--progress", "none"]
        done = subprocess.run([*command, *choices], capture_output=True, text=True, check=True)
        return float(done.stdout)
