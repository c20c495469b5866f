"""Names of results: their endings, which of them are free, and what speaks against writing one."""

from pathlib import Path
from typing import NamedTuple

from chronoxis.core.cluster.machines import ClusterError, Machines, contact
from chronoxis.core.errors import ExportError, PlanError
from chronoxis.core.files.outputs import check_output
from chronoxis.core.model.export_format import ExportFormat
from chronoxis.core.model.export_formats import FORMATS, format_of
from chronoxis.core.model.project import Project
from chronoxis.core.render.export import protected_files
from chronoxis.core.render.result_place import result_place


class Found(NamedTuple):
    """What speaks against writing a result somewhere, and the name of what is there already; or nothing."""

    refusal: str
    there: str


def looked_at(project: Project, output: Path, machines: Machines | None) -> Found:
    """What there is to say before a result is written, if machines are to make it of them as well."""
    settings = project.settings
    try:
        if machines is not None:
            contact(machines.address, None, insecure=machines.insecure)
        settings.check()
        format_of(output, settings.format.key)
        place = result_place(output, settings.format)
        check_output(place.path, protects=protected_files(project), overwrite=True, folder=place.is_folder)
    except (PlanError, ExportError, ClusterError) as error:
        return Found(str(error), "")
    return Found("", place.path.name if place.path.exists() else "")


def name_ending(format_: ExportFormat) -> str:
    """What a result's name ends in; a folder of stills has no ending."""
    return "" if format_.is_folder else format_.ending


def with_ending(name: str, ending: str) -> str:
    """A name with a format's ending, in place of another format's but not of what only looks like one."""
    known = next((each.ending for each in FORMATS if name.lower().endswith(each.ending)), "")
    return name[: len(name) - len(known)] + ending


def free_name(folder: Path, name: str, ending: str, taken: frozenset[Path]) -> Path:
    """The first of ``name``, ``name-2``, ``name-3`` that nothing in a folder has, nor is about to have."""
    candidate, number = folder / f"{name}{ending}", 2
    while candidate in taken or candidate.exists():
        candidate = folder / f"{name}-{number}{ending}"
        number += 1
    return candidate
