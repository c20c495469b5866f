"""Steadying and lining up: what is planned of a known path, and what comes out of a shaken recording."""

import csv
from dataclasses import replace
from fractions import Fraction
from itertools import pairwise
from pathlib import Path

import av
import cv2
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from chronoxis.core.errors import PlanError
from chronoxis.core.footage.kinds import open_source
from chronoxis.core.model import arranging, correcting, making, pacing
from chronoxis.core.model.composing import set_framings
from chronoxis.core.model.framing import Framing, parse_steps
from chronoxis.core.model.project import Project
from chronoxis.core.model.steady import Steady, SteadyMode, parse_crop_budget, parse_steady
from chronoxis.core.picture.colour import Colour, from_linear, to_linear
from chronoxis.core.picture.picture_format import PictureFormat
from chronoxis.core.picture.rgb import Rgb16
from chronoxis.core.picture.steadying import SteadyWarp, inverse_homography
from chronoxis.core.picture.views import Crop, crop_of
from chronoxis.core.render.chain import result_frames
from chronoxis.core.render.planning import make_plan
from chronoxis.core.render.target import export_target, preview_target
from chronoxis.core.timing.frame_making import EachFrame
from chronoxis.core.timing.lining_up import lined_up
from chronoxis.core.traces.camera_path import CameraPath, follow
from chronoxis.core.traces.camera_steps import Grey, step_between
from chronoxis.core.traces.steady_course import Shown, SteadyCourse, camera_shake, steady_course
from chronoxis.core.traces.store import TraceStore
from chronoxis.demo.walk_truth import RATE, SECONDS, camera
from tests.command_line import chronoxis
from tests.core.test_camera import HEIGHT, WIDTH, filmed, path_of, scene
from tests.footage_makers import decode_all, recording_of

assert scene is not None  # the fixture
ASPECT = 9 / 16
SMOOTH = Steady(SteadyMode.SMOOTH)
Course = np.ndarray


def path_along(course: Course) -> CameraPath:
    """The path of a course: right, down, radians, growth; shape (frames, 4)."""
    path = CameraPath.blank(len(course))
    steps = np.diff(course, axis=0)
    path.right[1:], path.down[1:], path.grown[1:] = steps[:, 0], steps[:, 1], steps[:, 3]
    path.turned[1:] = np.degrees(steps[:, 2])
    path.sureness[:], path.known[:] = 0.9, True
    return path


def walk(seconds: float = 8, seed: int = 1) -> Course:
    """A pan with the sway of steps, of breath and of a hand."""
    t = np.arange(round(seconds * 60)) / 60
    rng = np.random.default_rng(seed)
    return np.stack(
        [
            0.08 * t + 0.018 * np.sin(2 * np.pi * 1.9 * t) + 0.001 * np.cumsum(rng.normal(0, 1, len(t))),
            0.014 * np.sin(2 * np.pi * 3.8 * t) + 0.002 * rng.normal(0, 1, len(t)),
            0.008 * np.sin(2 * np.pi * 1.1 * t),
            0.02 * t,
        ],
        axis=-1,
    )


def planned(path: CameraPath, wish: Steady, rate: float) -> SteadyCourse:
    """What is planned where every frame is shown."""
    span = (0, len(path))
    return steady_course(
        path, span, wish, camera_shake(path, span, wish, rate), Shown.every(span, rate), ASPECT
    )


def jolts(course: Course) -> float:
    return float(np.sqrt((np.diff(course[:, :2], 2, axis=0) ** 2).sum(axis=1).mean()))


def shown_within(moves: Course, crop: float) -> bool:
    """Whether the corners of what is shown come from the picture: written out once more."""
    corners = np.array([[x, y * ASPECT] for x in (-0.5, 0.5) for y in (-0.5, 0.5)]) * (1 - crop)
    for right, down, turned, grown in moves.tolist():
        back = np.array([[np.cos(turned), np.sin(turned)], [-np.sin(turned), np.cos(turned)]]) * np.exp(
            -grown
        )
        places = (corners - [right, down]) @ back.T
        if np.abs(places[:, 0]).max() > 0.5 + 1e-6 or np.abs(places[:, 1]).max() > ASPECT / 2 + 1e-6:
            return False
    return True


def test_a_walk_is_smooth_and_its_pan_stays() -> None:
    course = walk()
    made = planned(path_along(course), SMOOTH, 60)
    after = course + made.moves
    assert jolts(after) <= jolts(course) / 8
    assert 0 < made.crop <= 0.1
    assert shown_within(made.moves, made.crop)
    pans = [np.polyfit(np.arange(len(course)), part[:, 0], 1)[0] for part in (course, after)]
    assert pans[1] == pytest.approx(pans[0], rel=0.05)
    assert made.shake_after < made.shake_before / 4
    assert "given up" in made.in_words(1920)
    still = np.stack([0.02 * np.sin(np.arange(400) / 90), *[np.zeros(400)] * 3], -1)
    stood = planned(path_along(still), Steady(SteadyMode.STILL), 60)
    assert np.ptp((still + stood.moves)[:, 0]) * 1920 < 0.1
    level = planned(path_along(course), Steady(SteadyMode.SMOOTH, level=True), 60)
    assert np.ptp((course + level.moves)[:, 2]) < 1e-6


@given(
    st.integers(3, 400),
    st.integers(0, 2**31),
    st.floats(0.005, 0.4),
    st.floats(0, 1),
    st.sampled_from([SteadyMode.SMOOTH, SteadyMode.STILL]),
    st.booleans(),
)
def test_the_budget_is_never_broken(
    count: int, seed: int, crop: float, strength: float, mode: SteadyMode, level: bool
) -> None:
    rng = np.random.default_rng(seed)
    steps = rng.normal(0, [0.02, 0.02, 0.03, 0.01], (count, 4)) * rng.choice([0, 0.1, 1, 5], (count, 1))
    path = path_along(np.cumsum(steps, axis=0))
    path.sureness[rng.random(count) < 0.1] = 0
    made = planned(path, Steady(mode, strength, crop, level), 30)
    assert made.crop <= crop + 1e-9
    assert shown_within(made.moves, made.crop)


def test_frames_are_taken_that_line_up_at_an_even_pace() -> None:
    cameras = [camera(number / RATE) for number in range(RATE * SECONDS)]
    course = np.array([[-(c.along + c.across), c.up, -np.radians(c.roll), 0] for c in cameras])
    sway = camera_shake(path_along(course), (0, len(course)), SMOOTH, 480) * [1, 1, 0.3, 0.3]
    even = np.arange(40, len(course) - 40, 8)
    taken = lined_up(even, np.full(len(even), 4.0), sway, 0)

    def apart(frames: np.ndarray) -> float:
        return float(np.sqrt((np.diff(sway[frames], axis=0) ** 2).sum(axis=1).mean()))

    assert apart(taken) <= 0.7 * apart(even)
    assert (taken[0], taken[-1]) == (even[0], even[-1])
    assert np.abs(taken - even).max() <= 4
    assert np.abs(np.diff(taken) - 8).max() <= 4
    back = lined_up(even[::-1], np.full(len(even), 4.0), sway, 0)
    assert np.all(np.diff(back) < 0)
    assert np.array_equal(lined_up(even, np.zeros(len(even)), sway, 0), even)


def warped(codes: Rgb16, moves: list[float], crop: float = 0.0, rotation: int = 0) -> Rgb16:
    height, width = codes.shape[:2]
    upright = (width, height) if rotation % 180 == 0 else (height, width)
    picture = PictureFormat(*upright, width, height, rotation, "rgb48le", 16, Colour(1, 1, 1, True))
    made = SteadyWarp(0, np.array([moves]), crop, picture).steadied(0, codes)
    assert not hasattr(made, "planes")
    return np.asarray(made, np.uint16)


def edge(slant: float = 0.09) -> Rgb16:
    """A slanted edge between dark and bright, as soft as a good lens makes it."""
    rows, columns = np.indices((240, 320), np.float64)
    light = 0.1 + 0.6 / (1 + np.exp(-(columns - 160 - slant * (rows - 120)) / 0.6))
    return np.repeat(np.rint(from_linear(light, 1) * 65535).astype(np.uint16)[..., None], 3, axis=2)


def steepness(codes: Rgb16) -> float:
    light = to_linear(codes[60:180, 100:220, 1] / 65535, 1)
    return float(np.percentile(np.abs(np.diff(light, axis=1)), 99.5))


@pytest.mark.parametrize("shift", [0.25, 0.5, 0.75])
def test_a_move_by_parts_of_a_pixel_keeps_sharpness_and_brightness(shift: float) -> None:
    before, after = edge(), warped(edge(), [shift / 320, 0, 0, 0])
    assert steepness(after) >= 0.97 * steepness(before)
    means = [to_linear(part[40:-40, 40:-40] / 65535, 1).mean() for part in (before, after)]
    # The edge itself has moved: it is the brightness on both sides that must stay.
    sides = [
        to_linear(part[40:-40, side] / 65535, 1).mean() for side in (50, 270) for part in (before, after)
    ]
    assert sides[1] == pytest.approx(sides[0], rel=1e-3)
    assert sides[3] == pytest.approx(sides[2], rel=1e-3)
    assert abs(means[0] - means[1]) < 0.01


def waves(x: np.ndarray, y: np.ndarray, fine: float) -> np.ndarray:
    """The light of waves across a picture, ``fine`` of one to a pixel; grey, shape (..., 3)."""
    light = 0.5 + 0.3 * np.sin(2 * np.pi * fine * (x + 0.4 * y))
    return np.repeat(np.asarray(from_linear(light, 1))[..., None], 3, axis=-1)


@pytest.mark.parametrize("rotation", [0, 90, 180])
@pytest.mark.parametrize("smaller", [0.7, 1.0, 1.6, 2.5, 4.4])
def test_steadied_and_framed_at_once_it_is_what_a_camera_there_would_see(
    smaller: float, rotation: int
) -> None:
    """Against the waves themselves, at the places that the move and the view lead to."""
    right, down, turned, grown = move = [0.011, -0.007, 0.02, 0.01]
    lying = (640, 400)
    upright = lying if rotation % 180 == 0 else lying[::-1]
    form = PictureFormat(*upright, *lying, rotation, "rgb48le", 16, Colour(1, 1, 1, True))
    box = (60.3, 50.7, 0.7 * upright[0], 0.7 * upright[1])
    size = round(box[2] / smaller), round(box[3] / smaller)
    fine, crop = 0.14 / max(1, smaller), 0.1
    y, x = np.indices(upright[::-1], np.float64)
    filmed_ = np.rint(waves(x, y, fine) * 65535).astype(np.uint16)
    codes = np.ascontiguousarray(np.rot90(filmed_, -rotation // 90))
    seen = crop_of(form, size, box, stretch=True)
    made = SteadyWarp(0, np.array([move]), crop, form).steadied(0, codes, seen)
    made = np.rot90(np.asarray(made, np.uint16), rotation // 90)
    y, x = np.indices(size[::-1], np.float64)
    across, below = (
        (low + (place + 0.5) * side / many - whole / 2) / upright[0] * (1 - crop)
        for low, side, many, place, whole in (
            (box[0], box[2], size[0], x, upright[0]),
            (box[1], box[3], size[1], y, upright[1]),
        )
    )
    across, below = (across - right) / np.exp(grown), (below - down) / np.exp(grown)
    back = across * np.cos(turned) + below * np.sin(turned), below * np.cos(turned) - across * np.sin(turned)
    middle = (upright[0] - 1) / 2, (upright[1] - 1) / 2
    truth = waves(back[0] * upright[0] + middle[0], back[1] * upright[0] + middle[1], fine)
    # A thirtieth of the waves' height is the kernel's own.
    wrong = to_linear(made / 65535, 1) - to_linear(truth, 1)
    assert np.sqrt((wrong**2).mean()) < 0.3 / 30


@pytest.mark.thorough
def test_a_view_that_moves_by_parts_of_a_pixel_is_resampled_once_with_the_steadying(shaken: Path) -> None:
    source = open_source(shaken)
    project = arranging.begin_with(Project(), recording_of(shaken, Fraction(50), Fraction(4)))
    project = pacing.set_speed(project, project.places(), Fraction(8))
    steps = parse_steps("20,10,240,135 -> 40.5,25.25,240,135")
    project = set_framings(project, {0: Framing(steps)})
    warp = SteadyWarp(0, np.tile([0.004, 0.003, 0.01, 0], (200, 1)), 0.05, source.facts.picture)
    for each in (EachFrame.ONE, EachFrame.LONG_EXPOSURE):
        plan = replace(make_plan(making.set_each_frame(project, project.places(), each),
                                 {"walk": source}), warps=(warp,))  # fmt: skip
        target = replace(export_target(plan), pixel_format="rgb48le", colour=Colour(0, 1, 1, True))
        views, decoded = plan.views[0], dict(source.reader().frames(np.arange(200)))
        assert views is not None
        for number, made in enumerate(result_frames(plan, target)):
            seen = crop_of(plan.pictures[0], target.size, views.box(number), stretch=False)
            frames, weights = plan.schedule.sources(number)
            light = sum(
                to_linear(np.asarray(warp.steadied(frame, decoded[frame], seen)) / 65535, 1) * weight
                for frame, weight in zip(frames.tolist(), weights.tolist(), strict=True)
            ) / weights.sum()  # fmt: skip
            assert np.abs(made.to_ndarray() / 257 - from_linear(light, 1) * 255).max() < 0.2


def test_content_goes_where_its_move_says_whichever_way_it_was_filmed() -> None:
    codes = np.zeros((200, 320, 3), np.uint16)
    cv2.circle(codes, (160, 100), 6, (60000,) * 3, -1, cv2.LINE_AA)

    def middle(picture: Rgb16) -> np.ndarray:
        light = picture[..., 1].astype(float)
        rows, columns = np.indices(light.shape)
        places = np.array([(columns * light).sum(), (rows * light).sum()])
        return np.asarray(places / light.sum() - [159.5, 99.5])

    moved = middle(warped(codes, [0.1, 0.05, 0, 0])) - middle(codes)
    assert moved == pytest.approx([32, 16], abs=0.2)
    # Turned counter-clockwise to be shown: right when upright is down as decoded.
    lying = middle(warped(codes, [0.1, 0.05, 0, 0], rotation=90)) - middle(codes)
    assert lying == pytest.approx([-0.05 * 200, 0.1 * 200], abs=0.2)
    grown = warped(codes, [0, 0, 0, np.log(1.5)])
    assert (grown[..., 1] > 30000).sum() == pytest.approx(2.25 * (codes[..., 1] > 30000).sum(), rel=0.1)


@pytest.fixture(scope="module")
def shaken(scene: np.ndarray, tmp_path_factory: pytest.TempPathFactory) -> Path:
    """Four seconds of a walk to the right, held by hand."""
    path = tmp_path_factory.mktemp("steady") / "walk.mkv"
    course = walk(4)[:200]
    views = [(-row[0] * WIDTH, -row[1] * WIDTH, -np.degrees(row[2]), 1.0) for row in course]
    with av.open(str(path), "w") as container:
        stream = container.add_stream("libx264", rate=50, options={"crf": "10", "preset": "ultrafast"})
        stream.width, stream.height, stream.pix_fmt = WIDTH, HEIGHT, "yuv420p"
        for picture in filmed(scene, views, 0.0):
            frame = av.VideoFrame.from_ndarray(picture, "gray").reformat(format="yuv420p")
            container.mux(stream.encode(frame))
        container.mux(stream.encode(None))
    return path


def restless(pictures: list[Grey]) -> float:
    """Second differences of the camera's way from picture to picture, in pixels."""
    steps = [step_between(one, other) for one, other in pairwise(pictures)]
    way = np.cumsum([(step.right * WIDTH, step.down * WIDTH) for step in steps], axis=0)
    return float(np.sqrt((np.diff(way, 2, axis=0) ** 2).sum(axis=1).mean()))


def test_a_shaken_walk_comes_out_smooth_and_lined_up(shaken: Path, tmp_path: Path) -> None:
    found = {}
    for name, choices in (
        ("plain", []),
        ("steady", ["--steady", "smooth"]),
        ("lined", ["--line-up", "0.5"]),
        ("both", ["--steady", "smooth:0.8", "--line-up", "0.5", "--crop-budget", "12"]),
    ):
        out = tmp_path / f"{name}.mkv"
        done = chronoxis(
            "condense", shaken, "--speed", 4, "--fps", 25, "-o", out, *choices, "--progress", "none"
        )
        assert done.returncode == 0, done.stderr
        made = decode_all(out, "gray")
        assert len(made) == 25
        found[name] = restless(made)
    assert found["steady"] < found["plain"] / 3
    assert found["lined"] < found["plain"]
    assert found["both"] < found["plain"] / 3


def test_the_camera_is_listed(shaken: Path) -> None:
    done = chronoxis("facts", shaken, "--camera", "-")
    assert done.returncode == 0, done.stderr
    rows = list(csv.DictReader(done.stdout.splitlines()))
    assert len(rows) == 200
    course = walk(4)[:200]
    wrong = [float(row["dx"]) for row in rows[1:]] - np.diff(course[:, 0]) * WIDTH
    assert np.sqrt(np.mean(wrong**2)) < 0.1
    assert all(0 <= float(row["confidence"]) <= 1 for row in rows)


@pytest.mark.sampled(2)
@pytest.mark.parametrize("kind", ["black", "noise", "flat", "one", "tiny", "cuts", "odd"])
def test_whatever_is_filmed_is_steadied_or_left(kind: str, tmp_path: Path) -> None:
    rng = np.random.default_rng(2)
    size = {"tiny": (8, 8), "odd": (123, 77)}.get(kind, (96, 64))
    count = 1 if kind == "one" else 30
    with av.open(str(tmp_path / "in.mkv"), "w") as container:
        stream = container.add_stream("ffv1", rate=25)
        stream.width, stream.height, stream.pix_fmt = *size, "yuv444p"
        for number in range(count):
            level = {"black": 0, "flat": 120, "cuts": 200 * (number % 2)}.get(kind, 0)
            picture = np.full((size[1], size[0], 3), level, np.uint8)
            if kind in ("noise", "tiny", "odd", "one", "cuts"):
                picture = rng.integers(0, 255, picture.shape).astype(np.uint8)
            frame = av.VideoFrame.from_ndarray(picture, "rgb24").reformat(format="yuv444p")
            container.mux(stream.encode(frame))
        container.mux(stream.encode(None))
    for mode in ("smooth", "still"):
        out = tmp_path / f"{mode}.mkv"
        done = chronoxis("condense", tmp_path / "in.mkv", "--speed", 2, "--steady", mode, "--line-up", "1",
                         "-o", out, "--progress", "none")  # fmt: skip
        assert done.returncode == 0
        untold = kind in ("black", "flat")
        assert ("cannot be followed in 97% of it, from 0:00.0 on" in done.stderr) is untold
        assert len(done.stderr.splitlines()) == untold
        assert len(decode_all(out)) == max(1, count // 2)


def test_a_shot_too_short_to_be_seen_is_steadied_without_ado(shaken: Path, tmp_path: Path) -> None:
    source = open_source(shaken)
    project = arranging.begin_with(Project(), recording_of(shaken, Fraction(50), Fraction(4)))
    project = pacing.set_speed(project, project.places(), Fraction(1))
    project = arranging.cut_shot(project, 0, Fraction(101, 100))
    project = arranging.cut_shot(project, 1, Fraction(2, 100))
    project = pacing.set_speed(project, project.places()[1:2], Fraction(8))
    project = correcting.set_steady(project, [0, 1, 2], SMOOTH)
    path = follow(source, [(0, 200)], TraceStore(tmp_path / "traces"))
    plan = make_plan(project, {"walk": source}, None, {"walk": path})
    assert 1 not in plan.schedule.shots
    assert [course is not None for course in plan.steadied] == [True] * 3


def test_a_cut_ends_a_path() -> None:
    course = walk(4)
    path = path_along(course)
    path.sureness[120], path.right[120] = -1.0, 0.0
    made = planned(path, SMOOTH, 60)
    alone = [planned(path_along(part), SMOOTH, 60) for part in
             (course[:120], course[120:])]  # fmt: skip
    assert np.allclose(made.sway, np.concatenate([each.sway for each in alone]), atol=2e-3)


def test_words_of_steadying_are_read_or_refused() -> None:
    assert parse_steady("still:80%") == Steady(SteadyMode.STILL, 0.8)
    assert parse_steady("smooth").mode is SteadyMode.SMOOTH
    assert parse_crop_budget("12%") == pytest.approx(0.12)
    for refused in (lambda: parse_steady("tripod"), lambda: parse_steady("still:9"),
                    lambda: parse_crop_budget("90"), lambda: parse_crop_budget("x")):  # fmt: skip
        with pytest.raises(PlanError):
            refused()


def test_what_is_shown_of_a_steadied_shot_is_what_is_exported(shaken: Path, tmp_path: Path) -> None:
    source = open_source(shaken)
    project = arranging.begin_with(Project(), recording_of(shaken, Fraction(50), Fraction(4)))
    project = pacing.set_speed(project, project.places(), Fraction(4))
    project = making.set_line_up(project, project.places(), 0.5)
    project = correcting.set_steady(project, [0], SMOOTH)
    path = follow(source, [(0, 200)], TraceStore(tmp_path / "traces"))
    plan = make_plan(project, {"walk": source}, None, {"walk": path})
    assert not plan.unmeasured
    assert make_plan(project, {"walk": source}).unmeasured == ("walk",)
    even = np.arange(0, 200, 4)[: len(plan.schedule)]
    assert (plan.schedule.frames != even).any()
    whole = replace(export_target(plan), pixel_format="rgb24", colour=preview_target(plan, 90).colour)
    for large, small in zip(
        result_frames(plan, whole), result_frames(plan, preview_target(plan, 90)), strict=True
    ):
        brought = cv2.resize(large.to_ndarray(), (160, 90), interpolation=cv2.INTER_AREA)
        assert np.abs(brought.astype(float) - small.to_ndarray())[4:-4, 4:-4].mean() < 4


def turned_by_hand(focus: float, seconds: float = 8) -> tuple[CameraPath, Course]:
    """A camera that turns as it is carried: pictures lean with each step."""
    course = walk(seconds)
    path = path_along(course)
    path.leant_right[:], path.leant_down[:] = -path.right / focus**2, -path.down / focus**2
    return path, course


def test_a_camera_that_turns_is_steadied_with_its_keystone() -> None:
    path, _ = turned_by_hand(1.1)
    made = planned(path, SMOOTH, 60)
    assert made.bend == pytest.approx(1.1**-2, rel=1e-3)
    rng = np.random.default_rng(1)
    path.leant_right[:], path.leant_down[:] = rng.normal(0, 0.01, (2, len(path)))
    assert planned(path, SMOOTH, 60).bend == 0  # nothing that goes with moves
    # What a turn does to places, by rotating rays: they have to come back to where they were.
    focus, turn, tilt = 1.1, 0.02, -0.013
    across = np.array([[np.cos(turn), 0, np.sin(turn)], [0, 1, 0], [-np.sin(turn), 0, np.cos(turn)]])
    upwards = np.array([[1, 0, 0], [0, np.cos(tilt), -np.sin(tilt)], [0, np.sin(tilt), np.cos(tilt)]])
    lens = np.diag([focus, focus, 1.0])
    turned = lens @ across @ upwards @ np.linalg.inv(lens)
    right, down, _ = turned[:, 2] / turned[2, 2]
    leads = np.array(inverse_homography(np.array([[right, down, 0.0, 0.0]]), focus**-2))[:, :, 0]
    places = np.array([[0.4, 0.2, 1], [-0.4, 0.2, 1], [0.4, -0.2, 1], [-0.3, -0.25, 1]]).T
    seen = turned @ places
    back = leads @ (seen / seen[2])
    plain = (seen / seen[2])[:2] - places[:2] - np.array([[right], [down]])
    assert np.abs(back[:2] / back[2] - places[:2]).max() < np.abs(plain).max() / 8


def test_a_whip_costs_only_what_is_around_it_its_smoothness() -> None:
    course = walk(24)
    t = np.arange(len(course)) / 60
    course[:, 0] += 0.9 / (1 + np.exp(-(t - 12) / 0.08))
    made = planned(path_along(course), SMOOTH, 60)
    assert shown_within(made.moves, made.crop)
    after = course + made.moves
    for part in (slice(60, 400), slice(1040, 1380)):
        assert jolts(after[part]) <= jolts(course[part]) / 8


@pytest.mark.thorough
def test_no_border_shows_in_ten_thousand_frames() -> None:
    """Every place on the rim of what is shown comes from within the picture, as the resampling reads it."""
    picture = PictureFormat(96, 54, 96, 54, 0, "yuv420p", 8, Colour(1, 1, 1, True))
    for seed in range(20):
        path, course = turned_by_hand(1.0 + seed / 10, 500 / 60)
        course = course * (1 + seed % 4)  # harder than the budget allows, too
        path.right[1:], path.down[1:] = np.diff(course[:, 0]), np.diff(course[:, 1])
        mode = SteadyMode.STILL if seed % 3 == 0 else SteadyMode.SMOOTH
        made = planned(path, Steady(mode, crop=0.03 + 0.01 * (seed % 5)), 60)
        warp = SteadyWarp(0, made.moves, made.crop, picture, made.bend)
        columns = np.arange(96)
        for frame in range(500):
            inverse = warp.inverse_rows(frame, 96, 54, Crop((0, 0, 96, 54), (96, 54)))
            for row in (0, 53):
                across, along, down, below, over, deeper = inverse[row]
                by = over + deeper * columns
                x, y = (across + along * columns) / by, (down + below * columns) / by
                assert x.min() >= -0.5
                assert x.max() <= 95.5
                assert y.min() >= -0.5
                assert y.max() <= 53.5


def deshaken(path: Path) -> list[Grey]:
    """By the library's own filter."""
    with av.open(str(path)) as container:
        stream = container.streams.video[0]
        graph = av.filter.Graph()
        ends = graph.add_buffer(template=stream), graph.add("deshake"), graph.add("buffersink")
        for one, other in pairwise(ends):
            one.link_to(other)
        graph.configure()
        pictures = []
        for frame in container.decode(stream):
            graph.push(frame)
            made = graph.pull()
            assert isinstance(made, av.VideoFrame)
            pictures.append(np.asarray(made.to_ndarray(format="gray"), np.uint8))
    return pictures


@pytest.mark.thorough
def test_far_less_shake_is_left_than_the_library_leaves(shaken: Path, tmp_path: Path) -> None:
    out = tmp_path / "steady.mkv"
    done = chronoxis("condense", shaken, "--speed", 1, "--fps", 50, "-o", out, "--steady", "smooth",
                     "--crop-budget", 10, "--progress", "none")  # fmt: skip
    assert done.returncode == 0, done.stderr
    left = restless(decode_all(out, "gray"))
    assert left <= restless(decode_all(shaken, "gray")) / 8
    assert left <= restless(deshaken(shaken)) / 3


@pytest.mark.parametrize("crop", [0.04, 0.05, 0.1])
def test_what_is_lined_up_and_steadied_shakes_half_as_much_as_at_even_steps(crop: float) -> None:
    """In what is shown, and with no frame out of the picture; also where the budget is too small."""
    course = walk(30)
    path, span, wish = path_along(course), (0, len(course)), Steady(SteadyMode.SMOOTH, crop=crop)
    sway = camera_shake(path, span, wish, 480)
    even = np.arange(40, len(course) - 40, 8)
    left = []
    for frames in (even, lined_up(even, np.full(len(even), 4.0), sway * [1, 1, 0.3, 0.3], 0)):
        # A quarter of the step is gathered around each.
        used = np.unique((frames[:, None] + np.arange(-1, 2)).ravel())
        shown = Shown(frames, even.astype(np.float64), used, 60)
        made = steady_course(path, span, wish, sway, shown, ASPECT)
        assert made.crop <= crop + 1e-9
        assert shown_within(made.moves[used], made.crop)
        left.append(jolts((course + made.moves)[frames]))
        # What is gathered is aligned: it moves as the smooth way does, not as the hand did.
        swayed = np.abs(np.diff(course[used] - course[used].mean(axis=0), axis=0)[:, 1]).mean()
        assert np.abs(np.diff((course + made.moves)[used], axis=0)[:, 1]).mean() < swayed / 2
    assert left[1] <= max(left[0] / 2, 0.5 / 1920)


def test_photos_of_a_nudged_tripod_stand_still(scene: np.ndarray, tmp_path: Path) -> None:
    nudges = [(0, 0), (0, 0), (0, 0), (6, -3), (6, -3), (6, -3), (6, -3), (-4, 2), (-4, 2), (-4, 2)]
    folder = tmp_path / "run"
    folder.mkdir()
    for number, (right, down) in enumerate(nudges):
        (picture,) = filmed(scene, [(float(right), float(down), 0.0, 1.0)], 0.0)
        cv2.imwrite(str(folder / f"IMG_{number:04d}.png"), cv2.merge([picture] * 3))
    out = tmp_path / "still.mkv"
    done = chronoxis("condense", folder, "--photos-per-second", 5, "--fps", 5, "--steady", "still",
                     "--crop-budget", 12, "-o", out, "--progress", "none")  # fmt: skip
    assert (done.returncode, done.stderr) == (0, "")
    made = decode_all(out, "gray")
    assert len(made) == len(nudges)
    for one, other in pairwise(made):
        step = step_between(one, other)
        assert np.hypot(step.right, step.down) * WIDTH < 0.15


def test_what_fills_the_picture_for_a_while_breaks_no_budget(scene: np.ndarray, tmp_path: Path) -> None:
    """Something near goes by against the camera, and covers all of it."""
    pictures = filmed(scene, [(2.0 * k, 0.0, 0.0, 1.0) for k in range(40)], 0.0)
    near = filmed(scene[::-1].copy(), [(-5.0 * k, 0.0, 0.0, 1.0) for k in range(40)], 0.0)
    pictures[12:28] = near[12:28]
    path = path_of(pictures)
    for mode in (SteadyMode.SMOOTH, SteadyMode.STILL):
        made = planned(path, Steady(mode), 25)
        assert made.crop <= 0.1 + 1e-9
        assert shown_within(made.moves, made.crop)
