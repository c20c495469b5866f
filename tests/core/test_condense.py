"""The command line end to end, against loops that share no code with it."""

import csv
import json
import os
import resource
import signal
import subprocess
import sys
import time
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
from click.testing import CliRunner

from chronoxis.cli.main import cli
from tests.command_line import chronoxis
from tests.core.test_footage import MILLI, UNEVEN, bad_files
from tests.footage_makers import decode_all, make_recording

CONDENSE = [sys.executable, "-m", "chronoxis.cli", "condense"]


DISPLAYS = ("DISPLAY", "WAYLAND_DISPLAY", "QT_QPA_PLATFORM")


def condense(source: Path, out: Path, *choices: object) -> Path:
    done = chronoxis("condense", source, "-o", out, "--progress", "none", *choices)
    assert (done.returncode, done.stderr) == (0, "")
    return out


def to_light(codes: np.ndarray) -> np.ndarray:
    """BT.709, written out once more."""
    return np.where(codes < 0.081243, codes / 4.5, ((codes + 0.099297) / 1.099297) ** (1 / 0.45))


def from_light(light: np.ndarray) -> np.ndarray:
    return np.where(light < 0.018054, light * 4.5, 1.099297 * light**0.45 - 0.099297)


def test_every_tenth_frame_to_the_pixel(tmp_path: Path) -> None:
    source = make_recording(tmp_path / "in.mp4", frames=101)
    out = condense(source, tmp_path / "out.mkv", "--every", 10, "--fps", "24")
    kept = [frame for number, frame in enumerate(decode_all(source)) if number % 10 == 0]
    made = decode_all(out)
    assert len(made) == len(kept) == 11
    assert all(np.array_equal(a, b) for a, b in zip(made, kept, strict=True))
    with av.open(str(out)) as container:
        assert container.streams.video[0].average_rate == 24


def test_variable_rate_takes_the_frame_on_display(tmp_path: Path) -> None:
    source = make_recording(tmp_path / "in.mkv", stamps=UNEVEN, time_base=MILLI)
    out = condense(source, tmp_path / "out.mkv", "--speed", "3x", "--fps", "20")
    with av.open(str(source)) as container:
        frames = [
            (Fraction(round((frame.time or 0) * 1000), 1000), frame.to_ndarray())
            for frame in container.decode(video=0)
        ]
    kept, number = [], 0
    end = frames[-1][0] + Fraction(40, 1000)
    while (due := number * Fraction(3, 20)) < end:
        kept.append([picture for stamp, picture in frames if stamp <= due][-1])
        number += 1
    made = decode_all(out)
    assert len(made) in (len(kept), len(kept) - 1)  # the last frame's own length is a guess in this file
    assert all(np.array_equal(a, b) for a, b in zip(made, kept, strict=False))


def exact_rgb(planes: np.ndarray, size: tuple[int, int]) -> np.ndarray:
    """Y′CbCr 4:2:0 in one array, as PyAV gives it, to R′G′B′ 0..1 by BT.601's formula in float."""
    width, height = size
    luma = (planes[:height].astype(float) - 16) / 219
    chroma = planes[height:].reshape(2, height // 2, width // 2).repeat(2, 1).repeat(2, 2).astype(float)
    blue, red = (chroma - 128) / 224
    r, b = luma + 1.402 * red, luma + 1.772 * blue
    rgb: np.ndarray = np.stack([r, (luma - 0.299 * r - 0.114 * b) / 0.587, b], -1)
    return rgb.clip(0, 1)


def test_long_exposure_is_the_mean_of_light(tmp_path: Path) -> None:
    source = make_recording(tmp_path / "in.mkv", frames=30, codec="ffv1", options={})
    every = np.stack([exact_rgb(planes, (96, 64)) for planes in decode_all(source)])
    for shutter, opened in ((360, 10), (180, 5)):
        out = condense(
            source,
            tmp_path / f"{shutter}.mkv",
            "--every",
            10,
            "--each",
            "long-exposure",
            "--shutter",
            shutter,
        )
        wish = from_light(to_light(every).reshape(3, 10, *every.shape[1:])[:, :opened].mean(1))
        made = np.stack(decode_all(out, "gbrp16le"))[..., :3] / 65535
        assert np.abs(made - wish).max() <= 1 / 255


def test_ten_bit_long_exposure(tmp_path: Path) -> None:
    source = make_recording(
        tmp_path / "in.mkv", frames=20, codec="ffv1", pixel_format="yuv444p10le", options={}
    )
    out = condense(source, tmp_path / "out.mkv", "--every", 10, "--each", "long-exposure")
    every = np.stack(decode_all(source, "gbrp16le")) / 65535
    made = np.stack(decode_all(out, "gbrp16le")) / 65535
    wish = from_light(to_light(every).reshape(2, 10, *every.shape[1:]).mean(1))
    assert np.abs(made - wish).mean() * 255 < 0.5  # the scaler rounds either way
    assert np.abs(made - wish).max() * 255 < 2.5


def test_equal_frames_give_that_frame(tmp_path: Path) -> None:
    source = tmp_path / "still.mkv"
    still = make_recording(tmp_path / "one.mkv", frames=1, codec="ffv1", options={})
    condense(still, source, "--speed", "1/20x")
    out = condense(source, tmp_path / "out.mkv", "--speed", "5x", "--each", "long-exposure")
    before = exact_rgb(decode_all(still)[0], (96, 64))
    assert np.abs(decode_all(out, "gbrp16le")[0] / 65535 - before).max() <= 1 / 255


def test_the_listing_is_what_is_exported(tmp_path: Path) -> None:
    source = make_recording(tmp_path / "in.mp4", frames=80)
    choices = ("--from", "0.4", "--to", "0:03", "--length", "0.7", "--fps", "30")
    listing = chronoxis("plan", source, *choices, "--csv", "-")
    rows = list(csv.DictReader(listing.stdout.splitlines()))
    every = decode_all(source)
    made = decode_all(condense(source, tmp_path / "out.mkv", *choices))
    assert len(made) == len(rows) == 21
    assert all(np.array_equal(made[int(r["result_frame"])], every[int(r["recorded_frame"])]) for r in rows)
    assert {row["weight"] for row in rows} == {"1"}


def test_rotation_size_and_tags(tmp_path: Path) -> None:
    source = make_recording(tmp_path / "in.mp4", size=(96, 64), rotation=90)
    out = condense(source, tmp_path / "out.mp4", "--every", 5, "--size", "200x120")
    with av.open(str(out)) as container:
        stream = container.streams.video[0]
        assert (stream.width, stream.height) == (80, 120)
        assert stream.codec_context.color_range == 1
        assert stream.frames == 12
    upright = condense(source, tmp_path / "out.mkv", "--every", 5)
    turned = np.rot90(decode_all(source, "rgb24")[0].astype(int))
    assert np.abs(decode_all(upright, "rgb24")[0].astype(int) - turned).mean() < 3


def test_odd_sizes_lose_a_row_at_most(tmp_path: Path) -> None:
    source = make_recording(
        tmp_path / "in.mkv", size=(97, 63), codec="ffv1", pixel_format="yuv444p", options={}
    )
    assert decode_all(condense(source, tmp_path / "o.mp4", "--every", 5), "rgb24")[0].shape == (62, 96, 3)
    lossless = decode_all(condense(source, tmp_path / "o.mkv", "--every", 5))
    assert np.array_equal(lossless[2], decode_all(source)[10])


def test_sound_is_kept_at_real_time(tmp_path: Path) -> None:
    source = make_recording(tmp_path / "in.mp4", frames=75, sound=True)
    out = condense(source, tmp_path / "out.mkv", "--speed", 1, "--from", 1, "--to", 2, "--sound", "held")
    with av.open(str(out)) as container:
        samples = np.concatenate([f.to_ndarray().ravel()[::2] for f in container.decode(audio=0)])
    assert abs(len(samples) - 48000) <= 1
    spectrum = np.abs(np.fft.rfft(samples.astype(float)))
    assert abs(int(spectrum.argmax()) - 440) <= 1


def test_bad_input_gives_one_line_and_leaves_nothing(tmp_path: Path) -> None:
    good = make_recording(tmp_path / "take.mp4")
    kept = good.read_bytes()
    (tmp_path / "there.mp4").write_bytes(b"precious")
    wrong = dict(bad_files(tmp_path).values())
    wrong[tmp_path] = "holds no photos"
    out = tmp_path / "out" / "o.mp4"
    out.parent.mkdir()
    attempts: list[tuple[tuple[object, ...], str]] = [
        *(((path, "-o", out, "--speed", 2), said) for path, said in wrong.items()),
        ((good, "-o", out, "--speed", 2, "--from", 2, "--to", 1), "before"),
        ((good, "-o", out, "--speed", 2, "--to", 99), "after the end"),
        ((good, "-o", out, "--length", 0), "above zero"),
        ((good, "-o", good, "--speed", 2, "--overwrite"), "what is read here"),
        ((good, "-o", tmp_path / "there.mp4", "--speed", 2), "already there"),
        ((good, "-o", tmp_path / "no" / "o.mp4", "--speed", 2), "not there"),
        ((good, "-o", "/proc/o.mp4", "--speed", 2), "not"),
        ((good, "-o", out, "--speed", 2, "--size", "9000x9000"), "H.264"),
    ]
    for arguments, said in attempts:
        done = chronoxis("condense", *arguments, "--progress", "none")
        assert done.returncode == 1, arguments
        assert said in done.stderr, (arguments, done.stderr)
        assert len(done.stderr.strip().splitlines()) == 1, done.stderr
    assert list(out.parent.iterdir()) == []
    assert good.read_bytes() == kept
    assert (tmp_path / "there.mp4").read_bytes() == b"precious"
    wrong_usages: list[list[str]] = [
        [],
        ["--speed", "0"],
        ["--speed", "2", "--every", "2"],
        ["--every", "x"],
        ["--fps", "no", "--speed", "2"],
        ["--speed", "2", "--shutter", "900"],
        ["--speed", "2", "--shutter", "nan"],
        ["--speed", "1e999999999"],
        ["--speed", "2", "--size", "9" * 5000],
        ["--speed", "2", "--size", "720p", "--stretch"],
        ["--every", "1e400"],
        ["--speed", "2", "-o", "o.avi"],
        ["--speed", "2", "-o", "o.mkv", "--quality", "good"],
    ]
    for usage in wrong_usages:  # in this process: a new one for each would take most of the time
        asked = CliRunner().invoke(cli, ["condense", str(good), "-o", str(out), *usage])
        assert asked.exit_code == 2, usage


def test_a_full_disk_leaves_nothing(tmp_path: Path) -> None:
    source = make_recording(tmp_path / "in.mkv", frames=120, size=(320, 240), codec="ffv1", options={})
    out = tmp_path / "out" / "o.mkv"
    out.parent.mkdir()

    def limit() -> None:
        signal.signal(signal.SIGXFSZ, signal.SIG_IGN)
        resource.setrlimit(resource.RLIMIT_FSIZE, (200_000, 200_000))

    done = chronoxis("condense", source, "-o", out, "--speed", 1, "--progress", "none", prepared=limit)
    assert done.returncode == 1
    assert "o.mkv was not written" in done.stderr
    assert list(out.parent.iterdir()) == []


def test_progress_and_cancel(tmp_path: Path) -> None:
    source = make_recording(tmp_path / "in.mkv", frames=40, size=(640, 480))
    out = tmp_path / "o.mp4"
    command = [*CONDENSE, str(source), "-o", str(out), "--speed", "1/40x"]
    with subprocess.Popen([*command, "--progress", "json"], stdout=subprocess.PIPE, text=True) as child:
        assert child.stdout is not None
        first = json.loads(child.stdout.readline())
        assert first["event"] == "progress"
        assert first["total"] == 1600
        assert not out.exists()
        child.terminate()
        *_, last = child.stdout.read().splitlines()
        child.wait(30)
    assert json.loads(last) == {"event": "cancelled"}
    assert child.returncode == 1
    assert sorted(path.name for path in tmp_path.iterdir()) == ["in.mkv"]


def test_a_killed_export_leaves_no_file_under_the_final_name(tmp_path: Path) -> None:
    source = make_recording(tmp_path / "in.mkv", frames=40, size=(640, 480))
    out = tmp_path / "o.mp4"
    out.write_bytes(b"the old result")
    command = [*CONDENSE, str(source), "-o", str(out), "--speed", "1/40x"]
    with subprocess.Popen([*command, "--overwrite", "--progress", "json"], stdout=subprocess.PIPE) as child:
        assert child.stdout is not None
        child.stdout.readline()
        time.sleep(0.2)
        child.send_signal(signal.SIGKILL)
    assert out.read_bytes() == b"the old result"


def test_facts_as_json(tmp_path: Path) -> None:
    source = make_recording(tmp_path / "in.mp4", sound=True)
    told = json.loads(chronoxis("facts", source, "--json").stdout)
    assert (told["frames"], told["rate"], told["length"], told["variable"]) == (60, "25", 2.4, False)
    assert Path(told["path"]) == source


def test_without_a_display_the_window_is_refused_in_one_line() -> None:
    nowhere = {name: value for name, value in os.environ.items() if name not in DISPLAYS}
    done = chronoxis(env=nowhere, afresh=True)
    assert done.returncode == 1
    assert done.stderr.count("\n") == 1
    assert "There is no display" in done.stderr
