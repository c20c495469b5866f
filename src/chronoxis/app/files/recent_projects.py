"""The projects that were opened or saved lately."""

import json
from pathlib import Path
from threading import Lock

from platformdirs import user_state_path

from chronoxis.core.files.atomic import write_whole

_MOST_LISTED = 8
_writing = Lock()


def recent_projects() -> list[Path]:
    """Newest first; some may not be there any more."""
    try:
        return [Path(entry) for entry in json.loads(_list_file().read_text())]
    except (OSError, ValueError, TypeError):
        return []


def remember_project(path: Path) -> None:
    """Put a project at the beginning of the list; writes to the disk. Raises OSError, ExportError."""
    with _writing:
        listed = [str(path), *(str(other) for other in recent_projects() if other != path)]
        _list_file().parent.mkdir(parents=True, exist_ok=True)
        write_whole(_list_file(), json.dumps(listed[:_MOST_LISTED]).encode())


def _list_file() -> Path:
    return user_state_path("chronoxis") / "recent.json"
