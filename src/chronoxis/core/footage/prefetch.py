"""Running the producing end of a pipeline on a thread of its own."""

import queue
import threading
from collections.abc import Callable, Generator, Iterable
from dataclasses import dataclass
from typing import TypeVar

from chronoxis.core.errors import Cancelled

Item = TypeVar("Item")

Check = Callable[[], None]
"""Called between small steps of work; raises `Cancelled` to stop it."""

_LEAST_AHEAD, _MOST_AHEAD = 2, 6  # frames
_AHEAD_BYTES = 60_000_000
_LOOK_SECONDS = 0.005  # seconds between looks whether what is waited for is still wanted


def depth_of(frame_bytes: int) -> int:
    """How many frames of a size are decoded ahead: a few, but not more than memory is there for."""
    return max(_LEAST_AHEAD, min(_MOST_AHEAD, _AHEAD_BYTES // max(1, frame_bytes)))


def never() -> None:
    """A `Check` of work that nobody stops."""


def unless(given_up: threading.Event) -> Check:
    """A check that raises `Cancelled` once something is given up."""

    def check() -> None:
        if given_up.is_set():
            raise Cancelled

    return check


@dataclass
class _End:
    """What ends the queue: the producer's error, or None."""

    error: BaseException | None


def ahead(
    produce: Callable[[Check], Iterable[Item]], depth: int, check: Check = never
) -> Generator[Item, None, None]:
    """Yield what ``produce`` makes on a thread, at most ``depth`` items ahead.

    An error of the producer is raised here, in its turn. ``produce`` is given a `Check` for its own steps:
    when the consumer stops early, so does the producer, before this generator's ``close`` returns. While an
    item is waited for, ``check`` is called here every few milliseconds.
    """
    line: queue.Queue[Item | _End] = queue.Queue(depth)
    stop = threading.Event()

    def put(item: Item | _End) -> None:
        while not stop.is_set():
            try:
                line.put(item, timeout=_LOOK_SECONDS)
            except queue.Full:
                continue
            return

    def run() -> None:
        error: BaseException | None = None
        try:
            for item in produce(unless(stop)):
                put(item)
                if stop.is_set():
                    break
        except BaseException as raised:
            error = raised
        put(_End(error))

    def taken() -> Item | _End:
        while True:
            try:
                return line.get(timeout=_LOOK_SECONDS)
            except queue.Empty:
                check()

    producer = threading.Thread(target=run, name="ahead", daemon=True)
    producer.start()
    try:
        while not isinstance(item := taken(), _End):
            yield item
        if item.error:
            raise item.error
    finally:
        stop.set()
        producer.join()
