"""Edits of kept looks; pure functions from one project to the next."""

from dataclasses import replace

from chronoxis.core.errors import PlanError
from chronoxis.core.model.join import Join
from chronoxis.core.model.look import OWN_LOOKS, KeptLook
from chronoxis.core.model.project import Project


def keep_look(project: Project, name: str, join: Join) -> Project:
    """Keep a look under a name; one of that name is replaced.

    Raises:
        PlanError: the name is empty, or that of a look that comes with the program.
    """
    name = name.strip()
    if not name:
        raise PlanError("A look needs a name.")
    if any(look.name == name for look in OWN_LOOKS):
        raise PlanError(f"“{name}” comes with the program; choose another name.")
    others = tuple(look for look in project.looks if look.name != name)
    return replace(project, looks=(*others, KeptLook(name, join)))


def forget_look(project: Project, name: str) -> Project:
    """Forget the look of a name; what was given of it stays."""
    return replace(project, looks=tuple(look for look in project.looks if look.name != name))
