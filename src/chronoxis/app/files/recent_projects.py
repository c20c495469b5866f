"""The projects and the footage that were opened, saved or brought in lately."""

import json
import time
from base64 import b64decode, b64encode
from collections.abc import Callable, Sequence
from pathlib import Path
from threading import Lock
from typing import Any, NamedTuple

from platformdirs import user_state_path

from chronoxis.core.files import endings
from chronoxis.core.files.atomic import made_folder, write_whole

_MOST_LISTED = 16
_writing = Lock()


class Recent(NamedTuple):
    """Something that was used lately.

    Attributes:
        path: of a project, a recording, or a folder of photos.
        at: when, seconds since 1970.
        length: seconds, of the result or of what was recorded; None if it is not known.
        picture: a small picture, an encoded file; empty if there is none.
    """

    path: Path
    at: float = 0.0
    length: float | None = None
    picture: bytes = b""

    @property
    def is_project(self) -> bool:
        """Whether it is a project or a timeline, and not footage."""
        return self.path.suffix.lower() in (endings.PROJECT, endings.TIMELINE)


def recently_used() -> list[Recent]:
    """Newest first; some may not be there any more."""
    try:
        entries = json.loads(_list_file().read_text())
        return [_from_json(entry) for entry in entries]
    except (OSError, ValueError, TypeError, KeyError, AttributeError):
        return []


def recent_projects() -> list[Path]:
    """The projects among them."""
    return [recent.path for recent in recently_used() if recent.is_project]


def remember_project(path: Path) -> None:
    """Put a project at the beginning of the list; writes to the disk. Raises ExportError."""
    remember(Recent(path))


def remember(now: Recent) -> None:
    """Put something at the beginning; what is not known of it now stays as it was. Raises ExportError."""

    def changed(listed: Sequence[Recent]) -> list[Recent]:
        old = next((each for each in listed if each.path == now.path), now)
        length = old.length if now.length is None else now.length
        known = Recent(now.path, time.time(), length, now.picture or old.picture)
        return [known, *(each for each in listed if each.path != now.path)]

    _change(changed)


def forget(path: Path) -> None:
    """Take something off the list; itself stays where it is. Raises ExportError."""
    _change(lambda listed: [each for each in listed if each.path != path])


def _change(change: Callable[[Sequence[Recent]], list[Recent]]) -> None:
    with _writing:
        listed = change(recently_used())[:_MOST_LISTED]
        made_folder(_list_file().parent)
        write_whole(_list_file(), json.dumps([_to_json(each) for each in listed]).encode())


def _to_json(recent: Recent) -> dict[str, Any]:
    picture = b64encode(recent.picture).decode()
    return {**recent._asdict(), "path": str(recent.path), "picture": picture}


def _from_json(entry: dict[str, Any] | str) -> Recent:
    if isinstance(entry, str):  # of an earlier version
        return Recent(Path(entry))
    return Recent(Path(entry["path"]), entry["at"], entry["length"], b64decode(entry["picture"]))


def _list_file() -> Path:
    return user_state_path("chronoxis") / "recent.json"
