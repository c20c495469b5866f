"""Presets: equal after a file, refused where they are hostile, one code for all who apply them."""

import json
from dataclasses import replace
from fractions import Fraction
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from chronoxis.core.errors import ExportError, PlanError, ProjectFileError
from chronoxis.core.files.preset_file import load_preset, preset_from, preset_json, save_preset
from chronoxis.core.files.presets import (
    is_kept,
    keep_preset,
    own_presets,
    preset_named,
    remove_preset,
    rename_preset,
    shipped_presets,
)
from chronoxis.core.model import arranging
from chronoxis.core.model import preset as presets
from chronoxis.core.model.even_out import EvenOut
from chronoxis.core.model.export_formats import FORMATS, MKV
from chronoxis.core.model.lull_acts import Hurry
from chronoxis.core.model.preset import (
    PARTS,
    AtSpeed,
    EveryNth,
    Preset,
    ThroughLulls,
    ToLength,
    paces_of,
    taken_from,
)
from chronoxis.core.model.preset_words import PART_NAMES, in_words
from chronoxis.core.model.project import Project
from chronoxis.core.model.settings import ResultSettings, SizeWish
from chronoxis.core.model.sound import Manner, Mix, PassageSound
from chronoxis.core.model.steady import Steady, SteadyMode
from chronoxis.core.timing.frame_making import PLAIN, EachFrame, PassersBy
from chronoxis.core.timing.lulls import Lull, LullsBy, LullWish
from chronoxis.core.timing.ramps import Ramp, RampShape
from tests.command_line import chronoxis
from tests.core.test_model import ACCENTS, FRAME_MAKERS, LULL_WISHES, projects
from tests.footage_makers import make_recording, recording_of

SPEEDS = st.fractions(Fraction(1, 4), 60, max_denominator=50)
LENGTHS = st.fractions(Fraction(1), 500, max_denominator=50)
RAMPS = st.builds(Ramp, st.fractions(0, 3, max_denominator=50), st.sampled_from(list(RampShape)))
HURRIES = st.builds(Hurry, SPEEDS, st.fractions(0, 2, max_denominator=10), st.sampled_from(list(RampShape)))
PACES = st.one_of(
    st.builds(AtSpeed, SPEEDS),
    st.builds(ToLength, LENGTHS),
    st.builds(EveryNth, SPEEDS),
    st.builds(ThroughLulls, LULL_WISHES, st.none() | HURRIES, st.none() | LENGTHS, st.none() | SPEEDS),
)
PRESETS = st.builds(
    Preset,
    st.text("abc äß字-./", min_size=1, max_size=60).filter(str.strip),
    st.text(max_size=200),
    st.binary(max_size=50),
    pace=st.none() | PACES,
    ramp=st.none() | RAMPS,
    frames=st.none() | FRAME_MAKERS,
    even_out=st.none() | st.builds(EvenOut, st.floats(0, 1), st.none() | LENGTHS, st.booleans()),
    passers_by=st.none() | st.sampled_from(list(PassersBy)),
    steady=st.none()
    | st.builds(
        Steady, st.sampled_from(list(SteadyMode)), st.floats(0, 1), st.floats(0.01, 0.4), st.booleans()
    ),
    backwards=st.none() | st.booleans(),
    sound=st.none() | st.builds(PassageSound, st.sampled_from(list(Manner)), st.floats(-60, 24)),
    accents=st.none() | st.lists(ACCENTS, max_size=3).map(tuple),
    mix=st.none() | st.builds(Mix, SPEEDS, st.none() | st.floats(-40, -6)),
    rate=st.none() | st.sampled_from([Fraction(24), Fraction(30000, 1001)]),
    export=st.none()
    | st.builds(ResultSettings, st.sampled_from(FORMATS), st.just(SizeWish(height=720)), sound=st.booleans()),
)


def outcome(project: Project, preset: Preset) -> Project | str:
    """What a preset makes of all shots, lulls in the middle of each; or why it cannot."""
    third = {n: (s.span[1] - s.span[0]) / 3 for n, s in enumerate(project.shots)}
    lulls = {n: [Lull(s.span[0] + third[n], s.span[1] - third[n])] for n, s in enumerate(project.shots)}
    try:
        return presets.apply(project, range(len(project.shots)), preset, lulls)
    except PlanError as error:
        return str(error)


@given(projects(), PRESETS)
def test_what_a_file_held_makes_the_equal_project(project: Project, preset: Preset) -> None:
    read = preset_from(json.loads(json.dumps(preset_json(preset))), Path("a.chronoxis-preset"))
    assert read == preset
    made = outcome(project, preset)
    assert outcome(project, read) == made
    assert {part: in_words(preset, part) for part in preset.parts}.keys() == set(preset.parts)
    if isinstance(made, Project):
        assert preset.even_out in (None, made.shots[0].even_out)
        assert preset.backwards in (None, made.shots[-1].backwards)
        assert preset.rate in (None, made.rate)
    assert set(PART_NAMES) == set(PARTS)


@given(projects(), projects())
def test_a_treatment_goes_from_one_shot_to_another(one: Project, other: Project) -> None:
    preset = taken_from(one, 0, "as there")
    made = presets.apply(other, [0], preset)
    again = taken_from(made, 0, "as there")
    assert replace(again, ramp=None) == replace(preset, ramp=None)
    if preset.ramp is not None and len(made.shots[0].passages) > 1:
        assert again.ramp == preset.ramp
    assert made.shots[1:] == other.shots[1:]
    assert {type(pace) for pace in paces_of(one, 0)} == {AtSpeed, ToLength, ThroughLulls}


def test_paces_come_out_as_they_say() -> None:
    project = arranging.begin_with(Project(), recording_of(Path("/f/a.mp4"), Fraction(25), Fraction(240)))
    project = arranging.begin_with(project, recording_of(Path("/f/b.mp4"), Fraction(50), Fraction(100)))
    lulls = {0: [Lull(10, 100)], 1: [Lull(20, 50)]}

    def made(pace: presets.PaceChoice, *shots: int) -> Project:
        return presets.apply(project, shots, Preset("x", pace=pace), lulls)

    assert {p.speed for p in made(AtSpeed(Fraction(12)), 0).shots[0].passages} == {12}
    longer = made(ToLength(Fraction(30)), 0)
    assert float(longer.shots[0].pace.result_length) == pytest.approx(30)
    assert longer.shots[1] == project.shots[1]
    assert made(EveryNth(Fraction(3)), 1).shots[1].passages[0].speed == Fraction(3, 2)
    hurried = made(ThroughLulls(hurry=Hurry(Fraction(8)), rest=Fraction(1)), 0)
    assert [p.speed for p in hurried.shots[0].passages] == [1, 8, 1]
    fitted = made(ThroughLulls(length=Fraction(160), rest=Fraction(1)), 0)
    assert float(fitted.shots[0].pace.result_length) == pytest.approx(160)
    assert len(made(ThroughLulls(hurry=None), 0, 1).shots) == 4
    with pytest.raises(PlanError, match="No lull"):
        presets.apply(project, [0], Preset("x", pace=ThroughLulls()))


def test_shipped_ones_are_whole() -> None:
    shipped = [kept.preset for kept in shipped_presets()]
    assert [preset.name for preset in shipped] == [
        "Sky or city from a tripod",
        "Walk to hyperlapse",
        "Workshop or drawing",
        "Screen recording",
        "Photos of a dawn",
        "Night sky",
        "Rewind",
    ]
    assert all(preset.about and preset.pace for preset in shipped)
    assert [load_preset(kept.path) for kept in shipped_presets()] == shipped  # held to the schema
    assert all(preset.picture.startswith(b"\xff\xd8") for preset in shipped)


def test_ones_own_are_kept_renamed_and_removed(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    first, second = Preset("My dusk / 2", pace=AtSpeed(Fraction(9))), Preset("Other", backwards=True)
    keep_preset(first)
    keep_preset(second)
    keep_preset(replace(first, about="again"))
    own, wrong = own_presets()
    assert [kept.preset for kept in own] == [replace(first, about="again"), second]
    assert not wrong
    with pytest.raises(PlanError, match="Another preset"):
        rename_preset(own[0], "other")
    rename_preset(own[0], "Rewind")
    assert preset_named("REWIND").about == "again"
    assert is_kept("other")
    (own[0].path.parent / "broken.chronoxis-preset").write_text("{")
    remove_preset(own[1])
    own, wrong = own_presets()
    assert [kept.preset.name for kept in own] == ["Rewind"]
    assert len(wrong) == 1
    assert "broken" in wrong[0]
    blocked = tmp_path / "file"
    blocked.touch()
    monkeypatch.setenv("XDG_CONFIG_HOME", str(blocked))
    with pytest.raises(ExportError, match="was not written"):
        keep_preset(first)


HOSTILE: list[tuple[Any, str]] = [
    ([], "not a Chronoxis preset"),
    ({"format": "chronoxis project"}, "not a Chronoxis preset"),
    ({"version": 2}, "newer"),
    ({"evil": 1}, "“evil”"),
    ({"name": " "}, "damaged: A preset needs a name"),
    ({"name": "a\nb"}, "needs a name"),
    ({"name": "x" * 61}, "longer"),
    ({"pace": {"speed": "0"}}, "pace: A speed"),
    ({"pace": {"speed": "1", "length": "2"}}, "pace"),
    ({"pace": {"length": "0"}}, "pace: A result length"),
    ({"pace": {"every": "9" * 3000}}, "pace: A step"),
    ({"rate": "0"}, "damaged: A result has up to"),
    ({"picture": "?"}, "picture: is no picture"),
    ({"accents": [{"look": "laser"}]}, r"accents\[0\]"),
    (
        {"export": {"format": "tape", "size": "as recorded", "quality": "good", "sound": True}},
        "export.format",
    ),
    ({"even_out": {"strength": 2}}, "even_out.strength"),
]


@pytest.mark.parametrize(("wrong", "why"), HOSTILE)
def test_a_hostile_file_is_refused_with_a_line(tmp_path: Path, wrong: Any, why: str) -> None:
    path = tmp_path / "bad.chronoxis-preset"
    sound = {"format": "chronoxis preset", "version": 1, "name": "x", "about": ""}
    path.write_text(json.dumps({**sound, **wrong} if isinstance(wrong, dict) else wrong))
    with pytest.raises(ProjectFileError, match=why) as refused:
        load_preset(path)
    assert "\n" not in str(refused.value)


def test_files_that_are_no_text_or_far_too_large_are_refused(tmp_path: Path) -> None:
    path = tmp_path / "bad.chronoxis-preset"
    for content in (b"\xff\xfe", b"", b"[" * 100_000, b'{"format": "chronoxis preset"' + b" " * 2_000_000):
        path.write_bytes(content)
        with pytest.raises(ProjectFileError, match=r"bad\.chronoxis-preset"):
            load_preset(path)
    with pytest.raises(ProjectFileError, match="cannot be opened"):
        load_preset(tmp_path / "none.chronoxis-preset")


def test_the_command_line_gives_one_to_footage(tmp_path: Path) -> None:
    take = make_recording(tmp_path / "take.mkv", frames=100, size=(64, 48), sound=True)
    kept = Preset(
        "Mine",
        pace=AtSpeed(Fraction(5)),
        frames=replace(PLAIN, each=EachFrame.LONG_EXPOSURE),
        backwards=True,
        rate=Fraction(24),
        export=ResultSettings(MKV, SizeWish(height=24)),
    )
    save_preset(kept, tmp_path / "mine.chronoxis-preset")
    keep_preset(kept)

    def frames(*options: object) -> list[list[str]]:
        done = chronoxis("plan", take, "--csv", "-", *options)
        assert done.returncode == 0, done.stderr
        return [line.split(",") for line in done.stdout.splitlines()]

    by_name, by_file = frames("--preset", "mine"), frames("--preset", tmp_path / "mine.chronoxis-preset")
    assert by_name == by_file
    assert len({row[0] for row in by_name[1:]}) == 20 * 24 // 25 + 1
    assert by_name == frames("--speed", 5, "--each", "long-exposure", "--reverse", "--fps", 24)
    faster = frames("--preset", "mine", "--speed", 10, "--fps", 25, "--each", "one", "--reverse")
    assert faster == frames("--speed", 10, "--each", "one", "--reverse")
    done = chronoxis("condense", take, "--preset", "Mine", "-o", tmp_path / "out.mkv", "--progress", "none")
    assert done.returncode == 0, done.stderr
    lines = chronoxis("presets", "list").stdout.splitlines()
    assert lines[0].startswith("Mine")
    assert len(lines) == 8
    assert "long exposure" in chronoxis("presets", "show", "mine").stdout
    told = json.loads(chronoxis("presets", "show", "mine", "--json").stdout)
    assert told["pace"] == {"speed": "5"}
    wrong = chronoxis("plan", take, "--csv", "-", "--preset", "nothing")
    assert wrong.returncode == 2
    assert "There is no preset" in wrong.stderr


def test_lulls_of_a_preset_are_found_on_the_command_line(tmp_path: Path) -> None:
    take = make_recording(tmp_path / "take.mkv", frames=300, size=(64, 48), sound=True)
    kept = Preset("x", pace=ThroughLulls(LullWish(LullsBy.SPEECH), Hurry(Fraction(6)), rest=Fraction(1)))
    save_preset(kept, tmp_path / "x.chronoxis-preset")
    done = chronoxis("plan", take, "--csv", "-", "--preset", tmp_path / "x.chronoxis-preset")
    assert done.returncode == 0, done.stderr
    assert len(done.stdout.splitlines()) < 200
