"""What is heard: in step with the picture, at the right pitch, without clicks, as loud as it may be."""

import itertools
from collections.abc import Iterator
from contextlib import closing, contextmanager
from dataclasses import replace
from fractions import Fraction
from pathlib import Path
from typing import cast

import av
import numpy as np
import numpy.typing as npt
import pytest
from av.audio.frame import AudioFrame
from av.container import InputContainer
from av.video.frame import VideoFrame
from hypothesis import given
from hypothesis import strategies as st
from scipy import signal

from chronoxis.core.errors import ExportError, PlanError
from chronoxis.core.footage.kinds import footage_of, open_source
from chronoxis.core.footage.recording.containers import open_container
from chronoxis.core.model import arranging, pacing, sounding
from chronoxis.core.model.music import Music, MusicPiece
from chronoxis.core.model.project import Place, Project
from chronoxis.core.model.recording import Recording
from chronoxis.core.model.sound import Effect, EffectKind, EffectRule, Manner, Mix
from chronoxis.core.render.export import export
from chronoxis.core.render.planning import make_plan
from chronoxis.core.sound.covered_sound import SoundBetween
from chronoxis.core.sound.excerpt import excerpt
from chronoxis.core.sound.loudness import LoudnessMeter
from chronoxis.core.sound.mixing import ducking, loudness_gain, mixed
from chronoxis.core.sound.samples import RATE, Samples
from chronoxis.core.sound.sound_plan import SoundPlan, make_sound_plan
from chronoxis.core.timing.ramps import RampShape
from tests.footage_makers import make_recording

SECONDS = 40
Sound = npt.NDArray[np.float32]


def tone(hertz: float, seconds: float = SECONDS, level: float = 0.4) -> Sound:
    return (level * np.sin(2 * np.pi * hertz * np.arange(round(seconds * RATE)) / RATE)).astype(np.float32)


def clicks(times: list[float], seconds: float = SECONDS) -> Sound:
    made = np.zeros(round(seconds * RATE), np.float32)
    for at in times:
        first, k = round(at * RATE), np.arange(96)
        made[first : first + 96] += (0.8 * np.exp(-k / 12) * np.cos(k * 0.9)).astype(np.float32)
    return made


def given_out(sound: Sound) -> SoundBetween:
    """A source of that sound, on both channels, in uneven blocks."""

    @contextmanager
    def between(begin: Fraction, end: Fraction, rate: int, layout: str) -> Iterator[Iterator[Samples]]:
        assert (rate, layout) == (RATE, "stereo")
        first, stop = round(begin * RATE), round(end * RATE)

        def blocks() -> Iterator[Samples]:
            for at in range(first, stop, 1777):
                block = np.zeros((2, min(1777, stop - at)), np.float32)
                there = sound[at : at + block.shape[1]]
                block[:, : len(there)] = there
                yield block

        yield blocks()

    return between


def shaped(
    *speeds: float, ramp: float = 0.8, manner: Manner = Manner.HELD, backwards: bool = False
) -> Project:
    """A recording of 40 s in equal passages."""
    footage = Recording(
        key="take",
        path=Path("take.mp4"),
        stored_rate=Fraction(25),
        stored_length=Fraction(SECONDS),
        counted=True,
    )
    project = arranging.begin_with(Project(), footage)
    for number in range(1, len(speeds)):
        project = pacing.divide(project, 0, Fraction(SECONDS * number, len(speeds)))
    for number, speed in enumerate(speeds):
        project = pacing.set_speed(project, [Place(0, number)], Fraction(speed).limit_denominator(1000))
    project = pacing.set_ramps(project, project.places(), length=Fraction(ramp), shape=RampShape.SMOOTH)
    project = sounding.set_manner(project, project.places(), manner)
    project = sounding.set_mix(project, Mix(silent_above=Fraction(8)))
    return arranging.reverse(project, [0]) if backwards else project


def planned(project: Project, lengths: dict[str, Fraction] | None = None) -> SoundPlan:
    frames = -(-project.result_length * project.rate // 1)
    return make_sound_plan(project, frames / project.rate, lambda _: True, lengths or {})


def heard(project: Project, sound: Sound, gain: float = 1.0) -> npt.NDArray[np.float64]:
    """The left channel of a whole result."""
    blocks = list(mixed(planned(project), {"take": given_out(sound)}, gain))
    return np.asarray(np.concatenate(blocks, axis=1)[0], np.float64)


def pitch(sound: npt.NDArray[np.float64]) -> float:
    """Hz of the strongest tone, to a thousandth."""
    spectrum = np.abs(np.fft.rfft(sound * np.hanning(len(sound)), 1 << 21))
    return float(spectrum.argmax()) * RATE / (1 << 21)


@pytest.mark.sampled(1)
@pytest.mark.parametrize("manner", [Manner.HELD, Manner.FOLLOWS])
@pytest.mark.parametrize("backwards", [False, True])
@pytest.mark.parametrize("speeds", [(1, 0.5, 3.3), (2, 7, 1, 4), (0.5, 3, 0.25)])
def test_each_click_lies_where_the_pace_puts_it(
    speeds: tuple[float, ...], backwards: bool, manner: Manner
) -> None:
    random = np.random.default_rng(5)
    times = np.sort(random.uniform(0.3, SECONDS - 0.3, 70))
    times = times[np.concatenate(([True], np.diff(times) > 0.3))]
    project = shaped(*speeds, manner=manner, backwards=backwards)
    made, pace = heard(project, clicks(times.tolist())), project.shots[0].pace
    due = pace.result_at(SECONDS - times - 0.001 if backwards else times)
    assert len(made) == round(planned(project).length * RATE)
    for at in due[(due > 0.05) & (due < len(made) / RATE - 0.05)].tolist():
        around = np.abs(made[int((at - 0.02) * RATE) : int((at + 0.02) * RATE)])
        assert around.max() > 0.05, f"no click at {at:.3f}"
        assert abs(around.argmax() / RATE - 0.02) < 0.005
    # And none elsewhere.
    loud = np.flatnonzero(np.abs(made) > 0.3) / RATE
    assert np.abs(loud[:, None] - due).min(axis=1).max() < 0.005


@pytest.mark.thorough
@pytest.mark.parametrize("speed", [0.5, 1.0, 2.0, 3.3])
def test_a_held_tone_keeps_its_pitch_and_one_that_follows_has_the_speed_s(speed: float) -> None:
    for manner, due in ((Manner.HELD, 440.0), (Manner.FOLLOWS, 440.0 * speed)):
        made = heard(shaped(speed, manner=manner), tone(440))
        middle = made[RATE : min(len(made) - RATE, 8 * RATE)]
        assert abs(1200 * np.log2(pitch(middle) / due)) < 5
        assert middle.std() == pytest.approx(0.4 / 2**0.5, rel=0.02)


def test_a_tone_held_through_ramps_keeps_its_pitch_and_makes_no_click() -> None:
    project = shaped(0.5, 3.3, 1, 6, ramp=1.2)
    made = heard(project, tone(440))
    phase = np.unwrap(np.angle(signal.hilbert(made)))
    hertz = np.diff(phase[::480]) / (2 * np.pi) * 100
    inside = hertz[20:-20]
    assert np.abs(1200 * np.log2(np.median(inside) / 440)) < 0.5
    smooth = np.convolve(inside, np.ones(10) / 10, "valid")
    assert np.abs(1200 * np.log2(smooth / 440)).max() < 5
    steps = np.abs(np.diff(made))
    joints = np.round(project.shots[0].pace.joints[1:-1] * RATE).astype(int)
    at_joints = max(steps[joint - 4800 : joint + 4800].max() for joint in joints.tolist())
    assert at_joints <= 0.4 * 2 * np.pi * 440 / RATE * 1.01


def test_sound_is_silent_above_its_speed_and_where_it_could_not_be_told() -> None:
    project = sounding.set_mix(shaped(1, 20, 1, ramp=1.0), Mix(silent_above=Fraction(4)))
    plan = planned(project)
    quiet = [stretch for stretch in plan.stretches if stretch.manner is Manner.SILENT]
    assert [stretch.passage for stretch in quiet] == [0, 1, 2]
    crossing = float(project.pace.speed_at(quiet[0].begin))
    assert crossing == pytest.approx(4, rel=1e-6)
    made = heard(project, tone(440))
    middle = slice(round((quiet[0].begin + 0.1) * RATE), round((quiet[-1].end - 0.1) * RATE))
    assert np.abs(made[middle]).max() < 1e-6
    assert np.abs(made[: round((quiet[0].begin - 0.1) * RATE)]).max() > 0.3
    for speed in (Fraction(1, 100), Fraction(100_000)):
        extreme = sounding.set_mix(
            pacing.set_speed(shaped(1), [Place(0, 0)], speed), Mix(silent_above=Fraction(100_000))
        )
        assert not planned(extreme).is_heard


@given(
    speeds=st.lists(st.sampled_from([0.25, 0.5, 1, 2, 3.5, 5, 12, 60]), min_size=1, max_size=6),
    above=st.sampled_from([1, 4, 10]),
    ramp=st.sampled_from([0.0, 0.3, 2.0]),
    manner=st.sampled_from(list(Manner)),
    backwards=st.booleans(),
)
def test_the_stretches_cover_the_result_and_its_footage_without_gaps(
    speeds: list[float], above: int, ramp: float, manner: Manner, backwards: bool
) -> None:
    project = shaped(*speeds, ramp=ramp, manner=manner, backwards=backwards)
    project = sounding.set_mix(project, Mix(silent_above=Fraction(above)))
    stretches = planned(project).stretches
    assert stretches[0].begin == 0
    assert stretches[-1].end == pytest.approx(float(project.result_length), abs=1e-6)
    for one, other in itertools.pairwise(stretches):
        assert one.end == pytest.approx(other.begin, abs=1e-9)
        assert one.source_end == pytest.approx(other.source_begin, abs=1e-6)
    for stretch in stretches:
        fastest = project.pace.speed_at(np.linspace(stretch.begin + 1e-6, stretch.end - 1e-6, 9)).max()
        if stretch.manner is not Manner.SILENT:
            assert fastest <= above * (1 + 1e-3)


def hostile(kind: str) -> Sound:
    """Sounds that meters and limiters stumble over."""
    random, n = np.random.default_rng(9), np.arange(8 * RATE)
    made = {
        # A tone at a quarter of the rate whose samples all lie 45° beside its peaks.
        "between": 1.4 * np.sin(np.pi * n / 2 + np.pi / 4),
        "noise": random.standard_normal(len(n)) * 3,
        "clicks": np.where(n % 4001 == 0, 9.0, 0.0),
        "bursts": np.sin(n * 0.3) * np.where(n // 9600 % 3 == 0, 4.0, 0.05),
        "square": 1.8 * np.sign(np.sin(n * 0.011)),
    }
    return np.asarray(made[kind], np.float32)


@pytest.mark.parametrize("kind", ["between", "noise", "clicks", "bursts", "square"])
def test_nothing_exceeds_the_true_peak(kind: str) -> None:
    footage = Recording(
        key="take", path=Path("t.mp4"), stored_rate=Fraction(25), stored_length=Fraction(8), counted=True
    )
    project = pacing.set_speed(arranging.begin_with(Project(), footage), [Place(0, 0)], Fraction(1))
    made = np.concatenate(list(mixed(planned(project), {"take": given_out(hostile(kind))}, 2.0)), axis=1)
    over = signal.resample_poly(made[0].astype(float), 4, 1, window=("kaiser", 12.0))
    assert np.abs(over).max() <= 10 ** (-1 / 20)
    # It is turned down and not cut off: what is quiet stays what it is.
    quiet = 0.05 * hostile("between")
    same = np.concatenate(list(mixed(planned(project), {"take": given_out(quiet)})), axis=1)[0]
    assert np.abs(same[240:-240] - quiet[240 : len(same) - 240]).max() < 1e-6


@pytest.mark.thorough
@pytest.mark.parametrize("target", [-14.0, -23.0])
def test_the_whole_is_brought_to_a_loudness(target: float) -> None:
    random = np.random.default_rng(3)
    swell = np.abs(np.sin(np.arange(SECONDS * RATE) / RATE * 0.7)) ** 2
    sound = (random.standard_normal(SECONDS * RATE) * 0.05 * swell).astype(np.float32)
    project = sounding.set_mix(shaped(1, 2, 1), Mix(Fraction(4), target))
    plan, sounds = planned(project), {"take": given_out(sound)}
    gain = loudness_gain(plan, sounds)
    meter = LoudnessMeter()
    for block in mixed(plan, sounds, gain):
        meter.hear(block)
    assert meter.loudness() == pytest.approx(target, abs=0.5)


def test_fades_levels_and_capture_rates_are_as_chosen() -> None:
    project = sounding.set_level(shaped(1, 1, ramp=0), [Place(0, 1)], -12.0)
    project = sounding.set_fades(project, [Place(0, 0)], fade_in=Fraction(4), fade_out=Fraction(2))
    made = heard(project, tone(440))
    loud = np.array(
        [made[round(at * RATE) : round(at * RATE) + 4800].std() for at in (2.0, 10.0, 19.0, 30.0)]
    )
    full = 0.4 / 2**0.5
    assert loud / full == pytest.approx([0.5125, 1, 0.475, 10 ** (-12 / 20)], abs=0.02)
    footage = replace(project.footage[0], capture_rate=Fraction(100))  # type: ignore[call-arg]
    slow = arranging.begin_with(Project(), footage)
    slow = sounding.set_mix(pacing.set_speed(slow, [Place(0, 0)], Fraction(1)), Mix(Fraction(8)))
    # At 1× of real time the file runs four times as fast as it is stored, and so does its sound.
    assert pitch(heard(sounding.set_manner(slow, [Place(0, 0)], Manner.FOLLOWS), tone(440))) == pytest.approx(
        1760, rel=1e-3
    )


def with_music(project: Project, **choices: object) -> Project:
    music = Music(
        key="tune", path=Path("t.wav"), stored_rate=Fraction(RATE), stored_length=Fraction(6), counted=True
    )
    project = arranging.begin_with(project, music)
    return sounding.set_music(project, 0, replace(project.music[0], **choices))  # type: ignore[arg-type]


def played(project: Project) -> npt.NDArray[np.float64]:
    """A recording of 440 Hz and music of 1000 Hz, mixed; the left channel."""
    plan = planned(project, {"tune": Fraction(6)})
    sounds = {"take": given_out(tone(440, level=0.1)), "tune": given_out(tone(1000, 6, 0.2))}
    return np.asarray(np.concatenate(list(mixed(plan, sounds)), axis=1)[0], np.float64)


def strength(sound: npt.NDArray[np.float64], hertz: float, at: float) -> float:
    """Of a tone, in a tenth of a second from a moment on."""
    part = sound[round(at * RATE) : round(at * RATE) + 4800]
    return float(abs(np.exp(-2j * np.pi * hertz * np.arange(len(part)) / RATE) @ part) * 2 / len(part))


def test_music_lies_where_it_is_laid_loops_and_goes_down_under_speech() -> None:
    base = shaped(1, 20, 1, ramp=0)  # heard up to 13.3 s, then silent for 0.67 s, then heard again
    base = sounding.set_manner(base, [Place(0, 2)], Manner.SILENT)
    once = played(with_music(base, at=Fraction(16), fade_out=Fraction(0), duck=0.0))
    assert [round(strength(once, 1000, at), 2) for at in (15.5, 17, 21.5, 22.5)] == [0, 0.2, 0.2, 0]
    looped = played(with_music(base, at=Fraction(2), in_point=Fraction(1), loops=True, duck=0.0, level=-6.0))
    assert [round(strength(looped, 1000, at), 2) for at in (1.5, 3, 8, 13, 20)] == [0, 0.1, 0.1, 0.1, 0.1]
    ducked = played(with_music(base, loops=True, duck=20.0))
    assert strength(ducked, 1000, 5) == pytest.approx(0.02, rel=0.03)
    assert strength(ducked, 1000, 20) == pytest.approx(0.2, rel=0.03)
    assert strength(ducked, 440, 5) == pytest.approx(0.1, rel=0.03)
    early = played(with_music(base, at=Fraction(-2), duck=0.0, fade_out=Fraction(2)))
    assert [round(strength(early, 1000, at), 2) for at in (0.5, 2.95, 4.5)] == [0.2, 0.1, 0]


def test_music_goes_down_before_speech_and_comes_up_after_it() -> None:
    at, gains = ducking([(1.0, 2.0), (2.3, 3.0), (8.0, 9.0)], 0.25)
    t = np.array([0.5, 0.9, 1.0, 2.15, 3.0, 3.4, 7.9, 8.5, 9.5])
    expected = [1, 0.5, 0.25, 0.25, 0.25, 1, 0.5, 0.25, 1]
    assert np.interp(t * RATE, at, gains) == pytest.approx(expected, abs=1e-9)


@pytest.mark.parametrize("kind", [EffectKind.RUSH, EffectKind.BURNER])
@pytest.mark.parametrize("climbs", [True, False])
def test_an_effect_of_a_ramp_is_loudest_at_its_peak(kind: EffectKind, climbs: bool) -> None:
    speeds = (1.0, 16.0) if climbs else (16.0, 1.0)
    project = sounding.set_manner(shaped(*speeds, ramp=1.5), [Place(0, 0), Place(0, 1)], Manner.SILENT)
    project = sounding.set_mix(project, Mix(rules=(EffectRule(Effect(kind, -12.0), Fraction(8)),)))
    plan = planned(project)
    event = plan.events[0]
    joint = float(project.pace.joints[1])
    assert event.peak == pytest.approx(joint + (0.75 if climbs else -0.75))
    made = heard(project, tone(440))
    power = signal.oaconvolve(made**2, np.hanning(9600) / 4800, "same")
    assert abs(power.argmax() / RATE - event.peak) < 0.1
    assert power.max() > 1e-5
    outside = np.concatenate(
        (made[: max(0, int((event.begin - 0.1) * RATE))], made[int((event.end + 0.1) * RATE) :])
    )
    assert np.abs(outside).max() == 0
    assert np.array_equal(made, heard(project, tone(440)))  # whatever is random has a seed


def test_a_tick_stands_on_each_pulse_and_a_whirr_in_reversed_stretches() -> None:
    project = shaped(*([1.0, 30.0] * 4 + [1.0]), ramp=0, manner=Manner.SILENT)
    rules = tuple(EffectRule(Effect(kind, 0.0), Fraction(8)) for kind in (EffectKind.WHIRR, EffectKind.TICK))
    ticked = sounding.set_mix(project, Mix(rules=rules[1:]))
    made = heard(ticked, tone(440))
    begins = ticked.rows.begins[1::2]
    loud = np.flatnonzero(np.abs(made) > 0.1) / RATE
    assert len(planned(ticked).events) == len(begins)
    for begin in begins.tolist():
        assert abs(loud[loud >= begin - 0.01].min() - begin) < 0.005
    whirring = sounding.set_mix(arranging.reverse(project, [0]), Mix(rules=rules[:1]))
    assert heard(whirring, tone(440))[RATE:-RATE].std() > 0.02


def test_sounds_out_of_range_are_refused() -> None:
    for wrong in (
        lambda: sounding.set_level(shaped(1), [Place(0, 0)], 99.0),
        lambda: sounding.set_fades(shaped(1), [Place(0, 0)], fade_in=Fraction(-1)),
        lambda: Mix(loudness=3.0),
        lambda: sounding.set_effect(shaped(1), [Place(0, 0)], Effect(EffectKind.TICK)),
        lambda: MusicPiece("tune", in_point=Fraction(2), out_point=Fraction(1)),
    ):
        with pytest.raises(PlanError):
            wrong()


class Unseekable:
    """A file without an index of its sound: the media library answers -1 when it is to be sought in."""

    def __init__(self, container: InputContainer) -> None:
        self._container = container

    def __getattr__(self, name: str) -> object:
        return getattr(self._container, name)

    def seek(self, *_: object, **__: object) -> None:
        raise av.error.PermissionError(1, "Operation not permitted")


def test_sound_that_cannot_be_sought_in_is_read_from_the_beginning(tmp_path: Path) -> None:
    take = make_recording(tmp_path / "take.mp4", frames=200, sound=True)
    heard = []
    for is_sought in (True, False):
        with open_container(take) as opened:
            container = opened if is_sought else cast("InputContainer", Unseekable(opened))
            blocks = excerpt(container, take, Fraction(5), Fraction(6), RATE, "stereo")
            heard.append(np.concatenate(list(blocks), axis=1))
    assert heard[0].shape == (2, RATE)
    assert np.abs(heard[0] - heard[1])[:, 2000:].max() < 1e-3  # the decoder warms up differently


def test_what_the_media_library_says_is_not_taken_for_the_disk(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    take = make_recording(tmp_path / "take.mkv", frames=20)
    source = open_source(take)
    project = arranging.begin_with(Project(), footage_of(source.facts))
    plan = make_plan(project, {project.footage[0].key: source})

    def gives_up(*_: object, **__: object) -> None:
        raise av.error.PermissionError(1, "Operation not permitted")

    monkeypatch.setattr("chronoxis.core.render.undivided.open_writer", gives_up)
    with pytest.raises(ExportError, match=r"the media library gave up \(Operation not permitted\)"):
        export(plan, tmp_path / "out.mp4")


def test_sound_that_ends_before_its_pictures_makes_no_click(tmp_path: Path) -> None:
    """A tone of 8 kHz that is torn off in its middle, and begins so as well."""
    path, rate = tmp_path / "torn.mkv", 8000
    samples = (0.3 * np.sin(2 * np.pi * 150 * np.arange(4 * rate + 13) / rate + 1.5)).astype(np.float32)
    with av.open(str(path), "w") as container:
        video, audio = container.add_stream("ffv1", rate=25), container.add_stream("pcm_s16le", rate=rate)
        assert isinstance(video, av.VideoStream)
        assert isinstance(audio, av.AudioStream)
        (video.width, video.height), video.pix_fmt, audio.layout = (64, 48), "yuv420p", "mono"
        for number in range(200):
            frame = VideoFrame.from_ndarray(np.full((72, 64), number, np.uint8), "yuv420p")
            frame.pts, frame.time_base = number, Fraction(1, 25)
            container.mux(video.encode(frame))
        container.mux(video.encode(None))
        for at in range(0, len(samples), 800):
            block = AudioFrame.from_ndarray(
                np.rint(samples[None, at : at + 800] * 32767).astype(np.int16), "s16", "mono"
            )
            block.sample_rate, block.pts, block.time_base = rate, 2 * rate + at, Fraction(1, rate)
            container.mux(audio.encode(block))
        container.mux(audio.encode(None))
    source = open_source(path)
    project = arranging.begin_with(Project(), footage_of(source.facts))
    for manner in (Manner.HELD, Manner.FOLLOWS):
        slow = pacing.set_speed(project, [Place(0, 0)], Fraction(37, 100))
        plan = make_plan(sounding.set_manner(slow, slow.places(), manner), {project.footage[0].key: source})
        with closing(mixed(plan.sound, plan.sounds(), 1.0)) as blocks:
            made = np.concatenate(list(blocks), axis=1)[0]
        assert np.abs(made).max() > 0.2
        steepest = 0.3 * 2 * np.pi * 150 / RATE
        assert np.abs(np.diff(made)).max() < 1.5 * steepest
