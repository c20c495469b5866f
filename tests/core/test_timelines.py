"""Timelines that are written: what another program sees in them, reading them by their own rules alone."""

import json
from collections.abc import Sequence
from dataclasses import replace
from fractions import Fraction
from pathlib import Path
from typing import Any

import numpy as np
import opentimelineio as otio
import pytest
from hypothesis import given
from hypothesis import strategies as st

from chronoxis.core.files.interchange import export_timeline, import_timeline
from chronoxis.core.files.project_file import save_project
from chronoxis.core.files.timeline_writing import timeline_of
from chronoxis.core.footage.kinds import footage_of, open_source
from chronoxis.core.model import arranging, joining, nesting, pacing
from chronoxis.core.model.export_formats import MKV
from chronoxis.core.model.join import Side, Surge
from chronoxis.core.model.music import Music
from chronoxis.core.model.project import Place, Project
from chronoxis.core.model.settings import ResultSettings
from chronoxis.core.render.planning import make_plan
from chronoxis.core.timing.ramps import RampShape
from tests.command_line import chronoxis
from tests.core.test_music import tone, write_sound
from tests.footage_makers import make_recording, recording_of
from tests.photo_makers import make_photos


def frames_shown(clip: Any, rate: float, begins: float = 0.0) -> list[int]:
    """Frames of a rate that a clip shows of what ``begins`` at a time, by its range and linear effects."""
    span = clip.trimmed_range()
    assert span.duration.value == round(span.duration.value)
    scalar = np.prod([e.time_scalar for e in clip.effects if isinstance(e, otio.schema.LinearTimeWarp)])
    lasting, frames = round(span.duration.value), []
    begin = span.start_time.value / span.start_time.rate - begins
    for number in range(lasting):
        steps = lasting - number if scalar < 0 else number
        at = (begin + abs(scalar) * steps / span.duration.rate) * rate
        frames.append(int(np.ceil(at - 2e-5)) - 1 if scalar < 0 else int(np.floor(at + 2e-5)))
    return frames


def read_elsewhere(item: Any, count: int) -> list[int]:
    """The recorded frames that a track or stack shows, by ranges and linear time effects alone."""
    shown = []
    for child in item:
        frames = frames_shown(child, child.trimmed_range().start_time.rate)
        if isinstance(child, otio.schema.Stack):
            inside = read_elsewhere(child[0], count)
            frames = [inside[min(max(at, 0), len(inside) - 1)] for at in frames]
        shown += frames
    return [min(max(frame, 0), count - 1) for frame in shown]


@pytest.fixture(scope="module")
def take(tmp_path_factory: pytest.TempPathFactory) -> Path:
    return make_recording(tmp_path_factory.mktemp("timelines") / "take.mkv", frames=1000, size=(32, 16))


SPEEDS = st.sampled_from(
    [Fraction(1, 2), Fraction(1), Fraction(2), Fraction(37, 10), Fraction(10), Fraction(40)]
)


@given(
    speeds=st.lists(st.tuples(SPEEDS, st.booleans()), min_size=1, max_size=4),
    ramp=st.sampled_from([Fraction(0), Fraction(1, 2), Fraction(2)]),
    peak=st.sampled_from([None, Fraction(30), Fraction(200)]),
    nests=st.booleans(),
    rate=st.sampled_from([Fraction(25), Fraction(30000, 1001), Fraction(12)]),
)
def test_other_programs_show_the_frames_that_are_planned(
    take: Path,
    speeds: list[tuple[Fraction, bool]],
    ramp: Fraction,
    peak: Fraction | None,
    nests: bool,
    rate: Fraction,
) -> None:
    recording = recording_of(take, Fraction(25), Fraction(40), counted=True)
    project = arranging.begin_with(Project(settings=ResultSettings(MKV, sound=False)), recording)
    for _ in speeds[1:]:
        project = arranging.cut_shot(project, len(project.shots) - 1, Fraction(731, 100))
    for number, (speed, backwards) in enumerate(speeds):
        project = pacing.divide(project, number, Fraction(3))
        project = pacing.set_speed(project, [Place(number, 0)], speed)
        project = pacing.set_speed(project, [Place(number, 1)], speed * 3)
        if backwards:
            project = arranging.reverse(project, [number])
    project = pacing.set_ramps(project, project.places(), length=ramp, shape=RampShape.SMOOTH)
    if peak is not None and len(speeds) > 1:
        surge = Surge(peak, Side(Fraction(1)), Side(Fraction(1)))
        project = joining.set_surges(project, range(len(speeds) - 1), lambda _: surge)
    project = arranging.set_rate(project, rate)
    if nests:
        project = nesting.nest(project, [0])
        project = pacing.set_speed(project, [Place(0, 0)], Fraction(3, 2))
    schedule = make_plan(project, {"take": open_source(take)}).schedule
    planned = schedule.frames.tolist()
    if nests:
        inner = nesting.open_run(project, project.shots[0].footage)
        inside = make_plan(replace(inner, outside=None), {"take": open_source(take)}).schedule.frames
        first = np.flatnonzero(schedule.shots == 0)
        planned[: len(first)] = inside[schedule.frames[first]].tolist()
    timeline = otio.adapters.read_from_string(timeline_of(project, "cut").to_json_string(), "otio_json")
    assert len(timeline.tracks) == 1
    shown = read_elsewhere(timeline.tracks[0], 1000)
    assert len(shown) == len(planned)
    wrong = np.flatnonzero(np.array(shown) != np.array(planned))
    assert not len(wrong), [(int(n), shown[n], planned[n]) for n in wrong[:8]]


@pytest.mark.parametrize("backwards", [False, True])
@pytest.mark.parametrize(
    "numbers", [range(96, 112), range(0, 60, 5), (*range(3, 9), *range(20, 31), 44), (8, 9, 10, 11)]
)
def test_other_programs_show_the_photos_that_are_planned(
    tmp_path: Path, numbers: Sequence[int], backwards: bool
) -> None:
    run = open_source(make_photos(tmp_path / "Dawn", numbers))
    project = arranging.begin_with(Project(settings=ResultSettings(MKV)), footage_of(run.facts))
    project = pacing.set_speed(project, project.places(), Fraction(3, 2))
    project = arranging.reverse(project, [0]) if backwards else project
    schedule = make_plan(project, {project.footage[0].key: run}).schedule
    names = sorted(path.name for path in (tmp_path / "Dawn").iterdir())
    planned = [names[frame] for frame in schedule.frames]
    timeline = otio.adapters.read_from_string(timeline_of(project, "cut").to_json_string(), "otio_json")
    shown = []
    for clip in timeline.tracks[0]:
        reference = clip.media_reference
        assert isinstance(reference, otio.schema.ImageSequenceReference)
        rate, begins = reference.rate / reference.frame_step, reference.available_range.start_time
        images = frames_shown(clip, rate, begins.to_seconds())
        shown += [Path(reference.target_url_for_image_number(image)).name for image in images]
    assert shown == planned


def with_sound(tmp_path: Path) -> Project:
    film = make_recording(tmp_path / "film.mkv", frames=250, sound=True)
    music = write_sound(tmp_path / "tune.wav", tone(4), "pcm_s16le")
    project = arranging.begin_with(Project(), recording_of(film, Fraction(25), Fraction(10), counted=True))
    project = pacing.divide(project, 0, Fraction(4))
    project = pacing.set_speed(project, [Place(0, 0)], Fraction(1))
    project = pacing.set_speed(project, [Place(0, 1)], Fraction(6))  # too fast to be heard
    tune = Music(key="tune", path=music, stored_rate=Fraction(48000), stored_length=Fraction(4), counted=True)
    project = arranging.bring_in(project, tune)
    return arranging.lay_music(project, "tune", Fraction(1))


def test_sound_and_music_go_along_on_tracks_of_their_own(tmp_path: Path) -> None:
    project = with_sound(tmp_path)
    export_timeline(project, tmp_path / "cut.otio")
    timeline = otio.adapters.read_from_file(str(tmp_path / "cut.otio"))
    pictures, recorded, music = timeline.tracks
    assert [track.kind for track in timeline.tracks] == ["Video", "Audio", "Audio"]
    frames = [round(child.duration().value) for child in recorded]
    assert frames == [round(child.duration().value) for child in pictures]
    assert [isinstance(child, otio.schema.Gap) for child in recorded] == [False, True]
    assert [isinstance(child, otio.schema.Gap) for child in music][:2] == [True, False]
    assert music[0].duration().to_seconds() == 1
    assert music[1].media_reference.target_url == (tmp_path / "tune.wav").as_uri()
    assert import_timeline(tmp_path / "cut.otio").project == project


def test_what_does_not_go_along_is_said_both_ways(tmp_path: Path) -> None:
    project = joining.make_surges(arranging.cut_shot(with_sound(tmp_path), 0, Fraction(2)), [0])
    save_project(project, tmp_path / "film.chronoxis")
    cut = tmp_path / "cut.otio"
    done = chronoxis("convert", tmp_path / "film.chronoxis", "-o", cut)
    assert done.returncode == 0
    assert "1 Surge but for its pace" in done.stderr
    assert "levels, fades and effects of sound" in done.stderr
    assert import_timeline(cut).notes == []
    timeline = json.loads(cut.read_text())
    timeline["tracks"]["children"][0]["children"][0]["enabled"] = False
    cut.write_text(json.dumps(timeline))
    changed = import_timeline(cut)
    assert "1 Surge but for its pace" in changed.notes[0]
    assert any("is disabled there" in note for note in changed.notes)
    assert changed.project != project
