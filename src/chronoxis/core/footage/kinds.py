"""The kinds of footage, and how each is opened. A further kind is a package beside this and a line here."""

from collections.abc import Hashable, Iterable, Sequence
from contextlib import AbstractContextManager
from pathlib import Path
from typing import Any, Protocol

from av.video.frame import VideoFrame

from chronoxis.core.errors import FootageError
from chronoxis.core.footage.music.music_kind import MusicKind
from chronoxis.core.footage.photos.photo_kind import PhotoRunKind
from chronoxis.core.footage.recording.recording_kind import RecordingKind
from chronoxis.core.footage.source import Facts, Progress, Source, Thumbnails
from chronoxis.core.model.footage import Footage
from chronoxis.core.model.project import Project


class Kind(Protocol):
    """A kind of footage. Its facts are of a class that no other kind has."""

    @property
    def facts_class(self) -> type:
        """What its facts are."""

    @property
    def endings(self) -> tuple[str, ...]:
        """Of the files that can be chosen for it, lower case, with their dots."""

    def claims(self, origin: Hashable) -> bool:
        """Whether this is what opens an origin. Asked in the order of `KINDS`."""

    def origins(self, paths: Sequence[Path]) -> list[Hashable]:
        """What paths that it claims stand for. Raises FootageError."""

    def meet(self, origin: Any) -> tuple[Facts, VideoFrame]:
        """Facts from the header, and the first picture. Raises FootageError."""

    def footage(self, facts: Any) -> Footage:
        """What a project keeps of it, before its frames were counted."""

    def count(self, facts: Any, progress: Progress | None, *, gently: bool) -> Source:
        """Read when each frame is on display. Raises FootageError; Cancelled, if ``progress`` does."""

    def settled(self, project: Project, footage: Footage, source: Any) -> Project:
        """A project with what counting found of footage that was not counted, or is taken as it is now."""

    def as_chosen(self, source: Any, footage: Footage) -> Source:
        """A source as a project's choices about the footage have it."""

    def thumbnails(self, facts: Any) -> AbstractContextManager[Thumbnails]:
        """Open it for quick pictures that need not be exact. Raises FootageError."""


_PHOTOS, _MUSIC, _RECORDING = PhotoRunKind(), MusicKind(), RecordingKind()
KINDS: tuple[Kind, ...] = (_PHOTOS, _MUSIC, _RECORDING)


def origins_at(paths: Sequence[Path]) -> list[Hashable]:
    """What chosen files and folders are: footage of whatever kinds, in the order of `KINDS`.

    Raises:
        FootageError: there is nothing that could be footage, or a folder cannot be looked into.
    """
    found: list[Hashable] = []
    left = [*paths, *_single_files_in(path for path in paths if path.is_dir())]
    for kind in KINDS:
        own = [path for path in left if kind.claims(path)]
        left = [path for path in left if path not in own]
        found += kind.origins(own)
    if not found:
        named = ", ".join(path.name for path in paths[:3])
        raise FootageError(f"{named} holds neither photos, recordings nor music; choose another folder.")
    return found


def _single_files_in(folders: Iterable[Path]) -> list[Path]:
    """Files in folders that end like recordings or music. Raises FootageError for a closed folder."""
    try:
        files = [file for folder in folders for file in sorted(folder.iterdir())]
    except OSError as error:
        raise FootageError(f"{error.filename} cannot be looked into: {error.strerror}.") from None
    endings = (*_MUSIC.endings, *_RECORDING.endings)
    return [file for file in files if file.suffix.lower() in endings and file.is_file()]


def meet(origin: Hashable) -> tuple[Facts, VideoFrame]:
    """Read facts from a header, and the first picture.

    Raises:
        FootageError: it cannot be opened, or its first frame cannot be decoded.
    """
    return next(kind for kind in KINDS if kind.claims(origin)).meet(origin)


def footage_of(facts: Facts) -> Footage:
    """What a project keeps of footage, before its frames were counted."""
    return _kind(facts).footage(facts)


def count(facts: Facts, progress: Progress | None = None, *, gently: bool = False) -> Source:
    """Read when each frame is on display; ``gently`` if a window must not wait for that meanwhile.

    Raises:
        FootageError: it cannot be read or holds no frame.
        Cancelled: ``progress`` raised it.
    """
    return _kind(facts).count(facts, progress, gently=gently)


def settled(project: Project, footage: Footage, source: Source) -> Project:
    """A project with what counting found of footage that was not counted, or is taken as it is now.

    Raises:
        PlanError: a speed that follows is out of range.
    """
    return _kind(source.facts).settled(project, footage, source)


def as_chosen(source: Source, footage: Footage) -> Source:
    """A source as a project's choices about the footage have it; a stand-in stays as it is."""
    kinds = (kind for kind in KINDS if isinstance(source.facts, kind.facts_class))
    kind = next(kinds, None)
    return kind.as_chosen(source, footage) if kind else source


def thumbnails(facts: Facts) -> AbstractContextManager[Thumbnails]:
    """Open footage for quick pictures that need not be exact.

    Raises:
        FootageError: it cannot be opened.
    """
    return _kind(facts).thumbnails(facts)


def open_source(origin: Hashable) -> Source:
    """Open footage and count its frames. Raises FootageError as `meet` and `count`."""
    return count(meet(origin)[0])


def _kind(facts: Facts) -> Kind:
    return next(kind for kind in KINDS if isinstance(facts, kind.facts_class))
