"""Frames of equal identity are equal, and an edit leaves the identity of what it does not touch."""

from collections.abc import Callable
from dataclasses import replace
from fractions import Fraction
from functools import partial
from pathlib import Path

import numpy as np
import numpy.typing as npt
import pytest

from chronoxis.core.footage.kinds import footage_of, open_source
from chronoxis.core.footage.source import Source
from chronoxis.core.model import arranging, composing, making, pacing
from chronoxis.core.model.accent import LOOKS, Accent, Badge, BySpeed, Grain, Stutter
from chronoxis.core.model.framing import Fit, Framing, FramingStep, View
from chronoxis.core.model.nested import Nested
from chronoxis.core.model.nesting import nest
from chronoxis.core.model.project import Place, Project
from chronoxis.core.picture.evening import EvenLight
from chronoxis.core.picture.steadying import SteadyWarp
from chronoxis.core.render.chain import result_frames
from chronoxis.core.render.frame_identity import FrameIdentities, Identity
from chronoxis.core.render.nested_source import with_nested
from chronoxis.core.render.plan import Plan
from chronoxis.core.render.planning import make_plan
from chronoxis.core.render.target import Target, preview_target
from chronoxis.core.timing.frame_making import Between, EachFrame, Fill
from tests.footage_makers import make_recording
from tests.photo_makers import make_photos

LATER = [Place(1, 0)]  # the passage of the second shot, which is edited
Edit = Callable[[Project], Project]


@pytest.fixture(scope="module")
def sources(tmp_path_factory: pytest.TempPathFactory) -> dict[str, Source]:
    folder = tmp_path_factory.mktemp("identity")
    take = open_source(make_recording(folder / "take.mkv", frames=36, size=(96, 64)))
    photos = open_source(make_photos(folder / "dawn", range(6)))
    return {footage_of(source.facts).key: source for source in (take, photos)}


def project_of(sources: dict[str, Source]) -> Project:
    """Three shots, the first two of the recording, the third of photos."""
    take, photos = sources.values()
    project = arranging.begin_with(Project(), footage_of(take.facts))
    project = composing.set_canvas(project, take.facts.picture.canvas)
    project = arranging.add_shot(project, footage_of(take.facts).key)
    project = arranging.begin_with(project, footage_of(photos.facts))
    project = pacing.set_speed(project, project.places(), Fraction(3))
    project = pacing.set_speed(project, [Place(2, 0)], Fraction(125))  # each photo once
    return making.set_each_frame(project, LATER, EachFrame.LONG_EXPOSURE)


def target_of(plan: Plan) -> Target:
    return preview_target(plan, 48)


def known(plan: Plan) -> list[Identity]:
    identities = FrameIdentities(plan, target_of(plan))
    return [identities.of(number) for number in range(len(plan.schedule))]


def made(plan: Plan, start: int = 0, stop: int | None = None) -> list[npt.NDArray[np.uint8]]:
    frames = result_frames(plan, target_of(plan), start, stop)
    return [np.asarray(frame.to_ndarray(), np.uint8) for frame in frames]


def second(project: Project, **changes: object) -> Project:
    return project.with_shot(1, replace(project.shots[1], **changes))  # type: ignore[arg-type]


def panned(left: int) -> Framing:
    views = [View(Fraction(at), Fraction(0), Fraction(60), Fraction(40)) for at in (0, left)]
    return Framing(steps=tuple(FramingStep(Fraction(at), view) for at, view in enumerate(views)))


CHOICES: dict[str, Edit] = {
    "speed": lambda p: pacing.set_speed(p, LATER, Fraction(4)),
    "each frame": lambda p: making.set_each_frame(p, LATER, EachFrame.BRIGHTEST),
    "shutter": lambda p: making.set_shutter(p, LATER, 90),
    "soft": lambda p: making.set_soft(p, LATER, True),
    "fill": lambda p: making.set_fill(p, LATER, Fill.QUICK),
    "other fill": lambda p: making.set_fill(p, LATER, Fill.FINEST),
    "blend": lambda p: making.set_between(pacing.set_speed(p, LATER, Fraction(1, 2)), LATER, Between.BLEND),
    "motion": lambda p: making.set_between(pacing.set_speed(p, LATER, Fraction(1, 2)), LATER, Between.MOTION),
    "backwards": lambda p: arranging.reverse(p, [1]),
    "view": lambda p: composing.set_framings(p, {1: panned(0)}),
    "pan": lambda p: composing.set_framings(p, {1: panned(30)}),
    "bars": lambda p: composing.set_framings(p, {1: replace(panned(20), fit=Fit.BARS)}),
    "trim": lambda p: arranging.set_points(p, 1, Fraction(1, 2), p.shots[1].out_point),
    "stutter": lambda p: second(p, accents=(Accent(Stutter()),)),
    "badge by speed": lambda p: second(p, accents=(Accent(Badge(), BySpeed(Fraction(1), Fraction(20))),)),
    **{look.key: partial(second, accents=(Accent(look()),)) for look in LOOKS},
    "grain, other seed": lambda p: second(p, accents=(Accent(Grain(), seed=7),)),
    "grain, half": lambda p: second(p, accents=(Accent(Grain(), strength=0.5),)),
}


def test_an_edit_changes_the_identity_of_what_it_changes_alone(sources: dict[str, Source]) -> None:
    base = make_plan(project_of(sources), sources)
    pictures = dict(zip(known(base), made(base), strict=True))
    first, edited, third = (known(base)[slice(*base.frames_of(shot))] for shot in range(3))
    assert len(pictures) == len(base.schedule)
    for name, edit in CHOICES.items():
        plan = make_plan(edit(project_of(sources)), sources)
        identities = known(plan)
        assert set(first) <= set(identities), name
        assert set(third) <= set(identities), name
        begin, stop = plan.frames_of(1)
        assert identities[begin:stop] != edited, name
        for identity, picture in zip(identities[begin:stop], made(plan, begin, stop), strict=True):
            assert np.array_equal(pictures.setdefault(identity, picture), picture), name


def test_what_is_measured_counts_for_the_frames_that_it_is_of(sources: dict[str, Source]) -> None:
    base = make_plan(project_of(sources), sources)
    picture, begin, stop = base.pictures[0], *base.frames_of(0)
    took = base.schedule.frames[base.schedule.offsets[begin:stop]]
    gains, moves = np.full((36, 3), 1.1, np.float32), np.full((36, 4), 0.01)
    others, elsewhere = gains.copy(), moves.copy()
    others[18:26], elsewhere[18:26] = 1.2, 0.05
    pairs = [
        [replace(base, corrections=((EvenLight(each, picture.colour),), (), ())) for each in (gains, others)],
        [replace(base, warps=(SteadyWarp(0, each, 0.1, picture), None, None)) for each in (moves, elsewhere)],
    ]
    for one, other in pairs:
        alike = np.array(known(one)) == np.array(known(other))
        assert np.array_equal(alike[begin:stop], (took < 18) | (took >= 26))
        assert alike[stop:].all()
        assert not set(known(base)[begin:stop]) & set(known(one)[begin:stop])
        same = [np.array_equal(*pair) for pair in zip(made(one), made(other), strict=True)]
        assert same == alike.tolist()


def test_a_nested_run_is_known_by_what_is_inside(sources: dict[str, Source]) -> None:
    run = nest(project_of(sources), [0, 1])

    def planned(project: Project) -> Plan:
        return make_plan(project, with_nested(project, sources, make_plan))

    base, again = planned(run), planned(replace(run))
    assert known(base) == known(again)
    inside = next(footage for footage in run.footage if isinstance(footage, Nested))
    shots = (replace(inside.shots[0], accents=(Accent(Grain()),)), inside.shots[1])
    other = planned(replace(run, footage=(*run.footage[:-1], replace(inside, shots=shots))))
    alike = [one == two for one, two in zip(known(base), known(other), strict=True)]
    assert alike == [np.array_equal(*pair) for pair in zip(made(base), made(other), strict=True)]
    assert 0 < sum(alike) < len(alike)


def test_footage_of_the_same_name_is_another_once_it_is_replaced(tmp_path: Path) -> None:
    path, found = tmp_path / "take.mkv", []
    for frames in (60, 60, 61):
        path.unlink(missing_ok=True)
        source = open_source(make_recording(path, frames=frames))
        project = arranging.begin_with(Project(), footage_of(source.facts))
        found.append(known(make_plan(project, {project.footage[0].key: source}))[0])
    assert found[0] == found[1] != found[2]
