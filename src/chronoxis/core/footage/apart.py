"""Long reading in a process of its own.

Every packet and every header costs some microseconds of Python, and threads share the interpreter's
lock: thousands of them read in a thread, however low its priority, would keep the interface waiting
time and again.
"""

import os
import pickle
import signal
import subprocess
import sys
from collections.abc import Callable
from typing import TypeVar, cast

from chronoxis.core.errors import ChronoxisError, FootageError
from chronoxis.core.footage.source import Progress

Argument = TypeVar("Argument")
Outcome = TypeVar("Outcome")

_LOWEST = 19


def run_apart(
    function: Callable[[Argument, Progress], Outcome], argument: Argument, progress: Progress, label: str
) -> Outcome:
    """Call a function of a module in a process that gives way to all other work.

    Args:
        function: gets the argument, and what to call with the share done.
        argument: of it; this and what comes out can be pickled.
        progress: called here with the share done.
        label: what is read, for a message.

    Raises:
        FootageError: the function raised it, or brought its process down.
        Cancelled: ``progress`` raised it.
    """
    command = [sys.executable, "-m", __name__]
    with subprocess.Popen(command, stdin=subprocess.PIPE, stdout=subprocess.PIPE) as process:
        assert process.stdin is not None and process.stdout is not None
        try:
            pickle.dump((function, argument), process.stdin)
            process.stdin.close()
            while True:
                match pickle.load(process.stdout):
                    case ("share", share):
                        progress(share)
                    case ("error", ChronoxisError() as error):
                        raise error
                    case ("outcome", outcome):
                        return cast(Outcome, outcome)
        except (EOFError, BrokenPipeError, pickle.UnpicklingError):
            raise FootageError(
                f"{label} brought its reader down; it may be damaged. Copy it again from the camera."
            ) from None
        finally:
            process.kill()


def _run() -> None:
    def say(*what: object) -> None:
        pickle.dump(what, sys.stdout.buffer)
        sys.stdout.buffer.flush()

    os.nice(_LOWEST)
    signal.signal(signal.SIGPIPE, signal.SIG_DFL)  # ends when whoever asked is gone
    function, argument = pickle.load(sys.stdin.buffer)
    try:
        say("outcome", function(argument, lambda share: say("share", share)))
    except ChronoxisError as error:
        say("error", error)


if __name__ == "__main__":
    _run()
