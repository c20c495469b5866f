"""The chain of a result frame: its stages in their order, each at no cost where it has nothing to do."""

from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import numpy as np
import pytest
from av.video.frame import VideoFrame

from chronoxis.core.errors import ExportError
from chronoxis.core.footage.kinds import footage_of, open_source
from chronoxis.core.model import arranging, making, pacing
from chronoxis.core.model.accent import LOOKS, Accent, ByPoints, Look, Point, Stutter
from chronoxis.core.model.composing import set_framings
from chronoxis.core.model.export_format import Quality
from chronoxis.core.model.export_formats import FORMATS, MKV, format_named
from chronoxis.core.model.framing import Fit, Framing
from chronoxis.core.model.project import Place, Project
from chronoxis.core.model.settings import ResultSettings, SizeWish
from chronoxis.core.picture.accents.drawn_accent import Amounts
from chronoxis.core.picture.colour import Colour
from chronoxis.core.picture.described import Picture
from chronoxis.core.picture.frame_makers import FRAME_MAKERS, FrameMakers
from chronoxis.core.picture.rgb import Rgb16, rgb16
from chronoxis.core.render.chain import result_frames
from chronoxis.core.render.export import export
from chronoxis.core.render.plan import Plan
from chronoxis.core.render.planning import make_plan
from chronoxis.core.render.target import export_target, preview_target
from chronoxis.core.timing.frame_making import OWN_EACH_FRAME, EachFrame
from chronoxis.core.timing.shot_columns import WAYS, Derived, Frames
from tests.footage_makers import decode_all, make_recording

ONLY = Place(0, 0)
GREY = np.array([0.299, 0.587, 0.114])


@pytest.fixture(scope="module")
def take(tmp_path_factory: pytest.TempPathFactory) -> Path:
    return make_recording(tmp_path_factory.mktemp("chain") / "take.mkv", frames=60, size=(96, 64))


def plan_of(path: Path, *, each: EachFrame = EachFrame.ONE, backwards: bool = False) -> Plan:
    source = open_source(path)
    project = arranging.begin_with(Project(settings=ResultSettings(MKV)), footage_of(source.facts))
    project = pacing.set_speed(project, [ONLY], Fraction(4))
    project = making.set_each_frame(project, [ONLY], each)
    project = arranging.reverse(project, [0]) if backwards else project
    return make_plan(project, {project.footage[0].key: source})


class Brighter:
    """A correction of some recorded frames: their light codes go up."""

    def __init__(self, frames: set[int]) -> None:
        self._frames = frames
        self.seen: list[int] = []

    def acts_on(self, frame: int) -> bool:
        return frame in self._frames

    def corrected(self, frame: int, picture: Picture) -> VideoFrame:
        assert isinstance(picture, VideoFrame)
        self.seen.append(frame)
        codes = np.minimum(picture.to_ndarray(format="rgb24").astype(int) + 30, 255).astype(np.uint8)
        return VideoFrame.from_ndarray(codes, "rgb24")

    def parameters(self, frames: Frames) -> bytes:
        return bytes(map(self.acts_on, frames.tolist()))


class Corner:
    """An accent: writes the result frame's number into a corner."""

    def __init__(self, frames: set[int]) -> None:
        self.amounts = Amounts(0, np.array([float(number in frames) for number in range(20)]))

    def applied(self, result_frame: int, codes: Rgb16) -> Rgb16:
        marked = codes.copy()
        marked[:8, :8] = result_frame * 1000
        return marked


def pictures(plan: Plan, start: int = 0, stop: int | None = None) -> list[np.ndarray]:
    return [frame.to_ndarray() for frame in result_frames(plan, export_target(plan), start, stop)]


@pytest.mark.parametrize("backwards", [False, True])
def test_corrections_and_accents_reach_their_frames_and_no_other(take: Path, backwards: bool) -> None:
    plain = plan_of(take, backwards=backwards)
    numbers = plain.schedule.frames.tolist()
    brighter, corner = Brighter({numbers[2], numbers[5]}), Corner({5, 7})
    changed = replace(plain, corrections=((brighter,),), accents=((corner,),))
    target = export_target(changed)
    assert target.pixel_format == "gbrp12le"  # finer than what was recorded: new pictures are made
    before = [rgb16(frame, target.colour) for frame in result_frames(plain, target)]
    after = [rgb16(frame, target.colour) for frame in result_frames(changed, target)]
    assert sorted(brighter.seen) == sorted({numbers[2], numbers[5]})
    for number, (one, other) in enumerate(zip(before, after, strict=True)):
        middle = (slice(16, None), slice(16, None))
        rise = (other[middle].astype(int) - one[middle]).mean()
        assert rise > 3000 if number in (2, 5) else abs(rise) < 300, number
        if number in (5, 7):
            assert np.abs(other[:8, :8].astype(int) - number * 1000).max() < 300
    part = [rgb16(frame, target.colour) for frame in result_frames(changed, target, 5, 8)]
    for one, other in zip(part, after[5:8], strict=True):
        assert np.array_equal(one, other)  # numbers are those of the whole result


def test_what_nothing_acts_on_passes_bit_exact(take: Path) -> None:
    plan = plan_of(take)
    idle = replace(plan, corrections=((Brighter(set()),),), accents=((Corner(set()),),))
    recorded = decode_all(take)
    made = list(result_frames(idle, export_target(plan)))
    for frame, number in zip(made, plan.schedule.frames.tolist(), strict=True):
        assert np.array_equal(frame.to_ndarray(), recorded[number])


def test_every_way_has_its_making_and_gives_itself_again() -> None:
    assert set(FRAME_MAKERS) == set(WAYS)
    makings = FrameMakers(Colour(1, 1, 1, False))
    frames = [VideoFrame.from_ndarray(np.full((24, 16), code, np.uint8), "gray").reformat(format="yuv420p")
              for code in (60, 100, 140)]  # fmt: skip
    for way in WAYS:
        first = makings.begin(way)
        for frame in frames[: {EachFrame.ONE: 1, Derived.IN_BETWEEN: 2}.get(way, 3)]:
            first.add(frame)
        first.made()
        makings.end(way, first)
        again = makings.begin(way)
        assert again is first
        with pytest.raises(ValueError, match="frame"):
            again.made()


@pytest.mark.parametrize("each", list(OWN_EACH_FRAME))
@pytest.mark.parametrize("backwards", [False, True])
def test_preview_and_export_show_the_same(
    take: Path, tmp_path: Path, each: EachFrame, backwards: bool
) -> None:
    plan = plan_of(take, each=each, backwards=backwards)
    exported = decode_all(export(plan, tmp_path / "out.mkv").path, "rgb24")
    exactly = replace(preview_target(plan, plan.size[1]), size=plan.size, gather_small=False)
    quick = preview_target(plan, plan.size[1])
    for number in range(0, len(plan.schedule), 3):
        (sharp,) = result_frames(plan, exactly, number, number + 1)
        (small,) = result_frames(plan, quick, number, number + 1)
        # The library's quick conversion spreads chroma in another way and is up to two codes dark.
        away = np.abs(sharp.to_ndarray() @ GREY - exported[number] @ GREY)
        assert away.mean() < 2.0, number
        assert np.percentile(away, 99) <= 6
        assert np.abs(small.to_ndarray() @ GREY - exported[number] @ GREY).mean() < 3


def test_recordings_with_other_pixels_than_square_and_turned_ones(tmp_path: Path) -> None:
    """Barred and turned: what stands upright in the middle is the turned frame, scaled by an outside tool."""
    wide = make_recording(tmp_path / "wide.mkv", frames=8, size=(160, 90))
    turned = make_recording(tmp_path / "turned.mp4", frames=8, size=(160, 90), rotation=90)
    sources = {key: open_source(path) for key, path in (("wide", wide), ("turned", turned))}
    project = Project(settings=ResultSettings(MKV))
    for source in sources.values():
        project = arranging.begin_with(project, footage_of(source.facts))
    project = set_framings(project, {1: Framing(fit=Fit.BARS)})
    project = pacing.set_speed(project, project.places(), Fraction(1))
    plan = make_plan(project, sources)
    made = decode_all(export(plan, tmp_path / "out.mkv").path, "rgb24")
    upright = np.rot90(decode_all(turned, "rgb24")[3])
    shown = made[11]
    assert shown.shape == (90, 160, 3)
    assert shown[:, :50].max() <= 2  # bars
    assert shown[:, 112:].max() <= 2
    inside = shown[:, 55:105].astype(float)
    assert upright.shape == (160, 90, 3)
    shares = (0.2, 0.5, 0.8)
    for y in shares:
        for x in shares:
            one = inside[int(y * 90), int(x * 50)]
            other = upright[int(y * 160) - 2 : int(y * 160) + 3, int(x * 90) - 2 : int(x * 90) + 3].mean(
                (0, 1)
            )
            assert np.abs(one - other).max() < 40, (y, x)


@pytest.mark.thorough
def test_the_table_of_formats_feeds_everything(take: Path, tmp_path: Path) -> None:
    for each in FORMATS:
        assert format_named(each.key) is each
        assert each.ending.startswith(".")
        (tmp_path / each.key).mkdir()
        source = open_source(take)
        project = arranging.begin_with(
            Project(settings=ResultSettings(each, size=SizeWish(height=192))), footage_of(source.facts)
        )
        plan = make_plan(project, {project.footage[0].key: source})
        done = export(plan, tmp_path / each.key / ("out" if each.is_folder else f"out{each.ending}"))
        assert done.frames == 6
        with pytest.raises(ExportError, match=f"cannot take {each.max_side + 2}×64"):
            each.check((each.max_side + 2, 64), Fraction(25))
        with pytest.raises(ExportError, match="fps"):
            each.check((256, 256), each.max_rate + 1)
        keys = {each.options(quality, Fraction(25)).get("g", "1") for quality in Quality}
        assert keys == {str(each.key_interval(Fraction(25)))}
    assert not MKV.quality_options
    assert not MKV.has_quality


@pytest.mark.parametrize("look", [look for look in LOOKS if look is not Stutter])
def test_looks_go_on_recordings_that_are_stored_turned(tmp_path: Path, look: type[Look]) -> None:
    upright = make_recording(tmp_path / "upright.mkv", frames=4, size=(96, 64))
    turned = make_recording(tmp_path / "turned.mp4", frames=4, size=(96, 64), rotation=90)
    for take, size in ((upright, (64, 96)), (turned, (96, 64))):
        source = open_source(take)
        project = arranging.begin_with(Project(settings=ResultSettings(MKV)), footage_of(source.facts))
        project = pacing.set_speed(project, [Place(0, 0)], Fraction(1))
        project = replace(project, accents=(Accent(look(), ByPoints((Point(Fraction(0), 1.0),))),))
        plan = make_plan(project, {project.footage[0].key: source})
        made = decode_all(export(plan, tmp_path / f"{take.stem}.out.mkv").path, "rgb24")
        assert [frame.shape[:2] for frame in made] == [size] * 4
