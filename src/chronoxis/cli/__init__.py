"""The command line. What is imported here comes before any word of ours: as little as can be."""

import os
import signal
import sys

_CANCELLED = "Cancelled; nothing was left behind.\n"
SIGNALS = (signal.SIGINT, signal.SIGTERM, signal.SIGHUP)
"""What asks a command to stop."""


def _leave(*_: object) -> None:
    os.write(2, _CANCELLED.encode())
    os._exit(1)  # nothing has begun yet


def _interrupt(*_: object) -> None:
    raise KeyboardInterrupt


class Loading:
    """While modules are loaded, a signal ends the program at once: inside them, an exception may get lost.

    Away from the main thread nothing changes: signals do not come there.
    """

    def __enter__(self) -> None:
        try:
            self._before = [signal.signal(number, _leave) for number in SIGNALS]
        except ValueError:
            self._before = []

    def __exit__(self, *_: object) -> None:
        for number, handler in zip(SIGNALS, self._before, strict=False):
            signal.signal(number, handler)


def main() -> None:
    """Run the command line.

    Exit status: 0 done, 1 failed with one line on standard error, 2 wrong usage, 3 done with stand-ins.
    """
    for number in SIGNALS:
        signal.signal(number, _leave)
    from chronoxis.cli.main import run  # noqa: PLC0415 - what takes time to load is loaded under our signals

    for number in SIGNALS:
        signal.signal(number, _interrupt)
    try:
        code = run()
    except KeyboardInterrupt:
        sys.stderr.write(_CANCELLED)
        code = 1
    sys.exit(code)
