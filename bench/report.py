"""How the benchmarks measure, drive the window, and print."""

import statistics
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path

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


@contextmanager
def run(title: str) -> Iterator[None]:
    """One run of measurements, and after it how the machine fared meanwhile.

    Figures of two runs can only be compared where the fixed work took as long, and little was taken away.
    """
    print(title)
    stolen, total = _processor_time()
    paces = [timed(_fixed_work)]
    yield
    paces.append(timed(_fixed_work))
    stolen_after, total_after = _processor_time()
    share = (stolen_after - stolen) / max(total_after - total, 1)
    report("machine: fixed work, before and after the run", 1e3 * statistics.mean(paces), "ms")
    report("machine: share of processor time taken away by others", 100 * share, "%")


def _fixed_work() -> None:
    """Plain Python of always the same amount."""
    total = 0
    for number in range(1_000_000):
        total += number & 7


def _processor_time() -> tuple[int, int]:
    """Ticks in which a hypervisor ran others instead of this machine, and all ticks, since it started."""
    fields = [int(field) for field in Path("/proc/stat").read_text().splitlines()[0].split()[1:9]]
    return fields[7], sum(fields)


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
