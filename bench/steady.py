"""Following the camera, steadying and lining up, as ratios to the library in the same run."""

import subprocess
import sys
import tempfile
from functools import partial
from pathlib import Path

import av
import cv2
import numpy as np
from av.filter import Graph

from bench.frame_making import RATE, SIZE, decode_all
from bench.report import report, run, timed
from chronoxis.core.footage.kinds import footage_of, open_source
from chronoxis.core.footage.source import Source
from chronoxis.core.model import arranging, correcting, pacing
from chronoxis.core.model.project import Place, Project
from chronoxis.core.model.steady import Steady, SteadyMode
from chronoxis.core.render.export import export
from chronoxis.core.render.planning import make_plan
from chronoxis.core.timing.lining_up import lined_up
from chronoxis.core.timing.speed import parse_speed
from chronoxis.core.traces.camera_path import CameraPath, follow
from chronoxis.core.traces.store import TraceStore

_SECONDS = 12
_WALK_MINUTES, _RATE, _STEP = 30, 60, 8


def measure(runs: int) -> None:
    """Make the footage, then measure everything a few times."""
    with tempfile.TemporaryDirectory(prefix="chronoxis-bench-") as name:
        footage = make_walk(Path(name) / "walk.mp4", _SECONDS)
        for number in range(1, runs + 1):
            with run(f"steadying, run {number}"):
                _measure(footage, Path(name) / str(number))
        print("memory")
        report("following 10 hours of steps, and choosing (under 800)", _peak(), "MB")


def make_walk(path: Path, seconds: int) -> Path:
    """H.264 of detail of every size, walked past and held by hand: what is worth steadying."""
    rng, (width, height) = np.random.default_rng(0), SIZE
    scene = np.zeros((height + 400, width + 800), np.float32)
    for size in (3, 9, 27, 81, 243):
        rough = rng.random((scene.shape[0] // size + 2, scene.shape[1] // size + 2)).astype(np.float32)
        scene += cv2.resize(rough, scene.shape[::-1], interpolation=cv2.INTER_CUBIC) * size**0.5
    luma = np.asarray(16 + 220 * (scene - scene.min()) / np.ptp(scene), np.uint8)
    chroma = np.full((height // 2, width), 128, np.uint8)
    with av.open(str(path), "w") as container:
        stream = container.add_stream("libx264", rate=RATE, options={"preset": "veryfast", "crf": "20"})
        stream.width, stream.height, stream.pix_fmt = width, height, "yuv420p"
        for number in range(seconds * RATE):
            t = number / RATE
            across = 100 + 40 * t + 14 * np.sin(6 * t + 0.4) + 2 * np.sin(33 * t)
            down = 100 + 10 * abs(np.sin(6 * t)) + 2 * np.cos(41 * t)
            matrix = cv2.getRotationMatrix2D((width / 2, height / 2), 0.4 * np.sin(6 * t + 1), 1.0)
            matrix[:, 2] += across, down
            seen = cv2.warpAffine(luma, matrix, SIZE, flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP)
            frame = av.VideoFrame.from_ndarray(np.concatenate([seen, chroma]), "yuv420p")
            container.mux(stream.encode(frame))
        container.mux(stream.encode(None))
    return path


def _measure(footage: Path, folder: Path) -> None:
    folder.mkdir()
    bare = timed(lambda: decode_all(footage))
    source = open_source(footage)  # that takes as long for any length, and was done when it was brought in
    followed = timed(partial(_follow, source, folder / "traces"))
    report("bare decode / following the camera (at least 0.6)", bare / followed, "×")
    deshaken = timed(lambda: _deshake(footage))
    report("deshake / following the camera (at least 4)", deshaken / followed, "×")
    plain = timed(partial(_export, footage, folder, steady=False))
    steadied = timed(partial(_export, footage, folder, steady=True))
    report("plain export / steadied export (at least 0.6)", plain / steadied, "×")
    report("choosing frames of 30 minutes at 8× (at most 3)", timed(_choose), "s")


def _follow(source: Source, store: Path) -> CameraPath:
    return follow(source, [(0, len(source.edges) - 1)], TraceStore(store))


def _deshake(footage: Path) -> None:
    """The library's own filter, which follows and steadies at once."""
    with av.open(str(footage)) as container:
        stream = container.streams.video[0]
        stream.thread_type = "AUTO"
        graph = Graph()
        source, filter_, sink = (
            graph.add_buffer(template=stream),
            graph.add("deshake"),
            graph.add("buffersink"),
        )
        source.link_to(filter_)
        filter_.link_to(sink)
        graph.configure()
        for frame in container.decode(stream):
            graph.push(frame)
            graph.pull()


def _export(footage: Path, folder: Path, *, steady: bool) -> None:
    source = open_source(footage)
    project = arranging.begin_with(Project(), footage_of(source.facts))
    project = pacing.set_speed(project, [Place(0, 0)], parse_speed("2"))
    key, cameras = project.footage[0].key, {}
    if steady:
        project = correcting.set_steady(project, [0], Steady(SteadyMode.SMOOTH))
        cameras[key] = _follow(source, folder / "traces")  # kept: it was followed before
    export(make_plan(project, {key: source}, None, cameras), folder / f"{steady}.mp4")


def _choose() -> None:
    count = _WALK_MINUTES * 60 * _RATE
    sway = np.random.default_rng(1).normal(0, 0.01, (count, 4))
    even = np.arange(0, count, _STEP)
    lined_up(even, np.full(len(even), _STEP / 2.0), sway, 0)


def _peak() -> float:
    """Peak memory in MB of planning the steadying of ten hours, and choosing its frames."""
    code = (
        "from bench.memory import peak\n"
        "import numpy as np\n"
        "from chronoxis.core.model.steady import Steady, SteadyMode\n"
        "from chronoxis.core.timing.lining_up import lined_up\n"
        "from chronoxis.core.traces.camera_path import CameraPath\n"
        "from chronoxis.core.traces.steady_course import Shown, camera_shake, steady_course\n"
        "count = 10 * 3600 * 25\n"
        "path = CameraPath.blank(count)\n"
        "rng = np.random.default_rng(1)\n"
        "path.right[:], path.down[:] = rng.normal(0, 0.002, (2, count))\n"
        "path.sureness[:], path.known[:] = 1, True\n"
        "wish, even = Steady(SteadyMode.SMOOTH), np.arange(0, count, 8)\n"
        "sway = camera_shake(path, (0, count), wish, 200)\n"
        "taken = lined_up(even, np.full(len(even), 4.0), sway, 0)\n"
        "steady_course(path, (0, count), wish, sway, Shown(taken, even.astype(float), taken, 25), 9 / 16)\n"
        "print(peak())"
    )
    return float(
        subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True).stdout
    )
