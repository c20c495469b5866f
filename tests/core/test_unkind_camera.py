"""Following and steadying what flickers, lies in bands of light, or shows a thing before a plain wall."""

from collections.abc import Callable
from fractions import Fraction
from pathlib import Path

import av
import cv2
import numpy as np
import numpy.typing as npt
import pytest
from av.video.frame import VideoFrame

from chronoxis.core.checks.check import Known
from chronoxis.core.checks.checks import checks_of
from chronoxis.core.footage.kinds import footage_of, open_source
from chronoxis.core.model import arranging, correcting, pacing
from chronoxis.core.model.project import Place, Project
from chronoxis.core.model.steady import Steady, SteadyMode
from chronoxis.core.render.plan import Plan
from chronoxis.core.render.planning import make_plan
from chronoxis.core.traces.camera_path import CameraPath, follow
from chronoxis.core.traces.store import TraceStore
from tests.command_line import chronoxis

Numbers = npt.NDArray[np.float64]
SIZE, FRAMES = (640, 360), 60


def rough(seed: int, size: tuple[int, int], blur: float, codes: float) -> Numbers:
    grain = np.random.default_rng(seed).normal(0, 1, size[::-1])
    made = cv2.GaussianBlur(grain, (0, 0), blur)
    return np.asarray(codes * made / made.std(), np.float64)


def jolts(seed: int) -> Numbers:
    """A camera that goes on evenly and is jolted by 5 pixels, shape (frames, 2)."""
    rng = np.random.default_rng(seed)
    return np.asarray(rng.normal(0, 5 / 2**0.5, (FRAMES, 2)) + np.arange(FRAMES)[:, None] * [1.5, 0.2])


def filmed(
    path: Path, scene: Numbers, places: Numbers, light: Callable[[int], Numbers | float], thing: bool = False
) -> Path:
    """A noisy film of a scene, from places in it; compressed, if it ends in mp4."""
    rng = np.random.default_rng(9)
    waved = 110 + rough(4, (230, 200), 2, 40)
    with av.open(str(path), "w") as container:
        lossy = {"crf": "20", "preset": "veryfast"} if path.suffix == ".mp4" else {}
        stream = container.add_stream("libx264" if lossy else "ffv1", rate=25, options=lossy)
        assert isinstance(stream, av.VideoStream)
        (stream.width, stream.height), stream.pix_fmt = SIZE, "yuv420p"
        for number, (right, down) in enumerate(places.tolist()):
            move = np.array([[1, 0, 150 + right], [0, 1, 100 + down]])
            flags = cv2.INTER_CUBIC | cv2.WARP_INVERSE_MAP
            seen = cv2.warpAffine(scene, move, SIZE, flags=flags, borderMode=cv2.BORDER_REFLECT)
            if thing:
                left = round(200 + 70 * np.sin(2 * np.pi * number / 25) - right)
                top = round(90 + 25 * np.sin(2 * np.pi * number / 13) - down)
                seen[top : top + waved.shape[0], left : left + waved.shape[1]] = waved
            noisy = seen * light(number) + rng.normal(0, 1.5, seen.shape)
            luma = np.clip(np.rint(noisy), 0, 255).astype(np.uint8)
            planes = np.concatenate([luma, np.full((SIZE[1] // 2, SIZE[0]), 128, np.uint8)])
            frame = VideoFrame.from_ndarray(planes, "yuv420p")
            frame.pts, frame.time_base = number, Fraction(1, 25)
            container.mux(stream.encode(frame))
        container.mux(stream.encode(None))
    return path


def followed(film: Path, folder: Path) -> CameraPath:
    return follow(open_source(film), [(0, FRAMES)], TraceStore(folder))


def steadied(film: Path, path: CameraPath) -> Plan:
    source = open_source(film)
    project = arranging.begin_with(Project(), footage_of(source.facts))
    project = pacing.set_speed(project, [Place(0, 0)], Fraction(1))
    project = correcting.set_steady(project, [0], Steady(SteadyMode.SMOOTH, 1.0, 0.2))
    key = project.footage[0].key
    return make_plan(project, {key: source}, {}, {key: path})


def jitter(places: Numbers) -> float:
    """Root mean square of how far places are off the mean of those around them, pixels."""
    around = np.stack([np.convolve(way, np.ones(15) / 15, "valid") for way in places.T], axis=1)
    return float(np.sqrt(((places[7:-7] - around) ** 2).sum(axis=1).mean()))


def residue(film: Path, places: Numbers, folder: Path) -> float:
    plan = steadied(film, followed(film, folder))
    course = plan.steadied[0]
    assert course is not None
    assert not plan.unsteadied
    return jitter(-places + course.moves[:FRAMES, :2] * SIZE[0])


def flicker(share: float) -> Callable[[int], float]:
    gains = 1 + share * np.random.default_rng(6).uniform(-1, 1, FRAMES)
    return lambda number: float(gains[number])


def bands(number: int) -> Numbers:
    return np.asarray(0.85 + 0.15 * np.sin(2 * np.pi * (np.arange(SIZE[1])[:, None] / 200 + 0.37 * number)))


LIGHTS: dict[str, Callable[[int], Numbers | float]] = {
    "5%": flicker(0.05),
    "10%": flicker(0.10),
    "rolling": lambda number: 0.85 + 0.15 * np.sin(2 * np.pi * number / 17),
    "bands": bands,
}


@pytest.mark.thorough
@pytest.mark.parametrize(("seed", "lights"), [(1, ["5%", "bands"]), (2, ["10%", "rolling"])])
def test_light_that_changes_leaves_no_more_jitter(tmp_path: Path, seed: int, lights: list[str]) -> None:
    scene, places = 128 + rough(seed, (1000, 620), 3, 12) + rough(seed + 9, (1000, 620), 25, 15), jolts(seed)
    constant = residue(filmed(tmp_path / "even.mp4", scene, places, lambda _: 1.0), places, tmp_path)
    assert constant < 0.1 * jitter(places)
    for name in lights:
        film = filmed(tmp_path / f"{name}.mp4", scene, places, LIGHTS[name])
        assert residue(film, places, tmp_path) < max(1.5 * constant, 0.15), name


@pytest.mark.thorough
@pytest.mark.parametrize("texture", [0.0, 3.0])
def test_a_thing_waved_before_a_plain_wall_does_not_throw_the_wall_about(
    tmp_path: Path, texture: float
) -> None:
    hand = cv2.GaussianBlur(np.random.default_rng(2).normal(0, 1, (FRAMES, 2)), (1, 31), sigmaX=0.1, sigmaY=8)
    places = np.asarray(2 * hand / hand.std(), np.float64)
    wall = 150 + rough(1, (1000, 620), 6, texture) if texture else np.full((620, 1000), 150.0)
    film = filmed(tmp_path / "waved.mp4", wall, places, lambda _: 1.0, thing=True)
    plan = steadied(film, followed(film, tmp_path))
    course = plan.steadied[0]
    assert course is not None
    moved = -places + course.moves[:FRAMES, :2] * SIZE[0]
    assert np.abs(np.diff(moved, axis=0)).max() < np.abs(np.diff(places, axis=0)).max() + 0.5
    assert np.ptp(moved, axis=0).max() < np.ptp(places, axis=0).max() + 0.5


@pytest.mark.thorough
def test_where_the_camera_cannot_be_followed_is_said(tmp_path: Path) -> None:
    """A lens that is covered in the middle of a shot."""
    scene, places = 128 + rough(1, (1000, 620), 3, 20), jolts(1)
    film = filmed(tmp_path / "covered.mkv", scene, places, lambda number: float(number < 30))
    plan = steadied(film, followed(film, tmp_path))
    course = plan.steadied[0]
    assert course is not None
    ((shot, share, number),) = plan.unsteadied
    assert (shot, abs(number - 31) <= 1) == (0, True)
    assert share == pytest.approx(0.5, abs=0.04)
    assert "cannot be followed" in course.in_words(640)
    assert [check for check in checks_of(plan, Known()) if "the camera cannot be followed" in check.words]
    usual = ("--speed", "1", "--steady", "smooth", "--progress", "none")
    done = chronoxis("condense", film, "-o", tmp_path / "out.mkv", *usual)
    assert done.returncode == 0
    assert "The camera of shot 1 cannot be followed in" in done.stderr
