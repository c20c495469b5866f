"""Which part of its pictures a shot shows: exact to the pixel, and to small parts of one."""

from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import numpy as np
import numpy.typing as npt
import pytest
from hypothesis import given
from hypothesis import strategies as st
from PIL import Image

from chronoxis.core.errors import PlanError
from chronoxis.core.footage.kinds import footage_of, open_source
from chronoxis.core.model import arranging, composing, pacing
from chronoxis.core.model.composing import set_framings, shape_shots
from chronoxis.core.model.export_formats import MKV
from chronoxis.core.model.framing import (
    Easing,
    Fit,
    Framing,
    FramingStep,
    View,
    parse_crop,
    parse_shape,
    parse_steps,
)
from chronoxis.core.model.project import Project
from chronoxis.core.model.settings import ResultSettings, SizeWish
from chronoxis.core.picture.colour import Colour
from chronoxis.core.picture.picture_format import PictureFormat
from chronoxis.core.picture.scaling import scaled_part
from chronoxis.core.picture.views import Box, enlargement, views_of
from chronoxis.core.render.chain import result_frames
from chronoxis.core.render.export import export
from chronoxis.core.render.plan import Plan
from chronoxis.core.render.planning import make_plan
from chronoxis.core.render.target import export_target, preview_target
from tests.footage_makers import decode_all, make_recording

Grey = npt.NDArray[np.float64]


def texture(size: tuple[int, int], seed: int = 2) -> npt.NDArray[np.uint8]:
    """A picture with as much fine detail as cameras give, R′G′B′, shape (height, width, 3)."""
    rng = np.random.default_rng(seed)
    spectrum = np.fft.rfft2(rng.normal(size=size[::-1]))
    radius = np.hypot(np.fft.fftfreq(size[1])[:, None], np.fft.rfftfreq(size[0])[None])
    radius[0, 0] = 1
    grey = np.fft.irfft2(spectrum / radius * np.exp(-((radius / 0.35) ** 2)), size[::-1])
    grey = (grey - grey.mean()) / grey.std()
    return np.repeat(np.clip(128 + 45 * grey, 0, 255).astype(np.uint8)[..., None], 3, -1)


def photos(folder: Path, picture: npt.NDArray[np.uint8], count: int) -> Path:
    folder.mkdir()
    for number in range(count):
        Image.fromarray(picture).save(folder / f"{number:03d}.png", compress_level=1)
    return folder


def planned(
    place: Path, framing: Framing, wish: str = "as recorded", canvas: tuple[int, int] | None = None
) -> Plan:
    source = open_source(place)
    project = Project(settings=ResultSettings(MKV, SizeWish.parse(wish)))
    project = arranging.begin_with(project, footage_of(source.facts))
    own = source.facts.picture.canvas
    project = composing.set_canvas(
        project, replace(own, width=canvas[0], height=canvas[1]) if canvas else own
    )
    project = pacing.set_speed(project, project.places(), Fraction(1))
    return make_plan(set_framings(project, {0: framing}), {project.footage[0].key: source})


def made(plan: Plan) -> list[Grey]:
    target = replace(export_target(plan), pixel_format="rgb24")
    return [frame.to_ndarray()[..., 0].astype(np.float64) for frame in result_frames(plan, target)]


def shift_across(before: Grey, after: Grey) -> float:
    """By how many pixels the picture moved to the left, from the phases of its coarser waves."""
    window = np.outer(np.hanning(before.shape[0]), np.hanning(before.shape[1]))
    one, other = (np.fft.fft2((grey - grey.mean()) * window) for grey in (before, after))
    down, across = np.fft.fftfreq(before.shape[0])[:, None], np.fft.fftfreq(before.shape[1])[None]
    crossed = other * one.conj()
    chosen = (np.hypot(down, across) < 0.12) & (np.abs(across) > 0.02)
    phases = np.angle(crossed[chosen]) / (2 * np.pi)
    waves = np.broadcast_to(across, crossed.shape)[chosen]
    weights = np.abs(crossed[chosen])
    return float((weights * phases * waves).sum() / (weights * waves**2).sum())


def moving(*views: tuple[float, float, float, float], easing: Easing = Easing.EVEN) -> Framing:
    return Framing(parse_steps(" -> ".join(",".join(map(str, view)) for view in views)), easing=easing)


@pytest.mark.thorough
@pytest.mark.parametrize("scale", [1.0, 1.25, 0.8])
def test_a_slow_move_is_even_and_keeps_its_sharpness(tmp_path: Path, scale: float) -> None:
    """A tenth of a result pixel a frame; what is measured is the picture itself."""
    count, size = 31, (480, 270)
    folder = photos(tmp_path / "still", texture((1000, 700)), count)
    width, height = round(size[0] * scale), round(size[1] * scale)
    far = 200 + 0.1 * scale * (count - 1)
    framing = moving((200, 150, width, height), (far, 150, width, height))
    frames = made(planned(folder, framing, canvas=size))
    assert len(frames) == count
    for number in range(1, count):
        assert shift_across(frames[0], frames[number]) == pytest.approx(0.1 * number, abs=0.02)
        assert shift_across(frames[number - 1], frames[number]) == pytest.approx(0.1, abs=0.02)
    sharpness = np.array([(np.diff(frame, axis=1) ** 2).mean() for frame in frames])
    assert np.abs(np.diff(sharpness)).max() < 0.02 * sharpness.mean()


@st.composite
def parts(draw: st.DrawFn) -> tuple[npt.NDArray[np.uint8] | npt.NDArray[np.uint16], Box, tuple[int, int]]:
    """A picture of noise, a part of it, and a size."""
    width, height = draw(st.integers(1, 60)), draw(st.integers(1, 60))
    random = np.random.default_rng(draw(st.integers(0, 99)))
    shape = (height, width, 3) if draw(st.booleans()) else (height, width)
    picture = random.integers(0, 65536, shape, np.uint16)[:, :: draw(st.sampled_from([1, -1]))]
    left, top = draw(st.floats(0, width - 0.5)), draw(st.floats(0, height - 0.5))
    box = left, top, draw(st.floats(0.4, width - left)), draw(st.floats(0.4, height - top))
    deep = draw(st.booleans())
    size = draw(st.integers(1, 80)), draw(st.integers(1, 80))
    return picture if deep else (picture >> 8).astype(np.uint8), box, size


@given(parts())
def test_parts_come_out_as_an_outside_library_has_them(
    part: tuple[npt.NDArray[np.uint8] | npt.NDArray[np.uint16], Box, tuple[int, int]],
) -> None:
    picture, box, size = part
    deep = picture.dtype == np.uint16
    ours = scaled_part(picture, box, size, 65535 if deep else 255).astype(float)
    edges = box[0], box[1], box[0] + box[2], box[1] + box[3]
    channels = picture.reshape(*picture.shape[:2], -1).astype(np.float32)
    for place in range(channels.shape[2]):
        one = Image.fromarray(channels[..., place]).resize(size, Image.Resampling.LANCZOS, edges)
        want = np.asarray(one, float).clip(0, 65535 if deep else 255)
        found = ours.reshape(*ours.shape[:2], -1)[..., place]
        assert np.abs(found - want).max() <= (1.0 if deep else 0.51)


def test_a_part_at_its_own_pixels_is_cut_out_bit_exact(tmp_path: Path) -> None:
    picture = texture((400, 300))
    folder = photos(tmp_path / "still", picture, 3)
    plan = planned(
        folder, Framing((FramingStep(Fraction(0), parse_view("201x151+33+47")),)), canvas=(201, 151)
    )
    export(plan, tmp_path / "cut.mkv")
    for frame in decode_all(tmp_path / "cut.mkv", "rgb24"):
        assert np.array_equal(frame, picture[47:198, 33:234])
    # Of a recording, in its own format: luma and chroma as they were.
    take = make_recording(tmp_path / "take.mp4", frames=6, size=(160, 90))
    cut = planned(take, Framing((FramingStep(Fraction(0), parse_view("64x40+32+10")),)), canvas=(64, 40))
    export(cut, tmp_path / "part.mkv")
    for frame, whole in zip(decode_all(tmp_path / "part.mkv"), decode_all(take), strict=True):
        assert frame.shape == (60, 64)
        assert np.array_equal(frame[:40], whole[10:50, 32:96])
        assert np.array_equal(frame[40:50, :32].reshape(20, 16)[0], whole[90:].reshape(-1, 80)[5, 16:32])


def parse_view(text: str) -> View:
    view = parse_crop(text)
    assert isinstance(view, View)
    return view


@pytest.mark.parametrize("rotation", [0, 90, 180, 270])
def test_views_of_turned_recordings_are_of_the_upright_picture(tmp_path: Path, rotation: int) -> None:
    take = make_recording(tmp_path / "take.mp4", frames=4, size=(160, 96), rotation=rotation)
    whole = made(planned(take, Framing()))[2]
    high, wide = whole.shape
    view = View(Fraction(10), Fraction(16), Fraction(60), Fraction(50))
    part = made(planned(take, Framing((FramingStep(Fraction(0), view),)), canvas=(60, 50)))[2]
    assert (wide, high) == ((160, 96) if rotation % 180 == 0 else (96, 160))
    assert np.abs(part - whole[16:66, 10:70]).mean() < 2.2  # a pixel aside it would be 3 and more


def test_shapes_are_filled_and_bars_stand_only_where_they_are_asked_for(tmp_path: Path) -> None:
    picture = np.full((200, 300, 3), 200, np.uint8)
    folder = photos(tmp_path / "still", picture, 2)
    assert min(frame.min() for frame in made(planned(folder, Framing(), canvas=(320, 180)))) > 190
    barred = made(planned(folder, Framing(fit=Fit.BARS), canvas=(320, 180)))[0]
    assert barred.shape == (180, 320)
    assert barred[:, :20].max() == 0
    assert barred[:, 30:290].min() > 190
    upright = made(planned(folder, Framing(), canvas=(90, 160)))[0]
    assert upright.shape == (160, 90)
    assert upright.min() > 190


def test_previews_show_the_same_part(tmp_path: Path) -> None:
    folder = photos(tmp_path / "still", texture((800, 600)), 5)
    plan = planned(folder, moving((0, 0, 800, 450), (300, 200, 320, 180)), canvas=(640, 360))
    for small, large in zip(result_frames(plan, preview_target(plan, 180)), made(plan), strict=True):
        shrunk = np.asarray(Image.fromarray(large.astype(np.uint8)).resize((320, 180), Image.Resampling.BOX))
        assert np.abs(small.to_ndarray()[..., 0].astype(float) - shrunk).mean() < 4


@given(
    st.lists(st.tuples(*[st.integers(0, 200)] * 2, *[st.integers(60, 400)] * 2), min_size=1, max_size=4),
    st.sampled_from(list(Easing)),
    st.integers(1, 80),
)
def test_the_columns_of_a_plan_are_what_the_choices_say(
    parts: list[tuple[int, int, int, int]], easing: Easing, count: int
) -> None:
    framing = moving(*parts, easing=easing)
    picture = open_format((600, 600))
    barred = replace(framing, fit=Fit.BARS)
    views = views_of(barred, picture, (160, 90), 7, count)
    assert views is not None
    for number in range(count):
        view = barred.view((600, 600), Fraction(number, max(1, count - 1)))
        want = [float(side) for side in (view.left, view.top, view.width, view.height)]
        assert views.box(7 + number) == pytest.approx(want, abs=1e-6)
    filled = views_of(framing, picture, (160, 90), 7, count)
    assert filled is not None
    for (left, top, wide, high), row in zip(filled.rows, views.rows, strict=True):
        assert wide / high == pytest.approx(16 / 9, rel=0.2)
        assert left >= row[0] - 1e-9
        assert top >= row[1] - 1e-9
        assert left + wide <= row[0] + row[2] + 1e-9
        assert top + high <= row[1] + row[3] + 1e-9
    # Cut in two, the views stay where they are at the ends and at the cut; turned round, twice, all do.
    one, other = framing.cut(Fraction(1, 3))
    assert one.view((600, 600), Fraction(1)) == other.view((600, 600), Fraction(0))
    assert other.view((600, 600), Fraction(1)) == framing.view((600, 600), Fraction(1))
    assert framing.reversed().reversed() == framing


def open_format(size: tuple[int, int]) -> PictureFormat:
    return PictureFormat(*size, *size, 0, "rgb24", 8, Colour(0, 1, 13, full_range=True))


def test_shaping_keeps_places_and_gives_the_result_its_shape(tmp_path: Path) -> None:
    folder = photos(tmp_path / "still", texture((300, 200)), 2)
    plan = planned(folder, moving((0, 0, 120, 80), (150, 100, 150, 100)))
    shaped = shape_shots(plan.project, {0: (300, 200)}, parse_shape("1:1"))
    for step in shaped.shots[0].framing.steps:
        assert step.view.shape == 1
        assert step.view.within((300, 200)) == step.view
    assert shaped.canvas is not None
    assert shaped.canvas.size == (200, 200)
    bare = shape_shots(shaped, {0: (300, 200)}, None)
    assert bare.shots[0].framing.steps == ()
    assert bare.canvas == plan.project.canvas
    assert enlargement(None, open_format((300, 200)), (600, 400)) == 2


def test_wrong_framings_are_refused(tmp_path: Path) -> None:
    folder = photos(tmp_path / "still", texture((300, 200)), 2)
    with pytest.raises(PlanError, match=r"reaches outside: the picture is 300×200.* goes to 310, 180"):
        planned(folder, moving((10, 0, 300, 180)))
    with pytest.raises(PlanError, match="smaller than 8 pixels"):
        planned(folder, moving((10, 0, 7, 4)))
    for wrong in ("", "16", "a:b", "0:1", "1:0", "1:100", "9" * 80):
        if wrong != "16":
            with pytest.raises(PlanError):
                parse_shape(wrong)
    for wrong in ("", "1,2,3", "1,2,3,x", "1,2,3,4 -> ", "1;2;3;4"):
        with pytest.raises(PlanError, match="is no framing"):
            parse_steps(wrong)
    with pytest.raises(PlanError, match="outside of any picture"):
        parse_crop("99999999x9+0+0")
