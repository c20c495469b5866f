"""Ways of making a frame: against what NumPy makes of the same pictures, and against the truth."""

from collections.abc import Callable, Iterable
from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import av
import cv2
import numpy as np
import numpy.typing as npt
import pytest
from av.video.frame import VideoFrame

from chronoxis.core.footage.kinds import footage_of, open_source
from chronoxis.core.model import arranging, pacing
from chronoxis.core.model.export_formats import MKV
from chronoxis.core.model.project import Place, Project
from chronoxis.core.model.settings import ResultSettings
from chronoxis.core.picture.clear import Clear
from chronoxis.core.picture.colour import Colour, from_linear, to_linear
from chronoxis.core.picture.extremes import Extremes
from chronoxis.core.picture.filled import FINEST_STEPS, GOOD_STEPS, QUICK_STEPS, Filled, Steps
from chronoxis.core.picture.frame_makers import FrameMaker
from chronoxis.core.picture.in_between import LightPair
from chronoxis.core.picture.long_exposure import LightMean
from chronoxis.core.picture.motion import FINEST
from chronoxis.core.picture.rgb import Rgb16, rgb16
from chronoxis.core.render.chain import result_frames
from chronoxis.core.render.plan import Plan
from chronoxis.core.render.planning import make_plan
from chronoxis.core.render.target import export_target
from chronoxis.core.timing.frame_making import Between, EachFrame, Fill, FrameMaking
from chronoxis.core.timing.shot_columns import Derived

SRGB, BT709, PQ, HLG = 13, 1, 16, 18
PHOTO = Colour(0, 1, SRGB, full_range=True)
ONLY = Place(0, 0)
HEIGHT, WIDTH = 180, 320
FORMATS = ("yuv420p", "yuv422p10le", "yuv444p", "yuv420p10le", "rgb24", "nv12")
Picture = npt.NDArray[np.float64]
Scene = Callable[[float], Picture]


def noise(pixel_format: str, seed: int) -> VideoFrame:
    """A frame of odd size in which every sample is another."""
    rng, frame = np.random.default_rng(seed), VideoFrame(62, 37, pixel_format)
    for plane in frame.planes:
        deep = frame.format.components[0].bits > 8
        top = 1 << frame.format.components[0].bits
        count = plane.line_size // (2 if deep else 1)
        codes = rng.integers(0, top, (plane.height, count)).astype(np.uint16 if deep else np.uint8)
        plane.update(codes.tobytes())
    return frame


def in_numpy(frame: VideoFrame, colour: Colour) -> Picture:
    """R′G′B′ of 0 to 1: the matrix of H.273 from definitions, chroma of the nearest sample."""
    if frame.format.is_rgb:
        return np.asarray(frame.to_ndarray(format="rgb24"), np.float64) / 255
    depth = frame.format.components[0].bits
    kind = np.uint8 if depth == 8 else np.uint16
    planes = [
        np.frombuffer(memoryview(plane), kind).reshape(plane.height, -1)[:, : plane.width].astype(float)
        for plane in frame.planes[:3]
    ]
    luma, *chroma = planes
    rows, columns = np.mgrid[0 : luma.shape[0], 0 : luma.shape[1]]
    halved = [round(whole / half) for whole, half in zip(luma.shape, chroma[0].shape, strict=True)]
    step = 1 << (depth - 8)
    places = rows // halved[0], columns // halved[1]
    cb, cr = (each[places] / (224 * step) - 128 / 224 for each in chroma)
    y = (luma / step - 16) / 219
    red, blue = y + 2 * (1 - 0.2126) * cr, y + 2 * (1 - 0.0722) * cb
    green = (y - 0.2126 * red - 0.0722 * blue) / 0.7152
    return np.asarray(np.clip(np.stack([red, green, blue], -1), 0, 1))


@pytest.mark.parametrize("transfer", [BT709, SRGB, PQ, HLG, 8])
@pytest.mark.parametrize(
    "pixel_format", ["yuv420p", "yuv422p10le", "yuv444p", "yuv420p10le", "rgb24", "nv12"]
)
def test_each_way_is_what_numpy_makes_of_it(pixel_format: str, transfer: int) -> None:
    colour = Colour(1, 1, transfer, full_range=False)
    frames = [noise(pixel_format, seed) for seed in range(7)]
    plain = [in_numpy(frame.reformat(format="yuv420p") if pixel_format == "nv12" else frame, colour)
             for frame in frames]  # fmt: skip
    weights = np.array([0.5, 1, 1, 1, 1, 1, 0.25])
    light = np.average([to_linear(codes, transfer) for codes in plain], axis=0, weights=weights)
    mean = LightMean(colour)
    for frame, weight in zip(frames, weights, strict=True):
        mean.add(frame, weight)
    assert np.abs(mean.made() / 65535 - from_linear(light, transfer)).max() < 1 / 255
    near = 0.05 if pixel_format in ("yuv420p", "nv12") else 0.01  # of a code of eight bits
    for brightest, wish in ((True, np.max(plain, axis=0)), (False, np.min(plain, axis=0))):
        extremes = Extremes(colour, brightest=brightest)
        for frame in frames:
            extremes.add(frame)
        assert np.abs(extremes.made() / 65535 - wish).max() < near / 255
    clear = Clear(colour)
    for count in (7, 6, 2, 1):
        for frame in frames[:count]:
            clear.add(frame)
        assert np.abs(clear.made() / 65535 - np.median(plain[:count], axis=0)).max() < 0.01 / 255


@pytest.mark.parametrize("pixel_format", ["yuv420p", "yuv420p10le", "rgb24"])
@pytest.mark.parametrize("way", [EachFrame.LONG_EXPOSURE, EachFrame.CLEAR, EachFrame.BRIGHTEST])
def test_a_still_scene_keeps_its_brightness(way: EachFrame, pixel_format: str) -> None:
    colour = Colour(1, 1, BT709, full_range=False)
    still = noise(pixel_format, 3)
    ways: dict[EachFrame, FrameMaker] = {
        EachFrame.LONG_EXPOSURE: LightMean(colour),
        EachFrame.CLEAR: Clear(colour),
        EachFrame.BRIGHTEST: Extremes(colour, brightest=True),
    }
    made = ways[way]
    for _ in range(13):
        made.add(still)
    before = to_linear(in_numpy(still, colour), BT709).mean()
    assert to_linear(np.asarray(made.made()) / 65535, BT709).mean() == pytest.approx(before, rel=1e-3)


def texture(seed: int, blur: float = 2.0) -> Picture:
    """A large picture to look at parts of, with detail fine and coarse."""
    rng = np.random.default_rng(seed)
    grain = rng.normal(0, 1, (HEIGHT + 200, WIDTH + 300, 3))
    fine, coarse = cv2.GaussianBlur(grain, (0, 0), blur), cv2.GaussianBlur(grain, (0, 0), 10)
    mixed = 0.45 + 0.1 * fine / fine.std() + 0.12 * coarse / coarse.std()
    return np.asarray(np.clip(mixed, 0, 1), np.float64)


GROUND, THING = texture(1), texture(2, 1.5) * [1.2, 0.8, 0.7]


def part(of: Picture, right: float, down: float) -> Picture:
    """The part of a large picture that a camera sees which has gone so far."""
    move = np.array([[1, 0, 80 + right], [0, 1, 60 + down]], np.float64)
    flags = cv2.INTER_CUBIC | cv2.WARP_INVERSE_MAP
    return np.clip(cv2.warpAffine(of, move, (WIDTH, HEIGHT), flags=flags), 0, 1)


def pan(pixels: float) -> Scene:
    return lambda t: part(GROUND, pixels * t, 0.3 * pixels * t)


def disk(pixels: float, radius: float = 36, *, plain: bool = False) -> Scene:
    """A round thing that crosses still ground."""
    y, x = np.mgrid[0:HEIGHT, 0:WIDTH]

    def at(t: float) -> Picture:
        far = np.hypot(x - 70 - pixels * t, y - 90 - 0.2 * pixels * t)
        share = np.clip(radius - far + 0.5, 0, 1)[..., None]
        own = np.full((HEIGHT, WIDTH, 3), [0.95, 0.9, 0.7]) if plain else part(THING, -pixels * t, 0)
        return np.asarray(part(GROUND, 0, 0) * (0.5 if plain else 1) * (1 - share) + own * share)

    return at


def grain(t: float) -> Picture:
    return np.clip(
        part(GROUND, 0, 0) + np.random.default_rng(int(t)).normal(0, 0.04, (HEIGHT, WIDTH, 3)), 0, 1
    )


def snow(t: float) -> Picture:
    return np.clip(np.random.default_rng(int(t)).normal(0.5, 0.2, (HEIGHT, WIDTH, 3)), 0, 1)


def stripes(t: float) -> Picture:
    row = 0.5 + 0.4 * np.sin((np.arange(WIDTH) + 3 * t) / 3)
    return np.broadcast_to(row[None, :, None], (HEIGHT, WIDTH, 3)).copy()


def flashes(t: float) -> Picture:
    return np.clip(part(GROUND, 0, 0) * (1.3 if int(t) % 2 else 0.8), 0, 1)


def recorded(picture: Picture) -> Rgb16:
    """As eight bits keep it."""
    return (np.rint(np.clip(picture, 0, 1) * 255) * 257).astype(np.uint16)


def psnr(one: Picture, other: Picture) -> float:
    return float(10 * np.log10(1 / np.mean((one - other) ** 2)))


def against_blending(scene: Scene) -> float:
    """By how many dB pictures made by motion are nearer to those left out than blended ones."""
    pair, gained = LightPair(PHOTO, FINEST), []
    for start in (0, 2, 4):
        first, second = recorded(scene(start)), recorded(scene(start + 2))
        made = pair.between(first, second, 0.5) / 65535
        mixed = (to_linear(first / 65535, SRGB) + to_linear(second / 65535, SRGB)) / 2
        truth = scene(start + 1)
        gained.append(psnr(made, truth) - psnr(from_linear(mixed, SRGB), truth))
    return float(np.mean(gained))


@pytest.mark.parametrize("scene", [pan(2), pan(4), pan(8), disk(2), disk(4), disk(8)])
def test_pictures_between_are_much_nearer_than_blended_ones_where_things_move(scene: Scene) -> None:
    assert against_blending(scene) >= 3


@pytest.mark.parametrize("scene", [grain, snow, stripes, flashes, pan(0), disk(30, 8), pan(30)])
def test_pictures_between_are_never_worse_than_blended_ones(scene: Scene) -> None:
    assert against_blending(scene) >= -0.2


def test_across_a_cut_the_nearer_frame_stands() -> None:
    first, second = recorded(part(GROUND, 0, 0) * 0.4), recorded(part(texture(9), 0, 0))
    pair = LightPair(PHOTO, FINEST)
    for share, wish in ((0.2, first), (0.49, first), (0.8, second)):
        assert np.abs(pair.between(first, second, share) - wish.astype(float)).max() < 66


def exposed(scene: Scene, frames: int, steps: Steps | None) -> Picture:
    """What becomes of a scene over so many recorded frames: plain, or filled."""
    if steps is None:
        mean = LightMean(PHOTO)
        for number in range(frames):
            mean.add(recorded(scene(number)))
        return np.asarray(mean.made() / 65535)
    filled = Filled(PHOTO, steps)
    for number in range(frames + 1):
        weight = (0.5 if number in (0, frames) else 1.0) / frames
        filled.add(recorded(scene(number)), weight, (0.0, 1.0, 1 / frames if number else 0.0))
    return np.asarray(filled.made() / 65535)


def true_exposure(scene: Scene, frames: int) -> Picture:
    light = [to_linear(scene((step + 0.5) * frames / 64), SRGB) for step in range(64)]
    return from_linear(np.mean(light, axis=0), SRGB)


@pytest.mark.sampled(1)
@pytest.mark.parametrize("scene", [disk(8, 14, plain=True), pan(5)])
def test_fill_steps_come_near_a_true_exposure(scene: Scene) -> None:
    truth = true_exposure(scene, 8)

    def far(steps: Steps | None) -> float:
        return float(np.sqrt(np.mean((exposed(scene, 8, steps) - truth) ** 2)))

    plain = far(None)
    assert far(GOOD_STEPS) < plain / 2
    assert far(FINEST_STEPS) < plain / 2
    assert far(QUICK_STEPS) < plain


def copies(made: Picture) -> int:
    """How many separate copies of a bright thing can be counted along its way."""
    x = np.arange(60, 260)
    y = np.rint(90 + 0.2 * (x - 70)).astype(int)
    along = made[y, x].mean(axis=1) - part(GROUND, 0, 0)[y, x].mean(axis=1) * 0.5
    smooth = np.convolve(along, np.ones(5) / 5, "same")
    depth = 0.25 * smooth.max()
    count, low, high = 0, np.inf, -np.inf
    rising = True
    for level in smooth.tolist():
        if rising:
            high = max(high, level)
            if level < high - depth:
                count, rising, low = count + 1, False, level
        else:
            low = min(low, level)
            if level > low + depth:
                rising, high = True, level
    return count


def test_no_separate_copies_show_in_a_filled_exposure() -> None:
    scene = disk(14, 6, plain=True)
    assert copies(exposed(scene, 8, None)) == 8
    assert copies(exposed(scene, 8, GOOD_STEPS)) <= 1
    assert copies(true_exposure(scene, 8)) <= 1


def written(path: Path, pictures: Iterable[Picture]) -> Path:
    """A lossless recording of pictures."""
    with av.open(str(path), "w") as container:
        stream = container.add_stream("ffv1", rate=25)
        assert isinstance(stream, av.VideoStream)
        stream.width, stream.height, stream.pix_fmt = WIDTH, HEIGHT, "bgr0"
        for number, picture in enumerate(pictures):
            codes = np.ascontiguousarray(np.rint(np.clip(picture, 0, 1) * 255), np.uint8)
            frame = VideoFrame.from_ndarray(codes, "rgb24").reformat(format="bgr0")
            frame.pts, frame.time_base = number, Fraction(1, 25)
            container.mux(stream.encode(frame))
        container.mux(stream.encode(None))
    return path


def plan_of(path: Path, speed: Fraction, chosen: FrameMaking, *, backwards: bool = False) -> Plan:
    source = open_source(path)
    project = arranging.begin_with(Project(settings=ResultSettings(MKV)), footage_of(source.facts))
    project = pacing.set_speed(project, [ONLY], speed)
    passage = replace(project.passage(ONLY), making=chosen)
    project = project.with_passage(ONLY, passage)
    project = arranging.reverse(project, [0]) if backwards else project
    return make_plan(project, {project.footage[0].key: source})


@pytest.fixture(scope="module")
def moving(tmp_path_factory: pytest.TempPathFactory) -> Path:
    scene = disk(6)
    return written(tmp_path_factory.mktemp("moving") / "moving.mkv", (scene(number) for number in range(24)))


@pytest.mark.thorough
@pytest.mark.parametrize("backwards", [False, True])
def test_slowed_by_motion_every_frame_stands_at_its_place(moving: Path, backwards: bool) -> None:
    plan = plan_of(moving, Fraction(1, 4), FrameMaking(between=Between.MOTION), backwards=backwards)
    target, scene = export_target(plan), disk(6)
    between = 0
    for number, frame in enumerate(result_frames(plan, target)):
        frames, weights = plan.schedule.sources(number)
        moment = float(frames @ weights)
        due = 23 - number / 4 if backwards else number / 4
        assert moment == pytest.approx(np.clip(due, 0, 23), abs=1e-6)
        between += plan.schedule.way(number) is Derived.IN_BETWEEN
        if number % 5 == 0:
            assert psnr(rgb16(frame, target.colour) / 65535, scene(moment)) > 33
    assert between == 69  # three between each two of 24


@pytest.mark.parametrize(("step", "unclear"), [(1, 24), (2, 12), (3, 0), (4, 0)])
def test_a_median_of_fewer_than_three_clears_nobody_away(moving: Path, step: int, unclear: int) -> None:
    assert len(plan_of(moving, Fraction(step), FrameMaking(EachFrame.CLEAR)).unclear) == unclear


@pytest.mark.sampled(1)
@pytest.mark.parametrize("each", [EachFrame.ONE, EachFrame.LONG_EXPOSURE])
def test_filled_and_blurred_frames_come_through_the_chain(moving: Path, each: EachFrame) -> None:
    plan = plan_of(moving, Fraction(8), FrameMaking(each, fill=Fill.GOOD))
    target, scene = export_target(plan), disk(6)
    made = [rgb16(frame, target.colour) / 65535 for frame in result_frames(plan, target)]
    for number in (0, 1):
        frames, _ = plan.schedule.sources(number)
        # Blur is added from two frames alone, a long exposure gathers all of them.
        assert frames.tolist() == ([8 * number, 8 * number + 8] if each == EachFrame.ONE else
                                   list(range(8 * number, 8 * number + 9)))  # fmt: skip
        truth = true_exposure(lambda t, number=number: scene(t + 8 * number), 8)  # type: ignore[misc]
        sharp = scene(8 * number)
        assert psnr(made[number], truth) > psnr(sharp, truth) + (3 if each.entry.gathers else 0)
