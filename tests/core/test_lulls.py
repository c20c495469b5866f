"""Lulls: where nobody speaks and nothing changes, what is made of them, to the frame."""

import csv
import io
from collections.abc import Iterable
from fractions import Fraction
from itertools import chain, pairwise
from pathlib import Path
from typing import Any

import numpy as np
import numpy.typing as npt
import pytest
from click.testing import CliRunner
from hypothesis import given
from hypothesis import strategies as st

from chronoxis.cli.main import cli
from chronoxis.core.errors import PlanError
from chronoxis.core.footage.kinds import open_source
from chronoxis.core.model import arranging, lull_acts, lull_marks, pacing
from chronoxis.core.model.lull_acts import Hurry
from chronoxis.core.model.project import Place, Project
from chronoxis.core.model.recording import Recording
from chronoxis.core.timing.lulls import Course, Lull, LullsBy, LullWish, lulls
from chronoxis.core.timing.reckoner import Quantity
from chronoxis.core.traces.sound_trace import listen
from chronoxis.core.traces.speech import Probabilities, SpeechListener
from chronoxis.core.traces.store import TraceStore
from chronoxis.demo.crew_sound import spoken
from chronoxis.demo.crew_truth import SENTENCES, WORKS
from chronoxis.demo.larkfield import draw_crew, draw_plan
from chronoxis.demo.plan_truth import BLINK, POINTS, SCROLLS, TYPED
from chronoxis.demo.tower_sound import SAMPLE_RATE as RATE_OF_SOUND

RATE, SECONDS = 25, 60


def course(busy: list[tuple[float, float]], step: float, length: float = SECONDS) -> Course:
    edges = np.asarray(np.arange(round(length / step) + 1) * step, np.float64)
    middle = (edges[1:] + edges[:-1]) / 2
    values = np.zeros(len(middle), np.float64)
    for begin, end in busy:
        values[(middle > begin) & (middle < end)] = 1
    return Course(edges, values)


SPOKEN = course([(5, 10), (20, 30), (30.5, 40)], 0.032)
CHANGED = course([(8, 12), (50, 51)], 1 / RATE)


def shot_project(shots: int = 1) -> Project:
    recording = Recording(
        key="take", stored_rate=Fraction(RATE), stored_length=Fraction(SECONDS), path=Path("take.mkv")
    )
    project = arranging.bring_in(Project(rate=Fraction(RATE)), recording)
    for _ in range(shots):
        project = arranging.add_shot(project, "take")
    return pacing.set_speed(project, project.places(), Fraction(1))


def excerpts(project: Project) -> list[tuple[float, float]]:
    return [shot.span for shot in project.shots]


@pytest.mark.parametrize(
    ("by", "wanted"),
    [
        (LullsBy.SPEECH, [(0, 4.7), (10.3, 19.7), (40.3, 60)]),
        (LullsBy.CHANGE, [(0, 7.66), (12.3, 49.66), (51.3, 60)]),
        (LullsBy.BOTH, [(0, 4.7), (12.3, 19.7), (40.3, 49.66), (51.3, 60)]),
        (LullsBy.EITHER, [(0, 7.66), (10.3, 60)]),
    ],
)
def test_each_kind_of_lull_is_found(by: LullsBy, wanted: list[tuple[float, float]]) -> None:
    found = lulls(LullWish(by), SPOKEN, CHANGED, 0, SECONDS)
    assert np.allclose(found, wanted, atol=0.05)


def test_without_sound_or_pictures_the_other_counts() -> None:
    for by in LullsBy:
        assert lulls(LullWish(by), None, CHANGED, 0, 60) == lulls(
            LullWish(LullsBy.CHANGE), SPOKEN, CHANGED, 0, 60
        )
        assert lulls(LullWish(by), SPOKEN, None, 0, 60) == lulls(LullWish(), SPOKEN, CHANGED, 0, 60)
        assert lulls(LullWish(by), None, None, 0, 60) == []


def test_speech_or_silence_throughout_and_margins_that_eat_all() -> None:
    silence, chatter = course([], 0.032), course([(0, 60)], 0.032)
    assert lulls(LullWish(), silence, None, 0, 60) == [Lull(0, 60)]
    assert lulls(LullWish(), chatter, None, 0, 60) == []
    assert lulls(LullWish(least=0, margin=0.3), course([(0.2, 59.8)], 0.032), None, 0, 60) == []
    assert lulls(LullWish(margin=30), SPOKEN, None, 0, 60) == []
    click = course([(30, 30.03)], 0.032)
    assert lulls(LullWish(), click, None, 0, 60) == [Lull(0, 60)]


SPANS = st.lists(st.tuples(st.floats(0, 60), st.floats(0, 60)), max_size=8).map(
    lambda pairs: [(min(pair), max(pair)) for pair in pairs]
)
WISHES = st.builds(
    LullWish,
    st.sampled_from(LullsBy),
    st.floats(0, 1),
    st.floats(0, 5),
    st.floats(0, 2),
)


@given(SPANS, SPANS, WISHES, st.floats(0, 30), st.floats(30, 60))
def test_lulls_lie_apart_inside_and_keep_their_margin(
    spoken: list[tuple[float, float]],
    changed: list[tuple[float, float]],
    wish: LullWish,
    begin: float,
    end: float,
) -> None:
    speech, change = course(spoken, 0.032), course(changed, 0.04)
    found = lulls(wish, speech, change, begin, end)
    edges = [edge for lull in found for edge in lull]
    assert edges == sorted(edges)
    assert all(begin <= edge <= end for edge in edges)
    if wish.by in (LullsBy.SPEECH, LullsBy.BOTH):
        for lull in found:
            inside = (speech.edges[:-1] < lull.end + wish.margin - 1e-6) & (
                speech.edges[1:] > lull.begin - wish.margin + 1e-6
            )
            inside &= (speech.edges[1:] > begin) & (speech.edges[:-1] < end)
            heard = np.flatnonzero(inside & (speech.values > 0))
            assert not np.any(np.diff(heard) == 1)  # clicks alone


EXACT_SPANS = st.tuples(st.integers(0, 599), st.integers(1, 200)).map(
    lambda pair: (Fraction(pair[0], 10), Fraction(min(sum(pair), 600), 10))
)
CORRECTIONS = st.lists(
    st.one_of(
        st.builds(lambda span: ("draw", span), EXACT_SPANS),
        st.builds(lambda span: ("refuse", span), EXACT_SPANS),
        st.builds(lambda span: ("leave", span), EXACT_SPANS),
        st.builds(lambda span, to: ("stretch", span, to), EXACT_SPANS, EXACT_SPANS),
        st.builds(lambda span: ("split", span), EXACT_SPANS),
    ),
    max_size=6,
)


Exact = tuple[Fraction, Fraction]


def correct(project: Project, act: str, span: Exact, to: Exact | None = None) -> Project:
    match act:
        case "draw":
            return lull_marks.draw(project, "take", span)
        case "refuse":
            return lull_marks.refuse(project, "take", span)
        case "leave":
            return lull_marks.leave_to_search(project, "take", span)
        case "split":
            return lull_marks.split(project, "take", span, (span[0] + span[1]) / 2)
    assert to is not None
    return lull_marks.stretch(project, "take", span, to)


@given(SPANS, WISHES, WISHES, CORRECTIONS)
def test_what_was_said_by_hand_stands_whatever_counts_as_nothing(
    spoken: list[tuple[float, float]], before: LullWish, after: LullWish, acts: list[Any]
) -> None:
    project, speech = shot_project(), course(spoken, 0.032)
    for act in acts:
        project = correct(project, *act)
    judged = project.footage[0].judged
    edges = [edge for each in judged for edge in (each.begin, *chain(*each.lulls), each.end)]
    assert edges == sorted(edges)
    for wish in (before, after):
        project = lull_marks.set_wish(project, wish)
        found = lull_marks.lulls_of_shot(project, 0, speech, None)
        assert all(one.end <= other.begin for one, other in pairwise(found))
        for each in judged:
            inside = [lull for lull in found if lull.begin < float(each.end) and lull.end > float(each.begin)]
            assert inside == [Lull(float(begin), float(end)) for begin, end in each.lulls]
        said = [Lull(float(each.begin), float(each.end)) for each in judged]
        for lull in lulls(wish, speech, None, 0, SECONDS):
            assert lull in found or any(lull.begin < each.end and each.begin < lull.end for each in said)


def test_lulls_are_drawn_stretched_split_and_refused() -> None:
    project = shot_project()

    def found(project: Project) -> list[tuple[float, float]]:
        spans = lull_marks.lulls_of_shot(project, 0, SPOKEN, None)
        return [(round(begin, 1), round(end, 1)) for begin, end in spans]

    assert found(project) == [(0, 4.7), (10.3, 19.7), (40.3, 60)]
    refused = lull_marks.refuse(project, "take", (Fraction(10), Fraction(20)))
    assert found(refused) == [(0, 4.7), (40.3, 60)]
    assert found(lull_marks.leave_to_search(refused, "take", (Fraction(15), Fraction(16)))) == [
        (0, 4.7),
        (40.3, 60),
    ]  # fmt: skip - what is left of either side is refused still
    assert found(lull_marks.leave_all_to_search(refused, "take")) == found(project)
    drawn = lull_marks.draw(refused, "take", (Fraction(25), Fraction(28)))
    assert found(drawn) == [(0, 4.7), (25, 28), (40.3, 60)]
    shorter = lull_marks.stretch(
        drawn, "take", (Fraction(403, 10), Fraction(60)), (Fraction(45), Fraction(60))
    )
    assert found(shorter) == [(0, 4.7), (25, 28), (45, 60)]
    halved = lull_marks.split(shorter, "take", (Fraction(45), Fraction(60)), Fraction(50))
    assert found(halved) == [(0, 4.7), (25, 28), (45, 50), (50, 60)]
    for wrong in ((Fraction(9), Fraction(9)), (Fraction(99), Fraction(100))):
        with pytest.raises(PlanError, match="frame"):
            lull_marks.draw(project, "take", wrong)
    with pytest.raises(PlanError, match="inside"):
        lull_marks.split(project, "take", (Fraction(1), Fraction(2)), Fraction(2))


def test_what_is_hurried_already_is_no_lull_to_come() -> None:
    project = shot_project()
    found = lull_marks.lulls_of_shot(project, 0, SPOKEN, None)
    made = lull_acts.hurry(project, {0: found}, Hurry(Fraction(8)))
    assert np.allclose(lull_acts.free_lulls(project, 0, found), found, atol=1e-9)
    assert lull_acts.free_lulls(made, 0, found) == []
    more = [*found, Lull(22, 25)]  # and one more can be
    assert [tuple(lull) for lull in lull_acts.free_lulls(made, 0, sorted(more))] == [(22, 25)]


@pytest.mark.parametrize("backwards", [False, True])
def test_a_hurried_lull_begins_and_ends_its_ramps_where_the_lull_does(backwards: bool) -> None:
    project = shot_project()
    if backwards:
        project = arranging.reverse(project, [0])
    made = lull_acts.hurry(project, {0: [Lull(10, 20), Lull(40, 50)]}, Hurry(Fraction(16)))
    shot = made.shots[0]
    assert [passage.speed for passage in shot.passages] == [1, 16, 1, 16, 1]
    assert shot.recorded_length == SECONDS
    times = np.linspace(0, float(shot.pace.result_length), 20_001)
    at = np.asarray(shot.pace.recorded_at(times))
    recorded = SECONDS - at if backwards else at
    speeds = np.asarray(shot.pace.speed_at(times))
    outside = (recorded < 10) | ((recorded > 20) & (recorded < 40)) | (recorded > 50)
    assert speeds[outside].max() < 1.01
    assert speeds[(recorded > 14) & (recorded < 16)].min() > 15.9
    assert made.result_length < shot_project().result_length - 15


@given(
    st.lists(st.tuples(st.integers(0, 58), st.integers(1, 10)), min_size=1, max_size=6),
    st.fractions(Fraction(5, 4), 60),
    st.sampled_from([Fraction(0), Fraction(1, 2), Fraction(2)]),
)
def test_hurrying_keeps_all_footage_and_the_speed(
    spans: list[tuple[int, int]], speed: Fraction, ramp: Fraction
) -> None:
    ends, found = 0, []
    for begin, length in sorted(spans):
        if begin >= ends:
            ends = min(begin + length, SECONDS)
            found.append(Lull(begin, ends))
    made = lull_acts.hurry(shot_project(), {0: found}, Hurry(speed, ramp))
    about = lull_acts.length_hurried(shot_project(), {0: found}, Hurry(speed, ramp))
    touching = any(one.end == other.begin for one, other in pairwise(found))
    assert touching or about == pytest.approx(float(made.result_length), abs=0.1 * len(found))
    shot = made.shots[0]
    assert shot.recorded_length == SECONDS
    assert {passage.speed for passage in shot.passages} <= {1, speed}
    apart = sum(number == 0 or found[number - 1].end < lull.begin for number, lull in enumerate(found))
    assert sum(passage.speed == speed for passage in shot.passages) == apart  # what touches is one
    assert not shot.shortened


def test_a_wished_length_is_exact_or_told_to_be_out_of_reach() -> None:
    project, found = shot_project(), {0: [Lull(10, 30), Lull(40, 55)]}
    made = lull_acts.hurry_to_length(project, found, Fraction(30), Hurry(Fraction(8)))
    assert abs(made.result_length - 30) < Fraction(1, 10**6)
    speeds = {passage.speed for passage in made.shots[0].passages}
    assert len(speeds) == 2
    assert not any(passage.held for passage in made.shots[0].passages)
    with pytest.raises(PlanError):
        lull_acts.hurry_to_length(project, found, Fraction(20), Hurry(Fraction(8)))


def test_leaving_out_cuts_to_the_frame() -> None:
    made = lull_acts.leave_out(shot_project(), {0: [Lull(0, 4), Lull(10, 20), Lull(50, 60)]})
    assert excerpts(made) == [(4, 10), (20, 50)]
    assert made.result_length == 36
    with pytest.raises(PlanError, match="Nothing would be left"):
        lull_acts.leave_out(shot_project(), {0: [Lull(0, 60)]})


def test_what_is_held_or_shaped_by_hand_is_not_touched() -> None:
    project = pacing.divide(pacing.divide(shot_project(), 0, Fraction(10)), 0, Fraction(20))
    shaped = pacing.set_speed(project, [Place(0, 1)], Fraction(1, 2))
    held = pacing.set_held(project, [Place(0, 1)], Quantity.SPEED, True)
    for guarded in (shaped, held):
        made = lull_acts.hurry(guarded, {0: [Lull(5, 30)]}, Hurry(Fraction(8)))
        kept = guarded.shots[0].passages[1]
        assert kept in made.shots[0].passages
        assert [passage.speed for passage in made.shots[0].passages] == [1, 8, kept.speed, 8, 1]
        cut = lull_acts.leave_out(guarded, {0: [Lull(5, 30)]})
        assert excerpts(cut) == [(0, 5), (10, 20), (30, 60)]
    with pytest.raises(PlanError, match="No lull"):
        lull_acts.hurry(held, {0: [Lull(12, 18)]}, Hurry(Fraction(8)))


def test_lulls_of_several_shots_are_one_edit() -> None:
    both = {number: [Lull(10, 20)] for number in range(2)}
    made = lull_acts.hurry(shot_project(2), both, Hurry(Fraction(8), Fraction(0)))
    assert [[p.speed for p in shot.passages] for shot in made.shots] == [[1, 8, 1]] * 2
    cut = lull_acts.leave_out(shot_project(2), both)
    assert len(cut.shots) == 4


@pytest.fixture(scope="module")
def crew(tmp_path_factory: pytest.TempPathFactory) -> Path:
    path = tmp_path_factory.mktemp("crew") / "Burner-crew.mp4"
    draw_crew(path, size=(320, 180))
    return path


@pytest.fixture(scope="module")
def screen(tmp_path_factory: pytest.TempPathFactory) -> Path:
    path = tmp_path_factory.mktemp("screen") / "Flight-plan.mp4"
    draw_plan(path, size=(640, 360))
    return path


def listed(footage: Path, *options: str) -> list[tuple[float, float, str]]:
    """The lulls that the command line lists."""
    done = CliRunner().invoke(cli, ["facts", str(footage), "--lulls", "-", *options])
    assert done.exit_code == 0, done.output
    rows = list(csv.DictReader(io.StringIO(done.stdout)))
    return [(float(row["begin"]), float(row["end"]), row["why"]) for row in rows]


Span = tuple[float, float] | tuple[float, float, str]


def shared(one: Iterable[Span], other: Iterable[Span]) -> float:
    """Seconds that two sets of spans have in common."""
    return sum(max(0.0, min(a[1], b[1]) - max(a[0], b[0])) for a in one for b in other)


def between(spans: Iterable[tuple[float, float]], end: float) -> list[tuple[float, float]]:
    """What lies between some spans, and is longer than a lull has to be."""
    edges = [0.0, *(edge for span in sorted(spans) for edge in span), end]
    gaps = zip(edges[::2], edges[1::2], strict=True)
    return [gap for gap in gaps if gap[1] - gap[0] > LullWish().least]


def heard(speech: Probabilities) -> Course:
    return Course(np.arange(len(speech) + 1, dtype=np.float64) * 0.032, speech)


def noise(count: int, decibels_below: float) -> npt.NDArray[np.float32]:
    """Wind and the like, against speech as loud as the demo's."""
    spectrum = np.fft.rfft(np.random.default_rng(4).standard_normal(count))
    spectrum[1:] /= np.sqrt(np.arange(1, len(spectrum)))
    found = np.fft.irfft(spectrum, count)
    return np.asarray(found / found.std() * 0.12 * 10 ** (-decibels_below / 20), np.float32)


@pytest.mark.sampled(1)
@pytest.mark.parametrize("decibels", [5, 10, 20])
def test_no_word_is_lost_and_nearly_all_lulls_are_found_over_noise(decibels: float) -> None:
    sound = noise(90 * RATE_OF_SOUND, decibels)
    for sentence in SENTENCES:
        first, stop = (round(second * RATE_OF_SOUND) for second in sentence.spoken)
        at = round(sentence.begin * RATE_OF_SOUND)
        sound[at : at + stop - first] += spoken()[first:stop]
    listener = SpeechListener()
    for at in range(0, len(sound), 48_000):
        listener.hear(np.stack([sound[at : at + 48_000]] * 2))
    speech = listener.speech()
    found = lulls(LullWish(), heard(speech), None, 0, 90)
    for sentence in SENTENCES:
        assert shared(found, [(sentence.begin, sentence.end)]) < 0.05, sentence.words
    gaps = between([(s.begin, s.end) for s in SENTENCES], 90)
    margins = 2 * LullWish().margin * len(gaps)
    assert shared(found, gaps) > 0.9 * (sum(end - begin for begin, end in gaps) - margins)


@pytest.mark.thorough
def test_lulls_of_a_talk_are_those_that_were_drawn(crew: Path) -> None:
    said = [(s.begin, s.end) for s in SENTENCES]
    for by, busy in (("speech", said), ("both", [*said, *WORKS]), ("change", [*said, *WORKS])):
        found = listed(crew, "--lulls-by", by)
        assert shared(found, said if by == "speech" else busy) < 0.05
        gaps = between(merged(busy), 90)
        wanted = sum(end - begin for begin, end in gaps) - 2 * LullWish().margin * len(gaps)
        assert shared(found, gaps) > 0.9 * wanted
        assert {why for *_, why in found} == {by}
    assert {why for *_, why in listed(crew, "--lulls-by", "either")} == {"speech", "both"}


def merged(spans: Iterable[tuple[float, float]]) -> list[tuple[float, float]]:
    found: list[tuple[float, float]] = []
    for begin, end in sorted(spans):
        if found and begin <= found[-1][1]:
            found[-1] = found[-1][0], max(end, found[-1][1])
        else:
            found.append((begin, end))
    return found


@pytest.mark.thorough
def test_typing_is_kept_and_a_caret_that_blinks_is_nothing(screen: Path) -> None:
    busy = merged([*((typing.begin, typing.end) for typing in TYPED), *SCROLLS, *POINTS])
    found = listed(screen)
    assert {why for *_, why in found} == {"change"}  # it has no sound
    assert shared(found, busy) < 0.05
    gaps = between(busy, 75)
    wanted = sum(end - begin for begin, end in gaps) - 2 * (LullWish().margin + BLINK) * len(gaps)
    assert shared(found, gaps) > 0.9 * wanted


@pytest.mark.thorough
def test_the_command_line_hurries_and_leaves_out_to_the_frame(crew: Path, tmp_path: Path) -> None:
    def frames(*options: str) -> int:
        out = tmp_path / "plan.csv"
        done = CliRunner().invoke(cli, ["plan", str(crew), *options, "--csv", str(out), "--overwrite"])
        assert done.exit_code == 0, done.output
        return int(out.read_text().splitlines()[-1].split(",")[0]) + 1

    found = listed(crew)
    quiet = sum(end - begin for begin, end, _ in found)
    assert frames("--lulls", "fit", "--length", "40") == 1000
    assert frames("--lulls-cut") == pytest.approx((90 - quiet) * 25, abs=2 * len(found))
    assert frames("--lulls", "8x", "--lulls-ramp", "0") == pytest.approx(
        (90 - quiet * 7 / 8) * 25, abs=2 * len(found)
    )
    for wrong in (
        ["--lulls-ramp", "1", "--speed", "2x"],
        ["--lulls", "8x", "--lulls-cut"],
        ["--lulls", "fit"],
    ):
        done = CliRunner().invoke(cli, ["plan", str(crew), *wrong, "--csv", "-"])
        assert done.exit_code == 2
    done = CliRunner().invoke(cli, ["plan", str(crew), "--lulls", "fit", "--length", "5", "--csv", "-"])
    assert isinstance(done.exception, PlanError)


def test_without_the_network_level_tells_speech(crew: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    for place in ("speech", "sound_trace"):
        monkeypatch.setattr(f"chronoxis.core.traces.{place}.knows_voices", lambda: False)
    trace = listen(open_source(crew), TraceStore(crew.parent / "traces"))
    assert not trace.by_voice
    found = lulls(LullWish(), heard(trace.speech), None, 0, 90)
    said = [(s.begin, s.end) for s in SENTENCES]
    assert shared(found, said) < 0.3 * sum(end - begin for begin, end in said)
    assert sum(lull.end - lull.begin for lull in found) > 20
    monkeypatch.undo()
    assert listen(open_source(crew), TraceStore(crew.parent / "traces")).by_voice  # now it is known better
