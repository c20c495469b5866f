"""Recorded pixels that are not square are kept where nothing is done to the pictures and files can say so."""

from fractions import Fraction
from pathlib import Path

import av
import numpy as np
import pytest
from av.video.frame import VideoFrame
from PIL import Image

from chronoxis.core.footage.kinds import footage_of, open_source
from chronoxis.core.model import arranging, composing
from chronoxis.core.model.project import Project
from chronoxis.core.render.planning import make_plan
from tests.command_line import chronoxis
from tests.footage_makers import decode_all

SIZE = (176, 144)


def anamorphic(path: Path, aspect: Fraction, size: tuple[int, int] = SIZE) -> Path:
    """A recording of noise in pixels of that shape."""
    rng = np.random.default_rng(1)
    with av.open(str(path), "w") as container:
        stream = container.add_stream("libx264", rate=25, options={"crf": "20"})
        assert isinstance(stream, av.VideoStream)
        (stream.width, stream.height), stream.pix_fmt = size, "yuv420p"
        stream.codec_context.sample_aspect_ratio = aspect
        for _ in range(20):
            codes = rng.integers(40, 200, (size[1], size[0], 3)).astype(np.uint8)
            container.mux(stream.encode(VideoFrame.from_ndarray(codes, "rgb24").reformat(format="yuv420p")))
        container.mux(stream.encode(None))
    return path


def made(take: Path, out: Path, *options: str) -> Path:
    done = chronoxis("condense", take, "-o", out, "--every", "2", "--progress", "none", *options)
    assert (done.returncode, done.stderr) == (0, "")
    return out


@pytest.mark.sampled(2)
@pytest.mark.parametrize("aspect", [Fraction(12, 11), Fraction(4, 3), Fraction(59, 54), Fraction(8, 9)])
def test_lossless_frames_are_untouched_and_keep_their_aspect(tmp_path: Path, aspect: Fraction) -> None:
    take = anamorphic(tmp_path / "take.mp4", aspect)
    out = made(take, tmp_path / "out.mkv")
    assert all(np.array_equal(a, b) for a, b in zip(decode_all(out), decode_all(take)[::2], strict=True))
    with av.open(str(out)) as container:
        stream = container.streams.video[0]
        assert (stream.width, stream.height, stream.sample_aspect_ratio) == (*SIZE, aspect)
    shown = open_source(out).facts.picture
    assert shown.size == open_source(take).facts.picture.size
    assert all(side % 2 == 0 for side in shown.size)
    assert out.read_bytes() == made(take, tmp_path / "again.mkv").read_bytes()


@pytest.mark.parametrize("name", ["a.mp4", "c.mov", "d.mkv"])
def test_every_file_that_can_say_so_keeps_stored_pixels(tmp_path: Path, name: str) -> None:
    take = anamorphic(tmp_path / "take.mp4", Fraction(12, 11))
    with av.open(str(made(take, tmp_path / name))) as container:
        stream = container.streams.video[0]
        assert (stream.width, stream.height, stream.sample_aspect_ratio) == (*SIZE, Fraction(12, 11))
        assert len(list(container.decode(stream))) == 10


@pytest.mark.sampled(2)
@pytest.mark.parametrize(
    "options", [("--size", "720p"), ("--crop", "1:1"), ("--accent", "grain"), ("--steady", "smooth")]
)
def test_pixels_are_square_where_pictures_are_changed(tmp_path: Path, options: tuple[str, ...]) -> None:
    take = anamorphic(tmp_path / "take.mp4", Fraction(12, 11))
    done = chronoxis(
        "condense", take, "-o", tmp_path / "out.mkv", "--every", "5", "--progress", "none", *options
    )
    assert done.returncode == 0
    with av.open(str(tmp_path / "out.mkv")) as container:
        stream = container.streams.video[0]
        assert stream.sample_aspect_ratio in (None, 1)
        assert stream.width % 2 == stream.height % 2 == 0


def test_files_that_cannot_say_so_have_square_pixels_and_even_sides(tmp_path: Path) -> None:
    take = anamorphic(tmp_path / "take.mp4", Fraction(12, 11))
    made(take, tmp_path / "stills" / "%03d.png")
    with Image.open(min((tmp_path / "stills").iterdir())) as still:
        assert still.size == (192, 144)
    with av.open(str(made(take, tmp_path / "out.webm"))) as container:
        stream = container.streams.video[0]
        assert (stream.width, stream.height, stream.sample_aspect_ratio) == (192, 144, Fraction(1))


def test_a_plan_says_what_is_stored_and_what_is_shown(tmp_path: Path) -> None:
    facts = open_source(anamorphic(tmp_path / "take.mp4", Fraction(4, 3))).facts
    assert facts.picture.stored == (SIZE, Fraction(4, 3))
    source = open_source(tmp_path / "take.mp4")
    project = arranging.begin_with(Project(), footage_of(source.facts))
    project = composing.set_canvas(project, source.facts.picture.canvas)
    plan = make_plan(project, {project.footage[0].key: source})
    assert plan.stored == (SIZE, Fraction(4, 3))
    assert plan.size == (234, 144)
