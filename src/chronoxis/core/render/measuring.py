"""Measuring what a project's choices read of its footage, before it is planned."""

from collections.abc import Callable, Mapping

from chronoxis.core.footage.absent import AbsentSource
from chronoxis.core.footage.source import Source
from chronoxis.core.model.project import Project
from chronoxis.core.traces.picture_trace import PictureTrace, watch
from chronoxis.core.traces.store import TraceStore


def measured(
    project: Project,
    sources: Mapping[str, Source],
    store: TraceStore,
    told: Callable[[str, float], None] = lambda _name, _share: None,
) -> dict[str, PictureTrace]:
    """The traces of pictures that a project's choices read, by key.

    Args:
        project: the choices.
        sources: opened footage by key.
        store: where traces are kept; what was measured before is taken from there.
        told: called with what is measured, and the share done; it may raise `Cancelled` to stop.

    Raises:
        FootageError: pictures cannot be read.
        Cancelled: ``told`` raised it.
    """
    found = {}
    for key in project.to_measure:
        source, label = sources.get(key), project.footage_named(key).label
        if source is None or isinstance(source, AbsentSource):
            continue
        found[key] = watch(source, store, lambda _trace, share, label=label: told(label, share))  # type: ignore[misc]
    return found
