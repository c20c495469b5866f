"""The queue of exports: one SQLite file that windows, commands and the runner read and write.

Whoever changes how a job stands writes it there; the runner that is at it looks every now and then, and stops
where the job is no longer under way, or gone.
"""

import json
import os
import sqlite3
import time
from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from dataclasses import fields
from pathlib import Path
from typing import Any

from platformdirs import user_state_path

from chronoxis.core.cluster.machines import Machines
from chronoxis.core.errors import ChronoxisError
from chronoxis.core.files.atomic import discard_pieces
from chronoxis.core.files.project_file import as_json, from_json
from chronoxis.core.model import arranging
from chronoxis.core.model.project import Project
from chronoxis.core.queue.jobs import Job, JobState
from chronoxis.core.render.result_place import result_place

_VERSION = 2
_BUSY_SECONDS = 5.0  # for another process to end its writing
_ROOT = Path("/")  # paths of footage in the queue are told from there
_SCHEMA = f"""
PRAGMA journal_mode = WAL;
PRAGMA synchronous = FULL;
CREATE TABLE IF NOT EXISTS jobs (
    id INTEGER PRIMARY KEY AUTOINCREMENT,
    place REAL NOT NULL,
    state TEXT NOT NULL,
    why TEXT NOT NULL DEFAULT '',
    name TEXT NOT NULL,
    project TEXT NOT NULL,
    output BLOB NOT NULL,
    overwrite INTEGER NOT NULL,
    total INTEGER NOT NULL DEFAULT 0,
    done INTEGER NOT NULL DEFAULT 0,
    rate REAL NOT NULL DEFAULT 0,
    seconds_left REAL,
    needs INTEGER NOT NULL DEFAULT 0,
    tries INTEGER NOT NULL DEFAULT 0,
    outcome TEXT NOT NULL DEFAULT '{{}}',
    expected REAL,
    picture BLOB NOT NULL DEFAULT x'',
    mark TEXT NOT NULL DEFAULT '',
    machines TEXT NOT NULL DEFAULT '',
    added REAL NOT NULL,
    ended REAL
);
PRAGMA user_version = {_VERSION};
"""
_SINCE_2 = "ALTER TABLE jobs ADD COLUMN machines TEXT NOT NULL DEFAULT ''"
_FIELDS = [field.name for field in fields(Job)]
_COLUMNS = ", ".join(_FIELDS)


class QueueError(ChronoxisError):
    """The queue cannot be read or written, or a wish about it cannot be met."""


class ExportQueue:
    """Exports in their order. For one thread at a time."""

    def __init__(self, file: Path | None = None) -> None:
        """That of the person, unless a file is given.

        Raises:
            QueueError: it cannot be opened, or a newer version of the program made it.
        """
        self.file = file or user_state_path("chronoxis") / "queue.sqlite"
        self.caution = ""
        """What a person should know of the queue, or nothing."""
        try:
            self._database = self._opened()
        except sqlite3.OperationalError as error:
            raise QueueError(f"The queue in {self.file} cannot be opened: {error}.") from error
        except sqlite3.DatabaseError:
            aside = _put_aside(self.file)
            self.caution = f"The queue of exports was damaged; it was kept as {aside}, and a new one begun."
            self._database = self._opened()
        except OSError as error:
            raise QueueError(f"The queue in {self.file} cannot be opened: {error.strerror}.") from error

    def close(self) -> None:
        """Close the file."""
        self._database.close()

    def add(
        self,
        project: Project,
        output: Path,
        *,
        overwrite: bool = False,
        name: str = "",
        expected: float | None = None,
        machines: Machines | None = None,
    ) -> int:
        """Put an export at the end, and return its number.

        Args:
            project: what is exported, with the choices of the export; later edits do not change that.
            output: where to, as for `export`.
            overwrite: whether what has that name then may be replaced.
            name: by which a person knows it; that of the output, if none is given.
            expected: seconds that it will take, if somebody knows.
            machines: which ones make it; None for this one alone.

        Raises:
            QueueError: another job that is not done yet writes the same.
        """
        output = output.absolute()
        with self._transaction() as database:
            for job in self.jobs():
                if job.is_open and job.output == output:
                    raise QueueError(f"Another export in the queue already writes {output}.")
            text = json.dumps(as_json(project, _ROOT))
            return int(
                database.execute(
                    "INSERT INTO jobs "
                    "(place, state, name, project, output, overwrite, expected, machines, added) "
                    "SELECT coalesce(max(place), 0) + 1, ?, ?, ?, ?, ?, ?, ?, ? FROM jobs RETURNING id",
                    (
                        JobState.WAITING,
                        name or output.stem,
                        text,
                        os.fsencode(output),
                        overwrite,
                        expected,
                        "" if machines is None else json.dumps(machines.as_json()),
                        time.time(),
                    ),
                ).fetchone()[0]
            )

    def jobs(self) -> list[Job]:
        """All of them, in their order. Raises QueueError."""
        with self._told():
            rows = self._database.execute(f"SELECT {_COLUMNS} FROM jobs ORDER BY place").fetchall()
        return [_job(row) for row in rows]

    def job(self, number: int) -> Job:
        """One of them. Raises QueueError if it is not there."""
        with self._told():
            row = self._database.execute(f"SELECT {_COLUMNS} FROM jobs WHERE id = ?", (number,)).fetchone()
        if row is None:
            raise QueueError(f"There is no export {number} in the queue; see chronoxis queue list.")
        return _job(row)

    def project(self, number: int) -> Project:
        """What is exported. Raises QueueError, ProjectFileError."""
        with self._told():
            row = self._database.execute("SELECT project FROM jobs WHERE id = ?", (number,)).fetchone()
        if row is None:
            raise QueueError(f"There is no export {number} in the queue.")
        return from_json(json.loads(row[0]), _ROOT / f"export {number}")

    def missing(self, number: int) -> list[Path]:
        """The footage that it reads and that is not there. Raises QueueError, ProjectFileError."""
        project = self.project(number)
        return [
            footage.files[0]
            for footage in project.footage
            if footage.key in project.read and footage.files and not footage.files[0].exists()
        ]

    def locate(self, number: int, was: Path, now: Path) -> None:
        """Have one read footage from where it was moved to.

        Raises:
            QueueError: it reads none from there.
        """
        project = self.project(number)
        keys = [footage.key for footage in project.footage if was in footage.files or was == footage.origin]
        if not keys:
            raise QueueError(f"Export {number} reads nothing from {was}.")
        for key in keys:
            project = arranging.locate(project, key, now)
        self._set(number, project=json.dumps(as_json(project, _ROOT)))

    def pause(self, number: int) -> None:
        """Let it rest; what is made of it stays. Raises QueueError."""
        self._move(number, JobState.PAUSED, JobState.WAITING, JobState.UNDER_WAY)

    def go_on(self, number: int) -> None:
        """Let one that rests, or failed, wait for its turn. Raises QueueError."""
        self._move(number, JobState.WAITING, JobState.PAUSED, JobState.FAILED)

    def to_top(self, number: int) -> None:
        """Let it be the next one. Raises QueueError."""
        self.job(number)
        with self._transaction() as database:
            database.execute(
                "UPDATE jobs SET place = (SELECT min(place) FROM jobs) - 1 WHERE id = ?", (number,)
            )

    def cancel(self, number: int) -> None:
        """Take it out, and what is made of it away; the runner that is at it does so. Raises QueueError."""
        job, project = self.job(number), self.project(number)
        with self._transaction() as database:
            database.execute("DELETE FROM jobs WHERE id = ?", (number,))
        discard_pieces(result_place(job.output, project.settings.format).path)

    def clear(self) -> None:
        """Take out all that is done. Raises QueueError."""
        with self._transaction() as database:
            database.execute("DELETE FROM jobs WHERE state = ?", (JobState.DONE,))

    def take(self) -> Job | None:
        """The next one to work at, which is under way from now on: what was interrupted, then what waits."""
        with self._transaction() as database:
            row = database.execute(
                "UPDATE jobs SET state = ?, why = '', needs = 0, tries = tries + 1 WHERE id = "
                "(SELECT id FROM jobs WHERE state IN (?, ?) ORDER BY state = ?, place LIMIT 1) "
                f"RETURNING {_COLUMNS}",
                (JobState.UNDER_WAY, JobState.UNDER_WAY, JobState.WAITING, JobState.WAITING),
            ).fetchone()
        return _job(row) if row is not None else None

    def note(
        self, number: int, done: int, total: int, rate: float, seconds_left: float | None
    ) -> JobState | None:
        """Note how far it is; say how it stands meanwhile, or None if it was taken out. Raises QueueError."""
        with self._transaction() as database:
            row = database.execute(
                "UPDATE jobs SET tries = CASE WHEN done < ? THEN 0 ELSE tries END, done = ?, total = ?, "
                "rate = ?, seconds_left = ? WHERE id = ? RETURNING state",
                (done, done, total, rate, seconds_left, number),
            ).fetchone()
        return JobState(row[0]) if row is not None else None

    def end(self, number: int, outcome: Mapping[str, Any]) -> None:
        """It is done. Raises QueueError."""
        with self._transaction() as database:
            database.execute(
                "UPDATE jobs SET state = ?, why = '', outcome = ?, ended = ?, done = ?, total = ?, "
                "seconds_left = NULL WHERE id = ?",
                (JobState.DONE, json.dumps(outcome), time.time(), *(outcome["frames"],) * 2, number),
            )

    def note_picture(self, number: int, picture: bytes) -> None:
        """Keep a small picture of it, as JPEG. Raises QueueError."""
        self._set(number, picture=picture)

    def note_naming(self, number: int, unnamed: Path, outcome: Mapping[str, Any]) -> None:
        """What comes out of it is whole, and is about to get its name. Raises QueueError, OSError."""
        self._set(number, mark=_mark(unnamed), outcome=json.dumps(outcome))

    def named(self, number: int, place: Path) -> Mapping[str, Any] | None:
        """What came out of it, if that has its name already. Raises QueueError."""
        with self._told():
            row = self._database.execute("SELECT mark, outcome FROM jobs WHERE id = ?", (number,)).fetchone()
        if row is None or not row[0] or not place.exists() or _mark(place) != row[0]:
            return None
        outcome: dict[str, Any] = json.loads(row[1])
        return outcome

    def remark(self, number: int, why: str) -> None:
        """Say something of it while it is under way. Raises QueueError."""
        with self._transaction() as database:
            database.execute(
                "UPDATE jobs SET why = ? WHERE id = ? AND state = ?", (why, number, JobState.UNDER_WAY)
            )

    def fail(self, number: int, why: str) -> None:
        """It cannot be done as things stand. Raises QueueError."""
        self._set(number, state=JobState.FAILED, why=why, ended=time.time())

    def hold(self, number: int, why: str, needs: int) -> None:
        """It goes on by itself once so many bytes are free where it writes. Raises QueueError."""
        self._set(number, state=JobState.PAUSED, why=why, needs=needs)

    def give_back(self, number: int) -> None:
        """It is no longer under way, unless somebody changed that already. Raises QueueError."""
        with self._transaction() as database:
            database.execute(
                "UPDATE jobs SET state = ? WHERE id = ? AND state = ?",
                (JobState.WAITING, number, JobState.UNDER_WAY),
            )

    def _move(self, number: int, to: JobState, *from_: JobState) -> None:
        job = self.job(number)
        with self._transaction() as database:
            marks = ",".join("?" * len(from_))
            changed = database.execute(
                "UPDATE jobs SET state = ?, why = '', needs = 0, tries = 0 WHERE id = ? AND state IN "
                f"({marks})",
                (to, number, *from_),
            ).rowcount
        if not changed:
            raise QueueError(f"Export {number} is {job.state}.")

    def _set(self, number: int, **columns: object) -> None:
        assigned = ", ".join(f"{name} = ?" for name in columns)
        with self._transaction() as database:
            database.execute(f"UPDATE jobs SET {assigned} WHERE id = ?", (*columns.values(), number))

    def _opened(self) -> sqlite3.Connection:
        self.file.parent.mkdir(parents=True, exist_ok=True)
        # Of one thread at a time, which need not be the same one.
        database = sqlite3.connect(self.file, timeout=_BUSY_SECONDS, check_same_thread=False)
        try:
            (version,) = database.execute("PRAGMA user_version").fetchone()
            if version > _VERSION:
                raise QueueError(
                    f"A newer version of Chronoxis made the queue in {self.file}; use that one for it."
                )
            if version == 1:
                _bring_up(database)
            database.executescript(_SCHEMA)
            if (found := database.execute("PRAGMA quick_check").fetchone()[0]) != "ok":
                raise sqlite3.DatabaseError(found)
        except BaseException:
            database.close()
            raise
        return database

    @contextmanager
    def _transaction(self) -> Iterator[sqlite3.Connection]:
        with self._told(), self._database:
            yield self._database

    @contextmanager
    def _told(self) -> Iterator[None]:
        try:
            yield
        except sqlite3.Error as error:
            raise QueueError(f"The queue in {self.file} cannot be used: {error}.") from error


def _bring_up(database: sqlite3.Connection) -> None:
    """Have a queue of the first version as those of the present one are."""
    database.execute("BEGIN IMMEDIATE")
    with database:
        if database.execute("PRAGMA user_version").fetchone()[0] == 1:  # nobody else has done so meanwhile
            database.execute(_SINCE_2)
            database.execute(f"PRAGMA user_version = {_VERSION}")


def _job(row: tuple[Any, ...]) -> Job:
    columns = dict(zip(_FIELDS, row, strict=True))
    columns["state"], columns["overwrite"] = JobState(columns["state"]), bool(columns["overwrite"])
    columns["output"] = Path(os.fsdecode(columns["output"]))
    columns["outcome"] = json.loads(columns["outcome"])
    told = columns["machines"]
    columns["machines"] = Machines.from_json(json.loads(told)) if told else None
    return Job(**columns)


def _mark(path: Path) -> str:
    """What a file or a folder is known by on the disk, whatever its name."""
    found = path.stat()
    return f"{found.st_dev}:{found.st_ino}:{found.st_mtime_ns}"


def _put_aside(file: Path) -> Path:
    """Rename a queue that cannot be read. Raises OSError."""
    stamp = time.strftime("%Y-%m-%d-%H%M%S")
    aside = file.with_name(f"{file.stem}-damaged-{stamp}{file.suffix}")
    file.rename(aside)
    for ending in ("-wal", "-shm"):
        file.with_name(file.name + ending).unlink(missing_ok=True)
    return aside
