"""What a project has from packages that are not here."""

from collections.abc import Iterator

from chronoxis.core.model.accent import Accent, MissingLook
from chronoxis.core.model.nested import Nested
from chronoxis.core.model.project import Project, Shot


def missing_additions(project: Project) -> list[str]:
    """Keys of ways and looks whose packages are not here, inside nested runs as well; ascending."""
    ways = {str(p.making.each) for s in _shots(project) for p in s.passages if p.making.each.is_missing}
    looks = {each.look.key for each in _accents(project) if isinstance(each.look, MissingLook)}
    return sorted(ways | looks)


def _shots(project: Project) -> Iterator[Shot]:
    yield from project.shots
    for footage in project.footage:
        if isinstance(footage, Nested):
            yield from footage.shots


def _accents(project: Project) -> Iterator[Accent]:
    yield from project.accents
    for shot in _shots(project):
        yield from (*shot.accents, *shot.join.accents)
        for passage in shot.passages:
            yield from passage.accents
