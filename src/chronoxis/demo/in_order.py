"""Drawing on all cores, with the outcomes in their order."""

from collections import deque
from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from typing import TypeVar

from chronoxis.core.cores import usable_cores

Drawn = TypeVar("Drawn")

CORES = usable_cores()


def in_order(pool: ThreadPoolExecutor, tasks: Iterable[Callable[[], Drawn]], waiting: int) -> Iterator[Drawn]:
    """Yield what tasks return; a task is taken up once fewer than ``waiting`` are under way before it."""
    under_way: deque[Future[Drawn]] = deque()
    for task in tasks:
        under_way.append(pool.submit(task))
        if len(under_way) > waiting:
            yield under_way.popleft().result()
    while under_way:
        yield under_way.popleft().result()
