"""In-betweens by motion on noisy, compressed films of what is hard to follow, each second frame left out."""

import io
from collections.abc import Callable
from fractions import Fraction
from functools import cache

import av
import cv2
import numpy as np
import numpy.typing as npt
import pytest
from av.filter import Graph
from av.video.frame import VideoFrame

from chronoxis.core.picture.colour import Colour, from_linear, to_linear
from chronoxis.core.picture.in_between import InBetween, LightPair
from chronoxis.core.picture.motion import FINEST

Shades = npt.NDArray[np.float64]
SIZE, FRAMES = (384, 216), 9
COLOUR = Colour(1, 1, 1, full_range=False)


@cache
def rough(seed: int, blur: float) -> Shades:
    grain = np.random.default_rng(seed).normal(0, 1, (500, 900))
    fine, coarse = cv2.GaussianBlur(grain, (0, 0), blur), cv2.GaussianBlur(grain, (0, 0), 20)
    return np.asarray(np.clip(118 + 38 * fine / fine.std() + 25 * coarse / coarse.std(), 0, 255), np.float64)


def part(scene: Shades, right: float, down: float = 0.0) -> Shades:
    move = np.array([[1, 0, 60 + right], [0, 1, 60 + down]])
    flags = cv2.INTER_CUBIC | cv2.WARP_INVERSE_MAP
    return np.asarray(cv2.warpAffine(scene, move, SIZE, flags=flags), np.float64)


def thin(number: int) -> Shades:
    seen = part(rough(2, 5), number).copy()
    for stick in range(4):
        turned, middle = 0.05 * number + stick, 60 + 80 * stick
        reach = 50 * np.array([np.cos(turned), np.sin(turned)])
        ends = (np.array([middle, 108]) + way * reach for way in (1, -1))
        cv2.line(seen, *(tuple(map(round, end.tolist())) for end in ends), 30.0, 2, cv2.LINE_AA)  # type: ignore[call-overload]
    return seen


def repeated(number: int) -> Shades:
    stripes = np.tile(120 + 70 * np.sin(2 * np.pi * np.arange(900) / 14), (500, 1))
    return part(np.clip(stripes + 0.25 * (rough(1, 2) - 118), 0, 255), 2.6 * number)


def thing(number: int) -> Shades:
    seen = part(rough(1, 2), 24 * number).copy()
    seen[60:150, 40 + 12 * number : 130 + 12 * number] = rough(4, 2)[:90, :90]
    return seen


FILMS: dict[str, tuple[Callable[[int], Shades], float, int]] = {
    "grain": (lambda n: part(rough(1, 2), 2 * n, 0.5 * n), 9, 26),
    "fade": (lambda n: part(rough(1, 2), 3 * n) * (1 - 0.05 * n), 2, 24),
    "repeated": (repeated, 2, 24),
    "thin": (thin, 2, 24),
    "large": (thing, 2, 24),
    "small": (lambda n: part(rough(1, 2), 0.3 * n, 0.1 * n), 4, 28),
    "soft": (lambda n: part(rough(6, 8), 0.4 * n, 0.2 * n), 6, 30),
    "half a pixel": (lambda n: part(rough(5, 1.2), 0.5 * n), 3, 26),
    "still": (lambda _: part(rough(1, 2), 0), 6, 30),
}


def filmed(name: str) -> list[VideoFrame]:
    """A film as a recorder leaves it."""
    made, noise, loss = FILMS[name]
    rng, content = np.random.default_rng(4), io.BytesIO()
    with av.open(content, "w", format="mp4") as container:
        stream = container.add_stream("libx264", rate=25, options={"crf": str(loss), "preset": "medium"})
        assert isinstance(stream, av.VideoStream)
        (stream.width, stream.height), stream.pix_fmt = SIZE, "yuv420p"
        for number in range(FRAMES):
            seen = made(number)
            grey = np.clip(seen + rng.normal(0, noise, seen.shape), 0, 255).astype(np.uint8)
            frame = VideoFrame.from_ndarray(np.repeat(grey[..., None], 3, 2), "rgb24")
            container.mux(stream.encode(frame.reformat(format="yuv420p", dst_colorspace="ITU709")))
        container.mux(stream.encode(None))
    content.seek(0)
    with av.open(content, "r") as recorded:
        return list(recorded.decode(video=0))


def luma(frame: VideoFrame) -> Shades:
    return np.asarray(frame.to_ndarray()[: SIZE[1]], np.float64)


def near(made: Shades, truth: Shades) -> float:
    return float(10 * np.log10(255**2 / max(float(((made - truth) ** 2).mean()), 1e-9)))


def by_library(frames: list[VideoFrame]) -> list[Shades]:
    """The frames between these as the library's own filter makes them at its best."""
    graph, made = Graph(), []
    source = graph.add_buffer(
        width=SIZE[0], height=SIZE[1], format=av.VideoFormat("yuv420p"), time_base=Fraction(1, 25)
    )
    wish = "fps=50:mi_mode=mci:mc_mode=aobmc:me_mode=bidir:vsbmc=1"
    step, sink = graph.add("minterpolate", wish), graph.add("buffersink")
    source.link_to(step)
    step.link_to(sink)
    graph.configure()
    given = [frame.reformat(format="yuv420p") for frame in frames]
    for number, frame in enumerate([*given, None]):
        if frame is not None:
            frame.pts, frame.time_base = number, Fraction(1, 25)
        graph.push(frame)
        while True:
            try:
                got = graph.pull()
            except (av.BlockingIOError, av.EOFError):
                break
            assert isinstance(got, VideoFrame)
            assert got.pts is not None
            if got.pts * (got.time_base or 1) * 50 % 2 == 1:
                made.append(luma(got))
    return made


@cache
def rebuilt(name: str) -> tuple[float, float, float]:
    """How near in-betweens, plain mixes and the library's are to the frames that were left out, dB."""
    frames = filmed(name)
    pair, found = LightPair(COLOUR, FINEST), []
    others = by_library(frames[::2])
    for number in range(1, FRAMES - 1, 2):
        before, truth, after = frames[number - 1 : number + 2]
        between = InBetween(pair)
        between.add(before, 0.5)
        between.add(after, 0.5)
        scale = 219 / 65535
        ours = between.made()[..., 1] * scale + 16
        light = [to_linear(np.clip((luma(frame) - 16) / 219, 0, 1), 1) for frame in (before, after)]
        mixed = from_linear(np.mean(light, axis=0), 1) * 219 + 16
        known = [ours, mixed, *others[number // 2 : number // 2 + 1]]
        found.append([near(np.asarray(made), luma(truth)) for made in known] + [np.nan] * (3 - len(known)))
    ours_, mixed_, library = np.nanmean(found, axis=0).tolist()
    return ours_, mixed_, library


@pytest.mark.sampled(1)
@pytest.mark.parametrize("name", FILMS)
def test_motion_is_never_worse_than_a_plain_mix(name: str) -> None:
    ours, mixed, _ = rebuilt(name)
    assert ours > mixed - 0.1


@pytest.mark.thorough
def test_it_is_better_than_the_library_on_average() -> None:
    gained = [ours - library for ours, _, library in map(rebuilt, FILMS)]
    assert float(np.mean(gained)) > 1.0
    assert float(np.median(gained)) > 0.3
