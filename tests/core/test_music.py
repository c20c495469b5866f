"""Music from files, credited, mixed into exports in step; awkward files; traces that are kept."""

import csv
import json
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
import numpy.typing as npt
import pytest

from chronoxis.core.errors import Cancelled, FootageError
from chronoxis.core.files.project_file import load_project, save_project
from chronoxis.core.footage.kinds import footage_of, open_source, origins_at
from chronoxis.core.footage.source import Source
from chronoxis.core.model import arranging, pacing, sounding
from chronoxis.core.model.export_formats import MKV
from chronoxis.core.model.music import Credit, Music, MusicFile
from chronoxis.core.model.project import Place, Project
from chronoxis.core.model.settings import ResultSettings
from chronoxis.core.model.sound import Manner, Mix
from chronoxis.core.render.export import export
from chronoxis.core.render.planning import make_plan
from chronoxis.core.sound.mixing import as_int16, loudness_gain, mixed
from chronoxis.core.timing.ramps import RampShape
from chronoxis.core.traces.sound_trace import SoundTrace, listen
from chronoxis.core.traces.store import TraceStore
from tests.command_line import chronoxis
from tests.footage_makers import make_recording
from tests.tunes import make_tune

RATE = 48_000
Mono = npt.NDArray[np.float32]


def write_sound(
    path: Path,
    sound: Mono,
    codec: str,
    *,
    rate: int = RATE,
    layout: str = "stereo",
    tags: dict[str, str] | None = None,
) -> Path:
    """Encode a sound of 48 kHz."""
    with av.open(str(path), "w") as container:
        container.metadata.update(tags or {})
        stream = container.add_stream(codec, rate=rate, layout=layout)
        assert isinstance(stream, av.AudioStream)
        resampler = av.AudioResampler(stream.codec_context.format or "fltp", layout, rate, frame_size=1024)
        frame = av.AudioFrame.from_ndarray(np.tile(sound, (2, 1)), "fltp", "stereo")
        frame.sample_rate = RATE
        at = 0
        for part in (*resampler.resample(frame), *resampler.resample(None)):
            part.pts, part.time_base = at, Fraction(1, rate)
            at += part.samples
            container.mux(stream.encode(part))
        container.mux(stream.encode(None))
    return path


def tone(seconds: float, hertz: float = 440) -> Mono:
    return np.asarray(0.4 * np.sin(2 * np.pi * hertz * np.arange(round(seconds * RATE)) / RATE), np.float32)


def samples_of(path: Path) -> npt.NDArray[np.float64]:
    """The left channel of a file's sound, by the plainest loop there is."""
    with av.open(str(path)) as container:
        resampler = av.AudioResampler("fltp", "stereo", RATE)
        blocks = [
            part.to_ndarray()[0] for frame in container.decode(audio=0) for part in resampler.resample(frame)
        ]
    return np.concatenate(blocks).astype(np.float64)


@pytest.mark.parametrize(
    ("name", "codec", "rate", "layout"),
    [
        ("a.wav", "pcm_s16le", 44_100, "stereo"),
        ("b.flac", "flac", 96_000, "stereo"),
        ("c.mp3", "libmp3lame", 44_100, "mono"),
        ("d.m4a", "aac", 48_000, "5.1"),
        ("e.opus", "libopus", 48_000, "stereo"),
        ("f.ogg", "libopus", 48_000, "mono"),
    ],
)
def test_music_of_every_kind_is_read_whole(
    tmp_path: Path, name: str, codec: str, rate: int, layout: str
) -> None:
    path = write_sound(
        tmp_path / name, tone(3), codec, rate=rate, layout=layout, tags={"title": "Dawn", "artist": "A"}
    )
    source = open_source(origins_at([path])[0])
    assert abs(float(source.length) - 3) < 0.08
    footage = footage_of(source.facts)
    assert isinstance(footage, Music)
    assert (footage.credit.title, footage.credit.author) in (("Dawn", "A"), ("", ""))
    with source.sound_between(Fraction(1), Fraction(2), RATE, "stereo") as blocks:
        heard = np.concatenate(list(blocks), axis=1)
    assert heard.shape == (2, RATE)
    spectrum = np.abs(np.fft.rfft(heard[0]))
    assert abs(int(spectrum.argmax()) - 440) <= 1
    assert heard[0].std() == pytest.approx(0.4 / 2**0.5, rel=0.35)  # six channels are mixed down


def test_the_sound_of_a_video_is_music_where_it_is_asked_for(tmp_path: Path) -> None:
    film = make_recording(tmp_path / "film.mp4", frames=75, sound=True)
    assert not isinstance(open_source(film).facts.origin, MusicFile)
    source = open_source(MusicFile(film))
    assert abs(float(source.length) - 3) < 0.05
    silent = make_recording(tmp_path / "silent.mp4")
    with pytest.raises(FootageError, match="no sound"):
        open_source(MusicFile(silent))


def test_bad_music_is_told_in_one_line(tmp_path: Path) -> None:
    (tmp_path / "empty.mp3").touch()
    (tmp_path / "text.wav").write_text("this is no music at all " * 40)
    whole = write_sound(tmp_path / "whole.mp3", tone(4), "libmp3lame").read_bytes()
    (tmp_path / "cut.flac").write_bytes(write_sound(tmp_path / "x.flac", tone(2), "flac").read_bytes()[:60])
    for name in ("empty.mp3", "text.wav", "cut.flac", "absent.ogg"):
        with pytest.raises(FootageError) as told:
            open_source(MusicFile(tmp_path / name))
        assert name in str(told.value)
        assert "\n" not in str(told.value)
    # A broken stretch in the middle is silent, and is said.
    damaged = bytearray(whole)
    damaged[len(whole) // 2 : len(whole) // 2 + 3000] = bytes(3000)
    (tmp_path / "damaged.mp3").write_bytes(damaged)
    source = open_source(MusicFile(tmp_path / "damaged.mp3"))
    with source.sound_between(Fraction(0), source.length, RATE, "stereo") as blocks:
        heard = np.concatenate(list(blocks), axis=1)[0]
    assert np.abs(heard[:RATE]).max() > 0.3
    assert np.abs(heard[-RATE // 2 : -RATE // 4]).max() > 0.3


@pytest.mark.sampled(1)
@pytest.mark.parametrize("manner", ["held", "follows"])
def test_a_flash_and_its_click_stay_together_in_an_export(tmp_path: Path, manner: str) -> None:
    times = [1.0, 2.6, 4.2, 5.8, 7.4]
    source = flashing(tmp_path / "in.mkv", times)
    project = arranging.begin_with(Project(), footage_of(source.facts))
    project = pacing.divide(project, 0, Fraction(4))
    project = pacing.set_speed(project, [Place(0, 0)], Fraction(3, 2))
    project = pacing.set_speed(project, [Place(0, 1)], Fraction(1, 2))
    project = pacing.set_ramps(project, project.places(), length=Fraction(1, 2), shape=RampShape.SMOOTH)
    project = sounding.set_manner(project, project.places(), Manner(manner))
    save_project(project, tmp_path / "p.chronoxis")
    out = tmp_path / "out.mp4"
    assert chronoxis("render", tmp_path / "p.chronoxis", "-o", out).returncode == 0
    with av.open(str(out)) as container:
        frames = [(float(f.time), f.to_ndarray(format="gray").mean()) for f in container.decode(video=0)]
    bright = [time for time, light in frames if light > 128]
    flashes = [time for time in bright if not any(0 < time - other < 0.2 for other in bright)]
    sound = np.abs(samples_of(out))
    assert len(flashes) == len(times)
    for flash in flashes:
        near = sound[max(0, round((flash - 0.2) * RATE)) : round((flash + 0.2) * RATE)]
        click = max(0, round((flash - 0.2) * RATE)) + int(near.argmax())
        # A flash is seen when the next result frame opens, and its click lies within that frame.
        assert -0.5 / 25 <= flash - click / RATE <= 1.5 / 25


def test_a_lossless_export_has_the_very_samples_of_the_mix(tmp_path: Path) -> None:
    film = make_recording(tmp_path / "film.mp4", frames=150, sound=True)
    tune = write_sound(tmp_path / "tune.mp3", make_tune(120, seconds=4).sound, "libmp3lame")
    film_source, tune_source = open_source(film), open_source(MusicFile(tune))
    project = arranging.begin_with(Project(settings=ResultSettings(MKV)), footage_of(film_source.facts))
    project = pacing.set_speed(project, [Place(0, 0)], Fraction(3, 2))
    project = arranging.begin_with(project, footage_of(tune_source.facts))
    project = sounding.set_mix(project, Mix(loudness=-18.0))
    plan = make_plan(project, {"film": film_source, "tune": tune_source})
    done = export(plan, tmp_path / "out.mkv")
    gain = loudness_gain(plan.sound, plan.sounds())
    made = np.concatenate([as_int16(block) for block in mixed(plan.sound, plan.sounds(), gain)])
    with av.open(str(done.path)) as container:
        blocks = [frame.to_ndarray().reshape(-1, 2) for frame in container.decode(audio=0)]
    assert np.array_equal(np.concatenate(blocks), made)
    assert len(made) == round(done.length * RATE)


def flashing(path: Path, times: list[float]) -> Source:
    """Nine seconds of dark picture, white for two frames at each time, with a click there."""
    with av.open(str(path), "w") as container:
        video, audio = container.add_stream("ffv1", rate=25), container.add_stream("pcm_s16le", rate=RATE)
        assert isinstance(video, av.VideoStream)
        assert isinstance(audio, av.AudioStream)
        video.width, video.height, video.pix_fmt, audio.layout = 64, 48, "yuv420p", "mono"
        for number in range(225):
            light = any(0 <= number / 25 - at < 0.079 for at in times)
            frame = av.VideoFrame.from_ndarray(np.full((48, 64, 3), 255 if light else 0, np.uint8), "rgb24")
            frame.pts = number
            container.mux(video.encode(frame.reformat(format="yuv420p")))
        sound = np.zeros(9 * RATE, np.int16)
        for at in times:
            sound[round(at * RATE) : round(at * RATE) + 64] = (26_000 * np.exp(-np.arange(64) / 14)).astype(
                np.int16
            )
        made = av.AudioFrame.from_ndarray(sound[None], "s16", "mono")
        made.sample_rate, made.pts = RATE, 0
        for packet in (*video.encode(None), *audio.encode(made), *audio.encode(None)):
            container.mux(packet)
    return open_source(path)


def test_credits_are_written_beside_the_film_and_into_it(tmp_path: Path) -> None:
    film = make_recording(tmp_path / "film.mp4", frames=100)
    tags = {"title": "Dawn", "artist": "Ada Lark", "license": "CC BY 4.0", "url": "lark.example"}
    music = write_sound(tmp_path / "dawn.flac", tone(3), "flac", tags=tags)
    out = tmp_path / "out.mp4"
    wish = ("condense", film, "--speed", 2, "--music", f"{music}@0:01", "--music-level", -6, "-o", out)
    done = chronoxis(*wish, "--credits")
    assert done.returncode == 0, done.stderr
    text = (tmp_path / "out.credits.txt").read_text()
    for line in ("Title: Dawn", "Author: Ada Lark", "Licence: CC BY 4.0", "Link: lark.example", "0:01.0"):
        assert line in text
    with av.open(str(out)) as container:
        assert "“Dawn” by Ada Lark · CC BY 4.0" in container.metadata["comment"]
    sound = samples_of(out)
    assert np.abs(sound[: RATE - 2400]).max() < 0.01
    assert np.abs(sound[RATE + 4800 : RATE + 9600]).max() == pytest.approx(
        0.09, rel=0.1
    )  # it fades to the end
    # Neither of the two is replaced unasked.
    out.unlink()
    again = chronoxis(*wish, "--credits")
    assert (again.returncode, "out.credits.txt is already there" in again.stderr) == (1, True)
    assert not out.exists()
    plain = write_sound(tmp_path / "plain.wav", tone(1), "pcm_s16le")
    told = chronoxis("condense", film, "--speed", 2, "--music", plain, "-o", tmp_path / "b.mkv")
    assert told.returncode == 0
    assert "plain: its title, author or licence is not noted yet" in told.stderr


def test_the_command_line_lists_what_is_heard_and_the_beats(tmp_path: Path) -> None:
    film = make_recording(tmp_path / "film.mp4", frames=100, sound=True)
    tune = make_tune(120, seconds=20)
    music = write_sound(tmp_path / "tune.flac", tune.sound, "flac")
    listed = chronoxis(
        "plan", film, "--speed", 2, "--music", f"{music}@0:00.5", "--silent-above", 4, "--heard", "-"
    )
    rows = list(csv.DictReader(listed.stdout.splitlines()))
    assert [(row["source"], row["manner"]) for row in rows] == [("film", "held"), ("tune", "music")]
    assert [float(rows[1][name]) for name in ("result_begin", "result_end", "source_begin")] == [0.5, 2, 0]
    beats = chronoxis("facts", music, "--beats", "-")
    found = [float(row["time"]) for row in csv.DictReader(beats.stdout.splitlines())]
    assert np.abs(np.array(found[:-1])[:, None] - tune.beats).min(axis=1).max() < 0.05
    none = chronoxis("facts", film, "--beats", "-")
    assert (none.returncode, "No beat was found in film.mp4" in none.stderr) == (1, True)
    for wrong in (("--music-level", 3), ("--silent-above", "fast"), ("--music", f"{music}@soon")):
        refused = chronoxis("condense", film, "--speed", 2, "-o", tmp_path / "o.mp4", *wrong)
        assert refused.returncode == 2
        assert "Traceback" not in refused.stderr
    assert chronoxis("facts", music, "--json").returncode == 0
    assert json.loads(chronoxis("facts", music, "--json").stdout)["kind"] == "music"


def test_a_project_keeps_all_that_was_decided_about_sound(tmp_path: Path) -> None:
    project = arranging.begin_with(
        Project(), footage_of(open_source(make_recording(tmp_path / "a.mp4")).facts)
    )
    music = write_sound(tmp_path / "b.wav", tone(2), "pcm_s16le")
    project = arranging.begin_with(project, footage_of(open_source(MusicFile(music)).facts))
    project = sounding.set_credit(project, "b", Credit("B", "C", "D", "E"))
    project = sounding.set_mix(project, Mix(Fraction(3), -16.0))
    project = sounding.set_level(project, [Place(0, 0)], -3.5)
    save_project(project, tmp_path / "p.chronoxis")
    assert load_project(tmp_path / "p.chronoxis") == project
    without = arranging.drop_footage(project, "b")
    assert without.music == ()
    assert make_plan(without, {"a": open_source(tmp_path / "a.mp4")}).is_whole
    music.unlink()
    absent = chronoxis("render", tmp_path / "p.chronoxis", "-o", tmp_path / "o.mp4")
    assert (absent.returncode, "b.wav is not there" in absent.stderr) == (1, True)


def test_traces_are_kept_by_content_and_rubbish_is_dropped(tmp_path: Path) -> None:
    path = write_sound(tmp_path / "t.flac", make_tune(120, seconds=12).sound, "flac")
    store = TraceStore(tmp_path / "traces")
    first = listen(open_source(MusicFile(path)), store)
    assert len(first.beats.times) > 15
    told: list[SoundTrace] = []
    moved = path.rename(tmp_path / "elsewhere.flac")
    again = listen(open_source(MusicFile(moved)), store, lambda trace, _: told.append(trace))
    assert not told  # nothing was listened to
    assert again.beats == first.beats
    assert np.array_equal(again.levels, first.levels)
    kept = next((tmp_path / "traces").iterdir())
    for damage in (b"", kept.read_bytes()[:100], b"rubbish" * 30):
        kept.write_bytes(damage)
        assert listen(open_source(MusicFile(moved)), store).beats == first.beats
    (tmp_path / "full").write_text("a file where a folder should be")
    assert listen(open_source(MusicFile(moved)), TraceStore(tmp_path / "full")).beats == first.beats
    small = TraceStore(tmp_path / "traces", budget=10)
    assert small.keep("abc", "sound", {"levels": np.zeros(5000)})
    assert len(list((tmp_path / "traces").iterdir())) <= 1


@pytest.mark.thorough
def test_a_glance_at_long_sound_is_near_the_truth(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("chronoxis.core.traces.sound_trace._LONG_SECONDS", 60)
    loud = np.repeat(np.array([0.05, 0.8, 0.2, 0.6], np.float32), 20 * RATE)
    path = write_sound(tmp_path / "t.mp3", tone(80) / np.float32(0.4) * loud, "libmp3lame")
    told: list[SoundTrace] = []
    whole = listen(
        open_source(MusicFile(path)), TraceStore(tmp_path / "traces"), lambda trace, _: told.append(trace)
    )
    early = next(trace for trace in told if len(trace.levels))
    assert abs(len(early.levels) - len(whole.levels)) < 100
    at = np.arange(100, 7900, 50)
    at = at[np.abs(at % 2000 - 1000) < 600]
    assert np.abs(early.levels[at] - whole.levels[at]).max() < 0.1
    assert whole.is_whole


def test_listening_is_stopped_when_nobody_wants_it(tmp_path: Path) -> None:
    path = write_sound(tmp_path / "t.flac", tone(30), "flac")

    def stop(_trace: SoundTrace, _share: float) -> None:
        raise Cancelled

    with pytest.raises(Cancelled):
        listen(open_source(MusicFile(path)), TraceStore(tmp_path / "traces"), stop)
    assert not (tmp_path / "traces").exists()
