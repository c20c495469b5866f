"""Colour, the mean of light, framing: against formulas written out here."""

import subprocess
import sys
from functools import partial
from pathlib import Path

import av
import numpy as np
import pytest
from av.video.frame import VideoFrame
from hypothesis import given
from hypothesis import strategies as st

from chronoxis.core.picture.coding import coded_as
from chronoxis.core.picture.colour import Colour, encoded_table, from_linear, to_linear
from chronoxis.core.picture.framed import fitted, turned
from chronoxis.core.picture.long_exposure import LightMean
from chronoxis.core.picture.rgb import planar_depth, rgb_samples, samples_of
from chronoxis.core.picture.row_work import RowWork
from tests.footage_makers import make_recording, picture

BT709, SRGB, PQ, HLG = 1, 13, 16, 18
STUDIO = Colour(matrix=1, primaries=1, transfer=BT709, full_range=False)
PHOTO = Colour(matrix=0, primaries=1, transfer=SRGB, full_range=True)


@pytest.mark.parametrize("transfer", [BT709, 4, 5, 8, SRGB, PQ, HLG])
def test_curves_are_inverse_and_rise(transfer: int) -> None:
    codes = np.linspace(0, 1, 4097)
    light = to_linear(codes, transfer)
    assert light[0] == pytest.approx(0, abs=1e-9)
    assert light[-1] == pytest.approx(1, abs=1e-6)
    assert np.all(np.diff(light) > 0)
    assert np.abs(from_linear(light, transfer) - codes).max() < 1e-6


def test_known_points_of_the_curves() -> None:
    assert to_linear(0.5, SRGB) == pytest.approx(0.21404, abs=1e-4)
    assert to_linear(0.5, BT709) == pytest.approx(0.25972, abs=1e-4)
    assert to_linear(0.508078, PQ) == pytest.approx(0.01, abs=1e-4)  # 100 of 10,000 candelas
    assert to_linear(0.75, HLG) == pytest.approx(0.26496, abs=1e-4)


def test_tables_are_the_curves() -> None:
    back = encoded_table(BT709)[np.rint(to_linear(np.arange(256) / 255, BT709) * 65535).astype(int)]
    assert np.abs(back / 257 - np.arange(256)).max() < 0.05


@pytest.mark.parametrize(
    ("matrix", "kr", "kb"), [(1, 0.2126, 0.0722), (6, 0.299, 0.114), (9, 0.2627, 0.0593)]
)
@pytest.mark.parametrize("full", [False, True])
def test_matrix_makes_luma_of_its_own_rgb(matrix: int, kr: float, kb: float, full: bool) -> None:
    affine = Colour(matrix, 2, 2, full).rgb_matrix().astype(float)
    codes = np.array([120.0, 100.0, 170.0])
    red, green, blue = affine[:, :3] @ codes + affine[:, 3]
    luma = kr * red + (1 - kr - kb) * green + kb * blue
    assert luma == pytest.approx(120 if full else (120 - 16) * 255 / 219, abs=0.01)
    assert (blue - luma) / (2 * (1 - kb)) == pytest.approx((100 - 128) * (1 if full else 255 / 224), abs=0.01)


def planar(value: tuple[int, int, int], size: tuple[int, int] = (64, 32)) -> VideoFrame:
    width, height = size
    planes = np.empty((height * 3 // 2, width), np.uint8)
    planes[:height], planes[height : height * 5 // 4], planes[height * 5 // 4 :] = value
    return STUDIO.tag(VideoFrame.from_ndarray(planes, "yuv420p"))


@given(
    st.lists(st.integers(16, 235), min_size=1, max_size=40),
    st.lists(st.sampled_from([1.0, 1.0, 0.5, 0.125]), min_size=40, max_size=40),
)
def test_mean_of_grey_frames(levels: list[int], weights: list[float]) -> None:
    mean = LightMean(STUDIO)
    for level, weight in zip(levels, weights, strict=False):
        mean.add(planar((level, 128, 128)), weight)
    used = np.array(weights[: len(levels)])
    light = to_linear((np.array(levels) - 16) / 219, BT709)
    wish = from_linear((light * used).sum() / used.sum(), BT709)
    made = mean.made()
    assert made.shape == (32, 64, 3)
    assert np.abs(made / 65535 - wish).max() < 0.75 / 255  # the codes themselves are rounded once
    mean.add(planar((81, 90, 240)))  # emptied, it serves again
    red = mean.made()[0, 0] / 65535
    assert red[0] > 0.9
    assert red[1] < 0.2


def test_sizes_are_not_mixed() -> None:
    mean = LightMean(STUDIO)
    mean.add(planar((100, 128, 128)))
    with pytest.raises(ValueError, match="one size"):
        mean.add(planar((100, 128, 128), (32, 32)))
    with pytest.raises(ValueError, match="at least one"):
        LightMean(STUDIO).made()


@pytest.mark.parametrize("height", [1, 2, 7, 180, 1081])
def test_rows_are_worked_on_once_each_and_in_turn(height: int) -> None:
    rows, work = np.zeros(height, np.int64), RowWork()

    def times_two_plus(step: int, part: slice) -> None:
        assert part.start % 2 == 0
        rows[part] = rows[part] * 2 + step

    for step in range(8):
        work.give(partial(times_two_plus, step), height)
        work.wait(left=3)
    work.wait()
    assert np.all(rows == sum(step * 2 ** (7 - step) for step in range(8)))


def test_what_goes_wrong_on_a_row_is_told() -> None:
    work = RowWork()
    done: list[slice] = []

    def fail(_: slice) -> None:
        raise MemoryError

    work.give(fail, 10)
    work.give(done.append, 10)
    with pytest.raises(MemoryError):
        work.wait()
    work.wait()
    assert sum(part.stop - part.start for part in done) == 10


def test_no_banding_when_bits_are_lost() -> None:
    ramp = np.linspace(0.20, 0.22, 512) * 65535
    codes = np.broadcast_to(ramp[None, :, None], (64, 512, 3)).astype(np.uint16)
    luma = coded_as(codes, (512, 64), "yuv420p", STUDIO).to_ndarray()[:64].astype(float)
    wish = 16 + 219 * np.linspace(0.20, 0.22, 512)
    smooth = luma.reshape(64, 32, 16).mean((0, 2))
    assert np.abs(smooth - wish.reshape(32, 16).mean(1)).max() < 0.3  # steps of 8 bits alone would be 0.5 off


@pytest.mark.parametrize("form", ["yuv420p", "yuv422p", "yuv444p", "yuv420p10le"])
def test_photos_become_planes_by_the_matrix(form: str) -> None:
    """BT.709-6, 3.2 to 3.5, written out once more, on 8-bit R′G′B′ as photos come."""
    pixels = picture(6, (50, 34)).to_ndarray(format="rgb24")
    frame = fitted(av.VideoFrame.from_ndarray(pixels, "rgb24"), PHOTO, (50, 34), form, STUDIO)
    red, green, blue = np.moveaxis(pixels / 255, -1, 0)
    luma = 0.2126 * red + 0.7152 * green + 0.0722 * blue
    wishes = [16 + 219 * luma, 128 + 224 * (blue - luma) / 1.8556, 128 + 224 * (red - luma) / 1.5748]
    depth = planar_depth(form)
    for wish, plane in zip(wishes, frame.planes, strict=True):
        found = samples_of(plane, depth).astype(float) / (1 << depth - 8)
        down, across = round(34 / plane.height), round(50 / plane.width)
        shared = wish.reshape(34 // down, down, 50 // across, across).mean((1, 3))
        assert np.abs(found - shared).max() <= 1.01
        assert abs((found - shared).mean()) < 0.1


@pytest.mark.parametrize("rotation", [0, 90, 180, 270])
def test_turning_keeps_every_sample(rotation: int) -> None:
    frame = picture(5, (48, 32)).reformat(format="yuv444p")
    before, after = frame.to_ndarray(), turned(frame, rotation).to_ndarray()
    assert all(np.array_equal(np.rot90(b, rotation // 90), a) for b, a in zip(before, after, strict=True))


def test_an_odd_row_is_left_off_not_scaled(tmp_path: Path) -> None:
    frame = picture(5, (49, 33)).reformat(format="yuv444p")
    colour = Colour.of(frame)
    cut = fitted(frame, colour, (48, 32), "yuv444p", colour)
    assert np.array_equal(cut.to_ndarray(), frame.to_ndarray()[:, :32, :48])


def test_colour_tags_fill_in_as_players_do(tmp_path: Path) -> None:
    for height, matrix in ((576, 6), (720, 1)):
        path = make_recording(tmp_path / f"{height}.mp4", frames=2, size=(64, height))
        with av.open(str(path)) as container:
            assert Colour.of(next(container.decode(video=0))).matrix == matrix


def test_no_more_cores_are_used_than_the_process_may_use() -> None:
    confined = (
        "import os; os.sched_setaffinity(0, {min(os.sched_getaffinity(0))})\n"
        "from chronoxis.core.cores import usable_cores\n"
        "from chronoxis.core.picture import row_work\n"
        "print(usable_cores(), row_work._CORES)"
    )
    done = subprocess.run([sys.executable, "-c", confined], capture_output=True, text=True, check=True)
    assert done.stdout.split() == ["1", "1"]


@pytest.mark.parametrize("form", ["rgb24", "rgb48le"])
def test_what_pads_rows_is_no_part_of_a_picture(form: str) -> None:
    frame = picture(1, (5, 4)).reformat(format=form)
    assert frame.planes[0].line_size > 5 * 3 * (2 if form == "rgb48le" else 1)
    assert np.array_equal(rgb_samples(frame), frame.to_ndarray())
