"""Traces of pictures, and what follows from them: even light, passers-by; against generated truth."""

import csv
import io
from collections.abc import Callable, Iterable
from dataclasses import replace
from fractions import Fraction
from itertools import pairwise
from pathlib import Path

import av
import cv2
import numpy as np
import numpy.typing as npt
import pytest
from av.filter import Graph
from av.video.frame import VideoFrame
from click.testing import CliRunner

from chronoxis.cli.main import cli
from chronoxis.core.errors import Cancelled
from chronoxis.core.footage.kinds import footage_of, open_source
from chronoxis.core.model import arranging, correcting, pacing
from chronoxis.core.model.even_out import EvenOut
from chronoxis.core.model.export_formats import MKV
from chronoxis.core.model.photo_run import FlawKind, Handling, PhotoRun
from chronoxis.core.model.project import Place, Project
from chronoxis.core.model.settings import ResultSettings
from chronoxis.core.picture.colour import from_linear, to_linear
from chronoxis.core.picture.rgb import rgb16
from chronoxis.core.render.chain import result_frames
from chronoxis.core.render.measuring import measured_plan
from chronoxis.core.render.plan import Plan
from chronoxis.core.render.planning import make_plan
from chronoxis.core.render.target import export_target
from chronoxis.core.timing.frame_making import OWN_EACH_FRAME, EachFrame, PassersBy
from chronoxis.core.traces import picture_trace
from chronoxis.core.traces.picture_trace import PictureTrace, watch
from chronoxis.core.traces.store import TraceStore
from chronoxis.core.traces.trend import smoothed, trend
from chronoxis.demo import tower_picture, tower_truth
from chronoxis.demo.larkfield import draw_field, draw_walk
from tests.footage_makers import make_recording

ONLY = Place(0, 0)
BT709 = 1
SIZE = (160, 90)
FRAMES = 240
NO_SCENES = np.zeros(0, np.int64)
Numbers = npt.NDArray[np.float64]


def jumps(share: float) -> Numbers:
    """Gains of light that differ from frame to frame by so much RMS."""
    return np.asarray(1 + share * np.random.default_rng(5).normal(0, 1, FRAMES).clip(-2.5, 2.5))


def dawn() -> Numbers:
    """Light that grows sixfold."""
    return np.asarray(np.exp(np.log(6) / (1 + np.exp(-(np.arange(FRAMES) - 120) / 40))) / 8)


def written(path: Path, pictures: Iterable[npt.NDArray[np.uint8]], size: tuple[int, int]) -> Path:
    """A lossless recording of R′G′B′ codes, at 25 frames a second."""
    with av.open(str(path), "w") as container:
        stream = container.add_stream("ffv1", rate=25)
        assert isinstance(stream, av.VideoStream)
        (stream.width, stream.height), stream.pix_fmt = size, "bgr0"
        for number, codes in enumerate(pictures):
            frame = VideoFrame.from_ndarray(np.ascontiguousarray(codes), "rgb24").reformat(format="bgr0")
            frame.pts, frame.time_base = number, Fraction(1, 25)
            container.mux(stream.encode(frame))
        container.mux(stream.encode(None))
    return path


def light_of(course: Numbers, path: Path) -> Path:
    """A recording of ground in that light, of which a third is covered by things that come and go."""
    width, height = SIZE
    rng = np.random.default_rng(2)
    rough = cv2.GaussianBlur(rng.normal(0, 1, (height, width, 3)), (0, 0), 2)
    ground = np.clip(0.5 + 0.25 * rough / rough.std(), 0.15, 1)
    y, x = np.mgrid[0:height, 0:width]

    def picture(number: int) -> npt.NDArray[np.uint8]:
        scene = ground.copy()
        for thing in range(5):  # each of more than a twentieth of the picture
            across = (37 * thing + (3 + thing % 3) * number) % (width + 60) - 30
            scene[(x - across) ** 2 + (y - 15 * thing - 8) ** 2 < 17**2] = 0.1 + 0.15 * thing
        codes = from_linear(np.clip(scene * course[number], 0, 1), BT709) * 255
        return np.asarray(np.rint(codes), np.uint8)

    return written(path, map(picture, range(FRAMES)), SIZE)


def fast(course: Numbers) -> float:
    """RMS of what changes within a hundred frames."""
    return float(np.std(course - smoothed(course[:, None], 100, NO_SCENES)[:, 0]))


@pytest.mark.sampled(1)
@pytest.mark.parametrize("share", [0.03, 0.1])
def test_flicker_goes_and_a_dawn_stays(tmp_path: Path, share: float) -> None:
    added = np.log(jumps(share))
    path = light_of(dawn() * jumps(share), tmp_path / "flicker.mkv")
    trace = watch(open_source(path), TraceStore(tmp_path / "traces"))
    chosen = np.log(trace.gains(1.0, None, channels=False)[:, 1].astype(float))
    assert fast(added + chosen) <= 0.1 * fast(added)
    gains = np.log(trace.gains(1.0, 100.0, channels=False)[:, 1].astype(float))
    assert fast(added + gains) <= 0.1 * fast(added)
    slow = smoothed((added + gains)[:, None], 100, NO_SCENES)[:, 0]
    flat = smoothed(added[:, None], 100, NO_SCENES)[:, 0]  # what of the jumps nobody can tell from a dawn
    assert np.abs(slow - flat)[20:-20].max() < 0.01
    half = np.log(trace.gains(0.5, 100.0, channels=False)[:, 1].astype(float))
    assert half == pytest.approx(gains / 2, abs=1e-6)


@pytest.mark.thorough
def test_a_dawn_without_flicker_is_left_as_it_is(tmp_path: Path) -> None:
    trace = watch(open_source(light_of(dawn(), tmp_path / "dawn.mkv")), TraceStore(tmp_path / "traces"))
    assert np.abs(trace.gains(1.0, None, channels=False) - 1).max() < 0.01
    assert np.abs(trace.gains(1.0, None, channels=True) - 1).max() < 0.02


NUMBERS = np.arange(FRAMES)
LASTING = {
    "step": np.where(NUMBERS < 100, 0.3, 0.8),
    "small step": np.where(NUMBERS < 130, 0.5, 0.55),
    "slow wave": 0.55 + 0.25 * np.sin(2 * np.pi * NUMBERS / 150),
    "dawn": 0.1 + 0.6 / (1 + np.exp(-(NUMBERS - 120) / 18.75)),
    "lamps": np.where((NUMBERS // 60) % 2, 0.7, 0.4),
}


@pytest.mark.thorough
@pytest.mark.parametrize("light", LASTING)
def test_changes_that_last_are_left_as_they_are(tmp_path: Path, light: str) -> None:
    trace = watch(
        open_source(light_of(LASTING[light], tmp_path / "take.mkv")), TraceStore(tmp_path / "traces")
    )
    assert np.abs(trace.gains(1.0, None, channels=False) - 1).max() < 0.01
    assert np.abs(trace.gains(1.0, None, channels=True) - 1).max() < 0.02


@pytest.mark.thorough
@pytest.mark.parametrize("light", ["step", "lamps"])
def test_flicker_goes_and_a_step_stays(tmp_path: Path, light: str) -> None:
    course = LASTING[light]
    path = light_of(course * jumps(0.08), tmp_path / "take.mkv")
    trace = watch(open_source(path), TraceStore(tmp_path / "traces"))
    left = np.log(jumps(0.08)) + np.log(trace.gains(1.0, None, channels=False)[:, 1].astype(float))
    for begin, end in pairwise([0, *(np.flatnonzero(np.diff(course)) + 1).tolist(), FRAMES]):
        assert np.std(np.diff(left[begin:end])) < 0.005
        assert abs(np.mean(left[begin:end]) - np.mean(np.log(jumps(0.08))[begin:end])) < 0.01


def test_one_bad_frame_sways_nothing_about_it() -> None:
    for count in (1, 2, 5, 12, 400):
        course = np.zeros((count, 1))
        course[count // 2] = -1.5
        even = trend(course, None, NO_SCENES)
        assert np.abs(np.delete(even, count // 2) if count > 5 else 0).max() < 1e-6
        assert np.all(np.isfinite(even))


def test_a_long_span_finds_its_breaks_to_the_frame() -> None:
    rng = np.random.default_rng(4)
    course = np.where(np.arange(9000) < 3777, 0.0, 0.9) + rng.uniform(-0.08, 0.08, 9000)
    even = trend(course[:, None], 1000.0, NO_SCENES)[:, 0]
    assert np.abs(even[:3777]).max() < 0.02
    assert np.abs(even[3777:] - 0.9).max() < 0.02
    brief = course - np.where(abs(np.arange(9000) - 3777) < 100, 0.9, 0)  # comes and goes within the span
    assert np.abs(trend(brief[:, None], 2000.0, NO_SCENES)[3700:3850, 0]).max() < 1


@pytest.mark.thorough
def test_it_is_evener_than_what_the_library_makes_of_it(tmp_path: Path) -> None:
    path = light_of(dawn() * jumps(0.05), tmp_path / "flicker.mkv")
    source = open_source(path)
    project = arranging.begin_with(Project(settings=ResultSettings(MKV)), footage_of(source.facts))
    project = pacing.set_speed(project, [ONLY], Fraction(1))
    project = correcting.set_even_out(project, [0], EvenOut(1.0))
    plan = measured_plan(project, {project.footage[0].key: source}, TraceStore(tmp_path / "traces"))
    target = export_target(plan)
    # An edge that nothing comes to tells what the light is.
    ours = [edge(rgb16(frame, target.colour) / 65535) for frame in result_frames(plan, target)]
    with av.open(str(path)) as container:
        stream, graph = container.streams.video[0], Graph()
        steps = (
            graph.add_buffer(template=stream), graph.add("format", "yuv444p"),
            graph.add("deflicker", "size=10"), graph.add("buffersink"),
        )  # fmt: skip
        for one, other in pairwise(steps):
            one.link_to(other)
        graph.configure()
        theirs = []
        for frame in [*container.decode(stream), None]:
            graph.push(frame)
            while True:
                try:
                    made = graph.pull()
                except (BlockingIOError, av.error.EOFError):
                    break
                assert isinstance(made, VideoFrame)
                theirs.append(edge(made.to_ndarray(format="rgb24") / 255))
    assert len(ours) == FRAMES
    assert fast(np.log(ours)) < fast(np.log(theirs)) / 2


def edge(codes: Numbers) -> float:
    return float(to_linear(codes[86:90], BT709).mean())


@pytest.fixture(scope="module")
def field(tmp_path_factory: pytest.TempPathFactory) -> Path:
    path = tmp_path_factory.mktemp("passers") / "field.mp4"
    draw_field(path, size=(320, 180), start=30, seconds=64)
    return path


@pytest.fixture(scope="module")
def seen(field: Path) -> PictureTrace:
    return watch(open_source(field), TraceStore(field.parent / "traces"))


def truth() -> list[tuple[float, float]]:
    return [(p.enter - 30, p.leave - 30) for p in tower_truth.PASSERS if p.enter >= 30 and p.leave <= 94]


@pytest.mark.thorough
def test_every_passer_by_is_found_and_hardly_anything_else(seen: PictureTrace) -> None:
    found = [(first / 25, stop / 25) for first, stop in seen.passers.tolist()]
    for enter, leave in truth():
        assert any(first < enter + 0.6 and stop > leave - 0.6 for first, stop in found), (enter, found)
    false = [span for span in found if not any(a < span[1] and b > span[0] for a, b in truth())]
    assert len(false) <= 1


def field_plan(field: Path, seen: PictureTrace, wish: PassersBy) -> Plan:
    source = open_source(field)
    project = arranging.begin_with(Project(settings=ResultSettings(MKV)), footage_of(source.facts))
    project = pacing.set_speed(project, [ONLY], Fraction(10))
    project = correcting.set_passers_by(project, [0], wish)
    return make_plan(project, {project.footage[0].key: source}, {project.footage[0].key: seen})


def test_a_camera_that_stands_still_is_told_from_one_that_moves(tmp_path: Path, seen: PictureTrace) -> None:
    assert seen.stands_still(0, len(seen))
    assert not seen.stands_still(5, 6)
    walk = tmp_path / "walk.mp4"
    draw_walk(walk, size=(320, 180), seconds=1)
    moving = watch(open_source(walk), TraceStore(), lambda *_: None)
    assert not moving.stands_still(0, len(moving))
    assert not PictureTrace.blank(60, 1).stands_still(0, 60)


def test_who_passes_is_skipped(field: Path, seen: PictureTrace) -> None:
    frames = field_plan(field, seen, PassersBy.SKIP).schedule.frames / 25
    for enter, leave in truth():
        assert not np.any((frames > enter + 0.3) & (frames < leave - 0.3))


@pytest.mark.thorough
def test_who_passes_is_cleared(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    first, size = 84 * 25, (320, 180)
    path = written(tmp_path / "field.mkv", tower_picture.frames(size, 400, first), size)
    trace = watch(open_source(path), TraceStore(tmp_path / "traces"))
    assert len(trace.passers) == 1
    plan = field_plan(path, trace, PassersBy.CLEAR)
    monkeypatch.setattr(tower_picture, "PASSERS", ())
    target = export_target(plan)
    cleared = [n for n in range(len(plan.schedule)) if plan.schedule.way(n) == EachFrame.CLEAR]
    assert len(cleared) >= 7
    for number in cleared:
        (made,) = result_frames(plan, target, number, number + 1)
        frames, _ = plan.schedule.sources(number)
        clean = [
            next(iter(tower_picture.frames(size, 1, first + frame))).astype(float)
            for frame in sorted({*frames.tolist(), 10 * number})
        ]
        # The ground: not what flies, or glows for a moment.
        ground = np.ptp(clean, axis=0).max(axis=2) < 12
        assert ground.mean() > 0.4
        codes, wish = (rgb16(made, target.colour) / 257)[ground], clean[len(clean) // 2][ground]
        apart = codes * (wish.mean() / codes.mean()) - wish  # the camera hunts: a median has its middle light
        assert np.sqrt(np.mean(apart**2)) < 2, number


def test_one_passer_by_is_treated_apart(field: Path, seen: PictureTrace) -> None:
    plan = field_plan(field, seen, PassersBy.CLEAR)
    first, stop = (Fraction(int(frame), 25) for frame in seen.passers[0])
    project = correcting.set_passer_by(plan.project, 0, (first, stop), PassersBy.LEAVE)
    source = open_source(field)
    apart = make_plan(project, {project.footage[0].key: source}, {project.footage[0].key: seen})
    at = round(float(first + stop) / 2 * 2.5)
    assert plan.schedule.way(at) == EachFrame.CLEAR
    assert apart.schedule.way(at) == EachFrame.ONE
    back = correcting.set_passer_by(project, 0, (first, stop), None)
    assert back == plan.project


def test_nothing_takes_effect_before_it_is_measured(field: Path) -> None:
    source = open_source(field)
    project = arranging.begin_with(Project(settings=ResultSettings(MKV)), footage_of(source.facts))
    project = correcting.set_even_out(project, [0], EvenOut(1.0))
    plan = make_plan(project, {project.footage[0].key: source})
    assert plan.unmeasured == (project.footage[0].key,)
    assert plan.corrections == ((),)


def alike(one: PictureTrace, other: PictureTrace) -> bool:
    return all(
        np.allclose(getattr(one, name), getattr(other, name), atol=1e-5)
        for name in ("light", "steps", "motion", "covered")
    )


@pytest.mark.thorough
def test_traces_are_kept_resumed_and_measured_anew_where_they_are_spoilt(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(picture_trace, "_REPORT_SECONDS", 0.0)  # after every few frames
    draw_field(tmp_path / "field.mp4", size=(96, 54), start=78, seconds=32)
    source, store = open_source(tmp_path / "field.mp4"), TraceStore(tmp_path / "traces")
    seen = watch(source, TraceStore(tmp_path / "others"))

    def stop(_trace: PictureTrace, share: float) -> None:
        if share > 0.5:
            raise Cancelled

    with pytest.raises(Cancelled):
        watch(source, store, stop)
    shares: list[float] = []
    again = watch(source, store, lambda _, share: shares.append(share))
    assert min(shares) > 0.15  # it went on from where it was
    assert alike(again, seen)
    assert again.passers.tolist() == seen.passers.tolist()
    kept = next((tmp_path / "traces").iterdir())
    whole = kept.read_bytes()
    for spoilt in (b"", whole[: len(whole) // 2], b"rubbish" * 50):
        kept.write_bytes(spoilt)
        assert alike(watch(source, store), seen)
    other = TraceStore(tmp_path / "traces")  # another window's
    assert alike(watch(source, other, lambda *_: pytest.fail("nothing is measured anew")), seen)


@pytest.mark.parametrize("how", ["a file in its place", "deleted meanwhile"])
def test_without_a_cache_it_is_measured_all_the_same(tmp_path: Path, how: str) -> None:
    path, folder = make_recording(tmp_path / "take.mp4", frames=80), tmp_path / "traces"
    if how == "a file in its place":
        folder.write_text("no folder")

    def spoil(_trace: PictureTrace, _share: float) -> None:
        for kept in folder.glob("*") if folder.is_dir() else ():
            kept.unlink()

    assert watch(open_source(path), TraceStore(folder), spoil).is_whole


@pytest.mark.parametrize("make", [
    lambda n: np.zeros((48, 64, 3), np.uint8), lambda n: np.full((48, 64, 3), 255, np.uint8),
    lambda n: np.random.default_rng(n).integers(0, 255, (48, 64, 3)).astype(np.uint8),
    lambda n: np.full((48, 64, 3), 40 if n < 20 else 200, np.uint8),
])  # fmt: skip
@pytest.mark.parametrize("count", [1, 2, 40])
def test_rubbish_is_measured_as_nothing_much(
    tmp_path: Path, make: Callable[[int], npt.NDArray[np.uint8]], count: int
) -> None:
    path = written(tmp_path / "odd.mkv", map(make, range(count)), (64, 48))
    trace = watch(open_source(path), TraceStore(tmp_path / "traces"))
    assert len(trace) == count
    gains = trace.gains(1.0, None, channels=True)
    assert np.all(np.isfinite(gains))
    assert gains.max() < 1.5
    assert len(trace.passers) == 0
    if count == 40 and make(0).mean() == 40:
        assert trace.scenes.tolist() == [20]


def test_missing_photos_are_filled_by_the_motion_around_them(tmp_path: Path) -> None:
    folder = tmp_path / "run"
    folder.mkdir()
    y, x = np.mgrid[0:90, 0:160]
    for number in (0, 1, 2, 4, 5):
        ground = 90 + 50 * np.sin(x / 9) + 30 * np.sin(y / 7)
        ground[(x - 40 - 8 * number) ** 2 + (y - 45) ** 2 < 18**2] = 230
        cv2.imwrite(str(folder / f"shot_{number:03}.png"), ground.clip(0, 255).astype(np.uint8))
    source = open_source(folder)
    run = footage_of(source.facts)
    assert isinstance(run, PhotoRun)
    plans = {}
    for wish in (Handling.HOLD, Handling.FILL):
        chosen = source.facts.measured(run.with_handling(FlawKind.MISSING, wish))  # type: ignore[attr-defined]
        project = arranging.begin_with(Project(settings=ResultSettings(MKV)), chosen)
        project = arranging.set_rate(pacing.set_speed(project, [ONLY], Fraction(1)), chosen.rate)
        plans[wish] = make_plan(project, {chosen.key: source})
    assert len(plans[Handling.FILL].schedule) == 6
    assert plans[Handling.FILL].schedule.sources(3)[0].tolist() == [2, 4]
    target = export_target(plans[Handling.FILL])
    (made,) = result_frames(plans[Handling.FILL], target, 3, 4)
    codes = rgb16(made, target.colour)[45, :, 1] / 257
    bright = np.flatnonzero(codes > 200)
    assert abs((bright.min() + bright.max()) / 2 - 64) < 2  # where it was on its way
    assert bright.max() - bright.min() < 40


@pytest.mark.thorough
def test_the_command_line_measures_and_tells(field: Path, tmp_path: Path) -> None:
    run, out = CliRunner(), tmp_path / "traces.csv"
    assert run.invoke(cli, ["facts", str(field), "--traces", str(out)]).exit_code == 0
    rows = list(csv.DictReader(io.StringIO(out.read_text())))
    assert len(rows) == 1600
    names = ["frame", "time", "light", "motion", "change", "passers_by", "speech", "level"]
    assert list(rows[0]) == names
    marked = [float(row["time"]) for row in rows if row["passers_by"] == "1"]
    assert all(any(enter - 0.6 < at < leave + 0.6 for enter, leave in truth()) for at in marked)
    listing = ["plan", str(field), "--every", "10", "--csv", "-"]
    plain = run.invoke(cli, listing)
    skipped = run.invoke(cli, [*listing, "--passers-by", "skip", "--even-out", "0.8", "--even-out-span", "4"])
    assert plain.exit_code == skipped.exit_code == 0
    assert plain.output != skipped.output
    film = tmp_path / "film.mkv"
    choices = ["--each", "clear", "--window", "0.6", "--shutter", "all", "--even-out", "50%", "--to", "4"]
    done = run.invoke(cli, ["condense", str(field), "-o", str(film), "--every", "20", *choices])
    assert done.exit_code == 0, done.output
    for wrong in (["--even-out", "2"], ["--window", "0"], ["--shutter", "wide"], ["--fill", "best"]):
        refused = run.invoke(
            cli, ["condense", str(field), "-o", str(tmp_path / "no.mkv"), "--every", "9", *wrong]
        )
        assert refused.exit_code != 0
        assert "Traceback" not in refused.output


def test_what_is_shown_is_what_is_exported_whatever_the_way(field: Path, seen: PictureTrace) -> None:
    """Frames of the preview's chain against those of the export's, scaled down."""
    from chronoxis.core.render.target import preview_target  # noqa: PLC0415 - named beside its use
    from chronoxis.core.timing.frame_making import Between, EachFrame, Fill, FrameMaking  # noqa: PLC0415

    rng, plan = np.random.default_rng(11), field_plan(field, seen, PassersBy.CLEAR)
    choices = [
        *(FrameMaking(each) for each in OWN_EACH_FRAME), FrameMaking(EachFrame.LONG_EXPOSURE, soft=True),
        FrameMaking(EachFrame.LONG_EXPOSURE, fill=Fill.GOOD), FrameMaking(fill=Fill.QUICK),
        FrameMaking(EachFrame.CLEAR, window=Fraction(2)), FrameMaking(between=Between.MOTION),
        FrameMaking(between=Between.BLEND),
    ]  # fmt: skip
    for making in choices:
        slow = making.between is not Between.HOLD
        passage = replace(
            plan.project.passage(ONLY), making=making, speed=Fraction(1, 3) if slow else Fraction(10)
        )
        project = correcting.set_even_out(plan.project.with_passage(ONLY, passage), [0], EvenOut(0.7))
        key = project.footage[0].key
        made = make_plan(project, {key: open_source(field)}, {key: seen})
        whole, small = export_target(made), preview_target(made, 90)
        number = int(rng.integers(0, len(made.schedule)))
        (exported,) = result_frames(made, whole, number, number + 1)
        (shown,) = result_frames(made, small, number, number + 1)
        large = (rgb16(exported, whole.colour) / 257).astype(np.float32)
        scaled = np.asarray(cv2.resize(large, (160, 90), interpolation=cv2.INTER_AREA), np.float32)
        small_one = np.asarray(shown.to_ndarray(), np.float32)
        assert similarity(scaled, small_one) >= 0.97, (making, number)


def similarity(one: npt.NDArray[np.float32], other: npt.NDArray[np.float32]) -> float:
    """SSIM of luma (Wang et al., 2004), over Gaussian windows."""
    weights = np.array([0.2126, 0.7152, 0.0722], np.float32)
    a, b = one @ weights, other @ weights

    def mean(picture: npt.NDArray[np.float32]) -> npt.NDArray[np.float32]:
        return np.asarray(cv2.GaussianBlur(picture, (11, 11), 1.5), np.float32)

    ma, mb = mean(a), mean(b)
    va, vb, both = mean(a * a) - ma**2, mean(b * b) - mb**2, mean(a * b) - ma * mb
    c1, c2 = (0.01 * 255) ** 2, (0.03 * 255) ** 2
    return float(np.mean((2 * ma * mb + c1) * (2 * both + c2) / ((ma**2 + mb**2 + c1) * (va + vb + c2))))
