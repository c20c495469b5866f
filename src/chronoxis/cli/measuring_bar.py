"""How far the measuring of pictures is, told on the error stream of a terminal."""

import sys
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from typing import Any

from tqdm import tqdm


@contextmanager
def measuring() -> Iterator[Callable[[str, float], None]]:
    """Gives what is to be told the name of what is measured, and the share done."""
    bar: tqdm[Any] | None = None

    def tell(name: str, share: float) -> None:
        nonlocal bar
        if bar is None:
            bar = tqdm(total=100, unit="%", leave=False, disable=not sys.stderr.isatty())
        bar.set_description(f"Measuring {name}", refresh=False)
        bar.update(round(100 * share) - bar.n)

    try:
        yield tell
    finally:
        if bar is not None:
            bar.close()
