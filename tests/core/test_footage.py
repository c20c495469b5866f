"""Recordings of every awkward kind: which frames there are, when, and that exact ones come out."""

import contextlib
import os
import signal
import threading
from collections.abc import Iterator
from fractions import Fraction
from pathlib import Path

import av
import cv2
import numpy as np
import pytest

from chronoxis.core.errors import Cancelled, FootageError
from chronoxis.core.footage.kinds import open_source
from chronoxis.core.footage.music.music_facts import read_music
from chronoxis.core.footage.own_process import run_in_own_process
from chronoxis.core.footage.reader_pool import ReaderPool
from chronoxis.core.footage.recording.containers import packets_of
from chronoxis.core.footage.recording.frame_count import tell_frames
from chronoxis.core.footage.recording.frame_index import FrameIndex, build_index
from chronoxis.core.footage.recording.frame_reader import FrameReader
from chronoxis.core.footage.recording.recording_facts import read_opening
from chronoxis.core.footage.remembered_frames import RememberingReaders
from tests.footage_makers import decode_all, make_long_recording, make_recording

MILLI = Fraction(1, 1000)
UNEVEN = np.cumsum([0, *([33, 34, 50, 16, 120, 8] * 12)]).tolist()

KINDS = {
    "b-frames.mp4": {},
    "open-gop.mkv": {"options": {"x264-params": "open-gop=1:keyint=10:bframes=3", "crf": "20"}},
    "milliseconds.mkv": {"rate": Fraction(30000, 1001)},
    "uneven.mkv": {"stamps": UNEVEN, "time_base": MILLI},
    "late-start.mkv": {"stamps": range(500, 560)},
    "hevc.mp4": {"codec": "libx265", "options": {"x265-params": "keyint=12:log-level=none"}},
    "ten-bit.mp4": {
        "codec": "libx265",
        "pixel_format": "yuv420p10le",
        "options": {"x265-params": "log-level=none"},
    },
    "intra.mkv": {"codec": "ffv1", "options": {}},
    "mpeg4.avi": {"codec": "mpeg4", "options": {"g": "12", "bf": "2"}},
    "unstamped.h264": {"container_format": "h264"},
    "odd.mkv": {"codec": "ffv1", "size": (97, 63), "pixel_format": "yuv444p", "options": {}},
}


@pytest.mark.sampled(5)
@pytest.mark.parametrize("name", KINDS)
def test_chosen_frames_are_the_very_frames(tmp_path: Path, name: str) -> None:
    path = make_recording(tmp_path / name, **KINDS[name])  # type: ignore[arg-type]
    every = decode_all(path)
    index = build_index(path)
    assert len(index) == len(every)
    for wanted in (range(0, len(every), 7), [0], [len(every) - 1], [3, 4, 30, 31, 59], range(len(every))):
        with FrameReader(path, index) as reader:
            for number, frame in reader.frames(wanted):
                assert np.array_equal(frame.to_ndarray(), every[number]), number
            assert np.array_equal(reader.frame(20).to_ndarray(), every[20])


@pytest.mark.parametrize("name", KINDS)
def test_one_reader_goes_on_from_wherever_it_stands(tmp_path: Path, name: str) -> None:
    """Steps, leaps and stretches in any order, some left off before they end, some stopped in their midst."""
    path = make_recording(tmp_path / name, **KINDS[name])  # type: ignore[arg-type]
    every, random = decode_all(path), np.random.default_rng(3)
    with FrameReader(path, build_index(path)) as reader:
        here = 0
        for _ in range(60):
            leap = int(random.integers(0, len(every)))
            here = (here + int(random.choice([1, 10, -1, leap]))) % len(every)
            step, count = int(random.choice([1, 1, 3, 10])), int(random.integers(1, 9))
            patience = int(random.choice([0, 2, 5, 1000]))

            def check() -> None:
                nonlocal patience
                patience -= 1
                if patience < 0:
                    raise Cancelled

            with contextlib.suppress(Cancelled):
                wanted = range(here, len(every), step)[:count]
                for number, frame in reader.frames(wanted, check):
                    assert np.array_equal(frame.to_ndarray(), every[number]), number
                    if random.random() < 0.1:
                        break
        assert not reader.lost


def test_a_step_on_costs_one_frame(tmp_path: Path) -> None:
    path = make_recording(tmp_path / "long-groups.mp4", frames=100, options={"g": "100", "crf": "30"})
    fed = 0

    def count() -> None:
        nonlocal fed
        fed += 1

    with FrameReader(path, build_index(path)) as reader:
        next(reader.frames([70], count))
        first = fed
        for number in range(71, 81):
            effort = reader.effort_to(number)
            next(reader.frames([number], count))
            assert effort < 10
        assert first > 70
        assert fed - first <= 15
        assert reader.effort_to(60) == 61  # from the key frame again


def test_looks_at_one_moment_decode_it_once_as_far_as_there_is_room(tmp_path: Path) -> None:
    path = make_recording(tmp_path / "a.mp4", frames=60, options={"g": "30"})
    every, source, readers = decode_all(path), open_source(path), ReaderPool()
    fed = 0

    def count() -> None:
        nonlocal fed
        fed += 1

    with source.reader() as reader:
        room = 8 * sum(plane.buffer_size for plane in reader.frame(0).planes)
    looks = ([40], range(40, 46), range(38, 44), range(36, 60, 3), range(30, 55))
    remembering = RememberingReaders(readers, room)
    for numbers in looks:
        with remembering.lend(source, None, fit=True, number=numbers[0]) as reader:
            for number, frame in reader.frames(numbers, count):
                assert np.array_equal(frame.to_ndarray(), every[number]), number
    fed_for_the_rest, fed = fed, 0
    with remembering.lend(source, None, fit=True, number=38) as reader:
        list(reader.frames(range(38, 46), count))
    assert fed == 0
    assert fed_for_the_rest > 0
    readers.close()


def test_times_are_the_files_own(tmp_path: Path) -> None:
    index = build_index(make_recording(tmp_path / "uneven.mkv", stamps=UNEVEN, time_base=MILLI))
    assert index.variable
    assert np.allclose(index.edges[:-1], np.array(UNEVEN) / 1000)
    steady = build_index(make_recording(tmp_path / "ntsc.mkv", rate=Fraction(30000, 1001)))
    assert steady.rate == Fraction(30000, 1001)
    assert not steady.variable
    assert steady.edges[2] == 2 * 1001 / 30000  # and not the file's 0.067


def test_facts(tmp_path: Path) -> None:
    path = make_recording(tmp_path / "turned.mp4", rotation=90, sound=True)
    facts = read_opening(path)[0].counted(build_index(path))
    assert (facts.picture.width, facts.picture.height) == (64, 96)
    assert (facts.length, facts.rate, facts.frame_count) == (Fraction(60, 25), Fraction(25), 60)
    assert facts.sound is not None
    assert (facts.sound.codec, facts.sound.sample_rate, facts.sound.channels) == ("aac", 48000, 1)
    assert facts.codec == "h264"
    assert facts.size == path.stat().st_size


def test_indexing_can_be_cancelled(tmp_path: Path) -> None:
    path = make_long_recording(tmp_path / "long.mkv", frames=2100, size=(16, 16))

    def stop(_share: float) -> None:
        raise Cancelled

    with pytest.raises(Cancelled):
        build_index(path, stop)


def bad_files(folder: Path) -> dict[str, tuple[Path, str]]:
    """Files that are no recordings, and what must be said of them."""
    good = make_recording(folder / "good.mp4").read_bytes()
    sounding = folder / "sound.mp4"
    with av.open(str(sounding), "w") as container:
        stream = container.add_stream("aac", rate=48000)
        frame = av.AudioFrame.from_ndarray(np.zeros((1, 1024), np.float32), "fltp", "mono")
        frame.sample_rate = 48000
        container.mux(stream.encode(frame))
        container.mux(stream.encode(None))
    photo = folder / "photo.mov"  # its name says what it is not
    cv2.imwrite(str(folder / "photo.png"), np.zeros((32, 32, 3), np.uint8))
    (folder / "photo.png").rename(photo)
    contents = {"empty.mp4": b"", "text.mp4": b"not a film at all\n" * 50, "cut.mp4": good[: len(good) // 3]}
    for name, content in contents.items():
        (folder / name).write_bytes(content)
    return {
        "missing": (folder / "gone.mp4", "not there"),
        "folder": (folder, "is a folder"),
        "empty": (folder / "empty.mp4", "empty"),
        "text": (folder / "text.mp4", "not a recording"),
        "cut": (folder / "cut.mp4", "cut off"),
        "sound": (sounding, "no picture"),
        "photo": (photo, "still photo"),
    }


def test_bad_files_are_refused_in_one_line(tmp_path: Path) -> None:
    for path, said in bad_files(tmp_path).values():
        with pytest.raises(FootageError, match=said) as refusal:
            read_opening(path)
        assert path.name in str(refusal.value)
        assert "\n" not in str(refusal.value)


def test_a_cut_off_file_gives_what_it_holds(tmp_path: Path) -> None:
    whole = make_recording(tmp_path / "whole.mkv", frames=250)
    cut = tmp_path / "cut.mkv"
    cut.write_bytes(whole.read_bytes()[: whole.stat().st_size // 2])
    index = build_index(cut)
    facts = read_opening(cut)[0].counted(index)
    assert 60 < facts.frame_count < 200
    assert facts.missing > 2
    readable = decode_all(whole)
    with FrameReader(cut, index) as reader:
        for number, frame in reader.frames(range(0, len(index) - 5)):
            assert np.array_equal(frame.to_ndarray(), readable[number])


def test_a_reader_outlives_the_absence_of_its_file(tmp_path: Path) -> None:
    path = make_recording(tmp_path / "clip.mkv", frames=120)
    wish = decode_all(path, "rgb24")
    with FrameReader(path, build_index(path)) as reader:
        reader.frame(3)
        path.rename(tmp_path / "away.mkv")
        for _ in range(2):
            with pytest.raises(FootageError, match=r"clip\.mkv"):
                reader.frame(0)  # which is read from the start, from the file opened afresh
            assert np.array_equal(reader.frame(100).to_ndarray(format="rgb24"), wish[100])
        (tmp_path / "away.mkv").rename(path)
        assert np.array_equal(reader.frame(0).to_ndarray(format="rgb24"), wish[0])


def test_one_frame(tmp_path: Path) -> None:
    path = make_recording(tmp_path / "one.mp4", frames=1)
    index = build_index(path)
    assert len(index) == 1
    assert index.length == Fraction(1, 25)


def test_a_file_damaged_after_opening_is_named(tmp_path: Path) -> None:
    path = make_recording(tmp_path / "damaged.mkv", frames=120)
    index = build_index(path)
    content = bytearray(path.read_bytes())
    content[len(content) // 2 :] = bytes(len(content) - len(content) // 2)
    path.write_bytes(content)
    with FrameReader(path, index) as reader, pytest.raises(FootageError, match=r"damaged\.mkv.*frame \d+"):
        list(reader.frames(range(120)))


def test_counting_apart_is_counting(tmp_path: Path) -> None:
    path = make_long_recording(tmp_path / "long.mkv", frames=4500, size=(32, 32))
    shares: list[float] = []
    here = build_index(path)
    apart = FrameIndex.of_told(run_in_own_process(tell_frames, [str(path)], shares.append, path.name))
    assert shares == sorted(shares)
    assert len({share for share in shares if share > 0}) == 2  # and time and again, that nothing is new
    for name, value in vars(here).items():
        assert np.array_equal(getattr(apart, name), value), name
    with pytest.raises(FootageError, match=r"nothing.mp4 is not there"):
        run_in_own_process(tell_frames, [str(tmp_path / "nothing.mp4")], shares.append, "nothing.mp4")


@pytest.mark.parametrize(
    ("name", "text"),
    [
        ("list.m3u8", "#EXTM3U\n#EXT-X-TARGETDURATION:9\n#EXTINF:9,\n{}\n#EXT-X-ENDLIST\n"),
        ("list.mp4", "ffconcat version 1.0\nfile {}\n"),
        (
            "list.txt",
            "v=0\no=- 0 0 IN IP4 127.0.0.1\ns=x\nc=IN IP4 127.0.0.1\nt=0 0\nm=video 5004 RTP/AVP 96\n",
        ),
        ("words.ans", "\x1b[31mLarkfield\n" * 400),
    ],
)
def test_what_only_names_other_files_is_not_followed(tmp_path: Path, name: str, text: str) -> None:
    take = make_recording(tmp_path / "take.ts", frames=30)
    (tmp_path / name).write_text(text.format(take.name))
    for read in (read_opening, read_music):
        with pytest.raises(FootageError, match=name) as refused:
            read(tmp_path / name)
        assert "\n" not in str(refused.value)


def test_counting_apart_is_given_up_and_survives_its_reader(tmp_path: Path) -> None:
    path = make_long_recording(tmp_path / "long.mkv", frames=4500, size=(32, 32))
    listed = Path(f"/proc/{os.getpid()}/task/{threading.get_native_id()}/children")
    others = set(listed.read_text().split())

    def children() -> set[str]:
        return set(listed.read_text().split()) - others

    def give_up(_share: float) -> None:
        raise Cancelled

    def kill_reader(_share: float) -> None:
        for child in children():
            os.kill(int(child), signal.SIGKILL)

    with pytest.raises(Cancelled):
        run_in_own_process(tell_frames, [str(path)], give_up, path.name)
    assert not children()
    with pytest.raises(FootageError, match=r"long.mkv brought its reader down"):
        run_in_own_process(tell_frames, [str(path)], kill_reader, path.name)


def test_metadata_in_an_old_encoding_does_not_matter(tmp_path: Path) -> None:
    path = make_recording(tmp_path / "old.mkv")
    content = path.read_bytes()
    assert b"Lavf" in content  # the name of the muxer, which stands in the metadata
    path.write_bytes(content.replace(b"Lavf", b"L\xfcvf"))
    assert read_opening(path)[0].frame_count == 60


class Growing:
    """A container in which PyAV comes upon packets of streams that were not there when it was opened."""

    def __init__(self, packets: list[str]) -> None:
        self._left = iter(packets)

    def demux(self, _stream: object) -> Iterator[str]:
        for packet in self._left:
            if packet == "of a new stream":
                raise IndexError
            yield packet


def test_streams_that_appear_on_the_way_are_passed_over() -> None:
    growing = Growing(["one", "two", "of a new stream", "three", "of a new stream", "four"])
    assert list(packets_of(growing, object())) == ["one", "two", "three", "four"]  # type: ignore[arg-type, comparison-overlap]
