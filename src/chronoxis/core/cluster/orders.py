"""What a worker has to know of a result to make pieces of it, as values that go over a connection."""

import json
import secrets
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace
from pathlib import Path

import av

from chronoxis import __version__
from chronoxis.core.files.project_file import as_json, from_json
from chronoxis.core.footage.source import Source
from chronoxis.core.model import arranging
from chronoxis.core.model.export_format import ExportFormat
from chronoxis.core.model.export_formats import FORMATS
from chronoxis.core.model.project import Project
from chronoxis.core.picture.kernel_library import level
from chronoxis.core.render.frame_identity import code_digest, content_of
from chronoxis.core.render.measuring import wishes_of
from chronoxis.core.render.nested_source import NestedSource
from chronoxis.core.render.piece_making import PieceWork
from chronoxis.core.render.plan import Plan
from chronoxis.core.traces.store import Columns, TraceStore, fingerprint

_ALIKE_FROM = 3  # level of processors from which on all make the same, to the last bit
_ROOT = Path("/")  # paths of footage are told from there


@dataclass(frozen=True)
class MachineFacts:
    """What a machine makes pieces with.

    Attributes:
        version: of Chronoxis.
        code: a digest of all that makes frames, the libraries' versions among it.
        level: of the processor, as the loops over pixels tell it.
        formats: keys of the formats that it can write.
    """

    version: str
    code: str
    level: int
    formats: frozenset[str]

    @classmethod
    def here(cls) -> "MachineFacts":
        """What this machine is like."""
        return cls(__version__, code_digest(), level(), frozenset(map(_key, filter(_is_written, FORMATS))))

    def lacks(self, theirs: "MachineFacts", format_: ExportFormat) -> str:
        """Why another machine cannot make pieces for this one, or nothing."""
        if theirs.version != self.version:
            return f"it has Chronoxis {theirs.version}, and here it is {self.version}"
        if theirs.code != self.code:
            return "it has another build of Chronoxis, or other libraries"
        if format_.key not in theirs.formats:
            return f"it cannot write {format_.name}"
        if min(theirs.level, _ALIKE_FROM) != min(self.level, _ALIKE_FROM) and format_.is_lossless:
            return (
                f"its processor is of another level ({theirs.level}, and here {self.level}), and "
                f"{format_.name} is exact to the last bit"
            )
        return ""


def _key(format_: ExportFormat) -> str:
    return format_.key


def _is_written(format_: ExportFormat) -> bool:
    return format_.is_folder or format_.codec in av.codecs_available


@dataclass(frozen=True)
class PieceOrder:
    """A result, as a worker is told of it.

    Attributes:
        id: that no other order has.
        project: its value, as a project file has it.
        contents: fingerprints of the footage that is shown, by key.
        traces: what was measured of it, by fingerprint and name.
        moved: folders here, and where workers find them.
        name: what numbered stills are called.
        most: bits per second of the picture that quality may not exceed.
    """

    id: str
    project: str
    contents: Mapping[str, str]
    traces: Mapping[tuple[str, str], Columns]
    moved: tuple[tuple[str, str], ...]
    name: str
    most: int | None

    @classmethod
    def of(cls, work: PieceWork, moved: Iterable[tuple[str, str]]) -> "PieceOrder":
        """For work that is to be done. Raises FootageError."""
        plan = work.plan
        sources = sources_of(plan)
        return cls(
            secrets.token_hex(8),
            json.dumps(as_json(replace(plan.project, music=()), _ROOT)),
            {key: content_of(source) for key, source in sources.items()},
            _traces(plan.project, sources),
            tuple(moved),
            work.writing.name,
            work.writing.most,
        )

    def opened(self) -> Project:
        """The project, with its footage where it lies on this machine. Raises ProjectFileError."""
        project = from_json(json.loads(self.project), _ROOT / "order")
        for footage in project.footage:
            if footage.files:
                place = moved_path(footage.files[0], self.moved)
                project = arranging.locate(project, footage.key, place)
        return project


def moved_path(path: Path, moved: Iterable[tuple[str, str]]) -> Path:
    """Where a file of another machine lies on this one."""
    for here, there in moved:
        if path.is_relative_to(here):
            return Path(there) / path.relative_to(here)
    return path


def sources_of(plan: Plan) -> dict[str, Source]:
    """All that a result shows, opened, by key; what nested runs show in their place."""
    found: dict[str, Source] = {}
    for shot, source in zip(plan.project.shots, plan.sources, strict=True):
        if isinstance(source, NestedSource):
            found |= sources_of(source.plan)
        else:
            found[shot.footage] = source
    return found


def _traces(project: Project, sources: Mapping[str, Source]) -> dict[tuple[str, str], Columns]:
    """All that is kept of what the choices of a project read. Raises FootageError."""
    store = TraceStore()
    measured = {fingerprint(wish.source.originals.source.files) for wish in wishes_of(project, sources)}
    return {(mark, name): columns for mark in measured for name, columns in store.all_of(mark).items()}
