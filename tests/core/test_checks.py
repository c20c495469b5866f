"""Findings about a plan: they are there where something looks wrong, and their press mends it."""

from fractions import Fraction
from pathlib import Path

import numpy as np

from chronoxis.core.footage.kinds import footage_of, open_source
from chronoxis.core.model import arranging, making, pacing
from chronoxis.core.model.project import Place, Project
from chronoxis.core.render.checks import checks_of
from chronoxis.core.render.planning import make_plan
from chronoxis.core.timing.frame_making import EachFrame
from tests.command_line import chronoxis
from tests.footage_makers import make_recording

ONLY = Place(0, 0)


def test_clear_says_where_it_has_too_few_frames(tmp_path: Path) -> None:
    take = make_recording(tmp_path / "take.mkv", frames=500)
    source = open_source(take)
    project = arranging.begin_with(Project(), footage_of(source.facts))
    project = pacing.set_speed(project, [ONLY], Fraction(2))
    project = making.set_each_frame(project, [ONLY], EachFrame.CLEAR)
    plan = make_plan(project, {project.footage[0].key: source})
    assert np.diff(plan.schedule.offsets).max() == 2
    (check,) = checks_of(plan, {}, {})
    assert "clear has 2 recorded frames to choose from" in check.words
    assert check.edit is not None
    mended = make_plan(check.edit(project), {project.footage[0].key: source})
    assert not checks_of(mended, {}, {})
    assert np.diff(mended.schedule.offsets).min() >= 3
    said = chronoxis(
        "condense", take, "-o", tmp_path / "out.mkv", "--speed", "2", "--each", "clear", "--progress", "none"
    )
    assert said.returncode == 0
    assert "250 frames are to be clear but are made of fewer than 3 recorded ones" in said.stderr
