"""What cameras, recorders and mishaps leave behind, against the plainest decoding loop."""

from __future__ import annotations  # PyAV's packets are generic for type checkers only

import subprocess
import sys
from collections.abc import Callable
from contextlib import suppress
from dataclasses import replace
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
import numpy as np
import pytest
from av.packet import Packet

from chronoxis.core.errors import FootageError
from chronoxis.core.files.project_file import load_project, save_project
from chronoxis.core.footage.kinds import footage_of, open_source
from chronoxis.core.footage.source import Source
from chronoxis.core.model import arranging, composing, making, pacing
from chronoxis.core.model.export_format import ExportFormat
from chronoxis.core.model.export_formats import MKV, MP4
from chronoxis.core.model.project import Place, Project
from chronoxis.core.model.settings import ResultSettings
from chronoxis.core.picture.colour import Colour, from_linear, to_linear
from chronoxis.core.picture.rgb import rgb16
from chronoxis.core.render.export import export
from chronoxis.core.render.plan import Plan
from chronoxis.core.render.planning import make_plan
from chronoxis.core.timing.frame_making import OWN_EACH_FRAME, EachFrame
from chronoxis.core.timing.reckoner import Quantity
from chronoxis.core.timing.schedule import result_frame_count
from tests.command_line import chronoxis
from tests.footage_makers import decode_all, make_recording, picture, recording_of

ONLY = Place(0, 0)
Change = Callable[[int, Any], Any]


def remuxed(source: Path, path: Path, change: Change, form: str | None = None, **options: str) -> Path:
    """The packets of a recording in another file, each changed or left out."""
    with (
        av.open(str(source)) as read,
        av.open(str(path), "w", format=form, options=options) as out,
    ):
        stream = read.streams.video[0]
        copy = out.add_stream_from_template(stream)
        packets = (packet for packet in read.demux(stream) if packet.size)
        for number, packet in enumerate(packets):
            kept = change(number, packet)
            if kept is not None:
                kept.stream = copy
                out.mux(kept)
    return path


def as_is(_number: int, packet: Packet[Any]) -> Packet[Any]:
    return packet


def plan_of(
    path: Path, *, speed: Fraction = Fraction(1), each: EachFrame = EachFrame.ONE, **has: bool
) -> Plan:
    source = open_source(path)
    project = arranging.begin_with(Project(settings=ResultSettings(MKV)), footage_of(source.facts))
    project = pacing.set_speed(project, [ONLY], speed)
    project = making.set_each_frame(project, [ONLY], each)
    project = arranging.reverse(project, [0]) if has.get("backwards") else project
    return make_plan(project, {project.footage[0].key: source})


def matches(source: Source, recorded: list[np.ndarray]) -> None:
    """Every frame, some of them, and single ones in any order are those of the plain loop."""
    count = len(source.edges) - 1
    assert count == len(recorded)
    with source.reader() as reader:
        for numbers in (range(count), range(3, count, 7), [count - 1], [count // 2], [5], [0]):
            got = list(reader.frames(numbers))
            assert [number for number, _ in got] == list(numbers)
            for number, frame in got:
                assert np.array_equal(frame.to_ndarray(), recorded[number]), number
        assert not reader.lost


@pytest.mark.parametrize("name", ["bare.h264", "counted.avi", "refreshed.mkv", "refreshed.ts"])
def test_streams_without_stamps_or_clean_key_frames(tmp_path: Path, name: str) -> None:
    refresh = {"x264-params": "intra-refresh=1:keyint=20:bframes=0", "crf": "20", "preset": "veryfast"}
    options = refresh if "refreshed" in name else None
    form = "h264" if name.endswith("h264") else None
    path = make_recording(tmp_path / name, frames=90, container_format=form, options=options)
    matches(open_source(path), decode_all(path))


def test_equal_stamps(tmp_path: Path) -> None:
    plain = make_recording(tmp_path / "plain.mkv", frames=60, options={"crf": "20", "bf": "0", "g": "12"})
    held: list[int] = []

    def equal(number: int, packet: Packet[Any]) -> Packet[Any]:
        if number == 20:
            held.append(packet.pts or 0)
        if number in (21, 22):
            packet.pts = packet.dts = held[0]
        return packet

    path = remuxed(plain, tmp_path / "equal.mkv", equal)
    source = open_source(path)
    assert (np.diff(source.edges) == 0).sum() == 2
    matches(source, decode_all(path))
    assert export(plan_of(path, speed=Fraction(3)), tmp_path / "out.mkv").frames == 20


def test_files_joined_end_to_end_run_on(tmp_path: Path) -> None:
    one = make_recording(tmp_path / "one.ts", frames=100, container_format="mpegts")
    joined = tmp_path / "joined.ts"
    joined.write_bytes(one.read_bytes() * 3)
    source = open_source(joined)
    assert (source.rate, source.length) == (Fraction(25), Fraction(12))
    assert "joined from 3 files" in source.facts.caution
    matches(source, decode_all(joined))


def cut_amid_a_packet(path: Path, share: float) -> None:
    """Cut a file off behind a share of its bytes, where a frame is there in part."""
    content = path.read_bytes()
    with av.open(str(path)) as container:
        places = [(packet.pos or 0, packet.size) for packet in container.demux(video=0) if packet.size]
    begin, size = next((begin, size) for begin, size in places if begin > share * len(content))
    path.write_bytes(content[: begin + size // 2])


@pytest.mark.parametrize("kind", ["fragmented", "flv", "begins inside", "open group"])
def test_what_cannot_be_decoded_at_the_ends_is_left_out_and_said(tmp_path: Path, kind: str) -> None:
    open_group = {"x264-params": "open-gop=1:keyint=12:bframes=3", "crf": "20"}
    # Where the cut comes to lie depends on the encoder, and what it writes on how many cores it is given.
    alone = {"x264-params": "threads=1"} if kind in ("fragmented", "flv") else None
    options = open_group if kind == "open group" else alone
    whole = make_recording(tmp_path / "w.mp4", frames=100, options=options)
    keys = iter(range(100))
    if kind == "fragmented":
        cut = remuxed(whole, tmp_path / "c.mp4", as_is, "mp4", movflags="frag_keyframe+empty_moov")
    elif kind == "flv":
        cut = remuxed(whole, tmp_path / "c.flv", as_is, "flv")
    elif kind == "begins inside":
        cut = remuxed(whole, tmp_path / "c.mkv", lambda number, packet: packet if number >= 3 else None)
    else:
        begun: list[int] = []

        def from_fourth_key(_number: int, packet: Packet[Any]) -> Packet[Any] | None:
            if packet.is_keyframe:
                begun.append(next(keys))
            return packet if len(begun) >= 4 else None

        cut = remuxed(whole, tmp_path / "c.mkv", from_fourth_key)
    if kind in ("fragmented", "flv"):
        cut_amid_a_packet(cut, 0.68)
    source = open_source(cut)
    # Whether the frame that is there in part comes out is up to the library's threads.
    assert ("cut off" if kind == "flv" else "left out") in source.facts.caution
    decoded = []
    with av.open(str(cut)) as container, suppress(av.FFmpegError):
        for frame in container.decode(video=0):  # the plain loop ends where the damage begins
            decoded.append(frame.to_ndarray())  # noqa: PERF401 - what came before is kept
    count = len(source.edges) - 1
    assert count > 40
    assert source.rate == 25
    with source.reader() as reader:
        for number, frame in reader.frames(range(min(count, len(decoded)))):
            assert np.array_equal(frame.to_ndarray(), decoded[number])
        assert not reader.lost
    done = export(plan_of(cut), tmp_path / "out.mkv")
    assert (done.frames, done.remark) == (count, "")


def test_a_lost_frame_in_the_middle_is_held_and_said(tmp_path: Path) -> None:
    whole = make_recording(tmp_path / "whole.mkv", frames=100)

    def broken(number: int, packet: Packet[Any]) -> Packet[Any]:
        if number not in (40, 41):
            return packet
        spoilt = Packet(bytes(packet)[:8] + b"\xff" * max(0, packet.size - 8))
        spoilt.pts, spoilt.dts, spoilt.time_base = packet.pts, packet.dts, packet.time_base
        return spoilt

    path = remuxed(whole, tmp_path / "broken.mkv", broken)
    done = export(plan_of(path), tmp_path / "out.mkv")
    assert done.frames == 100
    assert 1 <= len(done.held) <= 4
    assert "broken.mkv 0:01." in done.remark
    made, recorded = decode_all(done.path), decode_all(whole)
    assert np.array_equal(made[20], recorded[20])
    assert np.array_equal(made[90], recorded[90])
    gone = make_recording(tmp_path / "gone.mkv", frames=120)
    source = open_source(gone)
    content = bytearray(gone.read_bytes())
    content[len(content) // 3 :] = bytes(len(content) - len(content) // 3)
    gone.write_bytes(content)
    with source.reader() as reader, pytest.raises(FootageError, match=r"gone\.mkv.*frame \d+"):
        list(reader.frames(range(120)))  # so much that holding would only hide it


@pytest.mark.sampled(4)
@pytest.mark.parametrize("degrees", [0, 90, 180, 270])
@pytest.mark.parametrize("flip", ["", "h", "v"])
def test_turned_and_mirrored_recordings_come_out_upright(tmp_path: Path, degrees: int, flip: str) -> None:
    path = tmp_path / "turned.mp4"
    with av.open(str(path), "w") as container:
        stream = container.add_stream("libx264", rate=25)
        assert isinstance(stream, av.VideoStream)
        stream.width, stream.height, stream.pix_fmt = 96, 64, "yuv420p"
        stream.codec_context.options = {"crf": "10"}
        stream.set_display_rotation(degrees, hflip=flip == "h", vflip=flip == "v")
        picture = np.zeros((64, 96, 3), np.uint8)
        picture[:32, :48], picture[:32, 48:] = (200, 30, 30), (30, 200, 30)
        picture[32:, :48], picture[32:, 48:] = (30, 30, 200), (200, 200, 200)
        for number in range(6):
            frame = av.VideoFrame.from_ndarray(picture, "rgb24").reformat(format="yuv420p")
            frame.pts = number
            container.mux(stream.encode(frame))
        container.mux(stream.encode(None))
    upright = np.rot90(picture, degrees // 90)
    upright = upright[:, ::-1] if flip == "h" else upright[::-1] if flip == "v" else upright
    for each in OWN_EACH_FRAME:
        made = decode_all(export(plan_of(path, each=each), tmp_path / f"{each}.mkv").path, "rgb24")
        assert made[0].shape == upright.shape
        assert np.abs(made[2].astype(int) - upright).mean() < 12


def test_backwards_with_a_wide_shutter_before_a_narrow_one(tmp_path: Path) -> None:
    path = make_recording(tmp_path / "take.mkv", frames=100)
    plan = plan_of(path, speed=Fraction(5), each=EachFrame.LONG_EXPOSURE, backwards=True)
    project = pacing.divide(plan.project, 0, Fraction(2))
    project = making.set_shutter(project, [Place(0, 0)], 720.0)
    project = making.set_shutter(project, [Place(0, 1)], 90.0)
    plan = make_plan(project, {project.footage[0].key: plan.sources[0]})
    firsts = plan.schedule.frames[plan.schedule.offsets[:-1]]
    assert np.any(np.diff(firsts) > 0)  # a later result frame begins with a later recorded one
    made = decode_all(export(plan, tmp_path / "out.mkv").path, "rgb48le")
    assert len(made) == len(plan.schedule) == 20
    recorded = decode_all(path, "rgb24")
    for number in (0, 9, 10, 19):
        frames, weights = plan.schedule.sources(number)
        light = np.zeros(recorded[0].shape)
        for frame, weight in zip(frames.tolist(), weights.tolist(), strict=True):
            light += to_linear(recorded[frame] / 255, 1) * weight
        assert np.abs(made[number] / 257 - from_linear(light, 1) * 255).mean() < 5, number


@pytest.mark.parametrize(
    "pixel_format",
    ["yuv422p", "yuv444p", "yuv420p10le", "yuv422p10le", "yuv444p12le", "gray", "gbrp10le", "rgb24"],
)
@pytest.mark.parametrize("full", [False, True])
def test_white_is_white_and_chroma_stays_in_every_format(pixel_format: str, full: bool) -> None:
    codes = np.zeros((32, 64, 3), np.uint8)
    codes[:, 32:] = 255
    whole = av.video.reformatter.ColorRange.JPEG if full else av.video.reformatter.ColorRange.MPEG
    frame = av.VideoFrame.from_ndarray(codes, "rgb24")
    frame = frame.reformat(format=pixel_format, dst_color_range=whole, dst_colorspace="ITU709")
    rgb = pixel_format.startswith(("gb", "rgb"))
    made = rgb16(frame, Colour(0 if rgb else 1, 1, 1, full or rgb))
    assert made[5, 60].min() >= 65535 - (200 if "10" in pixel_format and rgb else 130)
    assert made[5, 3].max() <= 130


def test_chroma_is_not_moved() -> None:
    y, x = np.mgrid[0:64, 0:64].astype(float)
    red = 128 + 90 * np.sin(x / 9) * np.cos(y / 11)
    codes = np.stack([red, 255 - red, np.full_like(red, 90)], -1).astype(np.uint8)
    frame = av.VideoFrame.from_ndarray(codes, "rgb24").reformat(format="yuv422p10le", dst_colorspace="ITU709")
    made = rgb16(frame, Colour(1, 1, 1, False)) / 257
    errors = [np.abs(made[8:-8, 8:-8] - np.roll(codes, shift, 1)[8:-8, 8:-8]).mean() for shift in (-1, 0, 1)]
    assert errors[1] < 1.5
    assert errors[1] < min(errors[0], errors[2]) / 2


def test_faster_than_a_thousand_frames_a_second(tmp_path: Path) -> None:
    path = make_recording(
        tmp_path / "fast.mkv",
        frames=120,
        rate=Fraction(2400),
        time_base=Fraction(1, 2400),
        codec="ffv1",
        options={"g": "1"},
    )
    plan = plan_of(path)
    assert plan.project.rate <= 1000
    save_project(plan.project, tmp_path / "fast.chronoxis")
    assert load_project(tmp_path / "fast.chronoxis") == plan.project


def test_a_name_with_a_colon(tmp_path: Path) -> None:
    make_recording(tmp_path / "2026-11-26T02:15:00.mp4", frames=10)
    command = [sys.executable, "-m", "chronoxis.cli"]
    for arguments in (
        ["facts", "2026-11-26T02:15:00.mp4"],
        ["condense", "2026-11-26T02:15:00.mp4", "--every", "2", "-o", "12:00.mkv"],
    ):
        done = subprocess.run(
            [*command, *arguments], cwd=tmp_path, capture_output=True, text=True, check=False
        )
        assert done.returncode == 0, done.stderr
    assert len(decode_all(tmp_path / "12:00.mkv")) == 5


@pytest.mark.parametrize("transfer", [16, 18])
def test_high_range_becomes_ordinary_in_mp4_and_stays_in_mkv(tmp_path: Path, transfer: int) -> None:
    path, size = tmp_path / "bright.mkv", (64, 48)
    with av.open(str(path), "w") as container:
        stream = container.add_stream("ffv1", rate=25)
        assert isinstance(stream, av.VideoStream)
        stream.width, stream.height, stream.pix_fmt = *size, "yuv420p10le"
        context = stream.codec_context
        context.color_primaries, context.color_trc, context.colorspace, context.color_range = (
            9,
            transfer,
            9,
            1,
        )
        grey = from_linear(203 / 10_000 * 0.5 if transfer == 16 else 0.15, transfer)  # below the knee
        for number in range(4):
            codes = np.full((size[1] * 3 // 2, size[0]), 512, np.uint16)
            codes[: size[1]] = round(64 + float(grey) * 876)
            codes[: size[1], 48:] = 940 if transfer == 18 else 700  # far above white
            frame = av.VideoFrame.from_ndarray(codes, "yuv420p10le")
            frame.pts = number
            container.mux(stream.encode(frame))
        container.mux(stream.encode(None))
    plan = plan_of(path)
    kept = decode_all(export(plan, tmp_path / "kept.mkv").path)
    assert np.array_equal(kept[2], decode_all(path)[2])
    shared = make_plan(
        replace(plan.project, settings=ResultSettings(MP4)), {plan.project.footage[0].key: plan.sources[0]}
    )
    assert "high dynamic range" in shared.remark
    done = export(shared, tmp_path / "shared.mp4")
    with av.open(str(done.path)) as container:
        frame = next(container.decode(video=0))
        assert (int(frame.color_trc), int(frame.color_primaries), int(frame.colorspace)) == (1, 1, 1)
        luma = frame.to_ndarray()[:48]
    light = to_linear((luma[20, 10].astype(float) - 16) / 219, 1)
    wish = 0.5 if transfer == 16 else 0.15**1.2 * 1000 / 203
    assert float(light) == pytest.approx(wish, rel=0.06)
    assert luma[20, 60] > luma[20, 10] + 20
    assert luma[20, 60] <= 236


def sounding(path: Path, codec: str, rate: int, layout: str, *, hole: tuple[float, float] = (9, 9)) -> Path:
    """Three seconds of picture with a 440 Hz tone, but for a hole in it."""
    with av.open(str(path), "w") as container:
        video, audio = container.add_stream("libx264", rate=25), container.add_stream(codec, rate=rate)
        assert isinstance(video, av.VideoStream)
        assert isinstance(audio, av.AudioStream)
        video.width, video.height, video.pix_fmt, audio.layout = 64, 48, "yuv420p", layout
        for number in range(75):
            frame = picture(number, (64, 48)).reformat(format="yuv420p")
            frame.pts = number
            container.mux(video.encode(frame))
        container.mux(video.encode(None))
        size = audio.codec_context.frame_size or 1024
        tone = (0.3 * np.sin(2 * np.pi * 440 * np.arange(3 * rate) / rate)).astype(np.float32)
        for first in range(0, len(tone), size):
            if hole[0] * rate <= first < hole[1] * rate:
                continue
            block = np.repeat(tone[None, first : first + size], len(audio.layout.channels), 0)
            made = av.AudioFrame.from_ndarray(block, "fltp", layout)
            made.sample_rate, made.pts, made.time_base = rate, first, Fraction(1, rate)
            for converted in av.AudioResampler(audio.format.name, layout, rate).resample(made):
                converted.pts, converted.time_base = first, Fraction(1, rate)
                container.mux(audio.encode(converted))
        container.mux(audio.encode(None))
    return path


@pytest.mark.sampled(2)
@pytest.mark.parametrize(
    ("name", "codec", "rate", "layout"),
    [
        ("a.mkv", "aac", 48_000, "stereo"),
        ("b.flv", "aac", 44_100, "mono"),
        ("c.mkv", "pcm_s24le", 48_000, "stereo"),
        ("d.mkv", "flac", 48_000, "6.1"),
        ("e.mkv", "flac", 192_000, "stereo"),
        ("f.mkv", "aac", 48_000, "5.1"),
        ("g.mkv", "libmp3lame", 44_100, "stereo"),
    ],
)
@pytest.mark.parametrize("form", [MKV, MP4])
def test_kept_sound_of_every_kind_is_contiguous(
    tmp_path: Path, name: str, codec: str, rate: int, layout: str, form: ExportFormat
) -> None:
    path = sounding(tmp_path / name, codec, rate, layout)
    source = open_source(path)
    settings = ResultSettings(form, sound=True)
    project = arranging.begin_with(Project(settings=settings), footage_of(source.facts))
    project = pacing.set_speed(project, [ONLY], Fraction(1))
    project = arranging.set_points(project, 0, Fraction(1, 2), Fraction(5, 2))
    done = export(make_plan(project, {project.footage[0].key: source}), tmp_path / f"out{form.ending}")
    with av.open(str(done.path)) as container:
        stream = container.streams.audio[0]
        planar = stream.codec_context.format.is_planar
        blocks = [frame.to_ndarray() for frame in container.decode(stream)]
        channels = len(stream.layout.channels)
    samples = np.concatenate([b[0] if planar else b.reshape(-1, channels)[:, 0] for b in blocks]).astype(
        float
    )
    assert (stream.rate, channels) == (48_000, 2)
    assert abs(len(samples) / stream.rate - 2) < (0.03 if form is MP4 else 0.0001)
    spectrum = np.abs(np.fft.rfft(samples[: 2 * stream.rate]))
    assert abs(int(spectrum.argmax()) / 2 - 440) <= 1


def test_one_channel_is_heard_on_both_as_loud_as_it_is(tmp_path: Path) -> None:
    source = open_source(sounding(tmp_path / "mono.mkv", "pcm_s16le", 48_000, "mono"))
    with source.sound_between(Fraction(1), Fraction(2), 48_000, "stereo") as blocks:
        samples = np.concatenate(list(blocks), axis=1)
    assert np.array_equal(samples[0], samples[1])
    assert np.abs(samples).max() == pytest.approx(0.3, abs=0.001)


def test_a_hole_in_the_sound_is_silence_of_its_length(tmp_path: Path) -> None:
    source = open_source(sounding(tmp_path / "hole.mkv", "pcm_s16le", 48_000, "mono", hole=(1.0, 1.6)))
    with source.sound_between(Fraction(0), Fraction(3), 48_000, "mono") as blocks:
        samples = np.concatenate(list(blocks), axis=1)[0]
    assert len(samples) == 144_000
    loud = np.abs(samples.reshape(-1, 480)).max(1) > 0.05
    assert loud[:99].all()
    assert not loud[103:158].any()
    assert loud[162:298].all()


@pytest.mark.parametrize("pixel_format", ["yuv420p", "yuv422p", "gbrp", "bgra", "rgb24", "yuv420p10le"])
@pytest.mark.parametrize("size", [(95, 63), (99, 67), (97, 65)])
def test_lossless_takes_every_size_and_format(
    tmp_path: Path, pixel_format: str, size: tuple[int, int]
) -> None:
    codec = "png" if "rgb24" in pixel_format else "qtrle" if pixel_format == "bgra" else "ffv1"
    codec = "libx264rgb" if pixel_format == "gbrp" else codec
    wanted = {"bgra": "argb", "gbrp": "bgr24"}.get(pixel_format, pixel_format)
    path = make_recording(
        tmp_path / ("in.mov" if codec in ("qtrle", "png") else "in.mkv"),
        frames=8, size=size, codec=codec, pixel_format=wanted, options={"g": "4"},
    )  # fmt: skip
    out = export(plan_of(path, speed=Fraction(2)), tmp_path / "out.mkv").path
    recorded, made = decode_all(path, "rgb24"), decode_all(out, "rgb24")
    assert len(made) == 4
    for number, frame in enumerate(made):
        assert np.array_equal(frame, recorded[2 * number])


def test_a_size_that_changes_inside_a_recording(tmp_path: Path) -> None:
    one = make_recording(tmp_path / "one.h264", frames=20, container_format="h264")
    two = make_recording(tmp_path / "two.h264", frames=20, size=(64, 64), container_format="h264")
    both = tmp_path / "both.h264"
    both.write_bytes(one.read_bytes() + two.read_bytes())
    for each in OWN_EACH_FRAME:
        done = export(plan_of(both, speed=Fraction(4), each=each), tmp_path / f"{each}.mkv")
        assert {frame.shape for frame in decode_all(done.path, "rgb24")} == {(64, 96, 3)}


def test_the_canvas_stays_when_shots_change_places(tmp_path: Path) -> None:
    wide = open_source(make_recording(tmp_path / "wide.mkv", frames=10, size=(160, 90)))
    tall = open_source(make_recording(tmp_path / "tall.mkv", frames=10, size=(64, 90)))
    project = composing.set_canvas(Project(settings=ResultSettings(MKV)), wide.facts.picture.canvas)
    for source in (wide, tall):
        project = arranging.begin_with(project, footage_of(source.facts))
    sources = {"wide": wide, "tall": tall}
    for order in (project, arranging.move_shot(project, 0, 1), arranging.delete_shots(project, [0])):
        assert make_plan(order, sources).size == (160, 90)
    chosen = composing.set_canvas(project, tall.facts.picture.canvas)
    assert make_plan(chosen, sources).size == (64, 90)


def test_a_clock_that_jumps_and_sound_that_is_longer(tmp_path: Path) -> None:
    one = make_recording(tmp_path / "one.ts", frames=50, container_format="mpegts")

    def later(number: int, packet: Any) -> Any:
        if number >= 25:
            packet.pts, packet.dts = packet.pts + 90_000 * 7200, packet.dts + 90_000 * 7200
        return packet

    source = open_source(remuxed(one, tmp_path / "jump.ts", later, "mpegts"))
    assert source.length == 2
    assert "joined" in source.facts.caution
    longer = sounding(tmp_path / "sound.mkv", "aac", 48_000, "stereo")
    assert not open_source(longer).facts.caution


def test_recorded_length_backwards_with_a_held_result_length_is_applied_once() -> None:
    project = arranging.begin_with(Project(), recording_of(Path("/take.mp4"), Fraction(25), Fraction(100)))
    project = arranging.set_points(project, 0, Fraction(50), Fraction(100))
    project = arranging.reverse(pacing.set_speed(project, [ONLY], Fraction(5)), [0])
    project = pacing.set_held(project, [ONLY], Quantity.RESULT_LENGTH, True)
    changed = pacing.change_quantity(project, ONLY, Quantity.RECORDED_LENGTH, Fraction(80))
    assert changed.result_length == project.result_length == 10
    assert changed.shots[0].in_point == 20
    assert changed.passage(ONLY).speed == 8
    marked = arranging.add_marker(project, "take", Fraction(99), "late")
    measured = arranging.measure(marked, "take", Fraction(25), Fraction(60))
    assert [marker.at for marker in measured.footage[0].markers] == [60]


def test_every_nth_of_a_long_recording_of_varying_rate_counts_whole_frames() -> None:
    count, ticks = 1_000_000, 33_366_701_003  # an average rate that no small fraction is
    rate = (count / (ticks * Fraction(1, 1_000_000))).limit_denominator(10_000_000)
    length = ticks * Fraction(1, 1_000_000)
    footage = recording_of(Path("/take.mkv"), rate, length, counted=True)
    project = arranging.begin_with(Project(), footage)
    assert max(project.rate.numerator, project.rate.denominator) < 2**31
    project = replace(project, rate=Fraction(30))
    for step in (2, 5, 100):
        changed = pacing.change_quantity(project, ONLY, Quantity.STEP, Fraction(step))
        assert result_frame_count(changed.result_length, changed.rate) == count // step


def in_decoding_order(path: Path, source: Path, begin: int) -> Path:
    """The packets of a recording with B-frames, each shown when it is decoded, as some programs say."""
    with av.open(str(source)) as read, av.open(str(path), "w") as written:
        stream = read.streams.video[0]
        copy = written.add_stream_from_template(stream)
        packets = [packet for packet in read.demux(stream) if packet.size]
        shift = begin - (packets[0].dts or 0)
        for packet in packets:
            packet.dts = (packet.dts or 0) + shift
            packet.pts, packet.stream = packet.dts, copy
            written.mux(packet)
    return path


# Below zero, an edit list hides what comes first.
@pytest.mark.parametrize(("ending", "begin", "count"), [("mp4", 0, 90), ("mkv", 0, 90), ("mp4", -1024, 88)])
def test_stamps_in_decoding_order_are_not_believed(
    tmp_path: Path, ending: str, begin: int, count: int
) -> None:
    options = {"crf": "18", "g": "24", "bf": "3", "preset": "veryfast", "b-adapt": "0"}
    take = make_recording(tmp_path / "take.mp4", frames=90, options=options)
    wrong = in_decoding_order(tmp_path / f"wrong.{ending}", take, begin)
    source = open_source(wrong)
    assert len(source.edges) == count + 1
    assert source.length == pytest.approx(count / 25, abs=0.1)
    with source.reader() as reader:
        got = [frame.to_ndarray() for _, frame in reader.frames(range(count))]
        chosen = dict(reader.frames([80, 7, 41]))
        assert not reader.lost
    plain = decode_all(wrong)
    assert len(plain) == count
    assert all(np.array_equal(one, other) for one, other in zip(got, plain, strict=True))
    assert all(np.array_equal(frame.to_ndarray(), plain[number]) for number, frame in chosen.items())


def test_stamps_that_rise_with_the_packets_are_believed_where_frames_come_out_so(tmp_path: Path) -> None:
    stamps = np.cumsum([40 + 7 * (number % 3) for number in range(60)]).tolist()
    options = {"crf": "18", "g": "12", "bf": "0", "preset": "veryfast"}
    take = make_recording(
        tmp_path / "uneven.mkv", stamps=stamps, time_base=Fraction(1, 1000), options=options
    )
    source = open_source(take)
    assert source.index.variable  # type: ignore[attr-defined]
    assert source.index.stamped  # type: ignore[attr-defined]


def test_frames_that_others_stand_in_for_show_in_the_exit_status(tmp_path: Path) -> None:
    take = make_recording(tmp_path / "take.mp4", frames=100)
    content = bytearray(take.read_bytes())
    third = len(content) // 3
    content[third : 2 * third] = bytes(third)
    take.write_bytes(content)
    done = chronoxis("condense", take, "-o", tmp_path / "out.mkv", "--every", "5", "--progress", "none")
    assert done.returncode == 3
    assert "could not be decoded" in done.stderr
    assert len(open_source(tmp_path / "out.mkv").edges) == 21
