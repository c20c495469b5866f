"""Names that may be written to: nothing that a person has is lost by one."""

import os
from collections.abc import Iterable
from pathlib import Path

from chronoxis.core.errors import ExportError
from chronoxis.core.files.atomic import already_there, check_replaceable

_LONGEST_NAME = 255  # bytes, on every file system there is


def check_output(
    output: Path, *, protects: Iterable[Path] = (), overwrite: bool, folder: bool = False
) -> None:
    """Refuse a name that would destroy something, before any work is done.

    Args:
        output: what is to be written.
        protects: files that are read, which no permission to overwrite covers.
        overwrite: whether another file of that name may be replaced.
        folder: whether a folder is to be written, of which all is replaced.

    Raises:
        ExportError: it is one of the protected files, by whatever name or link; a folder; too long a
            name; or a file that may not be replaced.
    """
    if not output.name:
        raise ExportError("The result needs a file name.")
    if len(os.fsencode(output.name)) > _LONGEST_NAME:
        raise ExportError(f"The name {output.name[:40]}… is too long; choose one of at most 255 bytes.")
    try:
        there = output.exists()
    except OSError as error:
        raise ExportError(f"{output} cannot be written: {error.strerror}.") from error
    check_replaceable(output)
    if there and folder and any(output in other.absolute().parents for other in protects):
        raise ExportError(f"{output.name} is where what is read here lies; choose another folder.")
    for other in protects if there else ():
        if other.exists() and output.samefile(other):
            raise ExportError(f"{output.name} is what is read here; choose another name for the result.")
    if output.is_dir() and not folder:
        raise ExportError(f"{output} is a folder; add a file name.")
    if there and folder and not output.is_dir():
        raise ExportError(f"{output} is a file; stills need a folder of their own.")
    if there and not overwrite:
        raise ExportError(already_there(output))
