"""A result written as one, pictures and sound side by side."""

from collections.abc import Iterator
from contextlib import ExitStack, closing
from fractions import Fraction
from pathlib import Path

import numpy as np
from av.video.frame import VideoFrame

from chronoxis.core.footage.prefetch import Check, never
from chronoxis.core.render.chain import result_frames
from chronoxis.core.render.held_places import held_places, silenced_places
from chronoxis.core.render.piece_making import Made
from chronoxis.core.render.pieces import StandIns
from chronoxis.core.render.plan import Plan
from chronoxis.core.render.target import Target
from chronoxis.core.render.writer import interleave, open_writer
from chronoxis.core.render.writing import Writing
from chronoxis.core.sound.mixing import loudness_gain, mixed
from chronoxis.core.sound.samples import Samples

_PALETTE_FRAMES = 24  # frames that colours are chosen by


def write_undivided(
    plan: Plan,
    target: Target,
    writing: Writing,
    path: Path,
    made: Made = lambda _count: None,
    check: Check = never,
) -> StandIns:
    """Write all of it. Arguments and errors are those of `make_pieces`."""
    held: dict[int, set[int]] = {}
    silenced: set[tuple[str, Fraction]] = set()
    with ExitStack() as stack:
        sound: Iterator[Samples] = iter(())
        if writing.sound:
            loudness = loudness_gain(plan.sound, plan.sounds(), check)
            sounds = plan.sounds(lambda key, at: silenced.add((key, at)))
            sound = stack.enter_context(closing(mixed(plan.sound, sounds, loudness)))
        writer = stack.enter_context(open_writer(path, writing, sample_frames(plan, target)))
        frames = stack.enter_context(closing(result_frames(plan, target, check=check, held=held)))
        for done in interleave(frames, sound, writer):
            made(done)
    return StandIns(held_places(plan, held), silenced_places(plan, silenced))


def sample_frames(plan: Plan, target: Target) -> Iterator[VideoFrame]:
    """Result frames from all over the result."""
    numbers = np.unique(np.linspace(0, len(plan.schedule) - 1, _PALETTE_FRAMES).astype(int))
    yield from result_frames(plan, target, numbers=numbers)
