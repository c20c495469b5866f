"""What has to be measured of footage before all choices of a project take effect."""

from collections.abc import Callable, Hashable, Iterable, Mapping
from typing import Any

from chronoxis.core.footage.source import Source
from chronoxis.core.model.project import Project
from chronoxis.core.render.camera_at_joins import measured_streaks, spans_at
from chronoxis.core.render.nested_source import with_insides
from chronoxis.core.render.plan import Plan
from chronoxis.core.render.planning import make_plan
from chronoxis.core.render.steadied import spans_to_follow
from chronoxis.core.traces.store import TraceStore
from chronoxis.core.traces.trace_kinds import CAMERA, PICTURES, TraceKind, TraceWish

Traces = Mapping[TraceKind[Any], Mapping[Hashable, Any]]
"""Of each kind, by the origin of footage."""


def wishes_of(project: Project, sources: Mapping[str, Source]) -> list[TraceWish]:
    """All traces that a project's choices read; sources by key."""
    return [
        *picture_wishes(project, sources),
        *steadying_wishes(project, sources),
        *streak_wishes(project, sources),
    ]


def picture_wishes(project: Project, sources: Mapping[str, Source]) -> list[TraceWish]:
    """The traces of pictures that choices read."""
    found = [sources[key] for key in project.to_measure if key in sources]
    return [TraceWish(PICTURES, source) for source in found if PICTURES.fits(source)]


def steadying_wishes(project: Project, sources: Mapping[str, Source]) -> list[TraceWish]:
    """The camera's paths through all that is steadied or lined up, inside nested runs as well."""
    return [
        TraceWish(CAMERA, sources[key], tuple(spans))
        for key, spans in spans_to_follow(project, sources).items()
    ]


def streak_wishes(project: Project, sources: Mapping[str, Source]) -> list[TraceWish]:
    """The camera's paths at joins whose streaks go along with it, inside nested runs as well."""
    return [
        wish
        for inner in with_insides(project)
        for join in measured_streaks(inner)
        for wish in join_wishes(inner, sources, join)
    ]


def join_wishes(project: Project, sources: Mapping[str, Source], join: int) -> list[TraceWish]:
    """The camera's paths on both sides of one join."""
    return [
        TraceWish(CAMERA, sources[key], tuple(spans))
        for key, spans in spans_at(project, sources, join).items()
    ]


def measured(
    wishes: Iterable[TraceWish],
    store: TraceStore,
    told: Callable[[Hashable, float], None] = lambda _origin, _share: None,
) -> Traces:
    """Have some traces, measured now unless they were before.

    Args:
        wishes: which ones.
        store: where traces are kept; what was measured before is taken from there.
        told: called with the origin of what is measured, and the share done; it may raise `Cancelled`.

    Raises:
        FootageError: pictures cannot be read.
        Cancelled: ``told`` raised it.
    """
    found: dict[TraceKind[Any], dict[Hashable, Any]] = {}
    for wish in wishes:
        known = found.setdefault(wish.kind, {})

        def shown(_trace: object, share: float, origin: Hashable = wish.origin) -> None:
            told(origin, share)

        before = known.get(wish.origin)
        if not wish.is_met_by(before):
            known[wish.origin] = wish.kind.measure(wish.source, wish.spans, store, shown, before)
    return found


def measured_plan(
    project: Project,
    sources: Mapping[str, Source],
    store: TraceStore,
    told: Callable[[str, float], None] = lambda _label, _share: None,
) -> Plan:
    """A plan of which nothing is unmeasured.

    Args:
        project: the choices.
        sources: opened footage by key.
        store: where traces are kept.
        told: called with what is measured, and the share done; it may raise `Cancelled` to stop.

    Raises:
        FootageError: pictures cannot be read.
        PlanError, ExportError: as `make_plan`.
        Cancelled: ``told`` raised it.
    """
    labels = {footage.origin: footage.label for footage in project.footage}
    known = measured(wishes_of(project, sources), store, lambda origin, share: told(labels[origin], share))
    pictures, cameras = (by_key(project, known.get(kind)) for kind in (PICTURES, CAMERA))
    return make_plan(project, sources, pictures, cameras)


def by_key(project: Project, traces: Mapping[Hashable, Any] | None) -> dict[str, Any]:
    """Traces of one kind by the key of a project's footage, in place of its origin."""
    known = traces or {}
    return {footage.key: known[footage.origin] for footage in project.footage if footage.origin in known}
