"""What is not saved yet, kept where a later start finds it.

Every running window has a file of its own and holds a lock beside it; a file whose lock nobody holds
was left behind by a window that ended without saying goodbye.
"""

import fcntl
import json
import time
import uuid
from dataclasses import dataclass
from pathlib import Path

from platformdirs import user_state_path

from chronoxis.core.errors import ExportError, ProjectFileError
from chronoxis.core.files.atomic import takes_lock, why_not_written, write_whole
from chronoxis.core.files.project_file import as_json, from_json
from chronoxis.core.model.project import Project

_ENDING = ".autosave"


def autosave_folder() -> Path:
    """Where autosaves are kept."""
    return user_state_path("chronoxis") / "autosave"


class Autosave:
    """One window's autosave."""

    def __init__(self, folder: Path) -> None:
        """Raises ExportError if the folder cannot be used."""
        self._path = folder / f"{uuid.uuid4().hex}{_ENDING}"
        try:
            folder.mkdir(parents=True, exist_ok=True)
            self._lock = _lock_of(self._path).open("w")
            fcntl.flock(self._lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError as error:
            raise ExportError(why_not_written(self._path, error)) from error

    def keep(self, project: Project, saved_as: Path | None) -> None:
        """Keep a project that has changes not saved in its own file. Raises ExportError."""
        content = {
            "of": str(saved_as) if saved_as else None,
            "at": time.time(),
            "project": as_json(project, self._path.parent),
        }
        write_whole(self._path, json.dumps(content).encode())

    def clear(self) -> None:
        """Everything is saved, or was thrown away on purpose."""
        self._path.unlink(missing_ok=True)

    def close(self) -> None:
        """End without leaving anything behind."""
        self.clear()
        _lock_of(self._path).unlink(missing_ok=True)
        self._lock.close()


@dataclass(frozen=True)
class LeftBehind:
    """Changes that a window could not save.

    Attributes:
        path: the autosave.
        saved_as: the project's own file, if it had one.
        at: when it was kept, in seconds since the epoch.
        project: the project.
    """

    path: Path
    saved_as: Path | None
    at: float
    project: Project

    def discard(self) -> None:
        """Throw it away."""
        self.path.unlink(missing_ok=True)
        _lock_of(self.path).unlink(missing_ok=True)


def left_behind(folder: Path) -> list[LeftBehind]:
    """The autosaves that no running window holds, newest first."""
    found = []
    for path in sorted(folder.glob(f"*{_ENDING}")) if folder.is_dir() else []:
        if _is_held(path):
            continue
        try:
            content = json.loads(path.read_bytes())
            project = from_json(content["project"], path)
            saved_as = Path(content["of"]) if content["of"] else None
            found.append(LeftBehind(path, saved_as, float(content["at"]), project))
        except FileNotFoundError:
            continue  # let go of in the meantime
        except (OSError, ValueError, KeyError, TypeError, ProjectFileError):
            path.rename(path.with_suffix(".unreadable"))  # kept for whoever wants to look
    return sorted(found, key=lambda each: each.at, reverse=True)


def _is_held(path: Path) -> bool:
    try:
        with _lock_of(path).open("a") as lock:
            return not takes_lock(lock)
    except OSError:
        return False


def _lock_of(path: Path) -> Path:
    return path.with_suffix(".lock")


def sweep(folder: Path) -> None:
    """Remove locks that nobody holds."""
    for lock in folder.glob("*.lock") if folder.is_dir() else []:
        path = lock.with_suffix(_ENDING)
        if not path.exists() and not _is_held(path):
            lock.unlink(missing_ok=True)
