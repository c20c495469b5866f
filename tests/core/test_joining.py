"""Joins, accents and nested runs: what is chosen, what it comes to, what is made of it."""

import csv
from collections.abc import Callable
from dataclasses import replace
from datetime import UTC, datetime
from fractions import Fraction
from pathlib import Path

import cv2
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from chronoxis.core.errors import PlanError
from chronoxis.core.files.project_file import load_project, save_project
from chronoxis.core.footage.kinds import open_source
from chronoxis.core.model import arranging, composing, joining, nesting, pacing, playing
from chronoxis.core.model.accent import (
    Accent,
    Badge,
    ByJoin,
    ByPoints,
    BySpeed,
    Flash,
    Grain,
    Lines,
    Look,
    Point,
    Response,
    Shown,
    Streak,
    Stutter,
    Wobble,
    parse_accent,
)
from chronoxis.core.model.amounts import Placed, amounts_at, placed_accents
from chronoxis.core.model.export_formats import MKV
from chronoxis.core.model.framing import Framing, FramingStep, View
from chronoxis.core.model.join import CUT, Side, Surge
from chronoxis.core.model.look import OWN_LOOKS
from chronoxis.core.model.nested import Nested
from chronoxis.core.model.project import Place, Project
from chronoxis.core.model.settings import ResultSettings
from chronoxis.core.model.sound import Manner
from chronoxis.core.picture.accents.badge import BadgeAccent
from chronoxis.core.picture.accents.clock_words import clock_words
from chronoxis.core.picture.accents.drawn_accent import Amounts
from chronoxis.core.picture.accents.grain import GrainAccent
from chronoxis.core.picture.colour import Colour, from_linear, to_linear
from chronoxis.core.picture.rgb import Rgb16
from chronoxis.core.render import accents as looks
from chronoxis.core.render.chain import result_frames
from chronoxis.core.render.export import export
from chronoxis.core.render.plan import Plan
from chronoxis.core.render.planning import make_plan
from chronoxis.core.render.target import export_target
from chronoxis.core.timing.ramps import RampShape
from chronoxis.core.timing.reckoner import Quantity
from chronoxis.core.timing.schedule import Schedule, make_schedule
from chronoxis.core.timing.shot_columns import ShotTiming
from tests.command_line import chronoxis
from tests.footage_makers import decode_all, make_recording, recording_of

COLOUR = Colour(1, 1, 1, True)
SHAPES = st.sampled_from(list(RampShape))
SIDES = st.builds(Side, st.fractions(Fraction(1, 10), 4, max_denominator=20), SHAPES)
SPEEDS = st.fractions(Fraction(1, 4), 80, max_denominator=12)
SURGES = st.none() | st.builds(Surge, SPEEDS, SIDES, SIDES, st.booleans())


@st.composite
def surging(draw: st.DrawFn) -> Project:
    """Shots of one long recording, many of them too short for the Surges around them."""
    project = arranging.begin_with(
        Project(), recording_of(Path("/footage/a.mp4"), Fraction(25), Fraction(600))
    )
    for number in range(draw(st.integers(1, 4))):
        if number:
            project = arranging.add_shot(project, "a")
        begin = draw(st.fractions(0, 500, max_denominator=25))
        length = draw(st.fractions(Fraction(1, 25), 90, max_denominator=25))
        project = arranging.set_points(project, number, begin, begin + length)
        project = pacing.set_speed(project, [Place(number, 0)], draw(SPEEDS))
        if draw(st.booleans()):
            project = arranging.reverse(project, [number])
    for join in range(len(project.shots) - 1):
        surge = draw(SURGES)
        if surge:
            project = joining.set_surges(project, [join], lambda _, surge=surge: surge)  # type: ignore[misc]
    return project


@given(surging())
def test_surges_meet_at_their_peaks_and_nothing_leaves_a_gap(project: Project) -> None:
    pace = project.pace
    total = sum(float(shot.pace.result_length) for shot in project.shots)
    assert float(project.result_length) == pytest.approx(total, abs=1e-9)
    t = np.linspace(0, total, 400)
    recorded = pace.recorded_at(t)
    assert np.abs(pace.recorded_at(pace.result_at(recorded)) - recorded).max() < 1e-6
    accent = Accent(Flash(), ByJoin())
    for join, shot in enumerate(project.shots[:-1]):
        surge = shot.join.surge
        if surge is None:
            continue
        cut = float(project.shot_rows.begins[join + 1])
        before = float(shot.pace.speed_at(float(shot.pace.result_length)))
        after = float(project.shots[join + 1].pace.speed_at(0.0))
        assert before == pytest.approx(float(surge.peak), rel=1e-6)
        assert after == pytest.approx(float(surge.peak), rel=1e-6)
        runs = shot.pace.run_lengths[1], project.shots[join + 1].pace.run_lengths[0]
        assert min(runs) > 0
        placed = Placed(accent, cut - runs[0], cut + runs[1], join)
        ends = np.array([cut - runs[0] * (1 - 1e-6), cut - runs[0] * 1e-6, cut + runs[1] * 1e-6])
        amounts = amounts_at(project, placed, np.append(ends, cut + runs[1] * (1 - 1e-6)))
        assert np.allclose(amounts, [0, 1, 1, 0], atol=1e-3)


@given(surging(), st.fractions(-2, 2, max_denominator=50))
def test_a_cut_slides_and_all_lasts_as_long(project: Project, by: Fraction) -> None:
    if len(project.shots) < 2:
        return
    try:
        moved = joining.slide_cut(project, 0, by)
    except PlanError as refusal:
        assert any(word in str(refusal) for word in ("footage", "end", "short"))
        return
    assert float(moved.result_length) == pytest.approx(float(project.result_length), abs=1e-6)
    assert moved.shots[0].join == project.shots[0].join


def two_shots(seconds: int = 20, speed: int = 4) -> Project:
    project = arranging.begin_with(
        Project(), recording_of(Path("/footage/a.mp4"), Fraction(25), Fraction(100))
    )
    project = arranging.add_shot(project, "a")
    for number in range(2):
        begin = Fraction(number * 50)
        project = arranging.set_points(project, number, begin, begin + seconds)
    return pacing.set_speed(project, project.places(), Fraction(speed))


def test_one_press_makes_a_surge_fitting_and_holding_respect_it() -> None:
    project = joining.make_surges(two_shots(), [0])
    surge = project.shots[0].join.surge
    assert surge is not None
    assert surge.peak == 16
    held = pacing.set_held(project, [Place(0, 0)], Quantity.SPEED, held=True)
    fitted = pacing.fit_to_length(held, Fraction(12))
    assert float(fitted.result_length) == pytest.approx(12, abs=1e-6)
    assert fitted.shots[0].passages[0].speed == 4
    assert fitted.shots[0].join == project.shots[0].join
    one_side = joining.set_surges(
        project, [0], lambda s: replace(s, linked=False).with_side(Side(Fraction(2)), after=True)
    )
    changed = one_side.shots[0].join.surge
    assert changed is not None
    assert [changed.run_up.length, changed.run_out.length] == [1, 2]
    with pytest.raises(PlanError, match="side of a Surge"):
        joining.set_surges(project, [0], lambda s: replace(s, run_up=Side(Fraction(999))))
    with pytest.raises(PlanError, match="between two shots"):
        joining.make_surges(project, [1])
    assert joining.drop_surges(project, [0]) == two_shots()


def test_what_a_run_lacks_is_opened_beyond_the_cut() -> None:
    project = joining.make_surges(two_shots(seconds=4), [0])
    assert joining.lacks_footage(project.shots[0], at_end=True)
    more = joining.room_beyond(project, 0)
    assert min(more) > 0
    opened = joining.open_beyond(project, 0)
    assert not joining.lacks_footage(opened.shots[0], at_end=True)
    assert not joining.lacks_footage(opened.shots[1], at_end=False)
    assert opened.shots[0].pace.run_lengths[1] == pytest.approx(1)


@pytest.fixture(scope="module")
def take(tmp_path_factory: pytest.TempPathFactory) -> Path:
    return make_recording(tmp_path_factory.mktemp("joins") / "take.mkv", frames=240, size=(96, 64))


def taken(take: Path) -> tuple[Project, dict[str, object]]:
    project = arranging.begin_with(
        Project(settings=ResultSettings(MKV)), recording_of(take, Fraction(25), Fraction(240, 25))
    )
    return project, {"take": open_source(take)}


def thirds(take: Path) -> tuple[Project, dict[str, object]]:
    """Three shots of one recording, the middle one backwards, at three speeds."""
    project, sources = taken(take)
    project = arranging.cut_shot(arranging.cut_shot(project, 0, Fraction(3)), 1, Fraction(3))
    for number, speed in enumerate((1, 3, 2)):
        project = pacing.set_speed(project, [Place(number, 0)], Fraction(speed))
    return arranging.reverse(project, [1]), sources


def planned(project: Project, sources: dict[str, object]) -> Plan:
    return make_plan(project, sources)  # type: ignore[arg-type]


def test_a_surge_is_rendered_frame_by_frame_as_listed(take: Path, tmp_path: Path) -> None:
    project, _ = thirds(take)
    project = joining.make_surges(project, [0, 1])
    film, out, listing = (tmp_path / name for name in ("film.chronoxis", "out.mkv", "plan.csv"))
    save_project(project, film)
    assert load_project(film).shots == project.shots
    assert chronoxis("plan", film, "--csv", listing).returncode == 0
    assert chronoxis("render", film, "-o", out, "--progress", "none").returncode == 0
    recorded, made = decode_all(take), decode_all(out)
    rows = list(csv.DictReader(listing.read_text().splitlines()))
    assert len(rows) == len(made)
    for row, picture in zip(rows, made, strict=True):
        assert np.array_equal(picture, recorded[int(row["recorded_frame"])]), row
    steps = np.abs(np.diff([int(row["recorded_frame"]) for row in rows if row["shot"] == "1"]))
    assert steps[-1] > 2 * steps[0]  # it climbs towards the cut
    assert steps[-1] == steps.max()


def test_a_nested_run_is_the_run_rendered_and_then_condensed(take: Path, tmp_path: Path) -> None:
    project, sources = thirds(take)
    flat = decode_all(export(planned(project, sources), tmp_path / "flat.mkv").path)
    nest = nesting.nest(project, [0, 1, 2])
    assert nest.result_length == project.result_length
    assert len(nest.shots) == 1
    same = decode_all(export(planned(nest, sources), tmp_path / "same.mkv").path)
    assert len(same) == len(flat)
    assert all(np.array_equal(one, other) for one, other in zip(same, flat, strict=True))
    nest = arranging.reverse(pacing.set_speed(nest, [Place(0, 0)], Fraction(4)), [0])
    save_project(nest, tmp_path / "nest.chronoxis")
    assert load_project(tmp_path / "nest.chronoxis") == nest
    plan = planned(nest, sources)
    made = decode_all(export(plan, tmp_path / "fast.mkv").path)
    assert len(made) == len(plan.schedule)
    for picture, number in zip(made, plan.schedule.frames.tolist(), strict=True):
        assert np.array_equal(picture, flat[number])


def test_what_stands_at_the_edges_of_a_nested_run_stays_there() -> None:
    """Accents of the joins around it; a Surge goes, for it is in shots that are inside now."""
    project = arranging.cut_shot(two_shots(), 0, Fraction(10))
    project = arranging.cut_shot(project, 2, Fraction(10))
    looks = [(Accent(Flash(float(number + 1)), ByJoin()),) for number in range(3)]
    for number, accents in enumerate(looks):
        project = joining.set_accents(project, lambda _, own=accents: own, joins=[number])  # type: ignore[misc]
    project = joining.make_surges(project, [0, 2])
    nest = nesting.nest(project, [1, 2])
    assert [shot.join.accents for shot in nest.shots] == [looks[0], looks[2], ()]
    assert all(shot.join.surge is None for shot in nest.shots)
    inside = nest.footage_named(nest.shots[1].footage).inner_shots
    assert [shot.join.accents for shot in inside] == [looks[1], ()]


def test_recorded_moments_are_found_in_the_result_and_back() -> None:
    project = arranging.reverse(two_shots(seconds=20, speed=4), [1])
    for shot, recorded, result in (
        (0, 0.0, 0.0),
        (0, 8.0, 2.0),
        (1, 70.0, 5.0),
        (1, 62.0, 7.0),
        (1, 0.0, 10.0),
    ):
        assert playing.result_time_of(project, shot, recorded) == pytest.approx(result)
    assert playing.place_at(project, 7.0) == Place(1, 0)
    assert playing.result_span(project, Place(1, 0)) == pytest.approx((5.0, 10.0))


def test_runs_lie_inside_runs_are_opened_changed_and_dissolved(take: Path, tmp_path: Path) -> None:
    project, sources = thirds(take)
    deep = nesting.nest(project, [1, 2])
    for _ in range(4):
        deep = nesting.nest(deep, range(len(deep.shots)))
    assert deep.result_length == project.result_length
    numbers = planned(deep, sources)
    flat = list(result_frames(planned(project, sources), export_target(planned(project, sources))))
    made = list(result_frames(numbers, export_target(numbers)))
    for one, other in zip(made, flat, strict=True):
        assert np.array_equal(one.to_ndarray(), other.to_ndarray())
    key = deep.shots[0].footage
    opened = nesting.open_run(deep, key)
    assert nesting.come_back(opened) == deep
    with pytest.raises(PlanError, match="inside itself"):
        arranging.add_shot(opened, key)
    inner = nesting.open_run(opened, opened.shots[0].footage)
    faster = pacing.set_speed(inner, inner.places(), Fraction(2))
    back = nesting.outermost(faster)
    assert back.outside is None
    assert float(back.result_length) == pytest.approx(float(deep.result_length) / 2, abs=0.05)
    planned(back, sources)
    save_project(faster, tmp_path / "deep.chronoxis")
    assert load_project(tmp_path / "deep.chronoxis") == back
    loose = nesting.dissolve(nesting.nest(project, [0, 1]), 0)
    assert loose.shots == project.shots
    turned = nesting.dissolve(arranging.reverse(nesting.nest(project, [0, 1, 2]), [0]), 0)
    assert [shot.backwards for shot in turned.shots] == [True, False, True]
    assert turned.result_length == project.result_length
    gone = arranging.drop_footage(deep, "take")
    assert not gone.shots
    assert not [footage for footage in gone.footage if isinstance(footage, Nested)]


def test_a_run_sounds_as_its_shots_do(tmp_path: Path) -> None:
    source = open_source(make_recording(tmp_path / "in.mp4", frames=100, sound=True))
    project = arranging.begin_with(Project(), recording_of(tmp_path / "in.mp4", Fraction(25), Fraction(4)))
    project = pacing.set_speed(project, project.places(), Fraction(1))
    sounding = replace(project.shots[0].passages[0].sound, manner=Manner.HELD)
    project = project.with_passage(Place(0, 0), replace(project.passage(Place(0, 0)), sound=sounding))
    nest = nesting.nest(project, [0])
    opened = planned(nest, {"in": source}).sources[0]
    assert opened.facts.sound is not None
    with opened.sound_between(Fraction(1), Fraction(2), 48000, "stereo") as blocks:
        heard = np.concatenate(list(blocks), axis=1)
    assert heard.shape == (2, 48000)
    spectrum = np.abs(np.fft.rfft(heard[0]))
    assert abs(int(spectrum.argmax()) - 440) <= 1


def on_every_frame(project: Project, look: Look, **more: object) -> Project:
    accent = Accent(look, **more)  # type: ignore[arg-type]
    return joining.set_accents(project, lambda old: (*old, accent), whole=True)


def picture(width: int = 192, height: int = 108) -> Rgb16:
    rng = np.random.default_rng(7)
    rough = (rng.random((9, 16, 3)) * 52000 + 4000).astype(np.uint16)
    return np.asarray(cv2.resize(rough, (width, height), interpolation=cv2.INTER_CUBIC), np.uint16)


def laid(project: Project, codes: Rgb16, number: int = 3) -> Rgb16:
    """A picture after all accents of a project's first shot."""
    plan_schedule = _schedule(project)
    for accent in looks.accents_of(project, plan_schedule, COLOUR, {}, {})[0]:
        codes = accent.applied(number, codes)
    return codes


def _schedule(project: Project) -> Schedule:
    edges = np.arange(2501) / 25
    return make_schedule(
        [ShotTiming(s.pace, edges, s.in_point, s.makings, s.backwards) for s in project.shots], project.rate
    )


def flashed(codes: Rgb16, gain: float = 2**1.5) -> np.ndarray:
    """Multiplied, then brought below white along each colour's own hue."""
    light = to_linear(codes / 65535, 1) * gain
    luminance, strongest = light @ [0.2126, 0.7152, 0.0722], light.max(axis=2)

    def bent(x: np.ndarray) -> np.ndarray:
        u, w = (x - 0.7) / 0.3, (gain - 0.7) / 0.3
        return np.where(x > 0.7, 0.7 + 0.3 * u * (1 + u / w**2) / (1 + u), x)

    apart = np.maximum(strongest - luminance, 1e-9)
    share = (bent(strongest) - bent(luminance)) / apart
    made = bent(luminance)[..., None] + share[..., None] * (light - luminance[..., None])
    return np.asarray(from_linear(np.clip(made, 0, 1), 1) * 65535)


def streaked(codes: Rgb16) -> np.ndarray:
    """The mean of light over many places along a line of an eighth of the width, 30° upwards."""
    light, length = to_linear(codes / 65535, 1).astype(np.float32), codes.shape[1] / 8
    rows, columns = np.indices(codes.shape[:2], np.float32)
    total = np.zeros_like(light)
    steps = (np.arange(200) + 0.5) / 200 * length - length / 2
    for step in steps.tolist():
        x, y = columns + step * np.cos(np.pi / 6), rows - step * np.sin(np.pi / 6)
        total += cv2.remap(
            light,
            x.astype(np.float32),
            y.astype(np.float32),
            cv2.INTER_LINEAR,
            borderMode=cv2.BORDER_REPLICATE,
        )
    return np.asarray(from_linear(total / 200, 1) * 65535)


@pytest.mark.parametrize(
    ("look", "wish", "allowed"),
    [(Flash(1.5), flashed, 0.1), (Streak(0.125, 30.0), streaked, 1.0)],
)
def test_looks_are_as_they_are_defined(
    look: Look, wish: Callable[[Rgb16], np.ndarray], allowed: float
) -> None:
    codes = picture()
    made = laid(on_every_frame(two_shots(), look), codes)
    inner = (slice(20, -20), slice(20, -20))
    assert np.abs(made[inner] - wish(codes)[inner]).max() / 257 < allowed  # eight-bit codes
    assert np.array_equal(laid(on_every_frame(two_shots(), look, strength=0.0), codes), codes)


def test_a_flash_goes_to_white_along_each_hue() -> None:
    rng = np.random.default_rng(5)
    light = rng.uniform(0.02, 0.6, (40, 60, 3))
    light[0] = np.array([0.35, 0.06, 0.5])  # purple
    light[1, :30] = np.linspace(0, 0.22, 30)[:, None]  # grey that stays below the shoulder
    light[2] = 1.0
    codes = np.rint(from_linear(light, 1) * 65535).astype(np.uint16)
    before = to_linear(codes / 65535, 1)
    hues, last = hues_of(before), before.max(axis=2)
    for stops in (0.25, 0.5, 1.0, 1.5, 2.0, 3.0, 4.0, 6.0):
        made = to_linear(laid(on_every_frame(two_shots(), Flash(stops)), codes) / 65535, 1)
        strong = np.ptp(made, axis=2) > 0.03  # a hue that codes can tell
        apart = np.abs(hues_of(made) - hues)
        assert np.minimum(apart, 6 - apart)[strong].max() < 0.02
        assert np.all(made.max(axis=2) >= last - 2e-4)  # ever brighter
        assert made[2].min() > 0.9999
        last = made.max(axis=2)
        dark = before.max(axis=2) * 2**stops < 0.7
        assert np.allclose(made[dark], before[dark] * 2**stops, atol=1e-3)
    assert np.ptp(made[0], axis=1).max() < 0.05  # purple is white in the end
    assert (np.ptp(made, axis=2) / np.ptp(before, axis=2).clip(1e-6))[3:].max() < 1


@pytest.mark.parametrize("stops", [-0.5, -1.0, -4.0])
def test_a_flash_below_nought_makes_all_light_less(stops: float) -> None:
    codes = np.random.default_rng(6).integers(0, 65536, (40, 60, 3), np.uint16)
    made = to_linear(laid(on_every_frame(two_shots(), Flash(stops)), codes) / 65535, 1)
    assert np.abs(made - to_linear(codes / 65535, 1) * 2**stops).max() < 1e-3


def hues_of(light: np.ndarray) -> np.ndarray:
    """Where on the circle of hues colours lie, 0 to 6."""
    red, green, blue = np.moveaxis(light, 2, 0)
    most, range_ = light.max(axis=2), np.maximum(np.ptp(light, axis=2), 1e-9)
    hue = np.where(most == red, (green - blue) / range_ % 6, 2 + (blue - red) / range_)
    is_blue = (most == blue) & (most != red) & (most != green)
    return np.asarray(np.where(is_blue, 4 + (red - green) / range_, hue))


def test_grain_has_its_deviation_is_seeded_and_new_in_every_frame() -> None:
    grey = np.full((270, 480, 3), 32768, np.uint16)
    amounts = Amounts(0, np.ones(10))
    one, again = (GrainAccent(Grain(0.05), amounts, 4).applied(2, grey) for _ in range(2))
    assert np.array_equal(one, again)
    noise = one.astype(float) / 65535 - 0.5
    assert noise.std() == pytest.approx(0.05, rel=0.1)
    assert abs(noise.mean()) < 0.002
    others = [GrainAccent(Grain(0.05), amounts, seed).applied(k, grey) for seed, k in ((4, 3), (5, 2))]
    for other in others:
        assert abs(np.corrcoef(one.ravel(), other.ravel())[0, 1]) < 0.1
    black = np.zeros_like(grey)
    assert np.array_equal(GrainAccent(Grain(0.05), amounts, 4).applied(2, black), black)


@pytest.mark.parametrize(
    "look", [Flash(1.0), Streak(0.1, 20.0), Wobble(), Grain(0.03, 0.006), Lines(60), Badge()]
)
def test_a_look_is_the_same_at_any_size(look: Look) -> None:
    project = on_every_frame(two_shots(), look)
    small, large = (laid(project, picture(320 * n, 180 * n)) for n in (2, 6))
    brought = cv2.resize(large, (640, 360), interpolation=cv2.INTER_AREA)
    assert similarity(small, brought) >= 0.97


def similarity(one: np.ndarray, other: np.ndarray) -> float:
    """Structural similarity of luma over windows of 11 pixels (Wang et al. 2004)."""
    a, b = (cv2.GaussianBlur(p.astype(np.float64).mean(2) / 65535, (0, 0), 0.5) for p in (one, other))
    means = [cv2.GaussianBlur(p, (11, 11), 1.5) for p in (a, b)]
    va, vb, cov = (
        cv2.GaussianBlur(p * q, (11, 11), 1.5) - m * n
        for p, q, m, n in ((a, a, means[0], means[0]), (b, b, means[1], means[1]), (a, b, *means))
    )
    c1, c2 = 0.01**2, 0.03**2
    score = (2 * means[0] * means[1] + c1) * (2 * cov + c2)
    score /= (means[0] ** 2 + means[1] ** 2 + c1) * (va + vb + c2)
    return float(score.mean())


def test_waves_and_screens_never_open_the_edge() -> None:
    white = np.full((90, 160, 3), 65535, np.uint16)
    for look in (Wobble(0.2), Lines(depth=0.0, warp=0.3, fringe=0.05)):
        assert laid(on_every_frame(two_shots(), look), white).min() == 65535
    assert laid(on_every_frame(two_shots(), Wobble(0.1, opens=True)), white).min() == 0


def test_a_stutter_holds_its_cadence_and_shows_cuts_at_once() -> None:
    project = on_every_frame(two_shots(seconds=9), Stutter(10.0))
    schedule = _schedule(project)
    shown = looks.held_frames(project, schedule)
    assert shown is not None
    beats = np.floor(np.arange(len(schedule)) / 25 * 10 + 1e-6)
    cut = int(np.searchsorted(schedule.shots, 1))
    for number, other in enumerate(shown.tolist()):
        assert beats[number] == beats[other]
        assert schedule.shots[number] == schedule.shots[other]
    fresh = np.flatnonzero(shown == np.arange(len(shown)))
    assert cut in fresh
    assert set(np.diff(fresh[fresh < cut]).tolist()) == {2, 3}  # 25 by 10
    assert looks.held_frames(on_every_frame(two_shots(), Stutter(), strength=0.5), schedule) is None
    assert looks.held_frames(on_every_frame(two_shots(), Stutter(), strength=0.51), schedule) is not None


def test_a_stutter_on_a_shot_begins_with_it() -> None:
    """Whatever lasts before it: the first picture of the shot is held as long as any other."""
    project = two_shots(seconds=9)
    project = pacing.set_result_length(project, Place(0, 0), Fraction(103, 25))
    project = joining.set_accents(project, lambda _: (Accent(Stutter(10.0)),), shots=[1])
    schedule = _schedule(project)
    shown = looks.held_frames(project, schedule)
    assert shown is not None
    cut = int(np.searchsorted(schedule.shots, 1))
    beats = np.floor((np.arange(cut, len(shown)) - cut) / 25 * 10 + 1e-6)
    firsts = cut + np.searchsorted(beats, beats)
    assert shown[cut:].tolist() == firsts.tolist()


def test_an_accent_shows_on_the_first_and_the_last_frame_of_its_stretch_and_no_further() -> None:
    amounts = Amounts(5, np.array([1.0, 0.5, 1.0]))
    assert [number for number in range(12) if amounts.shows_on(number)] == [5, 6, 7]
    assert not Amounts(0, np.array([0.0005])).shows_on(0)


def test_amounts_follow_speed_and_points() -> None:
    project = pacing.divide(two_shots(), 0, Fraction(10))
    project = pacing.set_speed(project, [Place(0, 1)], Fraction(64))
    project = pacing.set_ramps(project, [Place(0, 0)], length=Fraction(1))
    by_speed = Accent(Flash(), BySpeed(Fraction(4), Fraction(64), Response.EVEN))
    times = np.linspace(0, float(project.shots[0].pace.result_length) - 1e-6, 60)
    whole = Placed(by_speed, 0.0, float(project.result_length))
    amounts = amounts_at(project, whole, times)
    assert np.allclose(amounts, np.log(project.pace.speed_at(times) / 4) / np.log(16), atol=1e-9)
    own = Accent(Flash(), ByPoints((Point(Fraction(1, 4), 0.0), Point(Fraction(3, 4), 1.0))), strength=0.5)
    project = joining.set_accents(project, lambda _: (own,), shots=[1])
    (placed,) = placed_accents(project)
    span = placed.end - placed.begin
    assert np.allclose(
        amounts_at(project, placed, placed.begin + span * np.array([0.1, 0.5, 0.9])), [0, 0.25, 0.5]
    )
    assert amounts_at(project, placed, np.array([placed.begin - 0.1]))[0] == 0


def test_the_same_seed_gives_the_same_file(take: Path, tmp_path: Path) -> None:
    arguments = ["condense", take, "--speed", "8", "--accent", "grain", "--accent", "lines:40%",
                 "--accent", "wobble:0.5", "--accent", "stutter", "--accent", "badge", "--reverse",
                 "--progress", "none"]  # fmt: skip
    made = []
    for name in ("one.mkv", "other.mkv"):
        done = chronoxis(*arguments, "-o", tmp_path / name)
        assert (done.returncode, done.stderr) == (0, "")
        made.append(decode_all(tmp_path / name, "rgb24"))
    assert len(made[0]) == 30
    assert all(np.array_equal(one, other) for one, other in zip(*made, strict=True))
    plain = chronoxis("condense", take, "--speed", "8", "--reverse", "-o", tmp_path / "plain.mkv",
                      "--progress", "none")  # fmt: skip
    assert plain.returncode == 0
    recorded, back = decode_all(take), decode_all(tmp_path / "plain.mkv")
    assert np.array_equal(back[0], recorded[-1])
    refused = chronoxis("condense", take, "--speed", "8", "--accent", "sparkle", "-o", tmp_path / "x.mkv")
    assert refused.returncode == 2
    assert "no accent" in refused.stderr


def test_kept_looks_travel_with_the_project_and_names_are_read(tmp_path: Path) -> None:
    project = joining.set_join(two_shots(), [0], OWN_LOOKS[0].join)
    project = replace(project, looks=OWN_LOOKS)
    save_project(project, tmp_path / "film.chronoxis")
    assert load_project(tmp_path / "film.chronoxis") == project
    assert len({look.name for look in OWN_LOOKS}) == 6
    assert parse_accent("Flash:50%") == Accent(Flash(), strength=0.5)
    assert parse_accent("screen lines").look == Lines()
    for text in ("", "glitter", "flash:9", "flash:x"):
        with pytest.raises(PlanError):
            parse_accent(text)
    assert joining.drop_surges(project, [0]).shots[0].join == CUT


def test_a_run_and_what_is_inside_are_cropped_in_any_order(take: Path, tmp_path: Path) -> None:
    project, sources = thirds(take)
    canvas = replace(sources["take"].facts.picture.canvas, width=384, height=256)  # type: ignore[attr-defined]
    begun = composing.set_canvas(nesting.nest(nesting.nest(project, [0, 1]), [0, 1]), canvas)
    square, tall, wide = Fraction(1), Fraction(9, 16), Fraction(21, 9)
    for outside, inside in ((square, tall), (tall, wide), (wide, square), (square, None)):
        project = composing.shape_shots(begun, {0: canvas.size}, outside)
        planned(project, sources)
        opened = nesting.open_run(project, project.shots[0].footage)
        assert opened.canvas is not None
        sizes = {0: opened.canvas.size, 1: (96, 64)}
        project = nesting.come_back(composing.shape_shots(opened, sizes, inside))
        plan = planned(project, sources)
        assert len(list(result_frames(plan, export_target(plan), 0, 2))) == 2
        save_project(project, tmp_path / "runs.chronoxis")
        planned(load_project(tmp_path / "runs.chronoxis"), sources)


def test_a_view_on_a_run_stays_where_it_is_when_the_result_is_enlarged(take: Path) -> None:
    project, sources = thirds(take)
    canvas = sources["take"].facts.picture.canvas  # type: ignore[attr-defined]
    project = composing.set_canvas(nesting.nest(project, [0, 1, 2]), canvas)
    view = View(Fraction(12), Fraction(8), Fraction(48), Fraction(32))
    project = composing.set_framings(project, {0: Framing((FramingStep(Fraction(0), view),))})
    larger = composing.set_canvas(project, replace(canvas, width=192, height=128))
    assert larger.shots[0].framing.steps[0].view == View(*(Fraction(2 * n) for n in (12, 8, 48, 32)))
    assert composing.set_canvas(larger, canvas) == project


def test_a_badge_tells_the_recorded_clock() -> None:
    began = datetime(2026, 5, 1, 23, 30, tzinfo=UTC)
    said = {
        Badge(shows=Shown.TIME): "00:05",
        Badge(shows=Shown.TIME, hours=-5.5): "18:35",
        Badge(shows=Shown.TIME, noon=True, hours=13): "1:05 pm",
        Badge(shows=Shown.DATE): "02 May 2026",
        Badge(shows=Shown.BOTH, hours=-1): "01 May 2026  23:05",
        Badge(shows=Shown.SINCE): "0:35:00",
    }
    assert {look: clock_words(look, began, 35 * 60) for look in said} == said
    assert clock_words(Badge(shows=Shown.TIME), None, 25 * 3600 + 61) == "day 2  1:01:01"


def test_the_clock_counts_as_fast_as_the_pace_goes() -> None:
    project = arranging.begin_with(Project(), recording_of(Path("/f/a.mp4"), Fraction(25), Fraction(100)))
    project = pacing.set_speed(project, [Place(0, 0)], Fraction(20))
    badge = Badge(shows=Shown.TIME)
    project = joining.set_accents(project, lambda _: (Accent(badge),), shots=[0])
    began = {project.shots[0].footage: datetime(2026, 5, 1, 6, 0)}
    (accent,) = looks.accents_of(project, _schedule(project), COLOUR, {}, began)[0]
    assert isinstance(accent, BadgeAccent)
    assert [accent.said(number)[0] for number in (0, 74, 75, 124)] == ["06:00", "06:00", "06:01", "06:01"]
    back = arranging.reverse(project, [0])
    (accent,) = looks.accents_of(back, _schedule(back), COLOUR, {}, began)[0]
    assert isinstance(accent, BadgeAccent)
    assert accent.said(0) == ("06:01", True)
    white = np.full((90, 160, 3), 65535, np.uint16)
    plates = [(accent.applied(number, white) < 65535).any(axis=(0, 2)).sum() for number in (0, 124)]
    assert plates[0] == plates[1]  # figures are of one width: the plate does not jump
