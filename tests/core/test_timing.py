"""The time model, as properties."""

from fractions import Fraction

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from chronoxis.core.errors import PlanError
from chronoxis.core.timing.pace import PacePiece, PaceProfile
from chronoxis.core.timing.rates import format_rate, parse_rate
from chronoxis.core.timing.reckoner import Quantity, Reckoner
from chronoxis.core.timing.schedule import EachFrame, make_schedule
from chronoxis.core.timing.speed import MAX_SPEED, MIN_SPEED, format_speed, parse_speed
from chronoxis.core.timing.timecode import format_exact_time, format_time, parse_time

RATES = st.sampled_from([Fraction(24), Fraction(25), Fraction(30000, 1001), Fraction(50), Fraction(60)])
SPEEDS = st.fractions(MIN_SPEED, MAX_SPEED, max_denominator=1000)
LENGTHS = st.fractions(Fraction(1, 10), 36000, max_denominator=1000)
PIECES = st.lists(st.builds(PacePiece, LENGTHS, SPEEDS), min_size=1, max_size=30)


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


@given(PIECES, st.lists(st.floats(0, 1), min_size=1, max_size=20))
def test_both_maps_are_inverse_and_monotone(pieces: list[PacePiece], shares: list[float]) -> None:
    pace = PaceProfile(pieces)
    recorded = np.sort(np.array(shares)) * float(pace.recorded_length)
    result = pace.result_at(recorded)
    assert np.all(np.diff(result) >= 0)
    assert np.abs(pace.recorded_at(result) - recorded).max() < 1e-6
    assert sum(p.recorded_length / p.speed for p in pieces) == pace.result_length


@given(
    rate=RATES,
    step=st.integers(1, 500),
    count=st.integers(1, 3000),
    start=st.integers(0, 200),
)
def test_every_nth_frame_is_exactly_every_nth(rate: Fraction, step: int, count: int, start: int) -> None:
    edges = np.arange(start + count + 1) * rate.denominator / rate.numerator
    pace = PaceProfile.constant(count / rate, Fraction(step))
    made = make_schedule(pace, edges, start / rate, rate, EachFrame.ONE)
    assert made.frames.tolist() == list(range(start, start + count, step))


@settings(deadline=None)
@given(
    ticks=st.lists(st.integers(0, 90), min_size=2, max_size=200),
    speed=st.fractions(Fraction(1, 20), 60, max_denominator=50),
    rate=RATES,
    shutter=st.floats(1, 720),
)
def test_a_long_exposure_weighs_by_overlap(
    ticks: list[int], speed: Fraction, rate: Fraction, shutter: float
) -> None:
    edges = np.append(0, np.cumsum(ticks)) / 1000
    if edges[-1] <= 0:
        return
    length = Fraction(int(sum(ticks)), 1000)
    made = make_schedule(
        PaceProfile.constant(length, speed), edges, Fraction(0), rate, EachFrame.LONG_EXPOSURE, shutter
    )
    for number in range(len(made)):
        opens = float(number / rate * speed)
        closes = min(opens + shutter / 360 / float(rate) * float(speed), edges[-1])
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
