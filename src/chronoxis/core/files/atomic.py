"""Writing so that a file under its final name is always whole."""

import errno
import fcntl
import hashlib
import os
import secrets
import shutil
import tempfile
import time
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from pathlib import Path
from typing import IO, Any, BinaryIO

from platformdirs import user_state_path

from chronoxis.core.errors import ExportError

_UNFINISHED = ".chronoxis-part"
_PIECES = ".chronoxis-pieces"
_FRESH_SECONDS = 10  # seconds in which a file may not be locked yet
_KEPT_SECONDS = 7 * 24 * 3600  # that pieces of an export wait for somebody to go on with it
_MOST_BYTES = 80  # of the final name in that of the unfinished file


@contextmanager
def temporary_beside(final: Path, *, folder: bool = False) -> Iterator[Path]:
    """Make an empty hidden file, or folder, beside ``final``, to be written and then published.

    What was not published is removed at the end, and so is what programs that were killed left behind
    there. It is also noted down until then, so that the next start of the program finds it.

    Raises:
        ExportError: the folder is missing or may not be written to.
    """
    check_replaceable(final)
    try:
        _sweep(final.parent)
    except OSError as error:
        raise ExportError(why_not_written(final, error)) from error
    stem = os.fsencode(final.stem)[:_MOST_BYTES].decode(errors="ignore")
    name = final.parent / f".{stem}-{secrets.token_hex(4)}{_UNFINISHED}"
    with _unfinished(name, final, folder=folder) as handle:
        os.fchmod(handle, (0o777 if folder else 0o666) & ~_umask())
        yield name


@contextmanager
def pieces_beside(final: Path, *, keep: bool) -> Iterator[Path]:
    """Make a hidden folder beside ``final`` for what it is put together from; it goes once that is done.

    After a kill it stays, so that another try can go on with what is in it.

    Args:
        final: the result.
        keep: whether to take up what is there, and to leave it if anything is raised.

    Raises:
        ExportError: somebody else writes the same result at present, or the folder cannot be written to.
    """
    folder = pieces_folder(final)
    try:
        note = _note_down(folder)
        folder.mkdir(0o700, exist_ok=True)
        handle = os.open(folder, os.O_RDONLY | os.O_DIRECTORY)
    except OSError as error:
        raise ExportError(why_not_written(final, error)) from error
    kept = False
    try:
        if is_locked_elsewhere(handle):
            kept = True
            raise ExportError(f"{final.name} is being written already; wait, or choose another name.")
        os.utime(folder)
        for left in () if keep else folder.iterdir():
            remove(left)
        try:
            yield folder
        except BaseException:
            kept = keep
            raise
    finally:
        if not kept:
            remove(folder)
            if note is not None:
                note.unlink(missing_ok=True)
        os.close(handle)


def discard_pieces(final: Path) -> None:
    """Remove what was made of a result that nobody wishes any more, unless somebody is at it.

    Raises:
        OSError: it cannot be removed.
    """
    folder = pieces_folder(final)
    try:
        handle = os.open(folder, os.O_RDONLY | os.O_DIRECTORY)
    except FileNotFoundError:
        return
    try:
        if not is_locked_elsewhere(handle):
            remove(folder)
            (_notes_folder() / folder.name).unlink(missing_ok=True)
    finally:
        os.close(handle)


def pieces_folder(final: Path) -> Path:
    """Where the pieces of a result lie until it is whole."""
    stem = os.fsencode(final.name)[:_MOST_BYTES].decode(errors="ignore")
    mark = hashlib.blake2b(os.fsencode(final.name), digest_size=4).hexdigest()
    return final.parent / f".{stem}-{mark}{_PIECES}"


@contextmanager
def scratch_folder() -> Iterator[Path]:
    """Make a folder for what is needed only meanwhile; what a killed program leaves, the next start removes.

    Raises:
        ExportError: it cannot be made.
    """
    folder = Path(tempfile.gettempdir()) / f"chronoxis-{secrets.token_hex(4)}{_UNFINISHED}"
    with _unfinished(folder, folder, folder=True):
        yield folder


@contextmanager
def _unfinished(name: Path, final: Path, *, folder: bool) -> Iterator[int]:
    """Make a file or folder, noted down and locked for as long as the program lives, and remove it after."""
    try:
        note = _note_down(name)  # first, so that nothing is ever there without a note of it
        handle = _created(name, folder=folder)
    except OSError as error:
        raise ExportError(why_not_written(final, error)) from error
    try:
        takes_lock(handle)
        yield handle
    finally:
        os.close(handle)
        remove(name)
        if note is not None:
            note.unlink(missing_ok=True)


def _umask() -> int:
    """The permissions that new files do not get; asked without setting it, for other threads make files."""
    status = Path("/proc/self/status").read_text()
    return next(int(line.split()[1], 8) for line in status.splitlines() if line.startswith("Umask:"))


def _created(name: Path, *, folder: bool) -> int:
    if not folder:
        return os.open(name, os.O_RDWR | os.O_CREAT | os.O_EXCL, 0o600)
    name.mkdir(0o700)
    return os.open(name, os.O_RDONLY | os.O_DIRECTORY)


def remove(path: Path) -> None:
    """Remove a file, or a folder with all that is in it, if it is there. Raises OSError."""
    if path.is_dir() and not path.is_symlink():
        shutil.rmtree(path)
    else:
        path.unlink(missing_ok=True)


def sweep_unfinished() -> None:
    """Remove what programs that were killed left behind, wherever they wrote."""
    folder = _notes_folder()
    for note in folder.iterdir() if folder.is_dir() else ():
        with suppress(OSError):
            unfinished = note.readlink()
            gone = not unfinished.exists() and time.time() - note.lstat().st_mtime > _FRESH_SECONDS
            if gone or (unfinished.exists() and _remove_left(unfinished)):
                note.unlink(missing_ok=True)


def _notes_folder() -> Path:
    return user_state_path("chronoxis") / "unfinished"


def _note_down(unfinished: Path) -> Path | None:
    """A link to an unfinished file, or None where none can be made."""
    note = _notes_folder() / unfinished.name
    try:
        note.parent.mkdir(parents=True, exist_ok=True)
        note.unlink(missing_ok=True)  # of another try
        note.symlink_to(unfinished.absolute())
    except OSError:
        return None  # it is found once somebody writes in the same folder
    return note


def _sweep(folder: Path) -> None:
    """Remove unfinished files that nobody writes any more."""
    for left in [path for path in folder.iterdir() if path.name.endswith((_UNFINISHED, _PIECES))]:
        with suppress(FileNotFoundError, PermissionError):
            _remove_left(left)


def _remove_left(unfinished: Path) -> bool:
    """Remove an unfinished file if nobody writes it any more, and say whether that was so."""
    found = os.open(unfinished, os.O_RDONLY)
    try:
        stays = _KEPT_SECONDS if unfinished.name.endswith(_PIECES) else _FRESH_SECONDS
        left = time.time() - unfinished.stat().st_mtime > stays and takes_lock(found)
        if left:
            remove(unfinished)
            (_notes_folder() / unfinished.name).unlink(missing_ok=True)
    finally:
        os.close(found)
    return left


def takes_lock(file: int | IO[Any]) -> bool:
    """Lock an open file, unless somebody has it or files cannot be locked there."""
    try:
        fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except OSError:
        return False
    return True


def is_locked_elsewhere(file: int) -> bool:
    """Lock an open file, unless somebody has it; where files cannot be locked, nobody has."""
    try:
        fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except BlockingIOError:
        return True
    except OSError:
        return False
    return False


def write_whole(final: Path, content: bytes) -> None:
    """Write a file, replacing one of that name in one step once the new one is safely on the disk.

    Raises:
        ExportError: it could not be written; what was there is still there.
    """
    with written_whole(final, overwrite=True) as file:
        file.write(content)


def made_folder(folder: Path) -> Path:
    """A folder, made if it is not there. Raises ExportError if it cannot be."""
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise ExportError(why_not_written(folder, error)) from error
    return folder


@contextmanager
def written_whole(final: Path, *, overwrite: bool) -> Iterator[BinaryIO]:
    """Open a file that gets its name in one step, once all that is written into it is on the disk.

    Raises:
        ExportError: it could not be written, or the name is taken; what was there is still there.
    """
    with temporary_beside(final) as temporary:
        try:
            with temporary.open("wb") as file:
                yield file
        except OSError as error:
            raise ExportError(why_not_written(final, error)) from error
        publish(temporary, final, overwrite=overwrite)


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


def synced(path: Path, *, deep: bool = True) -> None:
    """See to it that a file, or a folder and, if ``deep``, its files are on the disk. Raises OSError."""
    for each in (*(path.iterdir() if deep and path.is_dir() else ()), path):
        handle = os.open(each, os.O_RDONLY)
        os.fsync(handle)
        os.close(handle)


def publish_folder(temporary: Path, final: Path, *, overwrite: bool) -> None:
    """Give a finished folder its final name in one step; one that it replaces goes once that is done.

    Raises:
        ExportError: a folder of that name is there and may not be replaced, or the disk refuses.
    """
    old = temporary.with_name(f"{temporary.name.removesuffix(_UNFINISHED)}-old{_UNFINISHED}")
    try:
        synced(temporary)
        if final.exists():
            if not overwrite:
                raise ExportError(already_there(final))
            final.rename(old)
        try:
            temporary.rename(final)
        except OSError:
            if old.exists():
                old.rename(final)
            raise
        if old.exists():
            shutil.rmtree(old)
    except OSError as error:
        raise ExportError(why_not_written(final, error)) from error


def check_replaceable(final: Path) -> None:
    """Refuse what is there and no file, such as a pipe. Raises ExportError."""
    if final.exists() and not (final.is_file() or final.is_dir()):
        raise ExportError(f"{final} is a pipe or a device, not a file; choose another name.")


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
