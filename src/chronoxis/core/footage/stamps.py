"""What files are known by on the disk, to notice that they were changed, taken away or put back."""

from collections.abc import Iterable
from pathlib import Path

Stamp = tuple[int, int, int] | None
"""When a file was changed last (in nanoseconds), its bytes and its place on the disk; None: it is gone."""


def stamps_of(files: Iterable[Path]) -> dict[Path, Stamp]:
    """The stamps of some files, or folders, as they are now."""
    return {file: _stamp(file) for file in files}


def _stamp(file: Path) -> Stamp:
    try:
        found = file.stat()
    except (OSError, ValueError):
        return None
    return found.st_mtime_ns, found.st_size, found.st_ino
