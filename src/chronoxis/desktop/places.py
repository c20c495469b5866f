"""Puts Chronoxis among a person's applications, or a machine's, and takes it away without a trace."""

import os
import shutil
import subprocess
from collections.abc import Mapping
from importlib.resources import files
from pathlib import Path

from chronoxis.core.errors import ExportError
from chronoxis.core.files.atomic import why_not_written

APP_ID = "org.chronoxis.Chronoxis"
"""By which software centres know the program."""

_REFRESHING = (
    ("update-mime-database", "mime"),
    ("update-desktop-database", "applications"),
    ("gtk-update-icon-cache", "icons/hicolor"),
)
"""Programs that tell a desktop what is new below a folder of its data; what is not there is not needed."""


def desktop_files(executable: str, icons: Mapping[int, bytes], shell: Mapping[str, str]) -> dict[str, bytes]:
    """All files, by their place below a folder of a desktop's data (``~/.local/share``, ``/usr/share``).

    Args:
        executable: what starts the program.
        icons: PNG files, by their size in pixels.
        shell: man page and completions, by their place.
    """
    source = files("chronoxis.desktop")
    entry = (source / "chronoxis.desktop").read_text()
    for name in ("Exec", "TryExec"):
        entry = entry.replace(f"\n{name}=chronoxis", f"\n{name}={_quoted(executable, name == 'Exec')}")
    placed = {
        "applications/chronoxis.desktop": entry.encode(),
        "mime/packages/chronoxis.xml": (source / "chronoxis-mime.xml").read_bytes(),
        f"metainfo/{APP_ID}.metainfo.xml": (source / f"{APP_ID}.metainfo.xml").read_bytes(),
        "icons/hicolor/scalable/apps/chronoxis.svg": (source / "chronoxis.svg").read_bytes(),
    }
    placed |= {f"icons/hicolor/{size}x{size}/apps/chronoxis.png": icon for size, icon in icons.items()}
    return placed | {place: text.encode() for place, text in shell.items()}


def put(placed: Mapping[str, bytes], data: Path) -> None:
    """Write files below a folder of a desktop's data, and have the desktop look. Raises ExportError."""
    for place, content in placed.items():
        path = data / place
        try:
            path.parent.mkdir(parents=True, exist_ok=True)
            path.write_bytes(content)
        except OSError as error:
            raise ExportError(why_not_written(path, error)) from error
    _refresh(data)


def take_away(placed: Mapping[str, bytes], data: Path) -> int:
    """Remove those of the files that are there, and folders that they alone were in; how many there were.

    Raises ExportError: one cannot be removed.
    """
    there = [data / place for place in placed if (data / place).is_file()]
    try:
        for path in there:
            path.unlink()
        if there:
            _refresh(data)
        for place in placed:
            _remove_empty((data / place).parent, data)
    except OSError as error:
        raise ExportError(f"{error.filename} cannot be removed: {error.strerror}.") from error
    return len(there)


def _remove_empty(folder: Path, data: Path) -> None:
    while folder != data and folder.is_dir() and not any(folder.iterdir()):
        folder.rmdir()
        folder = folder.parent


def _refresh(data: Path) -> None:
    for program, folder in _REFRESHING:
        if shutil.which(program) and (data / folder).is_dir():
            subprocess.run(  # it warns of what others put there
                [program, *(["-qtf"] if "icon" in program else []), os.fspath(data / folder)],
                check=False,
                stdout=subprocess.DEVNULL,
                stderr=subprocess.DEVNULL,
            )


def _quoted(executable: str, in_a_command: bool) -> str:
    """A path as an entry has it: in a command, quoted where it holds more than plain characters."""
    if not in_a_command or all(each.isalnum() or each in "/._-" for each in executable):
        return executable
    return (
        '"'
        + "".join(f"\\\\{each}" if each in '"`$\\' else each for each in executable).replace("%", "%%")
        + '"'
    )
