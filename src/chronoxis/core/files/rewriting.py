"""Writing over a file only while it still is what it was when it was read."""

import fcntl
import hashlib
import os
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from chronoxis.core.errors import AlteredError, ExportError

_PATIENCE = 5.0  # seconds for whoever else is just writing the file
_LOOK_SECONDS = 0.02  # seconds between looks


def fingerprint_of(content: bytes) -> str:
    """What a file that holds this is known by: SHA-256. Times say less: copying changes them, and saving
    twice within a tick does not."""
    return hashlib.sha256(content).hexdigest()


@contextmanager
def written_by_nobody_else(path: Path, known: str | None) -> Iterator[None]:
    """Hold a file while it is replaced, if its fingerprint is still the one ``known``; None: whatever it is.

    Two programs that use this take turns, so that the second one sees what the first one wrote.

    Raises:
        AlteredError: it is not what it was.
        ExportError: another program holds it.
    """
    handle = _held(path)
    try:
        if known is not None and not _still_holds(path, known):
            raise AlteredError(
                f"{path.name} was changed by another window or program since it was opened here; nothing was "
                "written over it."
            )
        yield
    finally:
        if handle is not None:
            os.close(handle)


def _still_holds(path: Path, known: str) -> bool:
    """Whether a file holds what it did; one that is gone holds nothing else."""
    try:
        return path.is_file() and fingerprint_of(path.read_bytes()) == known if path.exists() else True
    except OSError:
        return False


def _held(path: Path) -> int | None:
    """A lock on the file of that name; None where there is no file, or none that can be locked."""
    end = time.monotonic() + _PATIENCE
    while True:
        try:
            handle = os.open(path, os.O_RDONLY | os.O_NONBLOCK)
        except OSError:
            return None
        try:
            fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
            if _is_there_still(path, handle):
                return handle
        except BlockingIOError:
            if time.monotonic() > end:
                os.close(handle)
                raise ExportError(
                    f"{path.name} was not written: another program is writing it; try again."
                ) from None
        except OSError:
            os.close(handle)
            return None  # files cannot be locked there
        os.close(handle)
        time.sleep(_LOOK_SECONDS)


def _is_there_still(path: Path, handle: int) -> bool:
    """Whether the open file is the one of that name; not while that is being replaced."""
    try:
        return os.path.samestat(path.stat(), os.fstat(handle))
    except FileNotFoundError:
        return False
