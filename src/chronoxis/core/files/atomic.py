"""Writing so that a file under its final name is always whole."""

import errno
import fcntl
import os
import re
import tempfile
import time
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from pathlib import Path
from typing import IO, Any

from chronoxis.core.errors import ExportError

_UNFINISHED = ".part"
_FRESH = 10  # seconds in which a file may not be locked yet


@contextmanager
def temporary_beside(final: Path) -> Iterator[Path]:
    """Make an empty hidden file in the folder of ``final``, to be written and then published.

    What was not published is removed at the end, and so is what a program that was killed left behind.

    Raises:
        ExportError: the folder is missing or may not be written to.
    """
    prefix = f".{final.stem[:80]}-"
    try:
        _sweep(final.parent, prefix)
        handle, name = tempfile.mkstemp(prefix=prefix, suffix=_UNFINISHED, dir=final.parent)
    except OSError as error:
        raise ExportError(why_not_written(final, error)) from error
    try:
        takes_lock(handle)  # for as long as the program lives
        umask = os.umask(0)
        os.umask(umask)
        os.fchmod(handle, 0o666 & ~umask)
        yield Path(name)
    finally:
        os.close(handle)
        Path(name).unlink(missing_ok=True)


def _sweep(folder: Path, prefix: str) -> None:
    """Remove unfinished files of this name that nobody writes any more."""
    names = re.compile(re.escape(prefix) + "[a-z0-9_]{8}" + re.escape(_UNFINISHED))
    for left in [path for path in folder.iterdir() if names.fullmatch(path.name)]:
        with suppress(FileNotFoundError, PermissionError), left.open("rb") as found:
            if time.time() - left.stat().st_mtime > _FRESH and takes_lock(found):
                left.unlink()


def takes_lock(file: int | IO[Any]) -> bool:
    """Lock an open file, unless somebody has it or files cannot be locked there."""
    try:
        fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except OSError:
        return False
    return True


def write_whole(final: Path, content: bytes) -> None:
    """Write a file, replacing one of that name in one step once the new one is safely on the disk.

    Raises:
        ExportError: it could not be written; what was there is still there.
    """
    with temporary_beside(final) as temporary:
        try:
            temporary.write_bytes(content)
        except OSError as error:
            raise ExportError(why_not_written(final, error)) from error
        publish(temporary, final, overwrite=True)


def publish(temporary: Path, final: Path, *, overwrite: bool) -> None:
    """Give a finished file its final name in one step.

    Raises:
        ExportError: a file of that name is there and may not be overwritten, or the disk refuses.
    """
    try:
        with temporary.open("rb") as written:
            os.fsync(written.fileno())
        if overwrite:
            temporary.replace(final)
        else:
            _claim(temporary, final)
    except FileExistsError:
        raise ExportError(already_there(final)) from None
    except OSError as error:
        raise ExportError(why_not_written(final, error)) from error


def already_there(final: Path) -> str:
    """The message for a name that is taken."""
    return f"{final} is already there; choose another name, or allow it to be overwritten."


def why_not_written(final: Path, error: Exception) -> str:
    """One line that says why a file could not be written, and what to do."""
    folder = final.parent
    match getattr(error, "errno", None):
        case errno.ENOSPC | errno.EDQUOT:
            return f"{final.name} was not written: the disk of {folder} is full; make room or choose another."
        case errno.EFBIG:
            return (
                f"{final.name} was not written: files so large are not allowed in {folder}; choose another."
            )
        case errno.ENOENT | errno.ENOTDIR:
            return (
                f"{final.name} was not written: the folder {folder} is not there; make it or choose another."
            )
        case errno.EACCES | errno.EPERM | errno.EROFS:
            return f"{final.name} was not written: {folder} may not be written to; choose another folder."
        case _:
            return f"{final.name} was not written: {getattr(error, 'strerror', None) or error}."


def _claim(temporary: Path, final: Path) -> None:
    """Rename without replacing: a hard link fails where the name is taken."""
    try:
        os.link(temporary, final)
    except FileExistsError:
        raise
    except OSError:  # a file system without hard links
        if final.exists():
            raise FileExistsError(final) from None
        temporary.rename(final)
    else:
        temporary.unlink()
