"""Results in pieces: the very frames of undivided ones, gone on with after any interruption."""

import os
import signal
import subprocess
import sys
from collections.abc import Iterator
from dataclasses import replace
from fractions import Fraction
from functools import lru_cache
from itertools import pairwise
from pathlib import Path

import av
import numpy as np
import numpy.typing as npt
import pytest
from av.video.frame import VideoFrame
from hypothesis import example, given
from hypothesis import strategies as st

from chronoxis.core.errors import Cancelled, ExportError
from chronoxis.core.files.atomic import sweep_unfinished
from chronoxis.core.footage.kinds import footage_of, open_source
from chronoxis.core.model import arranging, composing, making, pacing
from chronoxis.core.model.accent import Accent, Grain
from chronoxis.core.model.export_format import Container, ExportFormat, Quality
from chronoxis.core.model.export_formats import FORMATS, GIF, JPEG, MKV, MP4, WEBP
from chronoxis.core.model.project import Place, Project
from chronoxis.core.model.settings import ResultSettings
from chronoxis.core.render import pieces as pieces_module
from chronoxis.core.render.export import ExportProgress, export
from chronoxis.core.render.pieces import Piece, pieces_of
from chronoxis.core.render.plan import Plan
from chronoxis.core.render.planning import make_plan
from chronoxis.core.render.writer import Writer, open_writer
from chronoxis.core.render.writing import Writing
from chronoxis.core.timing.frame_making import EachFrame
from tests.footage_makers import make_recording

DIVIDED = [each for each in FORMATS if each.container is not Container.LOOP]
KEPT_EXACTLY = ("mkv", "jpeg", "png", "tiff")


@pytest.fixture(scope="module")
def take(tmp_path_factory: pytest.TempPathFactory) -> Path:
    path = tmp_path_factory.mktemp("pieces") / "take.mkv"
    return make_recording(path, frames=300, size=(256, 144), sound=True)


@pytest.fixture(autouse=True)
def short_pieces(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(pieces_module, "PIECE_SECONDS", Fraction(2))
    monkeypatch.setattr(pieces_module, "_LEAST_FRAMES", 6)


def plan_for(path: Path, format_: ExportFormat = MKV, *, gathered: bool = False, sound: bool = False) -> Plan:
    """Two shots, 150 and 75 result frames."""
    source = open_source(path)
    settings = ResultSettings(format_, quality=Quality.GOOD, sound=sound)
    project = arranging.begin_with(Project(settings=settings), footage_of(source.facts))
    project = composing.set_canvas(project, source.facts.picture.canvas)
    project = arranging.add_shot(project, project.footage[0].key)
    project = pacing.set_speed(project, [Place(0, 0)], Fraction(2))
    project = pacing.set_speed(project, [Place(1, 0)], Fraction(4))
    if gathered:
        project = making.set_each_frame(project, project.places(), EachFrame.LONG_EXPOSURE)
    return make_plan(project, {project.footage[0].key: source})


def undivided_export(plan: Plan, output: Path) -> Path:
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr("chronoxis.core.render.export.pieces_of", lambda p: [Piece(0, 0, len(p.schedule))])
        return export(plan, output).path


def decoded(path: Path) -> tuple[list[npt.NDArray[np.uint8]], list[Fraction]]:
    with av.open(str(path)) as container:
        frames = list(container.decode(video=0))
    times = [Fraction(frame.pts or 0) * Fraction(frame.time_base or 1) for frame in frames]
    return [np.asarray(frame.to_ndarray(format="rgb24"), np.uint8) for frame in frames], times


def decibels(one: npt.NDArray[np.uint8], other: npt.NDArray[np.uint8]) -> float:
    """How near one picture is to another."""
    return float(10 * np.log10(255**2 / max(float(np.mean((one.astype(float) - other) ** 2)), 1e-9)))


@lru_cache
def lossless_frames(take: Path) -> list[npt.NDArray[np.uint8]]:
    return decoded(undivided_export(plan_for(take), take.with_name("truth.mkv")))[0]


@pytest.mark.sampled(1)
@pytest.mark.parametrize("format_", DIVIDED, ids=lambda each: each.key)
def test_a_result_in_pieces_is_that_of_one(take: Path, tmp_path: Path, format_: ExportFormat) -> None:
    plan = plan_for(take, format_, sound=bool(format_.sound_codec))
    assert len(pieces_of(plan)) > 3
    ending = "" if format_.is_folder else format_.ending
    whole = undivided_export(plan, tmp_path / f"whole{ending}")
    done = export(plan, tmp_path / f"joined{ending}")
    assert sorted(path.name for path in tmp_path.iterdir()) == [f"joined{ending}", f"whole{ending}"]
    if format_.is_folder:
        for still, joined in zip(sorted(whole.iterdir()), sorted(done.path.iterdir()), strict=True):
            assert still.name.replace("whole", "joined") == joined.name
            assert still.read_bytes() == joined.read_bytes()
        return
    (one, at), (other, then) = decoded(whole), decoded(done.path)
    assert len(one) == len(other) == len(plan.schedule)
    assert at == then
    if format_.key in KEPT_EXACTLY:
        assert all(map(np.array_equal, one, other))
    truth = lossless_frames(take)
    near = np.array([[decibels(*pair) for pair in zip(each, truth, strict=True)] for each in (one, other)])
    assert np.mean(near[1] - near[0]) > -0.3
    assert np.min(near[1]) > np.min(near[0]) - 2  # no seam is seen
    with av.open(str(whole)) as first, av.open(str(done.path)) as second:
        assert [stream.type for stream in first.streams] == [stream.type for stream in second.streams]
        coded = [container.streams.video[0] for container in (first, second)]
        assert coded[0].average_rate == coded[1].average_rate
        for name in ("codec_tag", "color_range", "colorspace", "profile", "extradata"):
            assert getattr(coded[0].codec_context, name) == getattr(coded[1].codec_context, name), name
        if format_.sound_codec:
            heard = [[block.to_ndarray() for block in each.decode(audio=0)] for each in (first, second)]
            assert len(heard[0]) == len(heard[1])
            assert all(map(np.array_equal, *heard))


@given(
    st.integers(1, 5000),
    st.lists(st.integers(1, 4999), max_size=20),
    st.sampled_from([Fraction(1), Fraction(24), Fraction(30000, 1001), Fraction(120)]),
    st.sampled_from([1, 50, 240]),
)
@example(55, [25], Fraction(30000, 1001), 50)  # a cut that is near enough, and too early
def test_pieces_partition_the_result(count: int, places: list[int], rate: Fraction, key: int) -> None:
    cuts = sorted({place for place in places if place < count})
    found = pieces_module.divided(count, cuts, rate, key)
    assert [piece.number for piece in found] == list(range(len(found)))
    assert found[0].start == 0
    assert found[-1].stop == count
    assert all(one.stop == other.start for one, other in pairwise(found))
    if len(found) > 1:
        assert min(map(len, found)) >= rate
        usual = max(map(len, found))
        assert all(piece.stop in cuts or len(piece) % key == 0 for piece in found[:-1])
        assert usual <= 3 * max(float(pieces_module.PIECE_SECONDS * rate), 24, key)


class Interrupted:
    """Counts frames that are written, and gives up at some of them."""

    def __init__(self, monkeypatch: pytest.MonkeyPatch) -> None:
        self.written = 0
        self._at: int | None = None
        monkeypatch.setattr("chronoxis.core.render.piece_making.open_writer", self._open)

    def give_up_after(self, count: int | None) -> None:
        self._at = None if count is None else self.written + count

    def _open(self, path: Path, writing: Writing, samples: Iterator[VideoFrame]) -> Writer:
        writer = open_writer(path, writing, samples)
        write = writer.write

        def counting(frame: VideoFrame, *, by_itself: bool = False) -> None:
            self.written += 1
            if self._at is not None and self.written > self._at:
                raise Cancelled
            write(frame, by_itself=by_itself)

        writer.write = counting  # type: ignore[method-assign]
        return writer


@pytest.mark.thorough
@pytest.mark.parametrize("format_", [MKV, JPEG, MP4], ids=lambda each: each.key)
def test_whatever_is_interrupted_is_gone_on_with(
    take: Path, tmp_path: Path, format_: ExportFormat, monkeypatch: pytest.MonkeyPatch
) -> None:
    plan = plan_for(take, format_, gathered=True, sound=bool(format_.sound_codec))
    ending = "" if format_.is_folder else format_.ending
    whole = export(plan, tmp_path / f"whole{ending}").path
    output = tmp_path / whole.name.replace("whole", "other")
    interrupted, tries = Interrupted(monkeypatch), 1
    longest = max(map(len, pieces_of(plan)))
    generator = np.random.default_rng(7)
    while tries < 100:
        interrupted.give_up_after(int(generator.integers(0, 2 * longest)))
        try:
            export(plan, output, resume=True)
        except Cancelled:
            assert not output.exists()
            tries += 1
        else:
            break
    assert tries > 3
    assert interrupted.written <= len(plan.schedule) + tries * longest  # one piece at most is made again
    assert sorted(path.name for path in tmp_path.iterdir()) == sorted((whole.name, output.name))
    if format_.is_folder:
        assert [f.read_bytes() for f in sorted(output.iterdir())] == [
            f.read_bytes() for f in sorted(whole.iterdir())
        ]
    else:
        assert output.read_bytes() == whole.read_bytes()


def test_what_is_spoilt_or_has_changed_is_made_anew_and_nothing_else(
    take: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    plan, output, interrupted = plan_for(take), tmp_path / "out.mkv", Interrupted(monkeypatch)
    pieces, count = pieces_of(plan), len(plan.schedule)
    interrupted.give_up_after(count - 1)
    with pytest.raises(Cancelled):
        export(plan, output, resume=True)
    (folder,) = tmp_path.iterdir()
    made = sorted(path for path in folder.iterdir() if not path.name.startswith("."))
    assert len(made) == len(pieces) - 1
    content = bytearray(made[1].read_bytes())
    content[len(content) // 2] ^= 1
    made[1].write_bytes(content)
    made[2].write_bytes(made[2].read_bytes()[:-100])
    (folder / "somebody-elses-file.mkv").write_text("rubbish")
    (folder / "000009-0-0.mkv").write_text("rubbish")
    interrupted.give_up_after(None)
    interrupted.written = 0
    export(plan, output, resume=True)
    assert interrupted.written == len(pieces[-1]) + len(pieces[1]) + len(pieces[2])
    assert all(map(np.array_equal, decoded(output)[0], lossless_frames(take)))
    assert list(tmp_path.iterdir()) == [output]


def test_an_edit_leaves_the_pieces_that_it_does_not_touch(
    take: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    plan, output, interrupted = plan_for(take, MP4), tmp_path / "out.mp4", Interrupted(monkeypatch)
    interrupted.give_up_after(len(plan.schedule) - 1)
    with pytest.raises(Cancelled):
        export(plan, output, resume=True)
    first, second = plan.project.shots
    project = replace(plan.project, shots=(first, replace(second, accents=(Accent(Grain()),))))
    changed = make_plan(project, {project.footage[0].key: plan.sources[0]})
    interrupted.give_up_after(None)
    interrupted.written = 0
    export(changed, output, resume=True)
    begin, stop = changed.frames_of(1)
    assert interrupted.written == stop - begin  # a piece ends at the cut between the two


def test_without_the_wish_to_go_on_nothing_is_left_or_taken_up(
    take: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    plan, output, interrupted = plan_for(take), tmp_path / "out.mkv", Interrupted(monkeypatch)
    interrupted.give_up_after(150)
    with pytest.raises(Cancelled):
        export(plan, output)
    assert list(tmp_path.iterdir()) == []
    with pytest.raises(Cancelled):
        export(plan, output, resume=True)
    interrupted.give_up_after(None)
    interrupted.written = 0
    export(plan, output)
    assert interrupted.written == len(plan.schedule)


def test_two_exports_do_not_write_the_same_file(take: Path, tmp_path: Path) -> None:
    plan, output, told = plan_for(take), tmp_path / "out.mkv", list[str]()

    def begin_another(now: ExportProgress) -> None:
        if now.done == 60:
            with pytest.raises(ExportError, match=r"out\.mkv is being written already"):
                export(plan, output, resume=True)
            told.append("refused")

    export(plan, output, progress=begin_another)
    assert told == ["refused"]
    assert list(tmp_path.iterdir()) == [output]


def test_a_file_that_comes_out_too_large_is_written_again(take: Path, tmp_path: Path) -> None:
    plan = plan_for(take, MP4)
    free = export(plan, tmp_path / "free.mp4").size
    limit = free * 7 // 10
    held = replace(plan, project=replace(plan.project, settings=replace(plan.settings, at_most=limit)))
    assert limit // 2 < export(held, tmp_path / "held.mp4").size <= limit


def test_pictures_that_loop_are_one_piece(take: Path) -> None:
    for format_ in (GIF, WEBP):
        assert len(pieces_of(plan_for(take, format_))) == 1


@pytest.mark.thorough
def test_kills_of_the_command_leave_what_another_goes_on_with(take: Path, tmp_path: Path) -> None:
    output = tmp_path / "out.mkv"
    command = [sys.executable, "-m", "chronoxis.cli", "condense", take, "-o", output, "--speed", "1/16x"]
    command += ["--progress", "none", "--resume"]
    kills, generator = 0, np.random.default_rng(3)
    while not output.exists():
        with subprocess.Popen(list(map(str, command))) as process:
            try:
                process.wait(float(generator.uniform(0.5, 3.0 + kills)))
            except subprocess.TimeoutExpired:
                process.send_signal(signal.SIGKILL)
                kills += 1
    assert kills
    assert len(decoded(output)[0]) == 300 * 16
    for left in tmp_path.glob(".out*part"):  # of the kill before; pieces are gone
        os.utime(left, (0, 0))
    sweep_unfinished()
    assert list(tmp_path.iterdir()) == [output]
