"""Footage that arrives in a folder: found once it has stopped growing, and each only once, ever."""

import sqlite3
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path

from platformdirs import user_state_path

from chronoxis.core.queue.export_queue import QueueError
from chronoxis.core.traces.store import fingerprint

_SETTLED_SECONDS = 3.0  # without a change, after which a file is taken to be whole
_FOLDER_SECONDS = 15.0  # the same of a folder, into which photos come one by one
_UNFINISHED_ENDINGS = (".part", ".partial", ".crdownload", ".tmp", ".download")  # of files on their way
_BUSY_SECONDS = 5.0


@dataclass
class _Seen:
    """What an entry of the folder was like, and since when it has been so."""

    state: object
    since: float
    settled: bool = False


class Arrivals:
    """Tells recordings, and folders of photos, that have come into a folder and are whole."""

    def __init__(self, folder: Path, *, existing: bool) -> None:
        """What is there already counts if ``existing`` says so, else only once it changes."""
        self._folder = folder
        self._seen: dict[Path, _Seen] = {}
        if not existing:
            self._seen = {path: _Seen(_state(path), 0.0, settled=True) for path in self._entries()}

    def settled(self, now: float) -> list[Path]:
        """Those that have stopped growing since somebody asked last.

        Args:
            now: seconds on any clock that goes on evenly.

        Raises:
            OSError: the folder cannot be read.
        """
        there, found = self._entries(), []
        for path in [path for path in self._seen if path not in there]:
            del self._seen[path]
        for path in there:
            state, seen = _state(path), self._seen.get(path)
            if seen is None or seen.state != state:
                self._seen[path] = _Seen(state, now)
            elif not seen.settled and state is not None and now - seen.since >= _patience(path):
                seen.settled = True
                found.append(path)
        return sorted(found)

    def _entries(self) -> set[Path]:
        return {path for path in self._folder.iterdir() if _counts(path)}


def _counts(path: Path) -> bool:
    return not path.name.startswith(".") and path.suffix.lower() not in _UNFINISHED_ENDINGS


def _patience(path: Path) -> float:
    return _FOLDER_SECONDS if path.is_dir() else _SETTLED_SECONDS


def _state(path: Path) -> object:
    """What changes while something is written; None if it is gone, or holds nothing yet."""
    try:
        found = path.stat()
        if not path.is_dir():
            return (found.st_size, found.st_mtime_ns, found.st_ino) if found.st_size else None
        files = sorted((file.name, file.stat().st_size) for file in path.iterdir() if file.is_file())
    except OSError:
        return None
    return tuple(files) or None


class CondensedBefore:
    """What was condensed of watched folders, by what it holds, through restarts."""

    def __init__(self, file: Path | None = None) -> None:
        """In the person's state, unless a file is given. Raises QueueError."""
        self._file = file or user_state_path("chronoxis") / "watched.sqlite"
        with self._told():
            self._file.parent.mkdir(parents=True, exist_ok=True)
            self._database = sqlite3.connect(self._file, timeout=_BUSY_SECONDS)
            with self._database:
                self._database.execute(
                    "CREATE TABLE IF NOT EXISTS condensed "
                    "(pattern TEXT, content TEXT, UNIQUE (pattern, content))"
                )

    def close(self) -> None:
        """Close the file."""
        self._database.close()

    def take(self, path: Path, into: str) -> bool:
        """Note that footage is condensed into a pattern of names; whether it was not before.

        Raises:
            FootageError: it cannot be read.
            QueueError: that cannot be noted.
        """
        files = sorted(file for file in path.iterdir() if file.is_file()) if path.is_dir() else [path]
        mark = fingerprint(files)
        with self._told(), self._database:
            return bool(
                self._database.execute("INSERT OR IGNORE INTO condensed VALUES (?, ?)", (into, mark)).rowcount
            )

    @contextmanager
    def _told(self) -> Iterator[None]:
        try:
            yield
        except (sqlite3.Error, OSError) as error:
            raise QueueError(f"{self._file} cannot be used: {error}.") from error
