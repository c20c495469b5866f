"""Long reading in a process of its own.

Every packet and every header costs some microseconds of Python, and threads share the interpreter's
lock: thousands of them read in a thread, however low its priority, would keep the interface waiting
time and again.

The process reads what others made, and what it says comes back as JSON and as numbers, never as objects:
were it ever brought to say something else, nothing of that would run here.
"""

import ctypes
import io
import json
import os
import select
import signal
import subprocess
import sys
from collections.abc import Callable, Mapping
from importlib import import_module
from typing import IO, Any, BinaryIO, NamedTuple

import numpy as np
import numpy.typing as npt

from chronoxis.core.errors import ChronoxisError, FootageError
from chronoxis.core.footage.source import Progress

_LOWEST_PRIORITY = 19
_LOOK_SECONDS = 0.2  # seconds between looks at what the process says
_ENDS_WITH_PARENT = 1  # as prctl(2) numbers what it can be asked for


class Told(NamedTuple):
    """What came of reading: JSON values, and columns of numbers by name."""

    values: Any
    columns: Mapping[str, npt.NDArray[Any]]


def run_in_own_process(
    function: Callable[[list[str], Progress], Told], paths: list[str], progress: Progress, label: str
) -> Told:
    """Call a function of a module in a process that gives way to all other work.

    Args:
        function: gets the paths, and what to call with the share done.
        paths: of the files to read.
        progress: called here with the share done, time and again.
        label: what is read, for a message.

    Raises:
        FootageError: the function raised an error of ours, or brought its process down.
        Cancelled: ``progress`` raised it.
    """
    command = [sys.executable, "-m", __name__, function.__module__, function.__qualname__]
    with subprocess.Popen(command, stdin=subprocess.PIPE, stdout=subprocess.PIPE) as process:
        assert process.stdin is not None and process.stdout is not None
        try:
            process.stdin.write(json.dumps(paths).encode())
            process.stdin.close()
            return _listen(process.stdout, progress)
        except (ValueError, LookupError, OSError, EOFError):  # cut short, or nothing that makes sense
            raise FootageError(
                f"{label} brought its reader down; it may be damaged. Copy it again from the camera."
            ) from None
        finally:
            process.kill()


def _listen(said: IO[bytes], progress: Progress) -> Told:
    share = 0.0
    while True:
        while not select.select([said], [], [], _LOOK_SECONDS)[0]:
            progress(share)  # it may ask to stop, even where a disk does not answer
        match json.loads(said.readline()):
            case {"share": float() | int() as now}:
                share = now
                progress(share)
            case {"error": str() as error}:
                raise FootageError(error)
            case {"values": values, "bytes": int() as count}:
                with np.load(io.BytesIO(said.read(count)), allow_pickle=False) as columns:
                    return Told(values, dict(columns))
            case other:
                raise ValueError(other)


def _run(module: str, function: str) -> None:
    out: BinaryIO = sys.stdout.buffer

    def say(**what: object) -> None:
        out.write(json.dumps(what).encode() + b"\n")
        out.flush()

    os.nice(_LOWEST_PRIORITY)
    ctypes.CDLL(None).prctl(_ENDS_WITH_PARENT, signal.SIGKILL)
    signal.signal(signal.SIGPIPE, signal.SIG_DFL)
    try:
        told: Told = getattr(import_module(module), function)(
            json.load(sys.stdin.buffer), lambda share: say(share=share)
        )
    except ChronoxisError as error:
        say(error=str(error))
        return
    packed = io.BytesIO()
    np.savez(packed, allow_pickle=False, **told.columns)
    say(values=told.values, bytes=len(packed.getvalue()))
    out.write(packed.getvalue())
    out.flush()


if __name__ == "__main__":
    _run(*sys.argv[1:])
