"""What was measured, kept on the disk under the fingerprint of what it was measured of.

The store has a budget; what was read least lately goes first. What cannot be read, or is of another
version, is dropped and measured anew. Where there is no room or no permission, nothing is kept.
"""

import contextlib
import hashlib
import io
import os
from collections.abc import Iterable, Mapping
from pathlib import Path
from zipfile import BadZipFile

import numpy as np
import numpy.typing as npt
from platformdirs import user_cache_path

from chronoxis.core.errors import ExportError, FootageError
from chronoxis.core.files.atomic import write_whole

Columns = Mapping[str, npt.NDArray[np.generic]]

BUDGET = 512 * 1024 * 1024
"""Bytes that all traces may take."""

_VERSION = 1
_ENDING = ".trace.npz"
_PART_BYTES = 64 * 1024


def fingerprint(files: Iterable[Path]) -> str:
    """Of what files hold: their sizes, and bytes from the beginning, the middle and the end.

    Raises:
        FootageError: one cannot be read.
    """
    try:
        return _fingerprint(files)
    except OSError as error:
        raise FootageError(f"{error.filename} cannot be read: {error.strerror}.") from error


def _fingerprint(files: Iterable[Path]) -> str:
    found = hashlib.blake2b(digest_size=16)
    for file in files:
        size = file.stat().st_size
        found.update(str(size).encode())
        with file.open("rb") as opened:
            for at in (0, max(0, size // 2 - _PART_BYTES // 2), max(0, size - _PART_BYTES)):
                opened.seek(at)
                found.update(opened.read(_PART_BYTES))
    return found.hexdigest()


class TraceStore:
    """Columns of numbers by fingerprint and name."""

    def __init__(self, folder: Path | None = None, budget: int = BUDGET) -> None:
        """In the user's cache, unless a folder is given."""
        self._folder = folder or user_cache_path("chronoxis") / "traces"
        self._budget = budget

    def kept(self, fingerprint_: str, name: str) -> Columns | None:
        """What was kept, or None."""
        path = self._path(fingerprint_, name)
        try:
            with np.load(io.BytesIO(path.read_bytes()), allow_pickle=False) as opened:
                columns = {key: opened[key] for key in opened.files}
        except FileNotFoundError:
            return None
        except (OSError, ValueError, KeyError, EOFError, BadZipFile):
            with contextlib.suppress(OSError):
                path.unlink()
            return None
        if int(columns.pop("version", np.array(0))) != _VERSION:
            with contextlib.suppress(OSError):
                path.unlink()
            return None
        with contextlib.suppress(OSError):
            os.utime(path)
        return columns

    def all_of(self, fingerprint_: str) -> dict[str, Columns]:
        """All that was kept of some files, by name."""
        places = self._folder.glob(f"{fingerprint_}-*{_ENDING}")
        names = [path.name.removeprefix(f"{fingerprint_}-").removesuffix(_ENDING) for path in places]
        found = {name: self.kept(fingerprint_, name) for name in names}
        return {name: columns for name, columns in found.items() if columns is not None}

    def keep(self, fingerprint_: str, name: str, columns: Columns) -> bool:
        """Keep columns, as long as there is room; whether they are kept."""
        written = io.BytesIO()
        np.savez_compressed(written, version=np.array(_VERSION), **dict(columns))  # type: ignore[arg-type]
        try:
            self._folder.mkdir(parents=True, exist_ok=True)
            write_whole(self._path(fingerprint_, name), written.getvalue())
            self._make_room()
        except (OSError, ExportError):
            return False
        return True

    def _path(self, fingerprint_: str, name: str) -> Path:
        return self._folder / f"{fingerprint_}-{name}{_ENDING}"

    def _make_room(self) -> None:
        entries = []
        for path in self._folder.glob(f"*{_ENDING}"):
            with contextlib.suppress(OSError):  # another window may have taken it away
                found = path.stat()
                entries.append((found.st_mtime, found.st_size, path))
        size = sum(entry[1] for entry in entries)
        for _, bytes_, path in sorted(entries):
            if size <= self._budget:
                return
            with contextlib.suppress(OSError):
                path.unlink()
            size -= bytes_
