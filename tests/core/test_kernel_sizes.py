"""The compiled loops against NumPy, at sizes where pieces of rows and strips of pictures begin and end."""

from fractions import Fraction

import numpy as np
import numpy.typing as npt
import pytest
from av.filter import Graph
from av.video.frame import VideoFrame
from hypothesis import given
from hypothesis import strategies as st

from chronoxis.core.picture import kernels, motion_kernels
from chronoxis.core.picture.colour import Colour, from_linear, to_linear
from chronoxis.core.picture.described import Picture
from chronoxis.core.picture.kernels import MOST_FRAMES, Gathered
from chronoxis.core.picture.rgb import rgb16, samples_of
from chronoxis.core.picture.row_work import RowWork
from chronoxis.core.picture.scaling import averaged, scaled_part

COLOUR = Colour(1, 1, 1, False)
_TICK = Fraction(1, 25)
PIECE = 512
"""Pixels of a row that are worked on at a time; pictures are worked on by strips of 180 rows."""

sizes = st.tuples(
    st.one_of(st.integers(1, 5), st.just(181)),
    st.one_of(st.integers(1, 20), st.integers(PIECE - 2, PIECE + 2), st.just(2 * PIECE + 1)),
)
forms = st.sampled_from(["rgb48le", "rgb24", "yuv444p", "yuv422p", "yuv420p", "yuv411p", "yuv420p10le"])

Codes = npt.NDArray[np.uint16]
Numbers = npt.NDArray[np.float64]


def codes(size: tuple[int, int], seed: int = 1) -> Codes:
    return np.random.default_rng(seed).integers(0, 65536, (*size, 3), np.uint16)


def picture(size: tuple[int, int], form: str, seed: int = 1) -> Picture:
    """Noise in a pixel format; what lies beyond the ends of its rows is noise as well."""
    if form == "rgb48le":
        return codes(size, seed)
    rng, frame = np.random.default_rng(seed), VideoFrame(size[1], size[0], form)
    for plane in frame.planes:
        noise = rng.integers(0, 256, plane.buffer_size, np.uint8)
        if "10" in form:
            noise[1::2] &= 3
        plane.update(noise.tobytes())
    return frame


def true_codes(of: Picture) -> Numbers:
    """R′G′B′ of 0 to 1, chroma from the nearest sample, as the matrix says."""
    if not isinstance(of, VideoFrame):
        return of / 65535
    if of.format.name == "rgb24":
        return of.to_ndarray() / 255
    depth = 10 if "10" in of.format.name else 8
    y, x = np.mgrid[: of.height, : of.width]
    across, down = {"444": (1, 1), "422": (2, 1), "420": (2, 2), "411": (4, 1)}[of.format.name[3:6]]
    planes = [samples_of(plane, depth).astype(np.float64) for plane in of.planes]
    wide = [planes[0], *(plane[y // down, x // across] for plane in planes[1:]), np.ones(y.shape)]
    made = np.stack(wide, -1) @ COLOUR.rgb_matrix(depth).astype(np.float64).T
    return np.clip(made, 0, 1)


def light(of: Picture) -> Numbers:
    return np.asarray(to_linear(true_codes(of), COLOUR.transfer))


def coded(of: Numbers) -> Numbers:
    return np.asarray(65535 * from_linear(np.clip(of, 0, 1), COLOUR.transfer))


def pixels_of(of: Numbers) -> npt.NDArray[np.float32]:
    return np.concatenate([of, np.zeros((*of.shape[:2], 1))], -1).astype(np.float32)


def planes_of(of: Numbers) -> Numbers:
    return np.moveaxis(of, -1, 0)


@given(sizes, forms)
def test_light_is_added_up_and_coded(size: tuple[int, int], form: str) -> None:
    pictures = [picture(size, form, seed) for seed in range(3)]
    weights, before = [0.25, 0.5, 0.25], np.random.default_rng(5).random((3, *size), np.float32)
    truth = sum(weight * light(each) for weight, each in zip(weights, pictures, strict=True))
    work, sums, made = RowWork(), np.empty((3, *size), np.float32), np.empty((*size, 3), np.uint16)
    kernels.add_light(work, pictures, weights, COLOUR, Gathered(before, sums))
    kernels.add_light(work, pictures, weights, COLOUR, Gathered(None, made))
    work.wait()
    assert np.abs(sums - before - planes_of(np.asarray(truth))).max() < 3e-4
    assert np.abs(made - coded(np.asarray(truth))).max() < 30  # a tenth of a code of eight bits


@given(sizes, forms, st.booleans())
def test_extremes_are_kept(size: tuple[int, int], form: str, brightest: bool) -> None:
    pictures = [picture(size, form, seed) for seed in range(3)]
    extreme = np.maximum if brightest else np.minimum
    work, kept = RowWork(), np.empty((3, *size), np.float32)
    kernels.keep_extreme(work, pictures[:2], COLOUR, Gathered(None, kept), brightest=brightest)
    kernels.keep_extreme(work, pictures[2:], COLOUR, Gathered(kept, kept), brightest=brightest)
    work.wait()
    truth = extreme.reduce([true_codes(each) for each in pictures])
    assert np.abs(kept - planes_of(truth)).max() < 2e-4


@given(sizes, forms, st.integers(1, 9))
def test_medians_are_those_of_numpy(size: tuple[int, int], form: str, count: int) -> None:
    pictures = [picture(size, form, seed) for seed in range(count)]
    work, made = RowWork(), np.empty((*size, 3), np.uint16)
    kernels.median(work, pictures, COLOUR, made)
    work.wait()
    assert np.abs(made - 65535 * np.median([true_codes(each) for each in pictures], axis=0)).max() <= 8


@given(sizes, forms)
def test_light_is_multiplied_by_channel_and_by_row(size: tuple[int, int], form: str) -> None:
    of, gains = picture(size, form), (0.5, 1.0, 2.0)
    by_row = np.linspace(0.5, 1.5, size[0], dtype=np.float32)
    work, made = RowWork(), np.empty((*size, 3), np.uint16)
    kernels.gain(work, of, COLOUR, gains, made, by_row)
    work.wait()
    assert np.abs(made - coded(light(of) * gains * by_row[:, None, None])).max() < 30


@pytest.mark.parametrize("form", ["yuv444p", "yuv422p", "yuv420p", "yuv411p", "yuv410p", "yuv440p"])
def test_chroma_lies_where_it_belongs_however_many_share_it(form: str) -> None:
    """Colour that changes slowly is the same from the nearest sample as from those around."""
    frame = VideoFrame(203, 101, form)
    for number, plane in enumerate(frame.planes):
        y, x = np.mgrid[: plane.height, : plane.line_size]
        chroma = 60 + 120 * (x / plane.width if number == 1 else y / plane.height)
        plane.update((chroma if number else np.full(x.shape, 120.0)).astype(np.uint8).tobytes())
    truth, work, made = rgb16(frame, COLOUR).astype(int), RowWork(), np.empty((101, 203, 3), np.uint16)
    kernels.median(work, [frame], COLOUR, made)
    work.wait()
    for of in (made, kernels.codes_of(frame, COLOUR)):
        assert np.abs(of - truth).max() < 65535 * 0.03


@given(sizes, forms.filter(lambda form: form != "yuv411p"))  # whose chroma is taken from the nearest sample
def test_pixels_and_codes_are_those_of_the_whole_picture(size: tuple[int, int], form: str) -> None:
    of, work, made = picture(size, form), RowWork(), np.empty((*size, 4), np.float32)
    kernels.pixels(work, of, COLOUR, made)
    work.wait()
    whole = rgb16(of, COLOUR) if isinstance(of, VideoFrame) else of
    assert np.abs(made[..., :3] - to_linear(whole / 65535, COLOUR.transfer)).max() < 3e-4
    assert np.abs(kernels.codes_of(of, COLOUR).astype(int) - whole).max() <= 2


@given(sizes, st.sampled_from(["yuv444p", "yuv422p", "yuv420p"]))
def test_codes_become_planes_and_come_back(size: tuple[int, int], form: str) -> None:
    grey = np.repeat(codes(size)[..., :1], 3, -1)
    work, into = RowWork(), VideoFrame(size[1], size[0], form)
    kernels.planes(work, grey, COLOUR.luma_matrix(8), into)
    work.wait()
    luma = 16 + 219 * (grey[..., 0] / 65535)
    assert np.abs(samples_of(into.planes[0], 8) - luma).max() <= 1  # dithered
    for plane in into.planes[1:]:
        assert np.abs(samples_of(plane, 8).astype(int) - 128).max() <= 1


@given(sizes)
def test_a_warp_that_moves_by_whole_pixels_moves_so(size: tuple[int, int]) -> None:
    height, width = size
    right, down = min(2, width - 1), min(1, height - 1)
    of, work, made = pixels_of(light(codes(size))), RowWork(), np.empty((*size, 3), np.uint16)
    leads = np.tile([right, 1.0, 0.0, 0.0, 1.0, 0.0], (height, 1))
    leads[:, 2] = np.minimum(np.arange(height) + down, height - 1)
    kernels.warp(work, of, leads, (1.0, 1.0), COLOUR.transfer, made)
    work.wait()
    y, x = np.minimum(np.arange(height) + down, height - 1), np.arange(width - right) + right
    assert np.abs(made[:, : width - right] - coded(of[y][:, x, :3].astype(np.float64))).max() < 30


@given(sizes, st.tuples(st.integers(-3, 3), st.integers(-3, 3)))
def test_motion_is_followed_and_cast_by_whole_places(size: tuple[int, int], by: tuple[int, int]) -> None:
    first, second = (np.ascontiguousarray(codes(size, seed)[..., 0] >> 8, np.uint8) for seed in (1, 2))
    flow = np.empty((*size, 2), np.float32)
    flow[:] = by
    left, apart = motion_kernels.residual(first, second, flow, -flow)
    y, x = np.mgrid[: size[0], : size[1]]
    there = np.clip(y + by[1], 0, size[0] - 1), np.clip(x + by[0], 0, size[1] - 1)
    inside = (there[0] == y + by[1]) & (there[1] == x + by[0])
    assert np.abs(left - np.abs(second[there].astype(int) - first))[inside].max(initial=0) < 0.02
    assert apart[inside].max(initial=0) < 1e-4
    motion = np.concatenate([flow, np.ones((*size, 1)), np.zeros((*size, 1))], -1).astype(np.float32)
    into = np.empty_like(motion)
    motion_kernels.splat(motion, 1.0, into)
    came = np.zeros(size, np.bool_)
    came[there[0][inside], there[1][inside]] = True
    assert np.array_equal(into[..., 2] > 0, came)
    assert np.array_equal(into[came][:, :2], np.broadcast_to(np.array(by, np.float32), (int(came.sum()), 2)))


@given(sizes, st.integers(1, 600), st.integers(1, 40))
def test_smaller_pictures_are_means_of_what_they_cover(
    size: tuple[int, int], width: int, height: int
) -> None:
    wish = min(width, size[1]), min(height, size[0])
    of = np.random.default_rng(3).integers(0, 256, (*size, 4), np.uint8)

    def covered(count: int, fewer: int) -> Numbers:
        edges = np.arange(fewer + 1) * (count / fewer)
        at = np.arange(count)
        low, high = np.maximum(at, edges[:-1, None]), np.minimum(at + 1, edges[1:, None])
        shares = np.maximum(high - low, 0)
        return np.asarray(shares / shares.sum(1, keepdims=True))

    rows, columns = covered(size[0], wish[1]), covered(size[1], wish[0])
    truth = np.einsum("ij,kl,jlc->ikc", rows, columns, of[..., :3].astype(np.float64), optimize=True)
    assert np.abs(averaged(of, wish) - truth).max() <= 0.51


@given(sizes, st.sampled_from([np.uint8, np.uint16]))
def test_a_part_at_its_own_size_is_that_part(size: tuple[int, int], depth: type[np.unsignedinteger]) -> None:
    of = np.random.default_rng(3).integers(0, np.iinfo(depth).max + 1, size, depth)
    left, top = size[1] // 3, size[0] // 2
    wide, high = size[1] - left, size[0] - top
    made = scaled_part(of, (left, top, wide, high), (wide, high), int(np.iinfo(depth).max))
    assert np.array_equal(made, of[top:, left:])
    assert scaled_part(of, (0, 0, size[1], size[0]), (7, 5), int(np.iinfo(depth).max)).shape == (5, 7)


@given(sizes, forms)
def test_means_over_blocks_are_those_of_numpy(size: tuple[int, int], form: str) -> None:
    of = picture(size, form)
    blocks = min(4, size[0]), min(9, size[1])
    means, lights = kernels.glance(of, COLOUR, blocks, lines=size[0])
    assert means.shape == lights.shape == (*blocks, 3)
    whole = true_codes(of)
    assert np.abs(means.mean((0, 1)) - whole.mean((0, 1))).max() < 0.5 / min(blocks) + 2e-3
    if size[0] % blocks[0] == 0 and size[1] % blocks[1] == 0:
        shape = blocks[0], size[0] // blocks[0], blocks[1], size[1] // blocks[1], 3
        assert np.abs(means - whole.reshape(shape).mean((1, 3))).max() < 2e-3
        assert np.abs(lights - light(of).reshape(shape).mean((1, 3))).max() < 2e-3


@pytest.mark.parametrize("form", ["yuv420p", "yuv444p", "rgb24", "yuv420p10le"])
def test_rows_that_are_stored_from_below_are_read_so(form: str) -> None:
    frame = picture((24, PIECE + 6), form)
    assert isinstance(frame, VideoFrame)
    frame.pts = 0
    graph = Graph()
    source = graph.add_buffer(width=PIECE + 6, height=24, format=frame.format, time_base=_TICK)
    flip, sink = graph.add("vflip"), graph.add("buffersink")
    source.link_to(flip)
    flip.link_to(sink)
    graph.configure()
    source.push(frame)
    flipped = sink.pull()
    assert isinstance(flipped, VideoFrame)
    assert flipped.planes[0].line_size < 0
    work, made, upright = RowWork(), *(np.empty((24, PIECE + 6, 3), np.uint16) for _ in range(2))
    kernels.median(work, [flipped], COLOUR, made)
    kernels.median(work, [frame], COLOUR, upright)
    work.wait()
    assert np.array_equal(made, upright[::-1])


@given(sizes, st.tuples(st.integers(1, 36), st.integers(1, 64)), st.sampled_from([np.uint8, np.uint16]))
def test_differences_of_blocks_are_those_of_numpy(
    size: tuple[int, int], wished: tuple[int, int], depth: type[np.unsignedinteger]
) -> None:
    blocks = min(wished[0], size[0]), min(wished[1], size[1])
    rng, most = np.random.default_rng(4), np.iinfo(depth).max
    both = rng.choice(np.array([0, 1, most // 2, most], depth), (2, size[0], size[1] + 3))
    one, other = both[0, :, :-3], both[1, ::-1, 1:-2]  # rows lie apart, one picture is stored from below
    apart = np.abs(one.astype(np.int64) - other)
    rows, columns = (np.arange(n + 1) * side // n for n, side in zip(blocks, size, strict=True))
    sums = np.add.reduceat(np.add.reduceat(apart, rows[:-1]), columns[:-1], axis=1)
    means = sums / np.outer(np.diff(rows), np.diff(columns))
    assert np.allclose(kernels.block_differences(one, other, blocks), means, rtol=1e-6)
    with pytest.raises(ValueError, match="blocks"):
        kernels.block_differences(one, other, (size[0] + 1, 1))
    with pytest.raises(ValueError, match="shapes"):
        kernels.block_differences(one, other[:, 1:], blocks)


def test_more_rows_than_a_short_sum_holds() -> None:
    black, white = np.zeros((600, 3), np.uint8), np.full((600, 3), 255, np.uint8)
    assert kernels.block_differences(black, white, (1, 1)).tolist() == [[255.0]]


def test_as_many_frames_as_there_is_room_for_at_the_end_of_a_piece() -> None:
    pictures = [codes((3, PIECE + 1), seed) for seed in range(MOST_FRAMES)]
    work, made = RowWork(), np.empty((3, PIECE + 1, 3), np.uint16)
    kernels.median(work, pictures, COLOUR, made)
    work.wait()
    assert np.abs(made - np.median(pictures, axis=0)).max() <= 1
