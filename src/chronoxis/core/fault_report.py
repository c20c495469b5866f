"""What somebody who looks for a fault has to know: versions, machine, codecs, and what went wrong lately."""

import os
import platform
from collections.abc import Iterator
from importlib.metadata import distributions
from typing import Any

import av
import cv2

from chronoxis import __version__
from chronoxis.core.cores import usable_cores
from chronoxis.core.files.log_file import logged
from chronoxis.core.model.export_format import Container, ExportFormat
from chronoxis.core.model.export_formats import FORMATS
from chronoxis.core.picture.kernel_library import level

_LOG_LINES = 50  # lines of the log
_LOG_FIELDS = ("time", "level", "what", "in_full", "error", "error_in_full")
_DESKTOP_VARIABLES = (
    "XDG_CURRENT_DESKTOP",
    "XDG_SESSION_TYPE",
    "QT_QPA_PLATFORM",
    "LANG",
    "CHRONOXIS_TEXT_SCALE",
)


def fault_report(*, with_names: bool) -> str:
    """A report as plain text.

    Args:
        with_names: whether with what may name files and people; else there is nothing of that in it.
    """
    parts = [
        ("Chronoxis", [__version__, f"loops over pixels for x86-64 level {level() or '(one for all)'}"]),
        ("Machine", list(_machine())),
        ("Stands on", sorted(_distributions())),
        ("Codecs", [f"{part}: {version}" for part, version in _libraries()]),
        ("Formats", [f"{each.key}: {'there' if _encodes(each) else 'no encoder'}" for each in FORMATS]),
        ("Desktop", [f"{name}={os.environ[name]}" for name in _DESKTOP_VARIABLES if name in os.environ]),
        ("Lately", [_in_lines(line) for line in logged(with_names=with_names)[-_LOG_LINES:]] or ["nothing"]),
    ]
    return "\n".join(f"{title}\n" + "".join(f"  {line}\n" for line in lines) for title, lines in parts)


def _machine() -> Iterator[str]:
    yield f"{platform.system()} {platform.release()}, {platform.machine()}"
    yield _distribution()
    yield f"{usable_cores()} cores that may be used, {_gibibytes():.1f} GiB of memory"
    yield f"Python {platform.python_version()}"


def _distribution() -> str:
    try:
        return platform.freedesktop_os_release().get("PRETTY_NAME", "a distribution without a name")
    except OSError:  # there need not be such a file
        return "a distribution that says nothing of itself"


def _gibibytes() -> float:
    return os.sysconf("SC_PAGE_SIZE") * os.sysconf("SC_PHYS_PAGES") / 2**30


def _distributions() -> set[str]:
    return {f"{each.metadata['Name']} {each.version}" for each in distributions() if each.metadata["Name"]}


def _libraries() -> Iterator[tuple[str, str]]:
    for name, version in sorted(av.library_versions.items()):
        yield name, ".".join(map(str, version))
    yield "opencv", cv2.__version__


def _encodes(wanted: ExportFormat) -> bool:
    """Whether the library that writes it has the encoder; stills and loops are Pillow's affair."""
    return wanted.container is not Container.STREAM or wanted.codec in av.codecs_available


def _in_lines(line: dict[str, Any]) -> str:
    head = " ".join(
        str(line.get(part, "")) for part in ("time", "level", "what", "in_full", "error", "error_in_full")
    )
    return "\n      ".join([" ".join(head.split()), *map(str, line.get("stack", ()))])
