"""The time model, as properties."""

from fractions import Fraction

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from chronoxis.core.errors import PlanError
from chronoxis.core.timing.fitting import PaceWish, fit_to_length, solve_speed
from chronoxis.core.timing.frame_making import OWN_EACH_FRAME, Between, EachFrame, Fill, FrameMaking
from chronoxis.core.timing.gathering import MOST_CLEARED, MOST_GATHERED
from chronoxis.core.timing.pace import PacePiece, PaceProfile
from chronoxis.core.timing.ramps import Ramp, RampShape, Run
from chronoxis.core.timing.rates import format_rate, parse_rate
from chronoxis.core.timing.reckoner import Quantity, Reckoner
from chronoxis.core.timing.schedule import make_schedule, result_frame_count
from chronoxis.core.timing.shot_columns import Derived, ShotTiming
from chronoxis.core.timing.speed import MAX_SPEED, MIN_SPEED, format_speed, parse_speed
from chronoxis.core.timing.timecode import format_exact_time, format_time, parse_time

KEPT = ((FrameMaking(),),)
RATES = st.sampled_from([Fraction(24), Fraction(25), Fraction(30000, 1001), Fraction(50), Fraction(60)])
SPEEDS = st.fractions(MIN_SPEED, MAX_SPEED, max_denominator=1000)
# Twelve of these last ten hours at most.
PIECES = st.builds(
    lambda lasting, speed: PacePiece(lasting * speed, speed),
    st.fractions(Fraction(1, 50), 3000, max_denominator=1000),
    SPEEDS,
)
RAMPS = st.builds(Ramp, st.fractions(0, 20, max_denominator=50), st.sampled_from(list(RampShape)))
RUNS = st.none() | st.builds(
    Run, st.fractions(Fraction(1, 50), 20, max_denominator=50), SPEEDS, st.sampled_from(list(RampShape))
)
Runs = tuple[Run | None, Run | None]
Made = tuple[list[PacePiece], list[Ramp], Runs]


@st.composite
def paces(draw: st.DrawFn, most: int = 12) -> Made:
    """Passages with ramps and runs that often ask for more than there is."""
    pieces = draw(st.lists(PIECES, min_size=1, max_size=most))
    ramps = draw(st.lists(RAMPS, min_size=len(pieces) - 1, max_size=len(pieces) - 1))
    return pieces, ramps, draw(st.tuples(RUNS, RUNS))


def speed_by_definition(made: Made, pace: PaceProfile, t: np.ndarray) -> np.ndarray:
    """The speeds at result times, straight from what passages, ramps and runs are."""
    pieces, ramps, runs = made
    own = np.array([float(piece.speed) for piece in pieces])
    speeds: np.ndarray = own[np.clip(np.searchsorted(pace.joints, t, "right") - 1, 0, len(pieces) - 1)]
    for number, (middle, length) in enumerate(zip(pace.joints[1:-1], pace.ramp_lengths, strict=True)):
        inside = np.abs(t - middle) < length / 2
        share = ramps[number].shape.share((t[inside] - middle) / length + 0.5) if length else t[inside]
        speeds[inside] = own[number] ** (1 - share) * own[number + 1] ** share
    (entering, leaving), (run_out, run_up) = runs, pace.run_lengths
    if entering:
        inside = t < run_out
        share = entering.shape.share(t[inside] / run_out)
        speeds[inside] = float(entering.peak) ** (1 - share) * own[0] ** share
    if leaving:
        begin = float(pace.result_length) - run_up
        inside = t > begin
        share = leaving.shape.share((t[inside] - begin) / run_up)
        speeds[inside] = own[-1] ** (1 - share) * float(leaving.peak) ** share
    return speeds


@pytest.mark.parametrize(
    ("text", "seconds"),
    [
        ("90", 90),
        ("1:30", 90),
        ("1:30.5", Fraction(181, 2)),
        ("0:01:30:12", 90 + Fraction(12, 25)),
        ("1m30s", 90),
        ("2h", 7200),
        ("1,5", Fraction(3, 2)),
        ("271/3", Fraction(271, 3)),
        (".5", Fraction(1, 2)),
    ],
)
def test_times_are_read(text: str, seconds: Fraction) -> None:
    assert parse_time(text, Fraction(25)) == seconds


@pytest.mark.parametrize("text", ["", "abc", "-5", "1:2:3:4:5", "1::2", "0:00:01:25", "nan", "1e5", "s"])
def test_other_times_are_refused(text: str) -> None:
    with pytest.raises(PlanError):
        parse_time(text, Fraction(25))


@given(st.fractions(0, 360_000, max_denominator=1000).map(lambda t: Fraction(round(t * 1000), 1000)))
def test_an_exact_time_reads_back(seconds: Fraction) -> None:
    assert parse_time(format_exact_time(seconds)) == seconds


def test_rounding_carries_into_minutes() -> None:
    assert format_time(59.96) == "1:00.0"
    assert format_time(3599.99) == "1:00:00.0"


@pytest.mark.parametrize(
    ("text", "rate"),
    [
        ("25", Fraction(25)),
        ("29.97", Fraction(30000, 1001)),
        ("23.976", Fraction(24000, 1001)),
        ("59.94 fps", Fraction(60000, 1001)),
        ("12.5", Fraction(25, 2)),
        ("30000/1001", Fraction(30000, 1001)),
    ],
)
def test_rates_are_read_and_written(text: str, rate: Fraction) -> None:
    assert parse_rate(text) == rate
    assert parse_rate(format_rate(rate)) == rate


@pytest.mark.parametrize(
    ("text", "speed"),
    [
        ("24×", 24),
        ("24x", 24),
        ("2400%", 24),
        ("1/4×", Fraction(1, 4)),
        ("0.25", Fraction(1, 4)),
        ("every 24th", 12),
    ],
)
def test_speeds_are_read(text: str, speed: Fraction) -> None:
    assert parse_speed(text, frames_per_step=Fraction(2)) == speed


@pytest.mark.parametrize("text", ["0", "-3", "inf", "nan", "fast", "1/0", "100001", "1/101", "", "every 0th"])
def test_other_speeds_are_refused(text: str) -> None:
    with pytest.raises(PlanError):
        parse_speed(text, Fraction(1))


@given(SPEEDS)
def test_a_written_speed_is_close(speed: Fraction) -> None:
    assert float(parse_speed(format_speed(speed).replace(",", ""))) == pytest.approx(float(speed), rel=6e-3)


@given(paces(), st.lists(st.floats(0, 1), min_size=1, max_size=20))
def test_both_maps_are_inverse_and_monotone(made: Made, shares: list[float]) -> None:
    pace = PaceProfile(*made)
    recorded = np.array(shares) * float(pace.recorded_length)
    result = pace.result_at(recorded)
    assert np.abs(pace.recorded_at(result) - recorded).max() < 1e-6
    order = np.argsort(recorded)
    assert np.all(np.diff(result[order]) >= 0)
    ends = pace.recorded_at([0.0, float(pace.result_length)])
    assert ends[0] == pytest.approx(0, abs=1e-9)
    assert ends[1] == pytest.approx(float(pace.recorded_length), abs=1e-6)
    fine = np.linspace(0, float(pace.result_length), 500)
    assert np.all(np.diff(pace.recorded_at(fine)) > 0)


@given(paces())
def test_passages_partition_the_shot_and_lengths_add_up(made: Made) -> None:
    pieces, ramps, runs = made
    pace = PaceProfile(*made)
    covered = np.array([float(sum(p.recorded_length for p in pieces[:n])) for n in range(len(pieces) + 1)])
    assert pace.recorded_at(pace.joints) == pytest.approx(covered, abs=1e-6)
    assert float(pace.result_length) == pytest.approx(np.diff(pace.joints).sum(), rel=1e-12)
    assert np.all(pace.ramp_lengths <= [float(ramp.length) * (1 + 1e-12) for ramp in ramps])
    for run, length, edge in zip(runs, pace.run_lengths, (0.0, float(pace.result_length)), strict=True):
        assert 0 <= length <= (float(run.length) * (1 + 1e-12) if run else 0)
        if run:
            assert float(pace.speed_at(edge)) == pytest.approx(float(run.peak), rel=1e-5)
    plain = PaceProfile(pieces)
    assert plain.result_length == sum(piece.recorded_length / piece.speed for piece in pieces)


@given(paces(most=6))
def test_speeds_are_as_defined_and_integrate_to_the_recorded_time(
    made: Made,
) -> None:
    pieces = made[0]
    pace = PaceProfile(*made)
    for number, length in enumerate(pace.ramp_lengths.tolist()):
        if length > 1e-3:
            ends = pace.joints[number + 1] + np.array([-0.5, 0.5]) * length * (1 - 1e-8)
            reached = [float(pieces[number].speed), float(pieces[number + 1].speed)]
            assert pace.speed_at(ends) == pytest.approx(reached, rel=1e-6)
    halves = np.concatenate((pace.ramp_lengths, [0])) / 2
    runs = [pace.run_lengths[0], float(pace.result_length) - pace.run_lengths[1]]
    turning = pace.joints[1:] - halves, pace.joints[1:] + halves
    breaks = np.unique(np.concatenate((pace.joints, *turning, runs)))
    breaks = breaks[np.append(np.diff(breaks) > 1e-9, True)]
    nodes, weights = np.polynomial.legendre.leggauss(8)
    begins, width = breaks[:-1, None], np.diff(breaks)[:, None] / 12
    for part in range(12):
        t = begins + width * (part + (nodes + 1) / 2)
        wish = speed_by_definition(made, pace, t)
        # A run can be so short and steep that neighbouring numbers on the clock differ by more.
        nearby = [speed_by_definition(made, pace, t + by * np.spacing(t)) for by in (-4, 4)]
        off = np.abs(pace.speed_at(t) - wish)
        assert np.all(off <= 1e-8 + 1e-6 * wish + np.abs(nearby[1] - nearby[0]))
        area = (wish * weights).sum(1) * width[:, 0] / 2
        gone = pace.recorded_at(begins + width * (part + 1)) - pace.recorded_at(begins + width * part)
        assert gone[:, 0] == pytest.approx(area, rel=1e-7, abs=2e-6)


def test_ten_hours_at_the_extremes() -> None:
    pieces = [PacePiece(Fraction(10**8), Fraction(100_000)), PacePiece(Fraction(300), Fraction(1, 100))]
    pieces += [PacePiece(Fraction(30), Fraction(24)), PacePiece(Fraction(10**7), Fraction(100_000))]
    pace = PaceProfile(pieces, [Ramp(Fraction(1)), Ramp(Fraction(1, 2)), Ramp(Fraction(3))])
    t = np.linspace(0, float(pace.result_length), 100_001)
    recorded = pace.recorded_at(t)
    assert np.abs(pace.recorded_at(pace.result_at(recorded)) - recorded).max() < 1e-6
    assert np.all(np.diff(recorded) > 0)


def test_a_ramp_may_use_up_a_passage_and_no_more() -> None:
    pieces = [PacePiece(Fraction(100), Fraction(10)), PacePiece(Fraction(20), Fraction(40))]
    pieces.append(PacePiece(Fraction(100), Fraction(10)))
    pace = PaceProfile(pieces, [Ramp(Fraction(5)), Ramp(Fraction(5))])
    assert np.all(pace.ramp_lengths < 5)
    peak = float(pace.joints[1] + pace.ramp_lengths[0] / 2)
    assert peak == pytest.approx(float(pace.joints[2] - pace.ramp_lengths[1] / 2))
    assert float(pace.speed_at(peak)) == pytest.approx(40)
    assert np.all(pace.speed_at(np.linspace(0, float(pace.result_length), 999)) <= 40 * (1 + 1e-9))


def test_ten_thousand_passages() -> None:
    pieces = [
        PacePiece(Fraction(number % 7 + 1, 3), Fraction(number % 90 + 1, 7)) for number in range(10_000)
    ]
    pace = PaceProfile(pieces, [Ramp(Fraction(1, 50))] * 9_999)
    recorded = np.linspace(0, float(pace.recorded_length), 5000)
    assert np.abs(pace.recorded_at(pace.result_at(recorded)) - recorded).max() < 1e-6


@given(
    st.lists(st.tuples(paces(most=4), st.booleans()), min_size=1, max_size=3),
    st.fractions(Fraction(1, 10), 4000, max_denominator=25),
)
def test_fitting_meets_the_length_or_refuses_rightly(shots: list[tuple[Made, bool]], wish: Fraction) -> None:
    wishes = [
        PaceWish(pieces, ramps, [held and number % 2 == 0 for number in range(len(pieces))], runs)
        for (pieces, ramps, runs), held in shots
    ]

    def lasting(speeds: list[list[Fraction]]) -> float:
        made = zip(wishes, speeds, strict=True)
        return sum(
            float(PaceProfile([PacePiece(p.recorded_length, s) for p, s in zip(w.pieces, row, strict=True)],
                              w.ramps, w.runs).result_length)
            for w, row in made
        )  # fmt: skip

    def scaled(factor: float) -> list[list[Fraction]]:
        def speed(piece: PacePiece, held: bool) -> Fraction:
            changed = piece.speed if held else Fraction(float(piece.speed) * factor)
            return min(max(changed, MIN_SPEED), MAX_SPEED)

        return [[speed(p, h) for p, h in zip(w.pieces, w.held, strict=True)] for w in wishes]

    free = [float(p.speed) for w in wishes for p, h in zip(w.pieces, w.held, strict=True) if not h]
    try:
        speeds = fit_to_length(wishes, wish)
    except PlanError as refusal:
        if not free:
            assert "held" in str(refusal)
            return
        fastest = lasting(scaled(float(MAX_SPEED) / max(free)))
        slowest = lasting(scaled(float(MIN_SPEED) / min(free)))
        assert fastest > float(wish) - 1e-6 or slowest < float(wish) + 1e-6
        return
    assert lasting(speeds) == pytest.approx(float(wish), abs=1 / 60)
    for w, row in zip(wishes, speeds, strict=True):
        assert all(p.speed == s for p, s, h in zip(w.pieces, row, w.held, strict=True) if h)
        ratios = [float(s / p.speed) for p, s, h in zip(w.pieces, row, w.held, strict=True) if not h]
        assert ratios == pytest.approx(ratios[:1] * len(ratios), rel=1e-4)


@given(paces(), st.integers(0, 29), st.fractions(Fraction(1, 2), 600, max_denominator=25))
def test_a_passage_is_given_a_length(made: Made, number: int, wish: Fraction) -> None:
    pieces, ramps, runs = made
    number %= len(pieces)
    try:
        speed = solve_speed(PaceWish(pieces, ramps, [False] * len(pieces), runs), number, wish)
    except PlanError as refusal:
        assert "at least" in str(refusal) or "at 1/100×" in str(refusal)
        return
    changed = [*pieces[:number], PacePiece(pieces[number].recorded_length, speed), *pieces[number + 1 :]]
    joints = PaceProfile(changed, ramps, runs).joints
    assert joints[number + 1] - joints[number] == pytest.approx(float(wish), rel=1e-6)


def test_shots_follow_one_another_on_whole_frames() -> None:
    rate, edges = Fraction(25), np.arange(101) / 25
    shots = [
        ShotTiming(PaceProfile([PacePiece(Fraction(1), Fraction(3))]), edges, Fraction(0), *KEPT),
        ShotTiming(PaceProfile([PacePiece(Fraction(1, 100), Fraction(1))]), edges, Fraction(1), *KEPT),
        ShotTiming(PaceProfile([PacePiece(Fraction(2), Fraction(2))]), edges, Fraction(2), *KEPT, True),
    ]
    made = make_schedule(shots, rate)
    for number, shot in enumerate(made.shots.tolist()):
        t = Fraction(number) / rate
        starts = [Fraction(start, 300) for start in (0, 100, 103, 403)]
        assert starts[shot] <= t < starts[shot + 1]
        if shot == 0:
            assert made.frames[number] == int(t * 3 * 25)
        if shot == 2:
            recorded = 4 - (t - starts[2]) * 2
            assert made.frames[number] == -(-(recorded * 25) // 1) - 1
    assert len(made) == 34
    again = made.backwards().backwards()
    assert np.array_equal(again.frames, made.frames)


@given(st.lists(paces(6), min_size=1, max_size=6), st.integers(2, 400))
def test_a_joined_pace_is_each_pace_in_its_turn(made: list[Made], points: int) -> None:
    alone = [PaceProfile(*parts) for parts in made]
    joined = PaceProfile.joined(alone)
    starts = np.cumsum([0.0, *(float(pace.result_length) for pace in alone)])
    assert float(joined.result_length) == pytest.approx(starts[-1], rel=1e-12)
    times = np.linspace(0, starts[-1], points, endpoint=False)
    covered, speeds = joined.recorded_at(times), joined.speed_at(times)
    before = 0.0
    for number, pace in enumerate(alone):
        inside = (times >= starts[number]) & (times < starts[number + 1])
        own = times[inside] - starts[number]
        # At an abrupt joint a rounding of the time decides which speed it is.
        clear = np.abs(own[:, None] - pace.joints).min(axis=1) > 1e-6
        wish = before + pace.recorded_at(own)
        rounding = np.spacing(starts[-1]) * 4 * MAX_SPEED + np.spacing(before) * 8 + 1e-7
        assert np.all(np.abs(covered[inside] - wish) < float(rounding))
        assert np.allclose(speeds[inside][clear], pace.speed_at(own)[clear], rtol=1e-5)
        before += float(pace.recorded_length)


@st.composite
def shot_lists(draw: st.DrawFn) -> list[ShotTiming]:
    """Shots of two recordings of other rates, some of them backwards, with ramps and long exposures."""
    recordings = [np.arange(401) / 25, np.append(0, np.cumsum(np.tile([0.02, 0.03, 0.05], 100)))]
    shots = []
    for _ in range(draw(st.integers(1, 6))):
        edges = recordings[draw(st.integers(0, 1))]
        lengths = draw(st.lists(st.fractions(Fraction(1, 5), 2, max_denominator=20), min_size=1, max_size=3))
        speeds = st.fractions(Fraction(1, 3), 20, max_denominator=12)
        pieces = [PacePiece(length, draw(speeds)) for length in lengths]
        ramps = [Ramp(draw(st.fractions(0, 1, max_denominator=10)), draw(st.sampled_from(list(RampShape))))
                 for _ in lengths[1:]]  # fmt: skip
        some = st.none() | st.builds(Run, st.just(Fraction(3, 10)), speeds, st.just(RampShape.LATE))
        runs = draw(st.tuples(some, some))
        each = st.builds(
            FrameMaking, st.sampled_from(list(OWN_EACH_FRAME)), st.sampled_from([0.0, 90.0, 180.0, 360.0])
        )
        makings = tuple(draw(each) for _ in lengths)
        begin = draw(st.fractions(0, 3, max_denominator=25))
        shots.append(ShotTiming(PaceProfile(pieces, ramps, runs), edges, begin, makings, draw(st.booleans())))
    return shots


@given(shot_lists(), RATES)
def test_a_schedule_is_what_the_words_say(shots: list[ShotTiming], rate: Fraction) -> None:
    made = make_schedule(shots, rate)
    start, number = Fraction(0), 0
    for seat, shot in enumerate(shots):
        begin, end = shot.span
        while number < len(made) and made.shots[number] == seat:
            since = max(float(number / rate - start), 0.0)
            passage = max(int(np.searchsorted(shot.pace.joints, since, "right")) - 1, 0)
            making = shot.makings[min(passage, len(shot.makings) - 1)]
            shutter = making.shutter if making.each.entry.gathers else 0.0
            covered, until = shot.pace.recorded_at([since, since + shutter / 360 / float(rate)]).tolist()
            until = min(until, end - begin)
            opened, closed = (
                (end - until, end - covered) if shot.backwards else (begin + covered, begin + until)
            )
            frames, weights = made.sources(number)
            assert weights.sum() == pytest.approx(1)
            overlap = np.minimum(shot.edges[1:], closed) - np.maximum(shot.edges[:-1], opened)
            moment = closed if shot.backwards else opened
            if np.abs(shot.pace.joints - since).min() < 1e-5:
                number += 1  # a rounding of the time decides which passage it is in
                continue
            assert str(made.way(number)) == str(making.each)
            if shutter == 0:
                assert len(frames) == 1
                assert shot.edges[frames[0]] - 1e-5 <= moment <= shot.edges[frames[0] + 1] + 1e-5
            else:
                dense = np.zeros(len(shot.edges) - 1)
                dense[frames] = weights
                wish = np.clip(overlap, 0, None)
                if making.each != EachFrame.LONG_EXPOSURE:
                    wish = (wish > 1e-6).astype(float)
                assert np.abs(dense - wish / wish.sum()).max() < 1e-3
            number += 1
        start += shot.pace.result_length
        assert number == len(made) or float(number / rate) >= float(start) - 1e-6
    assert number == len(made)


@given(
    rate=RATES,
    step=st.integers(1, 500),
    count=st.integers(1, 3000),
    start=st.integers(0, 200),
)
def test_every_nth_frame_is_exactly_every_nth(rate: Fraction, step: int, count: int, start: int) -> None:
    edges = np.arange(start + count + 1) * rate.denominator / rate.numerator
    pace = PaceProfile([PacePiece(count / rate, Fraction(step))])
    forwards = ShotTiming(pace, edges, start / rate, *KEPT)
    assert make_schedule([forwards], rate).frames.tolist() == list(range(start, start + count, step))
    backwards = ShotTiming(pace, edges, start / rate, *KEPT, backwards=True)
    last = start + count - 1
    assert make_schedule([backwards], rate).frames.tolist() == list(range(last, start - 1, -step))


@given(
    ticks=st.lists(st.integers(0, 90), min_size=2, max_size=200),
    speed=st.fractions(Fraction(1, 20), 60, max_denominator=50),
    rate=RATES,
    shutter=st.floats(1, 720),
    backwards=st.booleans(),
)
def test_a_long_exposure_weighs_by_overlap(
    ticks: list[int], speed: Fraction, rate: Fraction, shutter: float, backwards: bool
) -> None:
    edges = np.append(0, np.cumsum(ticks)) / 1000
    if edges[-1] <= 0:
        return
    length = Fraction(int(sum(ticks)), 1000)
    pace = PaceProfile([PacePiece(length, speed)])
    made = make_schedule(
        [ShotTiming(pace, edges, Fraction(0), (FrameMaking(EachFrame.LONG_EXPOSURE, shutter),), backwards)],
        rate,
    )
    for number in range(len(made)):
        opens = float(number / rate * speed)
        closes = min(opens + shutter / 360 / float(rate) * float(speed), edges[-1])
        if backwards:
            opens, closes = edges[-1] - closes, edges[-1] - opens
        overlap = np.minimum(edges[1:], closes) - np.maximum(edges[:-1], opens)
        frames, weights = made.sources(number)
        assert weights.sum() == pytest.approx(1)
        assert np.all(weights > 0) and np.all(np.diff(frames) > 0)
        if len(frames) > 1:
            wish = np.clip(overlap, 0, None)
            wish /= wish.sum()
            dense = np.zeros(len(ticks))
            dense[frames] = weights
            assert np.abs(dense - wish).max() < 1e-4 * len(ticks)


STATES = st.builds(
    Reckoner,
    recorded_rate=RATES,
    available=st.just(Fraction(10**9)),
    recorded_length=st.fractions(1, 10_000, max_denominator=100),
    speed=st.fractions(Fraction(1, 10), 1000, max_denominator=100),
    rate=RATES,
)


@given(
    state=STATES,
    change=st.sampled_from(list(Quantity)),
    factor=st.fractions(Fraction(1, 4), 4, max_denominator=16),
    held=st.sets(st.sampled_from(list(Quantity)), max_size=3),
)
def test_held_quantities_stay_or_the_refusal_is_right(
    state: Reckoner, change: Quantity, factor: Fraction, held: set[Quantity]
) -> None:
    value = state.value(change) * factor
    value = Fraction(max(1, round(value))) if change is Quantity.COUNT else value
    held -= {change}
    try:
        after = state.change(change, value, held)
    except PlanError as refusal:
        bound = {Quantity.RECORDED_LENGTH, Quantity.SPEED, Quantity.RATE, Quantity.RESULT_LENGTH}
        assert "cannot change" in str(refusal) or held & (bound | {Quantity.STEP, Quantity.COUNT})
        return
    assert after.value(change) == value
    assert all(after.value(quantity) == state.value(quantity) for quantity in held)
    assert after.result_length == after.recorded_length / after.speed


def test_what_follows_when_nothing_is_held() -> None:
    state = Reckoner(Fraction(25), Fraction(240), Fraction(240), Fraction(10), Fraction(25))
    assert state.change(Quantity.RESULT_LENGTH, Fraction(30)).speed == 8
    assert state.change(Quantity.COUNT, Fraction(750)).speed == 8
    assert state.change(Quantity.STEP, Fraction(20)).result_length == 12
    assert state.change(Quantity.RATE, Fraction(50)).count == 1200
    with pytest.raises(PlanError, match="from the in point"):
        state.change(Quantity.RESULT_LENGTH, Fraction(48), [Quantity.SPEED])
    with pytest.raises(PlanError, match="speed and result rate are held"):
        state.change(Quantity.STEP, Fraction(2), [Quantity.SPEED, Quantity.RATE])


def one_shot(making: FrameMaking, speed: Fraction, frames: int = 4000, **more: object) -> ShotTiming:
    pace = PaceProfile([PacePiece(Fraction(frames, 25), speed)])
    return ShotTiming(pace, np.arange(frames + 1) / 25, Fraction(0), (making,), **more)  # type: ignore[arg-type]


@given(
    st.builds(
        FrameMaking,
        st.sampled_from(list(OWN_EACH_FRAME)),
        st.sampled_from([0.0, 45.0, 180.0, 360.0, 720.0]),
        st.booleans(),
        st.none() | st.fractions(Fraction(1, 25), 30, max_denominator=25),
        st.sampled_from(list(Fill)),
        st.sampled_from(list(Between)),
    ),
    SPEEDS,
    st.booleans(),
    st.lists(st.integers(0, 399), min_size=0, max_size=8),
)
def test_rows_are_whole_whatever_is_chosen(
    making: FrameMaking, speed: Fraction, backwards: bool, ends: list[int]
) -> None:
    ordered = sorted(set(ends))
    spans = np.array(list(zip(ordered[::2], ordered[1::2], strict=False)), np.int64).reshape(-1, 2)
    marks = {"holes": spans[::3], "skipped": spans[1::3], "cleared": spans[2::3]}
    shot = one_shot(making, max(speed, Fraction(1, 8)), 400, backwards=backwards, **marks)
    made = make_schedule([shot], Fraction(25))
    counts = np.diff(made.offsets)
    assert counts.min() >= 1
    assert counts.max() <= 400
    assert np.allclose(np.add.reduceat(made.weights, made.offsets[:-1]), 1)
    assert made.weights.min() > 0
    assert made.frames.min() >= 0
    assert made.frames.max() < 400
    for number in range(len(made)):
        frames, _ = made.sources(number)
        assert np.all(np.diff(frames) > 0)
        if made.way(number) is Derived.IN_BETWEEN and len(frames) > 1:
            assert len(frames) == 2


@given(
    st.sampled_from([Between.BLEND, Between.MOTION]),
    st.fractions(Fraction(1, 40), Fraction(39, 40), max_denominator=40),
    st.booleans(),
)
def test_what_stands_in_between_is_of_both_neighbours_by_the_way_between_them(
    between: Between, speed: Fraction, backwards: bool
) -> None:
    count = 30
    made = make_schedule(
        [one_shot(FrameMaking(between=between), speed, count, backwards=backwards)], Fraction(25)
    )
    for number in range(len(made)):
        passed = number * speed  # recorded frames, exactly, since the shot begins to play
        whole, share = int(passed), passed - int(passed)
        near, far = (count - 1 - whole, count - 2 - whole) if backwards else (whole, whole + 1)
        frames, weights = made.sources(number)
        if not share or not 0 <= far < count:
            assert frames.tolist() == [near]
            continue
        wanted = {near: 1 - float(share), far: float(share)}
        assert dict(zip(frames.tolist(), weights.tolist(), strict=True)) == pytest.approx(wanted, abs=1e-6)


@pytest.mark.parametrize(
    ("overhang", "frames"), [(Fraction(0), 100), (Fraction(1, 10**9), 100), (Fraction(1, 10**4), 101)]
)
def test_what_comes_of_rounding_makes_no_frame(overhang: Fraction, frames: int) -> None:
    assert result_frame_count(Fraction(4) + overhang, Fraction(25)) == frames


@pytest.mark.parametrize("each", [EachFrame.LONG_EXPOSURE, EachFrame.BRIGHTEST, EachFrame.CLEAR])
def test_a_window_of_hours_is_sampled_evenly(each: EachFrame) -> None:
    made = make_schedule([one_shot(FrameMaking(each), Fraction(100_000), 400_000)], Fraction(25))
    frames, weights = made.sources(0)
    most = MOST_CLEARED if each == EachFrame.CLEAR else MOST_GATHERED
    assert most / 2 - 1 <= len(frames) <= most
    assert np.unique(np.diff(frames)).tolist() == [frames[1] - frames[0]]
    assert weights.max() / weights.min() < 2.1


def test_overlapping_windows_share_what_they_sample() -> None:
    """However wide the window of a median: only so many different frames are held at a time."""
    making = FrameMaking(EachFrame.CLEAR, window=Fraction(60))
    made = make_schedule([one_shot(making, Fraction(5), 10_000)], Fraction(25))
    held = np.unique(np.concatenate([made.sources(number)[0] for number in range(900, 1000)]))
    span = 1500 + 500
    assert len(held) <= span / (1500 / MOST_CLEARED) + 2


def test_a_soft_window_weighs_its_middle_most() -> None:
    sharp = make_schedule([one_shot(FrameMaking(EachFrame.LONG_EXPOSURE), Fraction(20))], Fraction(25))
    soft = make_schedule(
        [one_shot(FrameMaking(EachFrame.LONG_EXPOSURE, soft=True), Fraction(20))], Fraction(25)
    )
    assert np.allclose(sharp.sources(3)[1], 1 / 20)
    weights = soft.sources(3)[1]
    middles = (np.arange(20) + 0.5) / 20
    assert np.allclose(weights, (1 - np.cos(2 * np.pi * middles)) / 20, atol=2e-3)


def test_skipped_frames_never_show_and_neighbours_serve() -> None:
    skipped = np.array([[100, 140], [500, 503]])
    for making in (FrameMaking(), FrameMaking(EachFrame.LONG_EXPOSURE), FrameMaking(between=Between.MOTION)):
        for speed in (Fraction(1, 2), Fraction(10)):
            made = make_schedule([one_shot(making, speed, 1000, skipped=skipped)], Fraction(25))
            for first, stop in skipped.tolist():
                assert not np.any((made.frames >= first) & (made.frames < stop))
            nearest = made.sources(round(108 / speed))[0]
            assert nearest.max() <= 99 or not making.each.entry.gathers


def test_cleared_moments_are_medians_around_them() -> None:
    cleared = np.array([[100, 160]])
    made = make_schedule([one_shot(FrameMaking(), Fraction(10), 1000, cleared=cleared)], Fraction(25))
    for number in range(100):
        inside = 100 <= 10 * number < 160
        assert (made.way(number) == EachFrame.CLEAR) == inside
        frames, _ = made.sources(number)
        if inside:
            assert 11 <= len(frames) <= 15
            assert frames[0] < 10 * number < frames[-1]
            assert frames[-1] - frames[0] <= 70  # whoever passes is anywhere for less than half of it
        else:
            assert frames.tolist() == [10 * number]


def test_holes_are_filled_from_both_sides() -> None:
    holes = np.array([[10, 12], [0, 2], [398, 400]])[[1, 0, 2]]
    made = make_schedule([one_shot(FrameMaking(), Fraction(1), 400, holes=holes)], Fraction(25))
    assert made.way(10) is Derived.IN_BETWEEN
    assert made.sources(10)[0].tolist() == [9, 12]
    assert made.sources(10)[1].tolist() == pytest.approx([2 / 3, 1 / 3])
    assert made.sources(11)[1].tolist() == pytest.approx([1 / 3, 2 / 3])
    assert made.sources(0)[0].tolist() == [0]  # nothing lies on one side: what is held stays
    assert made.sources(399)[0].tolist() == [399]


@given(
    speed=st.fractions(Fraction(1, 4), 12, max_denominator=12),
    shutter=st.sampled_from([45.0, 180.0, 360.0, 720.0]),
    cuts=st.sets(st.integers(1, 118), max_size=5),
    backwards=st.booleans(),
)
def test_filled_steps_end_with_their_scene(
    speed: Fraction, shutter: float, cuts: set[int], backwards: bool
) -> None:
    making = FrameMaking(EachFrame.LONG_EXPOSURE, shutter, fill=Fill.GOOD)
    shot = one_shot(making, speed, 120, backwards=backwards, cuts=np.array(sorted(cuts), np.int64))
    made = make_schedule([shot], Fraction(25))
    for number in range(len(made)):
        frames, weights = made.sources(number)
        opened, closed = made.opened[number] * 25, made.closed[number] * 25
        if closed > 119:  # there is nothing to go on to
            continue
        at = opened + (closed - opened) * (np.arange(4000) + 0.5) / 4000
        before = np.minimum(at.astype(np.int64), 119)
        share = np.where(np.isin(before + 1, [*cuts, 120]), 0.0, at - before)
        wish = np.bincount(before, 1 - share, 121) + np.bincount(before + 1, share, 121)
        dense = np.zeros(121)
        dense[frames] = weights
        assert np.abs(dense - wish / 4000).max() < 2e-3


@pytest.mark.parametrize("between", [Between.BLEND, Between.MOTION])
def test_nothing_is_in_between_two_scenes(between: Between) -> None:
    for backwards in (False, True):
        shot = one_shot(
            FrameMaking(between=between), Fraction(1, 4), 100, cuts=np.array([40]), backwards=backwards
        )
        made = make_schedule([shot], Fraction(25))
        rows = [made.sources(number)[0].tolist() for number in range(len(made))]
        assert [39, 40] not in rows
        assert [38, 39] in rows
        assert [40, 41] in rows
