"""All that Checks read beside a plan, measured now unless it was before: for whoever asks once."""

import shutil
from collections.abc import Callable
from dataclasses import replace
from itertools import chain
from pathlib import Path
from typing import Any

from chronoxis.core.checks.check import Known
from chronoxis.core.checks.glances import ShotGlance, glance_at
from chronoxis.core.files.kept_limits import limits_named
from chronoxis.core.footage.reader_pool import Readers
from chronoxis.core.footage.source import Source
from chronoxis.core.render.camera_at_joins import camera_at
from chronoxis.core.render.measuring import by_key, join_wishes, measured
from chronoxis.core.render.plan import Plan
from chronoxis.core.sound.mixing import loudness_of
from chronoxis.core.traces.store import TraceStore
from chronoxis.core.traces.trace_kinds import CAMERA, PICTURES, SOUND, TraceKind, TraceWish


def known_of(
    plan: Plan,
    store: TraceStore,
    readers: Readers,
    told: Callable[[str, float], None] = lambda _label, _share: None,
) -> Known:
    """Everything that is known of a plan.

    Args:
        plan: what is looked at; all of its footage is there.
        store: where traces are kept.
        readers: where frames come from.
        told: called with the label of footage that is measured, and the share done; it may raise `Cancelled`.

    Raises:
        FootageError: footage cannot be read.
        Cancelled: ``told`` raised it.
    """
    project = plan.project
    sources = {shot.footage: source for shot, source in zip(project.shots, plan.sources, strict=True)}
    sources |= plan.music_sources
    labels = {footage.origin: footage.label for footage in project.footage}
    kinds: tuple[TraceKind[Any], ...] = (PICTURES, SOUND)
    wishes = [TraceWish(kind, source) for kind in kinds for source in sources.values() if kind.fits(source)]
    joins = [number for number, shot in enumerate(project.shots[:-1]) if shot.join.surge is not None]
    followed = chain.from_iterable(join_wishes(project, sources, join) for join in joins)
    found = measured((*wishes, *followed), store, lambda origin, share: told(labels[origin], share))
    pictures, sounds, paths = (by_key(project, found.get(kind)) for kind in (PICTURES, SOUND, CAMERA))
    at_joins = ((join, camera_at(project, sources, paths, join)) for join in joins)
    return Known(
        pictures,
        sounds,
        {join: camera for join, camera in at_joins if camera is not None},
        {number: seen for number in range(len(project.shots)) if (seen := glance_of(plan, number, readers))},
        loudness=loudness_of(plan.sound, plan.sounds()) if plan.has_sound else None,
    )


def glance_of(
    plan: Plan, number: int, readers: Readers, check: Callable[[], None] = lambda: None
) -> ShotGlance | None:
    """What is seen of a shot; None of what has no frames of its own. Raises as `glance_at`."""
    source: Source = plan.sources[number]
    if not source.has_pictures or not source.files:
        return None
    first, stop = plan.frames_of(number)
    frames = plan.schedule.firsts[first:stop]
    return (
        glance_at(source, int(frames.min()), int(frames.max()) + 1, readers, check) if len(frames) else None
    )


def with_place(known: Known, plan: Plan, expected: tuple[int, Path] | None) -> Known:
    """With what the result's place takes, and the bytes that are expected of an export into a folder."""
    limits = limits_named(plan.settings.goes_to) if plan.settings.goes_to else None
    if expected is None:
        return replace(known, limits=limits)
    size, folder = expected
    try:
        free = shutil.disk_usage(folder).free
    except OSError:
        free = None  # a folder that is not there is told of when something is to be written
    return replace(known, limits=limits, expected=size, free=free)
