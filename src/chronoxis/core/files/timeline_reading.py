"""Reading open timelines in a process of its own: a damaged one can bring down its library."""

import pickle
import subprocess
import sys
from pathlib import Path
from typing import TYPE_CHECKING

from chronoxis.core.errors import ChronoxisError, ProjectFileError

if TYPE_CHECKING:
    from chronoxis.core.files.interchange import Imported

_PATIENCE = 20  # seconds


def read_timeline(path: Path) -> "Imported":
    """As `import_timeline`, and whatever happens to whoever reads it.

    Raises:
        ProjectFileError: it cannot be read, holds nothing that can be used, or brings its reader down.
    """
    command = [sys.executable, "-m", __name__, str(path)]
    try:
        done = subprocess.run(command, capture_output=True, timeout=_PATIENCE, check=False)
        outcome = pickle.loads(done.stdout)
    except (subprocess.TimeoutExpired, EOFError, pickle.UnpicklingError) as error:
        raise ProjectFileError(
            f"{path.name} cannot be read: it is damaged, or nested without end. It was left as it is."
        ) from error
    if isinstance(outcome, ChronoxisError):
        raise outcome
    imported: Imported = outcome
    return imported


def _read(path: Path) -> None:
    from chronoxis.core.files.interchange import import_timeline  # noqa: PLC0415 - only here, and slow

    try:
        outcome: object = import_timeline(path)
    except ChronoxisError as error:
        outcome = error
    except Exception:
        outcome = ProjectFileError(f"{path.name} is not an OpenTimelineIO timeline, or is damaged.")
    sys.stdout.buffer.write(pickle.dumps(outcome))


if __name__ == "__main__":
    _read(Path(sys.argv[1]))
