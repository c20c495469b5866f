"""How the benchmarks measure, drive the window, and print."""

import time
from collections.abc import Callable

from PySide6.QtWidgets import QApplication

from chronoxis.app.start import make_application


def timed(work: Callable[[], object]) -> float:
    """Seconds that the work takes."""
    begin = time.perf_counter()
    work()
    return time.perf_counter() - begin


def report(name: str, value: float, unit: str) -> None:
    """One line of the outcome."""
    print(f"  {name:<64} {value:8.2f} {unit}", flush=True)


def application() -> QApplication:
    """The one Qt application, in our look."""
    there = QApplication.instance()
    if isinstance(there, QApplication):
        return there
    return make_application()


def wait(
    until: Callable[[], bool], seconds: float = 60, note: Callable[[float], object] = lambda _: None
) -> None:
    """Let the window work until something holds; ``note`` takes the seconds of each turn of its loop."""
    end = time.monotonic() + seconds
    while not until():
        if time.monotonic() > end:
            raise TimeoutError
        note(timed(QApplication.processEvents))
        time.sleep(0.002)


def settle(seconds: float) -> None:
    """Let the window work for a while."""
    end = time.monotonic() + seconds
    wait(lambda: time.monotonic() >= end, seconds + 60)
