"""An orderly end when the system, or whoever started the program, asks for it."""

import os
import signal
from collections.abc import Callable

from PySide6.QtCore import QObject, QSocketNotifier

SIGNALS = (signal.SIGINT, signal.SIGTERM, signal.SIGHUP)


class Ending(QObject):
    """Turns signals into a call on the interface thread, between two events.

    Python runs a handler of its own between any two of its instructions: an exception out of it would come
    up in the middle of whatever a widget was doing, and while nothing happens none would run at all. A second
    signal ends the program at once.
    """

    def __init__(self, parent: QObject, end: Callable[[int], object]) -> None:
        """``end`` gets the signal's number."""
        super().__init__(parent)
        self._end = end
        self._read, self._write = os.pipe2(os.O_NONBLOCK | os.O_CLOEXEC)
        self._notifier = QSocketNotifier(self._read, QSocketNotifier.Type.Read, self)
        self._notifier.activated.connect(lambda *_: self._take())
        self._before = signal.set_wakeup_fd(self._write, warn_on_full_buffer=False)
        for number in SIGNALS:
            signal.signal(number, lambda *_: None)  # what counts is the byte that is written then

    def _take(self) -> None:
        try:
            asked = os.read(self._read, 64)
        except BlockingIOError:
            return
        wanted = [number for number in asked if number in SIGNALS]
        if wanted:
            for number in SIGNALS:
                signal.signal(number, signal.SIG_DFL)
            self._end(wanted[0])
