"""From a project to its plan: its footage opened, counted, and measured as far as its choices need."""

from collections.abc import Callable

from chronoxis.core.errors import ChronoxisError
from chronoxis.core.footage.kinds import as_chosen, open_source, settled
from chronoxis.core.footage.source import Source
from chronoxis.core.model.project import Project
from chronoxis.core.render.measuring import measured_plan
from chronoxis.core.render.plan import Plan, changed_on_disk
from chronoxis.core.traces.store import TraceStore


def open_project(project: Project) -> tuple[Project, dict[str, Source]]:
    """The project as its footage was counted, and that footage, opened, by key.

    Raises:
        ChronoxisError: footage is missing, damaged or not what it was.
    """
    sources: dict[str, Source] = {}
    for footage in project.footage:
        if footage.key not in project.read or footage.made_of:
            continue
        source = sources[footage.key] = open_source(footage.origin)
        chosen = as_chosen(source, footage)
        measured = chosen.rate, chosen.length
        if footage.counted and not footage.agrees_with(*measured):
            raise ChronoxisError(changed_on_disk(footage, *measured))
        if measured != (footage.stored_rate, footage.stored_length):
            project = settled(project, footage, source)
    return project, sources


def planned(project: Project, told: Callable[[str, float], None] = lambda _label, _share: None) -> Plan:
    """The plan of a project. Arguments and errors are those of `open_project` and `measured_plan`."""
    opened, sources = open_project(project)
    return measured_plan(opened, sources, TraceStore(), told)
