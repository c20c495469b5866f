"""What is heard: in step with the picture, at the right pitch, without clicks, as loud as it may be."""

import itertools
from collections.abc import Iterator
from contextlib import contextmanager
from fractions import Fraction
from pathlib import Path

import numpy as np
import numpy.typing as npt
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy import signal

from chronoxis.core.model import arranging, pacing, sounding
from chronoxis.core.model.project import Place, Project
from chronoxis.core.model.recording import Recording
from chronoxis.core.model.sound import Manner, Mix
from chronoxis.core.sound.covered_sound import SoundBetween
from chronoxis.core.sound.mixing import mixed
from chronoxis.core.sound.samples import RATE, Samples
from chronoxis.core.sound.sound_plan import SoundPlan, make_sound_plan
from chronoxis.core.timing.ramps import RampShape

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
@settings(deadline=None, max_examples=60)
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
