"""What will look or sound wrong in a plan."""

from collections.abc import Callable
from dataclasses import dataclass
from functools import partial

from chronoxis.api.project import Project
from chronoxis.api.result import Plan, Told
from chronoxis.core.checks.check import Edit
from chronoxis.core.checks.checks import checks_of
from chronoxis.core.checks.looking import known_of
from chronoxis.core.footage.reader_pool import FreshReaders
from chronoxis.core.traces.store import TraceStore


@dataclass(frozen=True, eq=False)
class Finding:
    """Something that will look or sound wrong.

    Attributes:
        kind: of finding.
        key: by which it is told from others of its kind.
        words: what will be wrong, where and why, in a sentence for a person.
        at: result seconds where it shows.
        mend: what would mend it, in a few words; nothing, if no edit does.
        mended: gives the project with that done; None if there is no such edit.
    """

    kind: str
    key: str
    words: str
    at: float
    mend: str
    mended: Callable[[Project], Project] | None


def checks(made: Plan, told: Told = lambda _label, _share: None) -> list[Finding]:
    """Look through a plan for all that people regret; what has to be measured for it is, once.

    Raises:
        FootageError: footage cannot be read.
        Cancelled: ``told`` raised it.
    """
    known = known_of(made.value, TraceStore(), FreshReaders(), told)
    return [
        Finding(
            check.kind,
            check.key,
            check.words,
            check.at,
            check.mend,
            partial(_mended, check.edit) if check.edit is not None else None,
        )
        for check in checks_of(made.value, known)
    ]


def _mended(edit: Edit, project: Project) -> Project:
    return Project(edit(project.value))
