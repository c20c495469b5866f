"""Beats: found in made-up tunes, corrected by hand, and shots shaped to them."""

from collections.abc import Callable, Iterable
from dataclasses import replace
from fractions import Fraction
from functools import partial
from pathlib import Path

import numpy as np
import numpy.typing as npt
import pytest
from hypothesis import given
from hypothesis import strategies as st

from chronoxis.core.errors import PlanError
from chronoxis.core.model import arranging, beat_acts, pacing
from chronoxis.core.model.beat_acts import Pulse, Which, beats_of
from chronoxis.core.model.beats import Beats, ResultBeats, all_beats, chosen_beats, with_factor, with_tap
from chronoxis.core.model.marker import Marker
from chronoxis.core.model.music import BeatChoices, Music
from chronoxis.core.model.project import Place, Project
from chronoxis.core.model.recording import Recording
from chronoxis.core.sound.samples import Samples
from chronoxis.core.timing.ramps import Ramp, RampShape
from chronoxis.core.timing.reckoner import Quantity
from chronoxis.core.traces.beat_finding import BeatListener
from tests.tunes import Tune, make_tune

Times = npt.NDArray[np.float64]


def f_measure(found: Times, true: Times, within: float = 0.05) -> float:
    """Of beats found, each within so many seconds of a true one of its own."""
    if not len(found):
        return 0.0
    hits = sum(bool(np.abs(found - at).min() <= within) for at in true)
    return 2 * hits / (len(found) + len(true))


def listened(tune: Tune) -> Beats:
    sound = np.tile(tune.sound, (2, 1))
    return heard_in(sound[:, at : at + 30_011] for at in range(0, sound.shape[1], 30_011))


def heard_in(blocks: Iterable[Samples]) -> Beats:
    listener = BeatListener()
    for block in blocks:
        listener.hear(block)
    return listener.beats()


@pytest.mark.sampled(3)
@pytest.mark.parametrize(
    "made",
    [
        partial(make_tune, 92, swing=0.66, seed=2),
        partial(make_tune, 70),
        partial(make_tune, 128, drift=0.06, seed=4),
        partial(make_tune, 150, bar=3, seed=5),
        partial(make_tune, 180, seed=6),
        partial(make_tune, 120, pause=(20, 30), seed=3),
    ],
    ids=["92-swing", "70", "128-drift", "150-three", "180", "120-break"],
)
def test_beats_and_bars_are_found(made: Callable[[], Tune]) -> None:
    tune = made()
    found = listened(tune)
    times = np.array(found.times)
    bars = times[[found.begins_bar(number) for number in range(len(times))]]
    assert f_measure(times, tune.beats) >= 0.95
    assert f_measure(bars, tune.bars) >= 0.9
    off = times[:, None] - tune.beats
    assert abs(np.median(off[np.arange(len(off)), np.abs(off).argmin(axis=1)])) < 0.004


def test_what_has_no_beat_has_none() -> None:
    random = np.random.default_rng(0)
    t = np.arange(30 * 48_000) / 48_000
    for sound in (
        random.standard_normal(len(t)) * 0.2,
        np.zeros(len(t)),
        0.3 * np.sin(t * 2400),
        np.zeros(480),
    ):
        assert heard_in([np.tile(sound.astype(np.float32), (2, 1))]).times == ()


def test_beats_are_corrected_by_hand() -> None:
    found = Beats(tuple(np.arange(1, 21) * 0.5), bar=4, first=2)
    doubled = chosen_beats(found, with_factor(BeatChoices(), Fraction(2)))
    assert doubled.tempo == pytest.approx(240)
    assert doubled.begins_bar(doubled.times.index(found.times[2]))
    halved = chosen_beats(found, with_factor(BeatChoices(), Fraction(1, 2)))
    assert found.times[2] in halved.times
    assert halved.tempo == pytest.approx(60)
    shifted = chosen_beats(found, BeatChoices(shift=Fraction(1, 50), first=1))
    assert shifted.times[0] == pytest.approx(0.52)
    assert shifted.begins_bar(3)
    tapped = BeatChoices()
    for at in (3.0, 1.0, 2.0, 2.01):
        tapped = with_tap(tapped, Fraction(at).limit_denominator(1000))
    assert chosen_beats(found, tapped).times == (1.0, 2.01, 3.0)
    moved = chosen_beats(found, BeatChoices(moved=((Fraction(1, 2), Fraction(11, 20)),)))
    assert moved.times[:2] == (0.55, 1.0)
    with pytest.raises(PlanError):
        with_factor(with_factor(with_factor(BeatChoices(), Fraction(2)), Fraction(2)), Fraction(2))


def project_of(*shots: list[tuple[float, float]], ramp: float = 0.0, backwards: bool = False) -> Project:
    """Shots of one long recording, each of passages of recorded length and speed."""
    footage = Recording(
        key="take",
        path=Path("take.mp4"),
        stored_rate=Fraction(25),
        stored_length=Fraction(4000),
        counted=True,
    )
    project = replace(arranging.bring_in(Project(), footage), rate=Fraction(25))
    for number, passages in enumerate(shots):
        project = arranging.add_shot(project, "take")
        length = sum((Fraction(recorded).limit_denominator(100) for recorded, _ in passages), Fraction(0))
        project = arranging.set_points(project, number, Fraction(100), 100 + length)
        covered = Fraction(0)
        for recorded, _ in passages[:-1]:
            covered += Fraction(recorded).limit_denominator(100)
            project = pacing.divide(project, number, covered)
        for place, (_, speed) in enumerate(passages):
            project = pacing.set_speed(
                project, [Place(number, place)], Fraction(speed).limit_denominator(100)
            )
    project = pacing.set_ramps(project, project.places(), length=Fraction(ramp).limit_denominator(100))
    return arranging.reverse(project, [0]) if backwards else project


def joints_of(project: Project) -> Times:
    """Result seconds of all joints and cuts, and of both ends."""
    return np.append(project.rows.begins, project.rows.ends[-1])


BEATS = ResultBeats(np.arange(200, dtype=np.float64) * 0.5 + 0.3, np.arange(200) % 4 == 1)


@pytest.mark.parametrize("keep", [True, False])
@pytest.mark.parametrize("ramp", [0.0, 0.1, 0.2])
@pytest.mark.parametrize("which", [Which.EVERY, Which.SECOND, Which.BARS])
def test_a_pulse_begins_on_each_beat(which: Which, ramp: float, keep: bool) -> None:
    project = project_of([(60, 4), (20, 1), (90, 10)], [(80, 8)], ramp=0.4)
    wish = Pulse(Fraction(9), Fraction(1, 5), Fraction(ramp).limit_denominator(100), RampShape.EVEN)
    times = beats_of(BEATS, which, 0, float(project.result_length))
    shaped = beat_acts.pulse(project, [0, 1], times, wish, keep=keep)
    half = 0.5 / float(project.rate)
    for row in np.flatnonzero(shaped.rows.speeds == 9).tolist():
        begin, end = shaped.rows.begins[row], shaped.rows.ends[row]
        # Shots that end sooner move those behind them; beats are then those of the shot's own time.
        own = begin - shaped.shot_rows.begins[shaped.rows.shots[row]]
        old = own + project.shot_rows.begins[shaped.rows.shots[row]]
        assert np.abs(times - old).min() < half
        assert end - begin <= 0.2 + half
    assert (shaped.rows.speeds == 9).sum() >= (len(times) - 4 if keep else 3)
    for before, after in zip(project.shots, shaped.shots, strict=True):
        assert after.recorded_length == before.recorded_length
        if keep:
            assert float(after.pace.result_length) == pytest.approx(
                float(before.pace.result_length), abs=1e-6
            )
        else:
            assert after.pace.result_length < before.pace.result_length


def test_one_pulse_is_made_stronger_and_no_beat_moves() -> None:
    project = project_of([(100, 5)])
    times = beats_of(BEATS, Which.SECOND, 0, float(project.result_length))
    shaped = beat_acts.pulse(project, [0], times, Pulse(Fraction(16), Fraction(1, 5)), keep=True)
    stronger = beat_acts.set_pulse_speed(shaped, Place(0, 3), Fraction(30))
    assert np.abs(joints_of(stronger) - joints_of(shaped)).max() < 1e-6
    assert stronger.shots[0].passages[3].speed == 30
    assert stronger.shots[0].recorded_length == shaped.shots[0].recorded_length
    with pytest.raises(PlanError, match="footage"):
        beat_acts.set_pulse_speed(shaped, Place(0, 3), Fraction(9000))


@pytest.mark.parametrize("backwards", [False, True])
@pytest.mark.parametrize("ramp", [0.0, 0.25])
def test_speeds_alternate_from_beat_to_beat(ramp: float, backwards: bool) -> None:
    project = project_of([(100, 5)], backwards=backwards)
    times = beats_of(BEATS, Which.EVERY, 0, float(project.result_length))
    wish = (Fraction(2), Fraction(12))
    made = beat_acts.alternate(project, [0], times, wish, Ramp(Fraction(ramp)), keep=True)
    assert np.abs(joints_of(made)[1:-1] - times).max() < 1e-6
    assert float(made.result_length) == pytest.approx(20, abs=1e-6)
    ratios = made.rows.speeds[1:] / made.rows.speeds[:-1]
    assert np.allclose(ratios[::2], 6, rtol=1e-6)
    free = beat_acts.alternate(project, [0], times, wish, keep=False)
    assert {float(passage.speed) for passage in free.shots[0].passages} == {2.0, 12.0}
    assert np.abs(joints_of(free)[1:-1] - times[: len(free.rows) - 1]).max() < 1e-6


@given(
    shots=st.lists(
        st.lists(
            st.tuples(st.sampled_from([10.0, 25.0, 40.0]), st.sampled_from([2.0, 4.0, 9.0])),
            min_size=1,
            max_size=4,
        ),
        min_size=1,
        max_size=3,
    ),
    ramp=st.sampled_from([0.0, 0.3]),
    tempo=st.sampled_from([80, 120, 150]),
    held=st.booleans(),
)
def test_joints_settle_on_beats_and_the_length_is_kept(
    shots: list[list[tuple[float, float]]], ramp: float, tempo: int, held: bool
) -> None:
    project = project_of(*shots, ramp=ramp)
    if held and len(project.shots[0].passages) > 1:
        project = pacing.set_held(project, [Place(0, 0)], Quantity.SPEED, True)
    beats = 0.2 + np.arange(3000) * 60 / tempo
    try:
        settled = beat_acts.settle(project, range(len(shots)), beats)
    except PlanError:
        inner = beats[beats < float(project.result_length)]
        assert len(project.rows) == 1 or len(inner) < 2 * len(project.rows) or ramp or held
        return
    old, new = joints_of(project), joints_of(settled)
    assert np.abs(new[1:-1, None] - beats).min(axis=1).max() < 0.5 / 25
    assert float(settled.result_length) == pytest.approx(float(project.result_length), abs=1e-6)
    assert np.abs(new - old).max() <= 60 / tempo * (len(old) + 1)
    for before, after in zip(project.shots, settled.shots, strict=True):
        assert after.recorded_length == before.recorded_length
        for one, other in zip(before.passages, after.passages, strict=True):
            if Quantity.SPEED in one.held:
                assert other.speed == one.speed


def test_shots_are_cut_every_so_many_beats() -> None:
    project = project_of([(100, 5)])
    cut = beat_acts.cut_on_beats(project, [0], BEATS, 4)
    inside = BEATS.times[BEATS.bars]
    assert np.abs(cut.shot_rows.begins[1:] - inside[inside < 20]).max() < 1e-6
    assert cut.result_length == project.result_length


def test_beats_are_chosen_by_marks() -> None:
    marks = [Marker(Fraction(at).limit_denominator(100), "") for at in (1.32, 4.0, 7.8)]
    assert beats_of(BEATS, Which.MARKED, 0, 20, marks).tolist() == pytest.approx([1.3, 7.8])
    assert len(beats_of(BEATS, Which.MARKED, 0, 20)) == 0
    seconds = beats_of(BEATS, Which.SECOND, 0.5, 20)
    assert set(BEATS.times[BEATS.bars][:5]) <= set(seconds)
    assert np.allclose(np.diff(seconds), 1.0)


def test_beats_lie_where_the_music_lies() -> None:
    project = project_of([(100, 5)])
    music = Music(
        key="tune", path=Path("t.wav"), stored_rate=Fraction(48_000), stored_length=Fraction(8), counted=True
    )
    project = arranging.begin_with(project, music)
    assert [(piece.footage, piece.at) for piece in project.music] == [("tune", Fraction(0))]
    piece = replace(project.music[0], at=Fraction(3), in_point=Fraction(1), loops=True)
    project = replace(project, music=(piece,))
    found = all_beats(project, {"tune": Beats((0.5, 1.5, 2.5, 3.5, 4.5, 5.5, 6.5, 7.5), 4, 1)})
    assert found.times[:8].tolist() == [3.5, 4.5, 5.5, 6.5, 7.5, 8.5, 9.5, 10.5]
    assert found.times[found.bars].tolist()[:3] == [3.5, 7.5, 10.5]
    assert found.times[-1] < 20
    with pytest.raises(PlanError, match="music"):
        arranging.add_shot(project, "tune")
