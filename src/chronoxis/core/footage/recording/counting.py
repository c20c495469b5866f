"""Counting a long recording's frames in a process of its own.

Every packet costs some microseconds of Python, and threads share the interpreter's lock: an hour's
packets counted in a thread, however low its priority, would keep the interface waiting time and again.
"""

import os
import pickle
import signal
import subprocess
import sys
from pathlib import Path

from chronoxis.core.errors import ChronoxisError, FootageError
from chronoxis.core.footage.recording.frame_count import count_frames
from chronoxis.core.footage.recording.frame_index import FrameIndex
from chronoxis.core.footage.source import Progress

_LOWEST = 19


def count_frames_apart(path: Path, progress: Progress) -> FrameIndex:
    """As `count_frames`, in a process that gives way to all other work.

    Raises:
        FootageError: the file cannot be read, holds no frame, or brings its reader down.
        Cancelled: ``progress`` raised it.
    """
    command = [sys.executable, "-m", __name__, str(path)]
    with subprocess.Popen(command, stdin=subprocess.DEVNULL, stdout=subprocess.PIPE) as process:
        assert process.stdout is not None
        try:
            while True:
                match pickle.load(process.stdout):
                    case float(share):
                        progress(share)
                    case FrameIndex() as index:
                        return index
                    case ChronoxisError() as error:
                        raise error
        except (EOFError, pickle.UnpicklingError):
            raise FootageError(
                f"{path.name} brought its reader down; it may be damaged. Copy it again from the camera."
            ) from None
        finally:
            process.kill()


def _count(path: Path) -> None:
    def say(what: float | FrameIndex | ChronoxisError) -> None:
        pickle.dump(what, sys.stdout.buffer)
        sys.stdout.buffer.flush()

    os.nice(_LOWEST)
    signal.signal(signal.SIGPIPE, signal.SIG_DFL)  # ends when whoever asked is gone
    try:
        say(count_frames(path, say))
    except ChronoxisError as error:
        say(error)


if __name__ == "__main__":
    _count(Path(sys.argv[1]))
