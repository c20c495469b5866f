"""Timelines that other programs wrote: each plays the frames that they show, or what it does not is named."""

import json
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, field
from fractions import Fraction
from math import ceil, floor
from pathlib import Path
from typing import Any

import opentimelineio as otio
import pytest
from hypothesis import given
from hypothesis import strategies as st

from chronoxis.core.errors import ProjectFileError
from chronoxis.core.files.imported import Imported
from chronoxis.core.files.interchange import export_timeline, import_timeline
from chronoxis.core.files.project_file import as_json, from_json
from chronoxis.core.footage.absent import AbsentSource
from chronoxis.core.footage.kinds import open_source, settled
from chronoxis.core.model.photo_run import PhotoRun
from chronoxis.core.model.project import Project
from chronoxis.core.render.planning import make_plan
from tests.footage_makers import make_recording
from tests.photo_makers import make_photos

COUNT = {"take": 400, "quick": 600, "ntsc": 300}  # frames that the recordings hold
RATES = {"take": Fraction(24), "quick": Fraction(60), "ntsc": Fraction(30000, 1001)}


def written_elsewhere(
    path: Path,
    *items: Any,
    rate: float = 24.0,
    markers: Sequence[Any] = (),
    more: Callable[[Any], None] = lambda timeline: None,
) -> Path:
    """A timeline as another program writes it: one picture track."""
    track = otio.schema.Track(kind=otio.schema.TrackKind.Video, children=list(items))
    track.markers.extend(markers)
    start = otio.opentime.RationalTime(0, rate)
    timeline = otio.schema.Timeline(name="cut", tracks=[track], global_start_time=start)
    more(timeline)
    path.write_text(timeline.to_json_string())
    return path


def clip_of(file: Path | str, begin: float | None, frames: float, *, rate: float = 24.0, **more: Any) -> Any:
    """A clip of so many frames; without a beginning it names no range."""
    url = file.as_uri() if isinstance(file, Path) else file
    reference = more.pop("reference", None) or otio.schema.ExternalReference(target_url=url)
    span = None if begin is None else range_of(begin, frames, rate)
    return otio.schema.Clip(name="take", media_reference=reference, source_range=span, **more)


def range_of(begin: float, frames: float, rate: float = 24.0) -> Any:
    times = (otio.opentime.RationalTime(value, rate) for value in (begin, frames))
    return otio.opentime.TimeRange(*times)


def opened(imported: Imported) -> Project:
    """With its footage counted."""
    project = imported.project
    for footage in project.footage:
        if not footage.counted:
            project = settled(project, footage, open_source(footage.files[0]))
    return project


@dataclass(frozen=True)
class Foreign:
    """A timeline as some program writes it, and what has to become of it.

    Attributes:
        items: what its picture track holds, made from the paths of the recordings by their names.
        rate: frames a second that it counts in.
        named: words that have to be said of it.
        skipped: places of items that are not played, but named.
        more: further changes of the timeline.
    """

    items: Callable[[dict[str, Path]], list[Any]]
    rate: float = 24.0
    named: tuple[str, ...] = ()
    skipped: tuple[int, ...] = ()
    more: Callable[[Any], None] = field(default=lambda timeline: None)


def warped(*scalars: float) -> list[Any]:
    return [otio.schema.LinearTimeWarp(time_scalar=scalar) for scalar in scalars]


def said_to_hold(path: Path, begin: float, frames: float, rate: float = 24.0) -> Any:
    return otio.schema.ExternalReference(
        target_url=path.as_uri(), available_range=range_of(begin, frames, rate)
    )


def disabled(clip: Any) -> Any:
    clip.enabled = False
    return clip


def sequence_of(folder: Path, **choices: Any) -> Any:
    return otio.schema.ImageSequenceReference(
        target_url_base=folder.as_uri(), name_prefix="IMG_", name_suffix=".png", frame_zero_padding=4,
        **{"start_frame": 101, "rate": 24, "available_range": range_of(101, 24)} | choices,
    )  # fmt: skip


def inner_stack(path: Path) -> Any:
    track = otio.schema.Track(kind=otio.schema.TrackKind.Video, children=[clip_of(path, 0, 24)])
    return otio.schema.Stack(name="opening", children=[track])


def with_track(kind: str, path: Path) -> Callable[[Any], None]:
    def more(timeline: Any) -> None:
        timeline.tracks.append(otio.schema.Track(kind=kind, children=[clip_of(path, 0, 48)]))

    return more


def with_range(timeline: Any) -> None:
    timeline.tracks[0].source_range = range_of(0, 12)


def transition() -> Any:
    half = otio.opentime.RationalTime(6, 24)
    return otio.schema.Transition(
        name="dissolve", transition_type="SMPTE_Dissolve", in_offset=half, out_offset=half
    )


VIDEO, AUDIO = otio.schema.TrackKind.Video, otio.schema.TrackKind.Audio
FOREIGN = {
    "cuts": Foreign(lambda of: [clip_of(of["take"], 12, 24), clip_of(of["take"], 100, 48)]),
    "whole files": Foreign(lambda of: [clip_of(of["take"], None, 0), clip_of(of["quick"], 60, 60, rate=60)]),
    "a file said to be shorter": Foreign(
        lambda of: [clip_of(of["take"], 10, 40, reference=said_to_hold(of["take"], 0, 50))]
    ),
    "time of day": Foreign(
        lambda of: [clip_of(of["take"], 86400 + 33, 24, reference=said_to_hold(of["take"], 86400, 400))]
    ),
    "a quicker file, counted in the timeline's frames": Foreign(lambda of: [clip_of(of["quick"], 24, 48)]),
    "a quicker file, counted in its own": Foreign(
        lambda of: [clip_of(of["take"], 0, 24), clip_of(of["quick"], 90, 120, rate=60.0)]
    ),
    "NTSC, rounded": Foreign(lambda of: [clip_of(of["ntsc"], 30, 60, rate=29.97)], rate=29.97),
    "film at NTSC's rate": Foreign(lambda of: [clip_of(of["take"], 24, 72, rate=23.976)], rate=23.976),
    "a clock's ticks": Foreign(lambda of: [clip_of(of["take"], 45_000, 180_000, rate=90_000.0)]),
    "milliseconds": Foreign(lambda of: [clip_of(of["take"], 500, 2_000, rate=1000.0)]),
    "twice as quick": Foreign(lambda of: [clip_of(of["take"], 24, 48, effects=warped(2.0))]),
    "half as quick": Foreign(lambda of: [clip_of(of["take"], 24, 48, effects=warped(0.5))]),
    "an odd speed": Foreign(lambda of: [clip_of(of["take"], 24, 48, effects=warped(3.7))]),
    "two effects": Foreign(lambda of: [clip_of(of["take"], 24, 48, effects=warped(4.0, 0.5))]),
    "a clip that stands": Foreign(
        lambda of: [
            clip_of(of["take"], 48, 24, effects=[otio.schema.FreezeFrame()]),
            clip_of(of["take"], 96, 24, effects=warped(0.0)),
        ]
    ),
    "an effect of its own": Foreign(
        lambda of: [clip_of(of["take"], 0, 24, effects=[otio.schema.Effect(effect_name="bloom")])],
        named=("bloom",),
    ),
    "gaps": Foreign(
        lambda of: [
            otio.schema.Gap(source_range=range_of(0, 36)),
            clip_of(of["take"], 0, 24),
            otio.schema.Gap(source_range=range_of(0, 12)),
            clip_of(of["take"], 240, 24),
        ],
        named=("A gap at 0:00.00, 0:01.50 long", "A gap at 0:02.50, 0:00.50 long"),
        skipped=(0, 2),
    ),
    "transitions": Foreign(
        lambda of: [clip_of(of["take"], 24, 24), transition(), clip_of(of["take"], 200, 24)],
        named=("“dissolve” at 0:01.00 was left out",),
        skipped=(1,),
    ),
    "a disabled clip": Foreign(
        lambda of: [clip_of(of["take"], 24, 24), disabled(clip_of(of["take"], 48, 24))],
        named=("“take” at 0:01.00, 0:01.00 long, is disabled there",),
        skipped=(1,),
    ),
    "a stack": Foreign(
        lambda of: [inner_stack(of["quick"]), clip_of(of["take"], 24, 24)],
        named=("“opening” at 0:00.00, 0:01.00 long, was left out",),
        skipped=(0,),
    ),
    "a track's own range": Foreign(
        lambda of: [clip_of(of["take"], 24, 24)], named=("track's own range",), more=with_range
    ),
    "a sequence": Foreign(
        lambda of: [clip_of("", 107, 12, reference=sequence_of(of["photos"]))],
    ),
    "a sequence at NTSC's rate": Foreign(
        lambda of: [
            clip_of(
                "",
                107,
                12,
                rate=23.976,
                reference=sequence_of(of["photos"], rate=23.976, available_range=range_of(101, 24, 23.976)),
            )
        ],
        rate=23.976,
    ),
    "every other photo": Foreign(
        lambda of: [
            clip_of(
                "",
                101,
                6,
                rate=12,
                reference=sequence_of(
                    of["photos"], frame_step=2, rate=12, available_range=range_of(101, 12, 12)
                ),
            )
        ],
    ),
    "a still": Foreign(lambda of: [clip_of(of["photos"] / "IMG_0103.png", 0, 72)]),
    "sound beside": Foreign(
        lambda of: [clip_of(of["take"], 24, 24)],
        named=("1 further track was left out",),
        more=with_track(AUDIO, Path("/none.wav")),
    ),
    "two picture tracks": Foreign(
        lambda of: [clip_of(of["take"], 24, 24)],
        named=("1 further track was left out",),
        more=with_track(VIDEO, Path("/other.mov")),
    ),
    "no file": Foreign(
        lambda of: [
            clip_of("", 0, 24, reference=otio.schema.MissingReference()),
            clip_of("", 0, 24, reference=otio.schema.GeneratorReference(generator_kind="bars")),
            clip_of(of["take"], 24, 24),
        ],
        named=("“take” at 0:00.00", "“take” at 0:01.00", "names no file"),
        skipped=(0, 1),
    ),
    "beyond the file": Foreign(
        lambda of: [clip_of(of["take"], 380, 48, reference=said_to_hold(of["take"], 0, 400))],
        named=("reaches beyond what its file is said to hold",),
    ),
    "beside the timeline": Foreign(
        lambda of: [clip_of("a%20walk/over%20100%25.mkv", 24, 24)],
    ),
    "parts of frames": Foreign(lambda of: [clip_of(of["take"], 12.5, 24), clip_of(of["quick"], 7.25, 24)]),
}


@pytest.fixture(scope="module")
def recorded(tmp_path_factory: pytest.TempPathFactory) -> dict[str, Path]:
    folder = tmp_path_factory.mktemp("elsewhere")
    made = {
        name: make_recording(folder / f"{name}.mkv", frames=count, rate=RATES[name], size=(32, 16))
        for name, count in COUNT.items()
    }
    (folder / "a walk").mkdir()
    (folder / "a walk" / "over 100%.mkv").hardlink_to(made["take"])
    return made | {"photos": make_photos(folder / "Dawn", range(101, 125)), "here": folder}


def read_independently(items: list[Any], rate: Fraction, skipped: tuple[int, ...]) -> list[tuple[str, int]]:
    """File and frame of each result frame, by the ranges and effects of the items alone."""
    shown = []
    for place, item in enumerate(items):
        if place in skipped:
            continue
        reference = item.media_reference
        if isinstance(reference, otio.schema.ImageSequenceReference):
            name, count = "Dawn", reference.number_of_images_in_sequence()
            own = 1 / exact(otio.opentime.RationalTime(1, reference.rate)) / reference.frame_step
        elif reference.target_url.endswith("png"):
            name, own, count = "IMG_0103", Fraction(1), 1
        else:
            name = "take" if "walk" in reference.target_url else Path(reference.target_url).stem
            own, count = RATES[name], COUNT[name]
        known = reference.available_range
        span = item.source_range or range_of(0, count, float(own))
        begin = exact(span.start_time) - (exact(known.start_time) if known else 0)
        scalar = Fraction(1)
        for effect in item.effects:
            freezes = isinstance(effect, otio.schema.FreezeFrame)
            of_this = 0.0 if freezes else getattr(effect, "time_scalar", 1.0)
            scalar *= Fraction(of_this).limit_denominator(1000)
        ats = [(begin + number / rate * scalar) * own for number in range(ceil(exact(span.duration) * rate))]
        shown += [(name, min(floor(at), count - 1)) for at in ats if at < count or count == 1]
    return shown


def exact(time: Any) -> Fraction:
    rate = Fraction(time.rate).limit_denominator(1001)
    rounded = {Fraction(2997, 100): Fraction(30000, 1001), Fraction(2997, 125): Fraction(24000, 1001)}
    return Fraction(time.value) / rounded.get(rate, rate)


@pytest.mark.sampled(10)
@pytest.mark.parametrize("name", FOREIGN)
def test_a_timeline_plays_what_its_own_numbers_say(name: str, recorded: dict[str, Path]) -> None:
    foreign = FOREIGN[name]
    items = foreign.items(recorded)
    path = written_elsewhere(
        recorded["here"] / f"{name.replace(' ', '-')}.otio", *items, rate=foreign.rate, more=foreign.more
    )
    taken = import_timeline(path)
    said = " ".join(taken.notes)
    for words in foreign.named:
        assert words in said
    assert bool(taken.notes) == bool(foreign.named), said
    project = opened(taken)
    plan = make_plan(project, {each.key: open_source(each.origin) for each in project.footage})
    rate = 1 / exact(otio.opentime.RationalTime(1, foreign.rate))
    assert project.rate == rate
    expected = read_independently(items, rate, foreign.skipped)
    schedule = plan.schedule
    of_shots = [shot.footage.replace("over 100%", "take") for shot in project.shots]
    shown = [
        (of_shots[shot], frame)
        for shot, frame in zip(schedule.shots.tolist(), schedule.frames.tolist(), strict=True)
    ]
    assert len(shown) == len(expected)
    wrong = [
        (n, mine, theirs)
        for n, (mine, theirs) in enumerate(zip(shown, expected, strict=True))
        if mine != theirs
    ]
    assert not wrong, (len(wrong), wrong[:6])


def test_a_rounded_rate_of_a_sequence_is_that_of_the_clips_of_it(recorded: dict[str, Path]) -> None:
    items = FOREIGN["a sequence at NTSC's rate"].items(recorded)
    (run,) = import_timeline(written_elsewhere(recorded["here"] / "rates.otio", *items)).project.footage
    assert run.stored_rate == Fraction(24000, 1001)


def test_clips_are_as_long_as_timelines_say_whatever_the_file_holds(tmp_path: Path) -> None:
    take = make_recording(tmp_path / "take.mkv", frames=400, rate=Fraction(60))
    short = otio.schema.ExternalReference(target_url=take.as_uri(), available_range=range_of(0, 50))
    for clip in (clip_of(take, 0, 50), clip_of(take, 0, 50, reference=short)):
        project = opened(import_timeline(written_elsewhere(tmp_path / "cut.otio", clip)))
        assert project.rate == 24  # not the file's
        assert project.shots[0].in_point == 0 and project.shots[0].out_point == Fraction(50, 24)
        assert project.footage[0].length == Fraction(400, 60)
    whole = import_timeline(written_elsewhere(tmp_path / "cut.otio", clip_of(take, None, 0)))
    assert opened(whole).shots[0].out_point == Fraction(400, 60)  # no range: all of it, once it is counted
    ntsc = import_timeline(
        written_elsewhere(tmp_path / "cut.otio", clip_of(take, 0, 60, rate=29.97), rate=29.97)
    )
    assert opened(ntsc).rate == Fraction(30000, 1001)
    audio = clip_of(take, 0, 90_000, rate=90_000.0)
    assert opened(import_timeline(written_elsewhere(tmp_path / "cut.otio", audio, rate=24.0))).rate == 24


def test_photos_in_timelines_are_photos(tmp_path: Path) -> None:
    folder = make_photos(tmp_path / "Dawn", range(1, 25))
    sequence = otio.schema.ImageSequenceReference(
        target_url_base=folder.as_uri() + "/", name_prefix="IMG_", name_suffix=".png", start_frame=1, rate=12,
        frame_zero_padding=4, available_range=range_of(1, 24, 12.0),
    )  # fmt: skip
    still = folder / "IMG_0003.png"
    path = written_elsewhere(
        tmp_path / "cut.otio",
        clip_of("", 7, 6, rate=12.0, reference=sequence),
        clip_of(still, 0, 48),
        clip_of(still, 0, 120),
        rate=12.0,
    )
    project = import_timeline(path).project
    run, photo = project.footage
    assert isinstance(run, PhotoRun) and isinstance(photo, PhotoRun)
    assert run.photos.names == tuple(f"IMG_{number:04d}.png" for number in range(1, 25))
    assert project.shots[0].in_point == Fraction(1, 2) and project.shots[0].out_point == 1
    assert project.result_length == Fraction(1, 2) + 2 + 5
    sources = {footage.key: open_source(footage.origin) for footage in project.footage}
    plan = make_plan(project, sources)
    assert plan.schedule.frames[:6].tolist() == [6, 7, 8, 9, 10, 11]
    assert set(plan.schedule.frames[6:].tolist()) == {0}
    export_timeline(project, path)  # ours, changed by somebody else
    path.write_text(path.read_text().replace('"chronoxis":', '"somebody":'))
    again = import_timeline(path).project
    assert [type(footage) for footage in again.footage] == [PhotoRun, PhotoRun]
    assert again.result_length == project.result_length


def test_what_has_no_counterpart_is_named_with_its_place(tmp_path: Path) -> None:
    take = make_recording(tmp_path / "take.mkv", frames=400, rate=Fraction(24))
    frozen = clip_of(take, 48, 24, effects=[otio.schema.FreezeFrame()])
    stopped = clip_of(take, 96, 24, effects=[otio.schema.LinearTimeWarp(time_scalar=0.0)])
    marked = clip_of(take, 0, 48, markers=[otio.schema.Marker(name="jump", marked_range=range_of(24, 0))])
    off = clip_of(take, 0, 24)
    off.enabled = False
    path = written_elsewhere(
        tmp_path / "cut.otio",
        otio.schema.Gap(source_range=range_of(0, 12)),
        marked,
        off,
        frozen,
        stopped,
        clip_of("https://example.org/far.mp4", 0, 24),
        clip_of("C:\\clips\\far.mov", 0, 24),
        clip_of("file://server/share/other.mov", 0, 24),
        markers=[
            otio.schema.Marker(name="second", marked_range=range_of(12 + 36, 0)),
            otio.schema.Marker(name="gone", marked_range=range_of(12 + 60, 0)),
        ],
    )
    taken = import_timeline(path)
    project, said = opened_but_missing(taken, take), " ".join(taken.notes)
    assert [(float(mark.at), mark.name) for mark in project.markers] == [(1.0, "jump"), (1.5, "second")]
    for words in (
        "A gap at 0:00.00, 0:00.50 long, was left out",
        "“take” at 0:02.50, 0:01.00 long, is disabled there, and was left out",
        "The mark “gone” at 0:03.00 went with what was left out",
        "lies at https://example.org/far.mp4, which is not here",
        "lies at file://server/share/other.mov, which is not here",
    ):
        assert words in said, said
    elsewhere = {tmp_path / name for name in ("far.mp4", "far.mov", "other.mov")}
    assert {footage.files[0] for footage in project.footage} == {take, *elsewhere}
    plan = make_plan(project, {f.key: AbsentSource(f) for f in project.footage} | {"take": open_source(take)})
    of_frozen = plan.schedule.frames[48:72]
    assert set(of_frozen.tolist()) == {48}
    assert set(plan.schedule.frames[72:96].tolist()) == {96}


def opened_but_missing(imported: Imported, there: Path) -> Project:
    project = imported.project
    for footage in project.footage:
        if footage.files == (there,):
            project = settled(project, footage, open_source(there))
    return project


NONSENSE = st.sampled_from([0.0, -1.0, 1e-300, 1e9, 1e300, float("inf"), float("nan"), 24.0, "", "/", "a/b"])


@given(st.lists(st.tuples(st.integers(0, 200), NONSENSE), min_size=1, max_size=3))
def test_what_is_taken_of_any_timeline_can_be_saved_and_read(
    tmp_path_factory: pytest.TempPathFactory, changes: list[tuple[int, float | str]]
) -> None:
    folder = tmp_path_factory.mktemp("any")
    sequence = otio.schema.ImageSequenceReference(
        target_url_base="file:///footage/", name_prefix="a", name_suffix=".png", start_frame=1, rate=12,
        frame_zero_padding=4, available_range=range_of(1, 24, 12.0),
    )  # fmt: skip
    path = written_elsewhere(
        folder / "cut.otio",
        clip_of(folder / "x.mov", 0, 24, effects=[otio.schema.LinearTimeWarp(time_scalar=2.0)]),
        clip_of("", 7, 6, rate=12.0, reference=sequence),
        clip_of(folder / "still.png", 0, 24, markers=[otio.schema.Marker(marked_range=range_of(3, 0))]),
        markers=[otio.schema.Marker(name="mark", marked_range=range_of(3, 0))],
    )
    timeline = json.loads(path.read_text())
    places = list(values_of(timeline))
    for number, nonsense in changes:
        of_its_kind = [place for place in places if isinstance(nonsense, type(place[0][place[1]]))]
        within, key = of_its_kind[number % len(of_its_kind)]
        within[key] = nonsense
    path.write_text(json.dumps(timeline))
    try:
        project = import_timeline(path).project
    except ProjectFileError:
        return
    assert from_json(json.loads(json.dumps(as_json(project, folder))), path) == project


def values_of(node: Any) -> Iterator[tuple[Any, Any]]:
    """Where numbers and texts lie, but for those that say what kind of thing something is."""
    for key, value in list(node.items()) if isinstance(node, dict) else list(enumerate(node)):
        if isinstance(value, dict | list):
            yield from values_of(value)
        elif isinstance(value, float) or (isinstance(value, str) and key not in ("OTIO_SCHEMA", "kind")):
            yield node, key
