"""What a foreign file amounts to as a project."""

from dataclasses import dataclass, field

from chronoxis.core.model.project import Project


@dataclass(frozen=True)
class Imported:
    """A timeline as a project.

    Attributes:
        project: what could be taken over.
        notes: one line for each thing that could not.
    """

    project: Project
    notes: list[str] = field(default_factory=list)
