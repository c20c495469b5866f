"""Result frames that were made, kept on the disk by what they were made from, within a budget.

One SQLite file, shared by all windows. Of too many, those go first that were used longest ago.
"""

import sqlite3
import time
from collections.abc import Iterable, Iterator, Mapping
from contextlib import contextmanager
from pathlib import Path

from platformdirs import user_cache_path

from chronoxis.app.pictures.made_frames import MadeFrame
from chronoxis.core.errors import ChronoxisError
from chronoxis.core.files.disk_budget import disk_budget
from chronoxis.core.render.frame_identity import Identity

_MOST_BYTES = 2_000_000_000
_BUSY_SECONDS = 0.5  # for another window to end its writing
_SPARE = 0.05  # of the budget, that is freed beyond what is needed, so that it need not be done each time
_VERSION = 1
_SCHEMA = f"""
PRAGMA auto_vacuum = INCREMENTAL;
PRAGMA journal_mode = WAL;
PRAGMA synchronous = NORMAL;
CREATE TABLE IF NOT EXISTS uses (
    number INTEGER PRIMARY KEY, identity BLOB NOT NULL UNIQUE, bytes INTEGER NOT NULL, used REAL NOT NULL
);
CREATE INDEX IF NOT EXISTS uses_by_date ON uses (used);
CREATE TABLE IF NOT EXISTS pictures (number INTEGER PRIMARY KEY, result BLOB NOT NULL, recorded BLOB);
PRAGMA user_version = {_VERSION};
"""


class FrameStoreError(ChronoxisError):
    """Frames cannot be kept on the disk."""


class FrameStore:
    """Compressed result frames by identity. For one thread; the file is opened when it is first needed."""

    def __init__(self, file: Path | None = None, budget: int | None = None) -> None:
        """In the user's cache, with a tenth of what is free there, unless told otherwise."""
        self._file = file or user_cache_path("chronoxis") / "frames" / "frames.sqlite"
        self._given_budget = budget
        self._opened: sqlite3.Connection | None = None

    def kept(self, identities: Iterable[Identity]) -> dict[Identity, MadeFrame]:
        """Those of some frames that are there. Raises FrameStoreError."""
        wished = list(dict.fromkeys(identities))
        marks, found = ",".join("?" * len(wished)), dict[Identity, MadeFrame]()
        with self._transaction() as database:
            rows = database.execute(
                "SELECT number, identity, result, recorded FROM uses JOIN pictures USING (number) "
                f"WHERE identity IN ({marks})",
                wished,
            ).fetchall()
            found = {identity: MadeFrame(result, recorded) for _, identity, result, recorded in rows}
            now = time.time()
            database.executemany("UPDATE uses SET used = ? WHERE number = ?", [(now, row[0]) for row in rows])
        return found

    def keep(self, frames: Mapping[Identity, MadeFrame]) -> None:
        """Keep frames in the place of what is there of them. Raises FrameStoreError."""
        with self._transaction() as database:
            self._make_room(database, sum(frame.size for frame in frames.values()))
            for identity, frame in frames.items():
                (number,) = database.execute(
                    "INSERT INTO uses (identity, bytes, used) VALUES (?, ?, ?) ON CONFLICT (identity) "
                    "DO UPDATE SET bytes = excluded.bytes, used = excluded.used RETURNING number",
                    (identity, frame.size, time.time()),
                ).fetchone()
                row = number, frame.result, frame.recorded
                database.execute("INSERT OR REPLACE INTO pictures VALUES (?, ?, ?)", row)

    def clear(self) -> None:
        """Forget all, and give the room back. Raises FrameStoreError."""
        with self._transaction() as database:
            database.execute("DELETE FROM uses")
            database.execute("DELETE FROM pictures")
        with self._transaction() as database:
            database.executescript("PRAGMA incremental_vacuum")  # which `execute` does for one page only

    def close(self) -> None:
        """Close the file."""
        if self._opened is not None:
            self._opened.close()
            self._opened = None

    def _make_room(self, database: sqlite3.Connection, needed: int) -> None:
        (used,) = database.execute("SELECT coalesce(sum(bytes), 0) FROM uses").fetchone()
        budget = self._budget(used)
        if used + needed <= budget:
            return
        excess, gone = used + needed - int(budget * (1 - _SPARE)), list[tuple[int]]()
        for number, bytes_ in database.execute("SELECT number, bytes FROM uses ORDER BY used"):
            if excess <= 0:
                break
            gone.append((number,))
            excess -= bytes_
        database.executemany("DELETE FROM uses WHERE number = ?", gone)
        database.executemany("DELETE FROM pictures WHERE number = ?", gone)

    def _budget(self, used: int) -> int:
        """Bytes that all frames may take, where they take so many now."""
        if self._given_budget is not None:
            return self._given_budget
        return disk_budget(self._file.parent, used, _MOST_BYTES)

    @contextmanager
    def _transaction(self) -> Iterator[sqlite3.Connection]:
        """The file, opened; what is done to it is done as a whole or not at all.

        One that is damaged is taken away, so that another is begun the next time.

        Raises:
            FrameStoreError: it cannot be read or written.
        """
        try:
            if self._opened is None:
                self._opened = _opened(self._file)
            with self._opened:
                yield self._opened
        except sqlite3.OperationalError as error:
            raise FrameStoreError(f"{error}") from error
        except sqlite3.DatabaseError as error:
            self.close()
            _take_away(self._file)
            raise FrameStoreError(f"{error}") from error
        except OSError as error:
            raise FrameStoreError(error.strerror or str(error)) from error


def _opened(file: Path) -> sqlite3.Connection:
    file.parent.mkdir(parents=True, exist_ok=True)
    database = sqlite3.connect(file, timeout=_BUSY_SECONDS)
    try:
        (version,) = database.execute("PRAGMA user_version").fetchone()
        if version not in (0, _VERSION):
            raise sqlite3.DatabaseError("it is of another version")
        database.executescript(_SCHEMA)
    except sqlite3.Error:
        database.close()
        raise
    return database


def _take_away(file: Path) -> None:
    for path in (file, *(file.with_name(file.name + ending) for ending in ("-wal", "-shm"))):
        path.unlink(missing_ok=True)
