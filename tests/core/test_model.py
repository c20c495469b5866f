"""Edits are pure functions; what they refuse, they refuse for a reason."""

import json
from collections.abc import Callable, Iterator
from dataclasses import replace
from fractions import Fraction
from functools import reduce
from operator import getitem
from pathlib import Path
from typing import Any

import opentimelineio as otio
import pytest
from hypothesis import given
from hypothesis import strategies as st

from chronoxis.core.errors import PlanError, ProjectFileError
from chronoxis.core.files.interchange import export_timeline, import_timeline
from chronoxis.core.files.project_file import VERSION, as_json, from_json, load_project, save_project
from chronoxis.core.model import arranging, correcting, joining, lull_marks, making, nesting, pacing, trials
from chronoxis.core.model.accent import (
    LOOKS,
    STEADY,
    Accent,
    Amount,
    ByJoin,
    BySpeed,
    Response,
)
from chronoxis.core.model.composing import set_framings
from chronoxis.core.model.even_out import EvenOut
from chronoxis.core.model.export_format import Quality
from chronoxis.core.model.export_formats import FORMATS, MKV, MP4, format_of
from chronoxis.core.model.framing import Easing, Fit, Framing, FramingStep, View
from chronoxis.core.model.join import CUT
from chronoxis.core.model.look import OWN_LOOKS
from chronoxis.core.model.marker import Marker
from chronoxis.core.model.music import BeatChoices, Credit, Music, MusicPiece
from chronoxis.core.model.photo_run import (
    DATES,
    FlawKind,
    Handling,
    PhotoFiles,
    PhotoRun,
    PhotoTime,
)
from chronoxis.core.model.project import Passage, Place, Project, Shot
from chronoxis.core.model.recording import Recording, set_capture_rate
from chronoxis.core.model.settings import ResultSettings, SizeWish
from chronoxis.core.model.sound import Effect, EffectKind, EffectRule, Manner, Mix, PassageSound
from chronoxis.core.timing.frame_making import (
    OWN_EACH_FRAME,
    Between,
    EachFrame,
    Fill,
    FrameMaking,
    PassersBy,
)
from chronoxis.core.timing.lulls import LullsBy, LullWish
from chronoxis.core.timing.ramps import ABRUPT, Ramp, RampShape
from chronoxis.core.timing.reckoner import Quantity
from chronoxis.core.timing.speed import MAX_SPEED, MIN_SPEED
from tests.footage_makers import recording_of

FIELD = Path("/footage/Field-from-the-tower.mp4")
ONLY = Place(0, 0)
SPEEDS = st.fractions(MIN_SPEED, MAX_SPEED, max_denominator=1000)


@pytest.fixture
def project() -> Project:
    return arranging.begin_with(Project(), recording_of(FIELD, Fraction(25), Fraction(240)))


FRAME_MAKERS = st.builds(
    FrameMaking,
    st.sampled_from(list(OWN_EACH_FRAME)),
    st.floats(0, 720),
    st.booleans(),
    st.none() | st.fractions(Fraction(1, 10), 60, max_denominator=10),
    st.sampled_from(list(Fill)),
    st.sampled_from(list(Between)),
)


AMOUNTS: st.SearchStrategy[Amount] = st.one_of(
    st.builds(BySpeed, st.fractions(1, 5), st.fractions(6, 90), st.sampled_from(list(Response))),
    st.builds(ByJoin, st.sampled_from(list(Response))),
    st.just(STEADY),
)
ACCENTS = st.builds(
    Accent,
    st.sampled_from([look() for look in LOOKS]),
    AMOUNTS,
    st.floats(0, 2),
    st.integers(0, 2**32 - 1),
    st.booleans(),
)
LULL_WISHES = st.builds(
    LullWish, st.sampled_from(list(LullsBy)), st.floats(0, 1), st.floats(0, 60), st.floats(0, 9)
)


@st.composite
def projects(draw: st.DrawFn) -> Project:
    """Any project there can be: footage, shots both ways, passages, ramps, markers, settings."""
    footage = []
    for number in range(draw(st.integers(1, 3))):
        length = draw(st.fractions(Fraction(1), 4000, max_denominator=1001))
        marks = draw(st.dictionaries(st.fractions(0, 1, max_denominator=20), st.text(max_size=9), max_size=3))
        stored_rate = draw(st.sampled_from([Fraction(24), Fraction(25), Fraction(30000, 1001)]))
        capture_rate = draw(st.sampled_from([None, Fraction(120)]))
        one = Recording(
            key=f"take-{number}",
            path=Path(f"/footage/Take {number}.mp4"),
            stored_rate=stored_rate,
            stored_length=length,
            capture_rate=capture_rate,
        )
        markers = tuple(Marker(share * one.length, name) for share, name in sorted(marks.items()))
        footage.append(replace(one, counted=draw(st.booleans()), markers=markers))
    shots = []
    for _ in range(draw(st.integers(1, 4))):
        one = draw(st.sampled_from(footage))
        parts = draw(st.lists(st.integers(1, 50), min_size=3, max_size=8))
        unit = one.length / sum(parts)
        passages = tuple(
            Passage(
                recorded_length=part * unit,
                speed=draw(SPEEDS),
                ramp=Ramp(
                    draw(st.fractions(0, 3, max_denominator=50)), draw(st.sampled_from(list(RampShape)))
                ),
                making=draw(FRAME_MAKERS),
                held=frozenset(draw(st.sets(st.sampled_from(list(Quantity)), max_size=2))),
            )
            for part in parts[1:-1]
        )
        shots.append(Shot(one.key, parts[0] * unit, passages, draw(st.booleans())))
    size = draw(st.sampled_from([SizeWish(), SizeWish(height=720), SizeWish(640, 480, stretch=True)]))
    chosen = ResultSettings(draw(st.sampled_from(FORMATS)), size, draw(st.sampled_from(list(Quality))))
    made = Project(tuple(footage), tuple(shots), draw(st.sampled_from([Fraction(25), Fraction(60000, 1001)])))
    return replace(made, settings=chosen, markers=(Marker(Fraction(1, 3), "peak"),))


@st.composite
def later_projects(draw: st.DrawFn) -> Project:
    """A project with photos, framings and files that are held to a size as well."""
    made = draw(projects())
    names = tuple(f"{number}.jpg" for number in range(draw(st.integers(1, 9))))
    kinds, handlings = st.sampled_from(list(FlawKind)), st.sampled_from(list(Handling))
    run = PhotoRun(
        key="photos",
        photos=PhotoFiles(Path("/footage/photos"), names),
        stored_rate=Fraction(1, 5),
        stored_length=Fraction(5 * len(names)),
        counted=draw(st.booleans()),
        time=draw(st.sampled_from([DATES, PhotoTime.every(Fraction(7, 2)), PhotoTime.at_rate(Fraction(12))])),
    )
    for kind, handling in draw(st.dictionaries(kinds, handlings, max_size=3)).items():
        run = run.with_handling(kind, handling)
    for name in draw(st.sets(st.sampled_from(names), max_size=2)):
        run = run.with_handling(draw(kinds), draw(handlings), name)
    made = arranging.add_shot(arranging.bring_in(made, run), run.key)
    even = st.builds(
        EvenOut, st.floats(0, 1), st.none() | st.fractions(1, 60, max_denominator=9), st.booleans()
    )
    made = correcting.set_even_out(made, [0], draw(even))
    made = correcting.set_passers_by(made, [0], draw(st.sampled_from(list(PassersBy))))
    made = correcting.set_passer_by(
        made, 0, (Fraction(1), Fraction(2)), draw(st.sampled_from(list(PassersBy)))
    )
    at = sorted(draw(st.sets(st.fractions(0, 1, max_denominator=30), max_size=4)))
    side = st.fractions(8, 900, max_denominator=7)
    steps = tuple(FramingStep(share, View(*(draw(side) for _ in range(4)))) for share in at)
    framing = Framing(steps, draw(st.sampled_from(list(Fit))), draw(st.sampled_from(list(Easing))))
    held = replace(made.settings, bitrate=draw(st.sampled_from([None, 8_000_000])), at_most=None)
    return draw(sounding_like(replace(set_framings(made, {0: framing}), settings=held)))


@st.composite
def sounding_like(draw: st.DrawFn, made: Project) -> Project:
    """A project with choices about sound, and with music."""
    seconds, levels = st.fractions(0, 9, max_denominator=50), st.floats(-60, 24)
    colours, texts = st.floats(0, 1), st.text(max_size=9)
    effects = st.builds(Effect, st.sampled_from([EffectKind.RUSH, EffectKind.BURNER]), levels, colours)
    sounds = st.builds(PassageSound, st.sampled_from(list(Manner)), levels, seconds, seconds)
    for place in made.places():
        effect, sound = draw(st.one_of(st.none(), effects)), draw(sounds)
        made = made.with_passage(place, replace(made.passage(place), sound=sound, effect=effect))
    first = draw(st.integers(0, 3))
    music = Music(
        key="tune",
        path=Path("/footage/tune.flac"),
        stored_rate=Fraction(48_000),
        stored_length=draw(st.fractions(1, 400, max_denominator=48_000)),
        credit=Credit(*(draw(texts) for _ in range(4))),
        beats=BeatChoices(draw(st.sampled_from([Fraction(1, 2), Fraction(2)])), -draw(seconds), first),
    )
    made = arranging.begin_with(made, music)
    piece = MusicPiece("tune", -draw(seconds), draw(seconds), None, draw(levels), loops=draw(st.booleans()))
    rules = draw(st.lists(st.builds(EffectRule, effects, SPEEDS), max_size=1))
    loudness = draw(st.sampled_from([None, -14.0]))
    made = replace(made, music=(piece,), mix=Mix(draw(SPEEDS), loudness, tuple(rules)))
    made = lull_marks.set_wish(made, draw(LULL_WISHES))
    for span in draw(st.lists(st.tuples(seconds, seconds), max_size=3)):
        if span[0] < span[1] <= made.footage[0].length:
            act = draw(st.sampled_from([lull_marks.draw, lull_marks.refuse]))
            made = act(made, made.footage[0].key, span)
    accents = draw(st.lists(ACCENTS, max_size=3))
    made = joining.set_accents(made, lambda _: tuple(accents), shots=[0], places=[Place(0, 0)], whole=True)
    made = arranging.duplicate(made, [0])
    made = joining.set_join(made, [0], draw(st.sampled_from([CUT, *(look.join for look in OWN_LOOKS)])))
    made = replace(made, looks=tuple(draw(st.lists(st.sampled_from(OWN_LOOKS), max_size=2))))
    made = replace(made, aside=tuple(draw(st.lists(st.text(max_size=9), max_size=2))))
    for number in range(draw(st.integers(0, 2))):
        made = trials.keep_trial(pacing.set_speed(made, made.places(), draw(SPEEDS)), f"try {number}")
    return nesting.nest(made, draw(st.sampled_from([[0], [1], [0, 1]]))) if draw(st.booleans()) else made


def is_whole(project: Project) -> bool:
    """Whether everything about a project hangs together."""
    for shot in project.shots:
        footage = project.footage_of(shot)
        assert shot.in_point >= 0
        assert shot.out_point <= footage.length
        assert all(passage.recorded_length > 0 for passage in shot.passages)
        assert float(shot.pace.recorded_length) == pytest.approx(float(shot.out_point - shot.in_point))
    assert project.starts[-1] == project.result_length
    return True


def test_beginning_takes_all_of_it_at_its_own_rate(project: Project) -> None:
    shot = project.shots[0]
    assert (shot.in_point, shot.out_point) == (Fraction(0), Fraction(240))
    assert project.rate == 25
    assert project.footage_of(shot).name == "Field from the tower"
    twice = arranging.begin_with(project, recording_of(FIELD, Fraction(60), Fraction(20)))
    assert [footage.key for footage in twice.footage] == ["field-from-the-tower", "field-from-the-tower-2"]
    assert twice.rate == 25
    with pytest.raises(PlanError, match="no shot"):
        Project().shot_at(Fraction(0))


def test_trimming_keeps_the_speed_unless_the_length_is_held(project: Project) -> None:
    trimmed = arranging.set_points(project, 0, Fraction(60), Fraction(180))
    assert trimmed.passage(ONLY).speed == project.passage(ONLY).speed
    assert trimmed.result_length == 12
    held = pacing.set_held(project, [ONLY], Quantity.RESULT_LENGTH, True)
    squeezed = arranging.set_points(held, 0, Fraction(60), Fraction(180))
    assert squeezed.result_length == 24
    assert squeezed.passage(ONLY).speed == 5
    assert arranging.set_points(trimmed, 0, Fraction(0), Fraction(240)) == project


REFUSED: list[tuple[Callable[[Project], Project], str]] = [
    (lambda p: arranging.set_points(p, 0, Fraction(20), Fraction(20)), "before the out point"),
    (lambda p: arranging.set_points(p, 0, Fraction(0), Fraction(241)), "outside"),
    (lambda p: arranging.set_points(p, 0, Fraction(-1), Fraction(20)), "outside"),
    (lambda p: arranging.cut_shot(p, 0, Fraction(240)), "either side"),
    (lambda p: set_capture_rate(p, p.footage[0].key, Fraction(0)), "capture rate"),
    (lambda p: arranging.add_marker(p, None, Fraction(25), "late"), "outside"),
    (lambda p: making.set_shutter(p, [ONLY], 721), "out of range"),
    (lambda p: pacing.set_speed(p, [ONLY], Fraction(0)), "out of range"),
    (lambda p: pacing.set_speed(p, [ONLY], Fraction(-4)), "out of range"),
    (lambda p: pacing.set_ramps(p, [ONLY], length=Fraction(-1)), "negative"),
    (lambda p: pacing.divide(p, 0, Fraction(0)), "nothing to divide"),
    (lambda p: pacing.merge(p, [ONLY]), "neighbouring"),
    (lambda p: pacing.fit_to_length(p, Fraction(0)), "above zero"),
    (lambda p: pacing.change_quantity(p, ONLY, Quantity.SPEED, Fraction(0)), "above zero"),
    (lambda p: pacing.change_quantity(p, ONLY, Quantity.SPEED, Fraction(200_000)), "out of range"),
    (lambda p: pacing.change_quantity(p, ONLY, Quantity.COUNT, Fraction(5, 2)), "whole number"),
    (lambda p: pacing.change_quantity(p, ONLY, Quantity.RECORDED_LENGTH, Fraction(300)), "from the in point"),
    (lambda p: pacing.change_quantity(p, ONLY, Quantity.RATE, Fraction(2000)), "the limit is 1000"),
]


@pytest.mark.parametrize(("edit", "said"), REFUSED)
def test_refusals_say_why(project: Project, edit: Callable[[Project], Project], said: str) -> None:
    with pytest.raises(PlanError, match=said):
        edit(project)


def test_two_at_most_are_held(project: Project) -> None:
    for quantity in (Quantity.SPEED, Quantity.RATE):
        project = pacing.set_held(project, [ONLY], quantity, True)
    with pytest.raises(PlanError, match="let go"):
        pacing.set_held(project, [ONLY], Quantity.COUNT, True)
    freed = pacing.set_held(project, [ONLY], Quantity.SPEED, False)
    assert freed.passage(ONLY).held == {Quantity.RATE}


def test_counting_corrects_what_was_not_touched(project: Project) -> None:
    key = project.footage[0].key
    counted = arranging.measure(project, key, Fraction(30000, 1001), Fraction(239))
    assert counted.shots[0].out_point == 239
    assert counted.rate == Fraction(30000, 1001)
    trimmed = arranging.set_points(project, 0, Fraction(5), Fraction(50))
    assert arranging.measure(trimmed, key, Fraction(25), Fraction(239)).shots[0].out_point == 50
    assert arranging.measure(trimmed, key, Fraction(25), Fraction(20)).shots[0].out_point == 20
    assert is_whole(arranging.measure(trimmed, key, Fraction(25), Fraction(2)))


def shaped() -> Project:
    """Five passages with ramps between them."""
    made = arranging.begin_with(Project(), recording_of(FIELD, Fraction(25), Fraction(240)))
    for covered in (60, 72, 150, 180):
        made = pacing.divide(made, 0, Fraction(covered))
    for number, speed in enumerate((40, 1, 60, 6, 50)):
        made = pacing.set_speed(made, [Place(0, number)], Fraction(speed))
    return pacing.set_ramps(made, made.places(), length=Fraction(1, 2), shape=RampShape.EARLY)


def test_dividing_and_merging() -> None:
    made = shaped()
    assert [p.recorded_length for p in made.shots[0].passages] == [60, 12, 78, 30, 60]
    assert made.shots[0].passages[-1].ramp == ABRUPT
    again = pacing.divide(made, 0, Fraction(100))
    assert again.result_length == made.result_length
    merged = pacing.merge(made, [Place(0, 2), Place(0, 3)])
    lasted = made.passage_result_length(Place(0, 2)) + made.passage_result_length(Place(0, 3))
    assert float(merged.passage(Place(0, 2)).speed) == pytest.approx(float(108 / lasted))
    assert pacing.merge(again, [Place(0, 2), Place(0, 3)]).shots[0].recorded_length == 240


def test_what_moving_a_joint_means_on_each_rail() -> None:
    made = shaped()
    recorded = pacing.move_joint(made, Place(0, 1), Fraction(80))
    assert [p.recorded_length for p in recorded.shots[0].passages] == [60, 20, 70, 30, 60]
    assert [p.speed for p in recorded.shots[0].passages] == [p.speed for p in made.shots[0].passages]
    crossed = pacing.move_joint(made, Place(0, 1), Fraction(500))
    assert crossed.shots[0].passages[2].recorded_length == Fraction(1, 25)
    lasting = pacing.set_result_length(made, Place(0, 1), Fraction(6))
    assert float(lasting.passage_result_length(Place(0, 1))) == pytest.approx(6)
    assert lasting.shots[0].recorded_length == 240
    slid = pacing.slide_joint(made, Place(0, 1), Fraction(6))
    assert float(slid.passage_result_length(Place(0, 1))) == pytest.approx(6, abs=1e-3)
    both = sum(made.passage_result_length(Place(0, number)) for number in (1, 2))
    assert float(slid.passage_result_length(Place(0, 2))) == pytest.approx(float(both - 6), abs=1e-3)


def test_what_follows_in_a_passage_with_ramps() -> None:
    made, place = shaped(), Place(0, 1)
    faster = pacing.change_quantity(made, place, Quantity.COUNT, Fraction(100))
    assert float(faster.passage_result_length(place)) == pytest.approx(4)
    held = pacing.set_held(made, [place], Quantity.SPEED, True)
    longer = pacing.change_quantity(held, place, Quantity.RESULT_LENGTH, Fraction(20))
    assert longer.passage(place).speed == 1
    assert float(longer.passage_result_length(place)) == pytest.approx(20, abs=1e-6)
    assert longer.shots[0].recorded_length == 240
    lasting = pacing.set_held(made, [place], Quantity.RESULT_LENGTH, True)
    before = float(made.passage_result_length(place))
    for quantity, value in ((Quantity.SPEED, Fraction(2)), (Quantity.RECORDED_LENGTH, Fraction(20))):
        after = pacing.change_quantity(lasting, place, quantity, value)
        assert float(after.passage_result_length(place)) == pytest.approx(before, abs=1e-5)
    step = pacing.change_quantity(made, place, Quantity.STEP, Fraction(3))
    assert step.passage(place).speed == 3
    with pytest.raises(PlanError, match="more recorded time"):
        pacing.change_quantity(held, place, Quantity.RESULT_LENGTH, Fraction(500))


def test_fitting_keeps_what_is_held_and_says_what_is_impossible() -> None:
    made = pacing.set_held(shaped(), [Place(0, 1)], Quantity.SPEED, True)
    fitted = pacing.fit_to_length(made, Fraction(30))
    assert fitted.passage(Place(0, 1)).speed == 1
    assert float(fitted.result_length) == pytest.approx(30, abs=1e-6)
    with pytest.raises(PlanError, match="too much"):
        pacing.fit_to_length(made, Fraction(8))
    exact = pacing.set_ramps(made, made.places(), length=Fraction(0))
    assert pacing.fit_to_length(exact, Fraction(30)).result_length == 30
    every = pacing.set_held(made, made.places(), Quantity.SPEED, True)
    with pytest.raises(PlanError, match="let go"):
        pacing.fit_to_length(every, Fraction(30))


def test_a_capture_rate_makes_once_mean_real_time(project: Project) -> None:
    slow = set_capture_rate(project, project.footage[0].key, Fraction(100))
    assert slow.shots[0].recorded_length == 60
    assert slow.footage[0].rate == 100
    back = set_capture_rate(slow, project.footage[0].key, None)
    assert back == project


@given(projects(), st.data())
def test_every_edit_gives_a_whole_project_and_leaves_the_old_one(made: Project, data: st.DataObject) -> None:
    before = replace(made)
    number = data.draw(st.integers(0, len(made.shots) - 1))
    shot = made.shots[number]
    place = Place(number, data.draw(st.integers(0, len(shot.passages) - 1)))
    covered = data.draw(st.fractions(0, 1, max_denominator=97)) * shot.recorded_length
    wish = data.draw(st.fractions(Fraction(1, 25), 500, max_denominator=25))
    edits: list[Callable[[Project], Project]] = [
        lambda p: pacing.divide(p, number, covered),
        lambda p: pacing.merge(p, [Place(number, n) for n in range(len(shot.passages))]),
        lambda p: pacing.set_result_length(p, place, wish),
        lambda p: pacing.drag_result_length(p, place, wish),
        lambda p: pacing.change_quantity(p, place, data.draw(st.sampled_from(list(Quantity))), wish),
        lambda p: pacing.set_ramps(p, p.places(), length=wish, shape=RampShape.LATE),
        lambda p: pacing.fit_to_length(p, wish),
        lambda p: pacing.paste_pace(p, range(len(p.shots)), pacing.copy_pace(p, number)),
        lambda p: arranging.cut_shot(p, number, covered),
        lambda p: arranging.reverse(p, [number]),
        lambda p: arranging.set_points(p, number, shot.in_point + covered, shot.out_point),
        lambda p: arranging.set_points(p, number, Fraction(0), p.footage_of(shot).length),
        lambda p: arranging.duplicate(p, [number]),
        lambda p: arranging.move_shot(p, number, 0),
        lambda p: arranging.delete_shots(p, [number]),
        lambda p: set_capture_rate(p, shot.footage, wish),
    ]
    if place.passage + 1 < len(shot.passages):
        edits.append(lambda p: pacing.move_joint(p, place, covered))
        edits.append(lambda p: pacing.slide_joint(p, place, wish))
    try:
        after = data.draw(st.sampled_from(edits))(made)
    except PlanError:
        after = made
    assert is_whole(after)
    assert made == before
    twice = arranging.reverse(arranging.reverse(made, [number]), [number])
    assert twice.shots[number].pace.result_length == pytest.approx(shot.pace.result_length)
    assert twice.shots[number].passages[:-1] == shot.passages[:-1]


_LONG = 1200  # seconds; ramps of a longer result are thousands of clips


@given(later_projects())
def test_saving_and_loading_gives_the_equal_value(
    tmp_path_factory: pytest.TempPathFactory, made: Project
) -> None:
    path = tmp_path_factory.mktemp("saved") / "film.chronoxis"
    save_project(made, path)
    assert load_project(path) == made
    if made.result_length > _LONG:
        return
    timeline = path.with_suffix(".otio")
    export_timeline(made, timeline)
    taken = import_timeline(timeline)
    assert taken.project == made
    assert taken.notes == []


def test_a_timeline_of_another_program_is_taken_clip_by_clip(tmp_path: Path) -> None:
    path = tmp_path / "cut.otio"
    made = arranging.reverse(arranging.add_shot(shaped(), shaped().footage[0].key), [1])
    export_timeline(made, path)
    path.write_text(path.read_text().replace('"chronoxis":', '"somebody":'))
    taken = import_timeline(path).project
    assert len(taken.shots) == 2
    assert float(taken.result_length) == pytest.approx(float(made.result_length), abs=1 / 25)  # whole frames
    assert [shot.backwards for shot in taken.shots] == [False, True]
    assert taken.shots[0].passages[0].speed == 40
    grid = [float(made.shots[0].pace.result_length) * share / 50 for share in range(50)]
    ours, theirs = (p.shots[0].pace.recorded_at(grid) for p in (made, taken))
    assert max(abs(ours - theirs)) < 0.05  # ramps in steps of whole frames
    damaged = otio.adapters.read_from_file(str(path), adapter_name="otio_json")
    for broken in ("{", '{"format": "chronoxis project", "version": 99}'):
        damaged.metadata["chronoxis"] = broken
        path.write_text(damaged.to_json_string())
        again = import_timeline(path)
        assert again.project == taken
        assert "cannot be read" in again.notes[0]
    path.write_text("{}")
    with pytest.raises(ProjectFileError, match="timeline"):
        import_timeline(path)


@pytest.mark.parametrize(
    ("recorded", "begins"),
    [("25", "25"), ("20", "20"), ("10", "25"), ("15", "25"), ("12", "30"), ("15000/1001", "30000/1001"),
     ("16", "25"), ("1", "1"), ("11", "25")],
)  # fmt: skip
def test_a_result_begins_at_a_rate_that_looks_smooth(recorded: str, begins: str) -> None:
    one = Recording(
        key="take", path=Path("take.mp4"), stored_rate=Fraction(recorded), stored_length=Fraction(60)
    )
    project = arranging.begin_with(Project(), one)
    assert project.rate == Fraction(begins)
    counted = arranging.measure(project, "take", Fraction(recorded), Fraction(61))
    assert counted.rate == project.rate


def test_damaged_and_newer_files_are_refused_and_left(tmp_path: Path) -> None:
    path = tmp_path / "film.chronoxis"
    save_project(shaped(), path)
    good = path.read_text()
    for old, new, said in (
        (f'"version": {VERSION}', f'"version": {VERSION + 1}', "newer"),
        ('"kind": "recording"', '"kind": "hologram"', "kind"),
        (
            '"format": "mp4"',
            '"format": "tape"',
            "settings.format: there is none of that name; there are mp4, mkv",
        ),
        ('"speed": "40"', '"speed": "4e1"', r"shots\[0\]\.passages\[0\]\.speed"),
        ('"speed": "40"', '"speed": "999999999"', r"shots\[0\]\.passages\[0\]\.speed is out of range"),
        ('"footage": "field-from-the-tower"', '"footage": "nothing"', "names “nothing”"),
        ('"shots": [', '"shots": [,', "line"),
        ('"chronoxis project"', '"recipe"', "not a Chronoxis project"),
        ('"rate": "25",\n "footage"', '"rate": "0",\n "footage"', "rate is out of range"),
    ):
        assert old in good
        path.write_text(good.replace(old, new))
        spoilt = path.read_bytes()
        with pytest.raises(ProjectFileError, match=said):
            load_project(path)
        assert path.read_bytes() == spoilt
    path.write_bytes(b"\xff\xfe")
    with pytest.raises(ProjectFileError, match="not a Chronoxis project"):
        load_project(path)
    with pytest.raises(ProjectFileError, match="cannot be opened"):
        load_project(tmp_path / "none.chronoxis")


@given(projects().map(lambda made: replace(made, settings=replace(made.settings, format=MKV))))
def test_what_the_first_version_saved_opens_as_the_equal_project(project: Project) -> None:
    """The first version knew recordings only and two ways of making a frame."""
    for place in project.places():
        passage = project.passage(place)
        each = (EachFrame.ONE, EachFrame.LONG_EXPOSURE)[passage.making.each.entry.gathers]
        plain = replace(passage, making=FrameMaking(each, passage.making.shutter))
        project = project.with_passage(place, plain)
    folder = Path("/somewhere")
    data = {**as_json(project, folder), "version": 1}
    for footage in data["footage"]:
        del footage["kind"]
    del data["canvas"]  # what it did not have either
    for later in ("bitrate", "at_most", "credits", "goes_to"):
        del data["settings"][later]
    for later in ("music", "mix", "accents", "looks", "lulls", "aside", "trials"):
        del data[later]
    for shot in data["shots"]:
        for passage in shot["passages"]:
            del passage["sound"], passage["effect"]
            made = passage.pop("making")
            passage |= {"each": made["each"], "shutter": made["shutter"]}
            del passage["accents"]
        del shot["even_out"], shot["passers_by"], shot["join"], shot["accents"], shot["steady"]
        del shot["framing"]  # nor this: what had another shape than the result stood between bars
    barred = {number: Framing(fit=Fit.BARS) for number in range(len(project.shots))}
    assert from_json(data, folder / "film.chronoxis") == set_framings(project, barred)


def test_the_documented_example_is_a_project(tmp_path: Path) -> None:
    page = (Path(__file__).parents[2] / "docs" / "project-file.md").read_text()
    path = tmp_path / "example.chronoxis"
    path.write_text(page.split("```json")[1].split("```")[0])
    example = load_project(path)
    assert [passage.speed for passage in example.shots[0].passages] == [16, 1]
    assert example.shots[0].out_point == 64


def test_a_project_finds_its_footage_beside_it_or_where_it_was(tmp_path: Path) -> None:
    (tmp_path / "a" / "footage").mkdir(parents=True)
    film = tmp_path / "a" / "footage" / "take.mp4"
    film.touch()
    made = arranging.begin_with(Project(), recording_of(film, Fraction(25), Fraction(10)))
    save_project(made, tmp_path / "a" / "film.chronoxis")
    (tmp_path / "a").rename(tmp_path / "b")
    moved = load_project(tmp_path / "b" / "film.chronoxis")
    assert moved.footage[0].files[0] == tmp_path / "b" / "footage" / "take.mp4"
    (tmp_path / "c").mkdir()
    (tmp_path / "b" / "film.chronoxis").rename(tmp_path / "c" / "film.chronoxis")
    assert load_project(tmp_path / "c" / "film.chronoxis").shots == made.shots


@pytest.mark.parametrize(
    ("text", "stretch", "recorded", "even", "size"),
    [
        ("as recorded", False, (1280, 720), True, (1280, 720)),
        ("as recorded", False, (1279, 719), True, (1278, 718)),
        ("as recorded", False, (1279, 719), False, (1279, 719)),
        ("720p", False, (1920, 1080), True, (1280, 720)),
        ("1080p", False, (1080, 1920), True, (1080, 1920)),
        ("480p", False, (2160, 3840), True, (480, 852)),
        ("2160p", False, (1920, 1080), True, (3840, 2160)),
        ("1280x720", False, (640, 480), True, (960, 720)),
        ("1280×720", True, (640, 480), True, (1280, 720)),
        ("500 x 2000", False, (1000, 1000), True, (500, 500)),
    ],
)
def test_sizes(
    text: str, stretch: bool, recorded: tuple[int, int], even: bool, size: tuple[int, int]
) -> None:
    wish = SizeWish.parse(text, stretch=stretch)
    assert wish.size(recorded, even=even) == size
    assert SizeWish.parse(str(wish), stretch=stretch) == wish


@pytest.mark.parametrize(
    "text", ["1280", "x720", "p", "99999p", "1280x720p", "0x0", "99999x99999", "wide", "-5x5"]
)
def test_other_sizes_are_refused(text: str) -> None:
    with pytest.raises(PlanError):
        SizeWish.parse(text)


def test_quality_and_format_words() -> None:
    assert Quality.parse("Good") is Quality.parse("3") is Quality.GOOD
    assert format_of(Path("a.MP4")) is MP4
    with pytest.raises(PlanError, match=r"draft \(1\)"):
        Quality.parse("perfect")
    with pytest.raises(PlanError, match=r"\.mkv"):
        format_of(Path("a.avi"))


NONSENSE: st.SearchStrategy[object] = st.sampled_from(
    [None, 0, -1, 1e400, float("nan"), "", "x", "1/0", [], {}, True, 1e308, "9" * 30]
)


@given(st.data(), st.sampled_from(["film.chronoxis", "film.otio", "bare.otio"]))
def test_no_damage_is_worse_than_a_refusal(damaged: Path, data: st.DataObject, name: str) -> None:
    document = json.loads((damaged / name).read_text())
    *way, last = data.draw(st.sampled_from(list(inside(document))))
    holder: Any = reduce(getitem, way, document)
    if data.draw(st.booleans()):
        holder[last] = data.draw(NONSENSE)
    else:
        del holder[last]
    path = damaged / f"damaged{Path(name).suffix}"
    path.write_text(json.dumps(document))
    try:
        made = load_project(path) if path.suffix == ".chronoxis" else import_timeline(path).project
    except ProjectFileError as refusal:
        assert "\n" not in str(refusal)
        return
    assert len(made.rows) == sum(len(shot.passages) for shot in made.shots)
    assert made.result_length >= 0


@pytest.fixture(scope="module")
def damaged(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A folder with a project and its timeline, with and without what other programs do not read."""
    folder = tmp_path_factory.mktemp("damaged")
    save_project(shaped(), folder / "film.chronoxis")
    export_timeline(shaped(), folder / "film.otio")
    bare = json.loads((folder / "film.otio").read_text())
    del bare["metadata"]["chronoxis"]
    (folder / "bare.otio").write_text(json.dumps(bare))
    return folder


def inside(part: object, way: tuple[str | int, ...] = ()) -> Iterator[tuple[str | int, ...]]:
    """The ways to all that a JSON value holds."""
    steps = part.items() if isinstance(part, dict) else enumerate(part) if isinstance(part, list) else ()
    for step, held in steps:
        yield (*way, step)
        yield from inside(held, (*way, step))
