"""Frames through pipes: to the last bit, refused where they make no sense, and nothing left behind."""

import json
import os
import signal
import subprocess
import sys
import time
from pathlib import Path

import av
import numpy as np
import numpy.typing as npt
import pytest

from tests.footage_makers import make_recording

CONDENSE = [sys.executable, "-m", "chronoxis.cli", "condense"]


@pytest.fixture(scope="module")
def take(tmp_path_factory: pytest.TempPathFactory) -> Path:
    return make_recording(tmp_path_factory.mktemp("take") / "take.mp4", frames=60)


def condense(
    *arguments: object, given: bytes | None = None, kept: Path | None = None
) -> subprocess.CompletedProcess[bytes]:
    """Run it, with bytes on its standard input, and its temporary files in a folder."""
    command = [*CONDENSE, *map(str, arguments), "--progress", "none"]
    extra = {} if kept is None else {"TMPDIR": str(kept)}
    return subprocess.run(
        command, input=given or b"", capture_output=True, check=False, env={**os.environ, **extra}
    )


def frames_of(path: Path) -> list[npt.NDArray[np.generic]]:
    with av.open(str(path)) as container:
        return [frame.to_ndarray() for frame in container.decode(video=0)]


def test_what_goes_through_two_pipes_is_what_one_file_holds(take: Path, tmp_path: Path) -> None:
    piped = condense(take, "--speed", 5, "-o", "-").stdout
    header, rest = piped.split(b"\n", 1)
    assert header == b"YUV4MPEG2 W96 H64 F25:1 Ip A1:1 C420mpeg2 XCOLORRANGE=LIMITED"
    assert len(rest) == 12 * (len(b"FRAME\n") + 96 * 64 * 3 // 2)
    kept = tmp_path / "kept"
    kept.mkdir()
    done = condense("-", "--speed", 2, "-o", tmp_path / "both.mkv", given=piped, kept=kept)
    assert done.returncode == 0, done.stderr
    assert list(kept.iterdir()) == []
    assert condense(take, "--speed", 10, "-o", tmp_path / "one.mkv").returncode == 0
    both, one = frames_of(tmp_path / "both.mkv"), frames_of(tmp_path / "one.mkv")
    assert len(both) == len(one) == 6
    assert all(np.array_equal(*pair) for pair in zip(both, one, strict=True))


@pytest.mark.sampled(1)
@pytest.mark.parametrize("pixels", ["yuv420p10le", "yuv422p", "yuv444p", "gray"])
def test_recorded_formats_go_through_as_they_are(tmp_path: Path, pixels: str) -> None:
    given = tmp_path / "given.mkv"
    rng = np.random.default_rng(5)
    with av.open(str(given), "w") as container:
        stream = container.add_stream("ffv1", rate=25)
        stream.width, stream.height, stream.pix_fmt = 48, 32, pixels
        for _ in range(6):
            noise = rng.integers(0, 255, (32, 48, 3), np.uint8)
            container.mux(stream.encode(av.VideoFrame.from_ndarray(noise, "rgb24").reformat(format=pixels)))
        container.mux(stream.encode(None))
    piped = condense(given, "--every", 2, "-o", "-")
    assert piped.returncode == 0, piped.stderr
    out = tmp_path / "out.mkv"
    assert condense("-", "--speed", 1, "-o", out, given=piped.stdout).returncode == 0
    assert all(np.array_equal(*pair) for pair in zip(frames_of(out), frames_of(given)[::2], strict=True))


def test_bare_codes_come_behind_a_line_that_says_what_they_are(take: Path) -> None:
    piped = condense(take, "--speed", 20, "--each", "brightest", "-o", "-", "--format", "raw").stdout
    header, codes = piped.split(b"\n", 1)
    told = json.loads(header)
    assert (told["width"], told["height"], told["frames"], told["pixels"]) == (96, 64, 3, "rgb48le")
    assert len(codes) == 3 * 96 * 64 * 6


@pytest.mark.sampled(2)
@pytest.mark.parametrize(
    ("given", "words"),
    [
        (b"", b"is no YUV4MPEG2"),
        (b"not what you think\n" * 100, b"is no YUV4MPEG2"),
        (b"YUV4MPEG2 W96 H64 F25:1 Ip A1:1 C420mpeg2\n", b"Standard input"),
        (b"YUV4MPEG2 W0 H0 F0:0\nFRAME\n", b"Standard input"),
    ],
)
def test_odd_input_is_refused_in_one_line(tmp_path: Path, given: bytes, words: bytes) -> None:
    out, kept = tmp_path / "out.mkv", tmp_path / "kept"
    kept.mkdir()
    done = condense("-", "--speed", 2, "-o", out, given=given, kept=kept)
    assert done.returncode == 1
    assert words in done.stderr
    assert done.stderr.count(b"\n") == 1
    assert not out.exists()
    assert list(kept.iterdir()) == []


@pytest.mark.sampled(2)
@pytest.mark.parametrize(
    "options",
    [
        ["-o", "-", "--sound", "held"],
        ["-o", "-", "--quality", "master"],
        ["-o", "-", "--format", "mkv"],
        ["-o", "-", "--overwrite"],
        ["-o", "film.mkv", "--format", "y4m"],
    ],
)
def test_options_that_make_no_sense_with_pipes_are_refused(take: Path, options: list[str]) -> None:
    refused = condense(take, "--speed", 10, *options)
    assert refused.returncode == 2
    assert refused.stdout == b""


def test_a_reader_that_goes_away_ends_it_quietly(take: Path) -> None:
    command = [*CONDENSE, str(take), "--speed", "1/20", "-o", "-", "--progress", "none"]
    with subprocess.Popen(command, stdout=subprocess.PIPE, stderr=subprocess.PIPE) as child:
        assert child.stdout is not None
        assert child.stderr is not None
        child.stdout.read(1000)
        child.stdout.close()
        assert child.stderr.read() == b""
        assert child.wait(30) == 1


@pytest.mark.thorough
@pytest.mark.parametrize("begun", [b"", b"YUV4MPEG2 W96 H64 F25:1 Ip A1:1 C420mpeg2\nFRAME\n" + bytes(9216)])
def test_waiting_for_more_can_be_interrupted(tmp_path: Path, begun: bytes) -> None:
    command = [*CONDENSE, "-", "--speed", "2", "-o", str(tmp_path / "o.mkv"), "--progress", "none"]
    given, giving = os.pipe()
    os.write(giving, begun)
    (kept := tmp_path / "kept").mkdir()
    with subprocess.Popen(
        command, stdin=given, stderr=subprocess.PIPE, env={**os.environ, "TMPDIR": str(kept)}
    ) as child:
        while not list(kept.iterdir()):  # it has begun to read
            time.sleep(0.05)
        time.sleep(0.5)
        child.send_signal(signal.SIGINT)
        _, said = child.communicate(timeout=20)
    os.close(given)
    os.close(giving)
    assert (child.returncode, said.strip()) == (1, b"Cancelled; nothing was left behind.")
    assert list(kept.iterdir()) == []
