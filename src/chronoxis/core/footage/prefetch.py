"""Running the producing end of a pipeline on a thread of its own."""

import queue
import threading
from collections.abc import Generator, Iterable
from dataclasses import dataclass
from typing import TypeVar

Item = TypeVar("Item")

_PUT_SECONDS = 0.1


@dataclass
class _End:
    """What ends the queue: the producer's error, or None."""

    error: BaseException | None


def ahead(items: Iterable[Item], depth: int) -> Generator[Item, None, None]:
    """Yield the items of an iterable that is run on a thread, at most ``depth`` items ahead.

    An error of the producer is raised here, in its turn. When the consumer stops early, so does the
    producer, before this generator's ``close`` returns.
    """
    line: queue.Queue[Item | _End] = queue.Queue(depth)
    stop = threading.Event()

    def put(item: Item | _End) -> None:
        while not stop.is_set():
            try:
                line.put(item, timeout=_PUT_SECONDS)
            except queue.Full:
                continue
            return

    def produce() -> None:
        error: BaseException | None = None
        try:
            for item in items:
                put(item)
                if stop.is_set():
                    break
        except BaseException as raised:
            error = raised
        put(_End(error))

    producer = threading.Thread(target=produce, name="ahead", daemon=True)
    producer.start()
    try:
        while not isinstance(item := line.get(), _End):
            yield item
        if item.error:
            raise item.error
    finally:
        stop.set()
        producer.join()
