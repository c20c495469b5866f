"""The time model: mapping many times at once, and scheduling a long result."""

from fractions import Fraction

import numpy as np

from bench.report import report, run, timed
from chronoxis.core.timing.frame_making import EachFrame, FrameMaking
from chronoxis.core.timing.pace import PacePiece, PaceProfile
from chronoxis.core.timing.ramps import Ramp, RampShape
from chronoxis.core.timing.schedule import make_schedule
from chronoxis.core.timing.shot_columns import ShotTiming

_POINTS = 1_000_000
_PASSAGES = 100
_SECONDS, _RATE = 600, Fraction(25)


def measure(runs: int) -> None:
    """Print seconds of the model's two big jobs, beside NumPy's own interpolation of as many points."""
    profile = ramped_profile()
    times = np.linspace(0, float(profile.result_length), _POINTS)
    knots = np.linspace(0, float(profile.result_length), _PASSAGES + 1)
    shots = long_result()
    for number in range(1, runs + 1):
        with run(f"pace, run {number}"):
            mapping = timed(lambda: profile.recorded_at(times))
            plain = timed(lambda: np.interp(times, knots, knots))
            report("a million recorded_at, 100 ramped passages (at most 50)", mapping * 1e3, "ms")
            report("the same / NumPy's linear interpolation of 100 knots", mapping / plain, "×")
            scheduling = timed(lambda: make_schedule(shots, _RATE))
            report("schedule of a 10-minute result, long exposure (at most 100)", scheduling * 1e3, "ms")


def ramped_profile() -> PaceProfile:
    """Passages of mixed speeds, every joint ramped."""
    random = np.random.default_rng(5)
    speeds = [Fraction(int(speed)) for speed in np.exp(random.uniform(0, np.log(400), _PASSAGES))]
    pieces = [PacePiece(60 * speed / 10, speed) for speed in speeds]
    shapes = list(RampShape)
    ramps = [Ramp(Fraction(2), shapes[number % len(shapes)]) for number in range(_PASSAGES - 1)]
    return PaceProfile(pieces, ramps)


def long_result() -> list[ShotTiming]:
    """A 10-minute result of four shots, each of 25 ramped passages around 10×, every frame gathered."""
    shots = []
    for _ in range(4):
        length = Fraction(_SECONDS, 100)
        pieces = [PacePiece(length * speed, Fraction(speed)) for speed in (4, 16, 8, 12, 10) * 5]
        pace = PaceProfile(pieces, [Ramp(Fraction(1), RampShape.SMOOTH)] * 24)
        covered = sum((piece.recorded_length for piece in pieces), Fraction(0))
        edges = np.arange(int(covered * _RATE) + 2) / float(_RATE)
        shots.append(ShotTiming(pace, edges, Fraction(0), (FrameMaking(EachFrame.LONG_EXPOSURE),) * 25))
    return shots
