"""Edits of which findings of a project are put aside; a finding is told by its key."""

from dataclasses import replace

from chronoxis.core.model.project import Project


def put_aside(project: Project, key: str) -> Project:
    """Show a finding no more."""
    return project if key in project.aside else replace(project, aside=(*project.aside, key))


def take_up(project: Project, key: str) -> Project:
    """Show a finding again that was put aside."""
    return replace(project, aside=tuple(each for each in project.aside if each != key))
