"""Reading open timelines in a process of its own: a damaged one can bring down its library.

What it found comes back as text, and through the project file's own reader: nothing that a damaged
library says is believed unread.
"""

import json
import subprocess
import sys
from pathlib import Path

from chronoxis.core.errors import ChronoxisError, ProjectFileError
from chronoxis.core.files.imported import Imported
from chronoxis.core.files.project_file import as_json, from_json

_PATIENCE = 20  # seconds


def read_timeline(path: Path) -> Imported:
    """As `import_timeline`, and whatever happens to whoever reads it.

    Raises:
        ProjectFileError: it cannot be read, holds nothing that can be used, or brings its reader down.
    """
    command = [sys.executable, "-m", __name__, str(path)]
    try:
        done = subprocess.run(command, capture_output=True, timeout=_PATIENCE, check=False)
        said = json.loads(done.stdout)
    except (subprocess.TimeoutExpired, ValueError) as error:
        raise ProjectFileError(
            f"{path.name} cannot be read: it is damaged, or nested without end. It was left as it is."
        ) from error
    if "refused" in said:
        raise ProjectFileError(str(said["refused"]))
    return Imported(from_json(said["project"], path), [str(note) for note in said["notes"]])


def _read(path: Path) -> dict[str, object]:
    from chronoxis.core.files.interchange import import_timeline  # noqa: PLC0415 - only here, and slow

    try:
        found = import_timeline(path)
        return {"project": as_json(found.project, path.parent), "notes": found.notes}
    except ChronoxisError as error:
        return {"refused": str(error)}
    except Exception:
        return {"refused": f"{path.name} is not an OpenTimelineIO timeline, or is damaged."}


if __name__ == "__main__":
    json.dump(_read(Path(sys.argv[1])), sys.stdout)
