"""Findings about a plan: they are there where something looks wrong, and their press mends it."""

import json
from collections.abc import Callable
from dataclasses import dataclass, replace
from fractions import Fraction
from pathlib import Path
from types import SimpleNamespace

import av
import cv2
import numpy as np
import pytest
from platformdirs import user_config_path

from chronoxis.core.checks.check import Check, Known
from chronoxis.core.checks.checks import checks_of
from chronoxis.core.checks.glances import ShotGlance, glance_at
from chronoxis.core.checks.regular_motion import PICTURES
from chronoxis.core.files.kept_limits import keep_limits, kept_limits, limits_named
from chronoxis.core.files.project_file import save_project
from chronoxis.core.footage.kinds import footage_of, open_source
from chronoxis.core.footage.reader_pool import FreshReaders
from chronoxis.core.footage.source import Source
from chronoxis.core.model import arranging, correcting, joining, making, pacing, put_aside, sounding
from chronoxis.core.model.accent import STEADY, Accent, Flash
from chronoxis.core.model.beats import Beats
from chronoxis.core.model.composing import set_framings
from chronoxis.core.model.framing import Fit, Framing, parse_steps
from chronoxis.core.model.join import Join, Side, Surge
from chronoxis.core.model.limits import SHIPPED, Limits
from chronoxis.core.model.music import Credit
from chronoxis.core.model.project import Place, Project
from chronoxis.core.model.sound import Manner
from chronoxis.core.model.steady import Steady, SteadyMode
from chronoxis.core.render.plan import Plan
from chronoxis.core.render.planning import make_plan
from chronoxis.core.timing.frame_making import EachFrame, PassersBy
from chronoxis.core.timing.ramps import Ramp
from chronoxis.core.traces.picture_trace import PictureTrace
from chronoxis.core.traces.sound_trace import SoundTrace
from tests.command_line import chronoxis
from tests.footage_makers import make_recording, write_pictures

ONLY = Place(0, 0)
FRAMES = 500


@dataclass
class Made:
    """A project over one recording, what is known of it, and how it is changed."""

    source: Source
    music: Source
    project: Project
    known: Known

    @classmethod
    def of(cls, source: Source, music: Source) -> "Made":
        project = arranging.begin_with(Project(), footage_of(source.facts))
        project = replace(project, canvas=source.facts.picture.canvas)
        project = pacing.set_speed(project, [ONLY], Fraction(1))
        trace = PictureTrace.blank(FRAMES, 1)
        trace.known[:] = True
        trace.light[:] = 0.3
        trace.motion[:] = 0.01
        levels = SoundTrace(np.full(2000, 0.2, np.float16), is_whole=True)
        key = project.footage[0].key
        known = Known({key: trace}, {key: levels, "tune": levels}, loudness=-15.0)
        return cls(source, music, project, known)

    @property
    def trace(self) -> PictureTrace:
        return next(iter(self.known.pictures.values()))

    def edit(self, change: Callable[[Project], Project]) -> "Made":
        self.project = change(self.project)
        return self

    def speed(self, speed: Fraction | int) -> "Made":
        return self.edit(lambda p: pacing.set_speed(p, p.places(), Fraction(speed)))

    def each(self, each: EachFrame) -> "Made":
        return self.edit(lambda p: making.set_each_frame(p, p.places(), each))

    def lay_music(self) -> "Made":
        def laid(project: Project) -> Project:
            project = arranging.begin_with(project, footage_of(self.music.facts))
            music = project.footage[-1].key
            return sounding.set_credit(project, music, Credit("Tune", "A. Lark", "CC BY 4.0", ""))

        return self.edit(laid)

    def two_shots(self) -> "Made":
        return self.edit(lambda p: arranging.cut_shot(p, 0, Fraction(10)))

    @property
    def plan(self) -> Plan:
        sources = {
            footage.key: self.source if footage.has_pictures else self.music
            for footage in self.project.footage
        }
        return make_plan(self.project, sources, self.known.pictures)

    def found(self, kind: str) -> list[Check]:
        return [check for check in checks_of(self.plan, self.known) if check.kind == kind]


@pytest.fixture(scope="module")
def sources(tmp_path_factory: pytest.TempPathFactory) -> tuple[Source, Source]:
    folder = tmp_path_factory.mktemp("checked")
    take = make_recording(folder / "take.mkv", frames=FRAMES, sound=True)
    with_sound = make_recording(folder / "tune.mkv", frames=FRAMES, sound=True)
    tune = folder / "tune.wav"
    with av.open(str(with_sound)) as read, av.open(str(tune), "w") as written:
        stream = written.add_stream("pcm_s16le", rate=48000, layout="stereo")
        resampler = av.AudioResampler("s16", "stereo", 48000)
        for frame in read.decode(audio=0):
            for out in resampler.resample(frame):
                written.mux(stream.encode(out))
        written.mux(stream.encode(None))
    return open_source(take), open_source(tune)


@pytest.fixture
def made(sources: tuple[Source, Source]) -> Made:
    return Made.of(*sources)


def moving(share: float, motion: float = 0.01) -> Callable[[Made], Made]:
    def change(made: Made) -> Made:
        made.trace.changed[:] = share
        made.trace.motion[:] = motion
        return made

    return change


def flickering(made: Made) -> Made:
    made.trace.steps[:] = np.diff(np.random.default_rng(1).normal(0, 0.06, FRAMES + 1))[:, None]
    return made


def dawning(made: Made) -> Made:
    made.trace.steps[:] = 0.02
    return made


def crossed(made: Made) -> Made:
    made.trace.covered[240:250] = 0.6
    return made


def darker_from_the_middle(made: Made) -> Made:
    made.trace.light[250:] = 0.04
    return made.two_shots()


def louder_from_the_middle(made: Made) -> Made:
    levels = np.full(2000, 0.02, np.float16)
    levels[1000:] = 0.6
    key = made.project.footage[0].key
    made.known = replace(made.known, sounds={key: SoundTrace(levels, is_whole=True)})
    return made.two_shots()


def too_loud(made: Made) -> Made:
    levels = np.full(2000, 0.2, np.float16)
    levels[::20] = 1.0
    key = made.project.footage[0].key
    made.known = replace(made.known, sounds={key: SoundTrace(levels, is_whole=True)})
    return made


def doubled(made: Made) -> Made:
    made.trace.motion[50:450:40] = 0
    return made


def short_ramp(made: Made) -> Made:
    made.edit(lambda p: pacing.divide(p, 0, Fraction(1)))
    made.edit(lambda p: pacing.set_speed(p, [Place(0, 1)], Fraction(4)))
    return made.edit(
        lambda p: p.with_passage(Place(0, 0), replace(p.passage(Place(0, 0)), ramp=Ramp(Fraction(9))))
    )


def surging(seconds: int) -> Callable[[Made], Made]:
    surge = Surge(Fraction(4), Side(Fraction(seconds)), Side(Fraction(seconds)))

    def change(made: Made) -> Made:
        made.two_shots()
        made.edit(lambda p: pacing.set_speed(p, p.places(), Fraction(2)))
        return made.edit(lambda p: joining.set_join(p, [0], Join(surge)))

    return change


def flashing(stops: float) -> Callable[[Made], Made]:
    accents = (Accent(Flash(stops=stops), STEADY),)
    return lambda made: made.edit(lambda p: joining.set_accents(p, lambda _: accents, shots=[0]))


def framed(steps: str) -> Callable[[Made], Made]:
    return lambda made: made.edit(lambda p: set_framings(p, {0: Framing(parse_steps(steps))}))


def seen(blown: float, black: float) -> Callable[[Made], Made]:
    def change(made: Made) -> Made:
        made.known = replace(made.known, glances={0: ShotGlance(blown, black)})
        return made

    return change


def known_as(**known: object) -> Callable[[Made], Made]:
    def change(made: Made) -> Made:
        made.known = replace(made.known, **known)  # type: ignore[arg-type]
        return made

    return change


def uncredited(project: Project) -> Project:
    return sounding.set_credit(project, project.footage[-1].key, Credit("", "", "", ""))


def on_beats(apart: float) -> Callable[[Made], Made]:
    """Divided every so many seconds, over music with a beat twice a second."""

    def change(made: Made) -> Made:
        made.lay_music()
        key = made.project.footage[-1].key
        heard = replace(made.known.sounds["tune"], beats=Beats(tuple(np.arange(0, 20, 0.5).tolist())))
        made.known = replace(made.known, sounds={**made.known.sounds, key: heard})
        for number in range(1, 9):
            made.project = pacing.divide(made.project, 0, Fraction(str(apart)) * number)
        return made

    return change


def limited(**limits: object) -> Callable[[Made], Made]:
    return known_as(limits=Limits("a place", **limits))  # type: ignore[arg-type]


def regular(rate: float) -> Callable[[Made], Made]:
    def change(made: Made) -> Made:
        made.known = replace(made.known, glances={0: ShotGlance(0, 0, ((250, rate),))})
        return made

    return change


def nothing(made: Made) -> Made:
    return made


Change = Callable[[Made], Made]
TABLE: dict[str, tuple[Change, Change]] = {
    # the kind of finding: what has it, and what is as near to that and has it not
    "judder": (lambda m: m.speed(Fraction(8, 5)), lambda m: m.speed(2)),
    "low rate": (
        lambda m: m.speed(8).edit(lambda p: arranging.set_rate(p, Fraction(10))),
        lambda m: m.edit(lambda p: arranging.set_rate(p, Fraction(10))).speed(1),
    ),
    "repeats": (lambda m: m.speed(Fraction(1, 2)), lambda m: m.speed(1)),
    "choppy": (lambda m: moving(0.3)(m).speed(8), lambda m: moving(0.05)(m).speed(8)),
    "smeared": (
        lambda m: moving(0.4)(m).speed(10).each(EachFrame.LONG_EXPOSURE),
        lambda m: moving(0.05)(m).speed(10).each(EachFrame.LONG_EXPOSURE),
    ),
    "clear": (
        lambda m: m.speed(2).each(EachFrame.CLEAR),
        lambda m: m.speed(4).each(EachFrame.CLEAR),
    ),
    "flash": (flashing(5), flashing(1)),
    "flicker": (flickering, dawning),
    "passers-by": (
        crossed,
        lambda m: crossed(m).edit(lambda p: correcting.set_passers_by(p, [0], PassersBy.SKIP)),
    ),
    "enlarged": (framed("20,10,48,32"), framed("4,4,90,60")),
    "light at a cut": (darker_from_the_middle, lambda m: m.two_shots()),
    "level at a cut": (louder_from_the_middle, lambda m: m.two_shots()),
    "sound clipped": (too_loud, nothing),
    "silent": (
        lambda m: m.edit(lambda p: sounding.set_manner(p, p.places(), Manner.SILENT)),
        lambda m: m.edit(lambda p: sounding.set_manner(p, p.places(), Manner.SILENT)).lay_music(),
    ),
    "music without credit": (
        lambda m: m.lay_music().edit(uncredited),
        lambda m: m.lay_music(),
    ),
    "music ends early": (
        lambda m: m.speed(Fraction(1, 2)).lay_music(),
        lambda m: m.speed(2).lay_music(),
    ),
    "beats": (on_beats(0.5), on_beats(0.37)),
    "loudness": (known_as(loudness=-30.0), known_as(loudness=-16.0)),
    "footage": (lambda m: known_as(altered=frozenset({m.project.footage[0].key}))(m), nothing),
    "doubled": (doubled, nothing),
    "overexposed": (seen(0.3, 0), seen(0.01, 0)),
    "underexposed": (seen(0, 0.7), seen(0, 0.2)),
    "strobing": (
        lambda m: regular(0.125)(m).speed(8),
        lambda m: regular(0.125)(m).speed(8).each(EachFrame.LONG_EXPOSURE),
    ),
    "too long": (limited(longest=Fraction(5)), limited(longest=Fraction(25))),
    "shape": (limited(shape=Fraction(9, 16)), limited(shape=Fraction(3, 2))),
    "rate": (limited(fastest=Fraction(24)), limited(fastest=Fraction(25))),
    "too large": (
        lambda m: known_as(expected=30_000_000)(limited(largest=16_000_000)(m)),
        lambda m: known_as(expected=12_000_000)(limited(largest=16_000_000)(m)),
    ),
    "room": (known_as(expected=10**9, free=10**9), known_as(expected=10**8, free=10**9)),
    "ramp shortened": (short_ramp, lambda m: m.edit(lambda p: pacing.divide(p, 0, Fraction(1)))),
    "Surge shortened": (surging(4), surging(1)),
}  # fmt: skip


WHAT_IS_NOT_PLANNED = ("too large",)  # what mends it shows in the next estimate


@pytest.mark.parametrize("kind", TABLE)
def test_a_flaw_is_found_where_it_is_and_not_where_it_is_not(
    made: Made, sources: tuple[Source, Source], kind: str
) -> None:
    has, has_not = TABLE[kind]
    (check, *_) = has(made).found(kind)
    assert check.words.endswith(".")
    assert 0 <= check.at <= float(made.plan.schedule.length)
    assert bool(check.mend) == (check.edit is not None)
    if check.edit is not None and kind not in WHAT_IS_NOT_PLANNED:
        made.project = check.edit(made.project)
        assert check.key not in [each.key for each in made.found(kind)]
    assert has_not(Made.of(*sources)).found(kind) == []


def test_a_finding_is_told_from_others_wherever_its_shot_goes(made: Made) -> None:
    crossed(made).two_shots()
    made.trace.covered[400:410] = 0.6
    one, other = made.found("passers-by")
    assert one.key != other.key
    before = {one.key, other.key}
    made.edit(lambda p: arranging.move_shot(p, 0, 1))
    assert {check.key for check in made.found("passers-by")} == before
    aside = put_aside.put_aside(put_aside.put_aside(made.project, one.key), one.key)
    assert aside.aside == (one.key,)
    assert put_aside.take_up(aside, one.key) == made.project


def test_white_and_black_are_seen(tmp_path: Path) -> None:
    path = tmp_path / "lamp.mkv"
    with av.open(str(path), "w") as container:
        stream = container.add_stream("libx264", rate=25)
        stream.width, stream.height, stream.pix_fmt = 320, 180, "yuv420p"
        for _ in range(20):
            codes = np.full((180, 320, 3), 110, np.uint8)
            codes[:60, :160] = 255  # a sixth
            codes[60:, :] = 0
            container.mux(stream.encode(av.VideoFrame.from_ndarray(codes, "rgb24")))
        container.mux(stream.encode(None))
    seen_ = glance_at(open_source(path), 0, 20, FreshReaders())
    assert seen_.blown == pytest.approx(1 / 6, abs=0.02)
    assert seen_.black == pytest.approx(2 / 3, abs=0.02)


def test_clear_says_where_it_has_too_few_frames(tmp_path: Path) -> None:
    take = make_recording(tmp_path / "take.mkv", frames=500)
    said = chronoxis(
        "condense", take, "-o", tmp_path / "out.mkv", "--speed", "2", "--each", "clear", "--progress", "none"
    )
    assert said.returncode == 0
    assert "250 frames are to be clear but are made of fewer than 3 recorded ones" in said.stderr


_SCENE = cv2.GaussianBlur(np.random.default_rng(2).normal(0, 1, (270, 700)), (0, 0), 4)
_SCENE = 100 + 35 * _SCENE / _SCENE.std()


def fence(number: int, step: float) -> np.ndarray:
    """Pickets 16 pixels apart, on a field that stands."""
    drawn = _SCENE[:, :480].copy()
    drawn[120:220][:, (np.arange(480) - step * number) % 16 < 6] = 200
    return drawn


def wheel(number: int, turn: float) -> np.ndarray:
    """Ten spokes that turn, radians a picture."""
    drawn = _SCENE[:, :480].astype(np.float32)
    for spoke in range(10):
        angle = turn * number + 2 * np.pi * spoke / 10
        rim = round(240 + 60 * np.cos(angle)), round(135 + 60 * np.sin(angle))
        cv2.line(drawn, (240, 135), rim, 220, 3, cv2.LINE_AA)
    return drawn


def panned(number: int, step: float) -> np.ndarray:
    return np.asarray(_SCENE[:, round(step * number) :][:, :480])


def lit(number: int, _step: float) -> np.ndarray:
    return np.asarray(_SCENE[:, :480] * (1 + 0.15 * np.sin(2 * np.pi * 0.2 * number)))


@pytest.mark.sampled(2)
@pytest.mark.parametrize(
    ("draw", "step", "rate"),
    [
        (fence, 2, 2 / 16), (fence, 4, 4 / 16), (wheel, 0.1, 0.5 / np.pi), (wheel, 0.2, 1 / np.pi),
        (fence, 0, 0), (wheel, 0, 0), (panned, 1, 0), (panned, 2.5, 0), (panned, 6, 0), (lit, 0, 0),
    ],
)  # fmt: skip
def test_something_regular_is_told_from_what_only_moves(
    tmp_path: Path, draw: Callable[[int, float], np.ndarray], step: float, rate: float
) -> None:
    noise = np.random.default_rng(7)
    pictures = (draw(number, step) + noise.normal(0, 3, (270, 480)) for number in range(PICTURES))
    path = write_pictures(tmp_path / "a.mp4", pictures, size=(480, 270), rate=25)
    glance = glance_at(open_source(path), 0, PICTURES, FreshReaders())
    found = [found for _, found in glance.passing]
    assert found == pytest.approx([rate] * len(found), abs=0.02)
    assert bool(found) == bool(rate)


def test_frames_that_lack_are_told_from_a_rate_that_varies(tmp_path: Path) -> None:
    stamps = [number for number in range(160) if number not in (40, 41, 97)]
    lacking = make_recording(tmp_path / "lacking.mkv", frames=157, stamps=stamps)
    varied = np.cumsum(np.random.default_rng(3).choice([1, 2], 157)).tolist()
    varying = make_recording(tmp_path / "varying.mkv", frames=157, stamps=varied)
    for path, lacks in ((lacking, "lacks 3 frames"), (varying, "")):
        source = open_source(path)
        project = arranging.begin_with(Project(), footage_of(source.facts))
        plan = make_plan(project, {project.footage[0].key: source})
        found = [check.words for check in checks_of(plan, Known()) if check.kind == "dropped"]
        assert len(found) == bool(lacks)
        assert all(lacks in words for words in found)


def test_shots_between_bars_among_others_are_told(tmp_path: Path) -> None:
    paths = [make_recording(tmp_path / "a.mkv"), make_recording(tmp_path / "b.mkv", size=(64, 96))]
    opened = [open_source(path) for path in paths]
    project = Project()
    for source in opened:
        project = arranging.begin_with(project, footage_of(source.facts))
    project = replace(project, canvas=opened[0].facts.picture.canvas)
    sources = {footage.key: source for footage, source in zip(project.footage, opened, strict=True)}
    barred = set_framings(project, {1: Framing(fit=Fit.BARS)})
    (check,) = [c for c in checks_of(make_plan(barred, sources), Known()) if c.kind == "bars"]
    assert check.edit is not None
    mended = make_plan(check.edit(barred), sources)
    assert not [c for c in checks_of(mended, Known()) if c.kind == "bars"]


def test_a_project_is_checked_on_the_command_line(tmp_path: Path) -> None:
    take = make_recording(tmp_path / "take.mkv", frames=100)
    project = arranging.begin_with(Project(), footage_of(open_source(take).facts))
    project = pacing.set_speed(project, [ONLY], Fraction(8, 5))
    save_project(project, tmp_path / "film.chronoxis")
    told = chronoxis("plan", tmp_path / "film.chronoxis", "--checks", "--json")
    assert told.returncode == 0, told.stderr
    (judder,) = [entry for entry in json.loads(told.stdout) if entry["kind"] == "judder"]
    assert judder["mend"] == "Take 2×"
    assert not judder["aside"]
    save_project(put_aside.put_aside(project, judder["key"]), tmp_path / "film.chronoxis")
    said = chronoxis("plan", tmp_path / "film.chronoxis", "--checks")
    assert "judder" in said.stdout
    assert "(put aside)" in said.stdout
    wrong = chronoxis("plan", tmp_path / "film.chronoxis", "--json")
    assert wrong.returncode == 2


def test_what_places_take_is_kept_and_a_damaged_table_is_none() -> None:
    assert kept_limits() == SHIPPED
    mine = (Limits("the hall", Fraction(90), 8_000_000, Fraction(16, 9), Fraction(30000, 1001)), Limits("b"))
    keep_limits(mine)
    assert kept_limits() == mine
    assert limits_named("the hall") == mine[0]
    assert limits_named("nowhere") is None
    path = user_config_path("chronoxis") / "places.json"
    for text, left in (
        ("{", SHIPPED), ('{"a": 1}', SHIPPED), ("[]", ()),
        ('[{"name": ""}, {"name": "c"}, 5, {"nme": 1}]', (Limits("c"),)),
        ('[{"name": "c", "longest": "-1"}, {"name": "d", "shape": "9/0"}]', ()),
    ):  # fmt: skip
        path.write_text(text)
        assert kept_limits() == left


def test_steadying_that_gives_up_too_much_is_told(made: Made) -> None:
    wish = Steady(SteadyMode.SMOOTH, crop=0.4)
    made.edit(lambda p: correcting.set_steady(p, [0], wish))
    for crop, told in ((0.25, True), (0.08, False)):
        course = SimpleNamespace(crop=crop, lost=np.zeros(FRAMES, np.bool_), first=0)
        plan = replace(made.plan, steadied=(course,))  # type: ignore[arg-type]
        found = [check for check in checks_of(plan, Known()) if check.kind == "picture given up"]
        assert bool(found) == told
        for check in found:
            assert check.edit is not None
            assert check.edit(made.project).shots[0].steady.crop == 0.1
