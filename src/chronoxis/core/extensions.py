"""What other people's packages add: found by entry points, loaded once it is asked for.

A package names, in a group of its entry points, what it adds; the program calls it by the package's name and
that name, ``larkfield-looks:edge-glow``, so that no two are mistaken for one another. It runs with the rights
of the person who starts the program, like any other package.

Packages are found where Python finds them, and in ``~/.local/share/chronoxis/extensions``, for programs that
have a Python of their own: ``pip install --target ~/.local/share/chronoxis/extensions PACKAGE``.
"""

import hashlib
import logging
import re
import sys
from collections.abc import Callable
from dataclasses import dataclass
from functools import cache
from importlib.metadata import EntryPoint, entry_points
from pathlib import Path
from typing import Any

from platformdirs import user_data_path

from chronoxis.core.errors import ChronoxisError

WAYS, ACCENTS, TRACES = "chronoxis.ways", "chronoxis.accents", "chronoxis.traces"
"""Groups of entry points."""

KEY = re.compile(r"[a-z0-9-]+:[A-Za-z0-9._-]+")
"""What packages add is called by the package and a name."""

log = logging.getLogger("chronoxis")


class ExtensionError(ChronoxisError):
    """Something that a package added has failed."""


@dataclass(frozen=True)
class Extension:
    """What a package adds.

    Attributes:
        key: by which files, options and the program call it.
        what: the group that it stands in.
        package: that it comes from, with its version.
        value: what was loaded.
        code: digest of its module: what other code made is not what this would.
        wrong: why it cannot be used; nothing, where it can.
    """

    key: str
    what: str
    package: str
    value: Any = None
    code: str = ""
    wrong: str = ""


def is_added(key: str) -> bool:
    """Whether a key is of the kind that packages' additions have."""
    return ":" in key


@cache
def extensions(group: str) -> dict[str, Extension]:
    """All that packages add in a group, by key; those that cannot be used, too."""
    _look_in_own_folder()
    found = (_loaded(point, group) for point in entry_points(group=group))
    return {each.key: each for each in sorted(found, key=lambda each: each.key)}


def usable(group: str) -> dict[str, Any]:
    """What packages add in a group and can be used, by key."""
    return {key: each.value for key, each in extensions(group).items() if not each.wrong}


def code_of(group: str, key: str) -> str:
    """A digest of the code behind a key; nothing for the program's own."""
    found = extensions(group).get(key) if is_added(key) else None
    return found.code if found is not None else ""


def guarded(key: str, work: Callable[[], Any]) -> Any:
    """What a package's code gives. Raises ExtensionError if that fails, whatever it raised; it is logged."""
    try:
        return work()
    except ChronoxisError:
        raise
    except Exception as error:
        log.info("an extension failed", exc_info=True)
        raise ExtensionError(
            f"{key} failed: {type(error).__name__}: {error}. Choose something else, or remove its package."
        ) from error


def _look_in_own_folder() -> None:
    folder = str(user_data_path("chronoxis") / "extensions")
    if folder not in sys.path and Path(folder).is_dir():
        sys.path.append(folder)  # behind all else: what the program stands on is never taken from there


def _loaded(point: EntryPoint, group: str) -> Extension:
    package = point.dist.name if point.dist is not None else point.module
    key = f"{re.sub(r'[-_.]+', '-', package).lower()}:{point.name}"
    version = point.dist.version if point.dist is not None else "?"
    told = Extension(key, group, f"{package} {version}")
    try:
        if not KEY.fullmatch(key):
            raise ValueError("its name may have letters, digits, dots and dashes only")
        value = point.load()
        if not hasattr(value, "as_extension"):
            raise TypeError("it is nothing that chronoxis.api has for extensions")
        return Extension(key, group, told.package, value.as_extension(key), _code(point.module))
    except Exception as error:  # whatever a package does wrong, the program starts without it
        log.warning("an extension cannot be used: %s: %s", key, error)
        log.info("why an extension cannot be used", exc_info=True)
        return Extension(key, group, told.package, wrong=f"{type(error).__name__}: {error}")


def _code(module: str) -> str:
    """Digest of the files of a module's package."""
    file = Path(str(sys.modules[module].__file__))
    files = sorted(file.parent.glob("*.py")) if file.name == "__init__.py" else [file]
    return hashlib.blake2b(b"".join(each.read_bytes() for each in files), digest_size=8).hexdigest()
