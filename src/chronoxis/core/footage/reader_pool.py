"""Readers that stay open from one use to the next: what follows soon need not be sought again."""

import threading
from collections.abc import Hashable, Iterable, Iterator
from contextlib import AbstractContextManager, contextmanager
from dataclasses import dataclass
from typing import Protocol

from chronoxis.core.errors import Cancelled
from chronoxis.core.footage.source import Reader, Source
from chronoxis.core.model.export_format import Size

_BUDGET_BYTES = 300_000_000  # bytes that readers nobody uses may hold
_HELD_FRAMES = 8  # decoded frames that a reader holds, about


class Readers(Protocol):
    """Where readers come from."""

    def lend(
        self, source: Source, needed: Size | None, *, fit: bool, number: int
    ) -> AbstractContextManager[Reader]:
        """A reader as `Source.reader` gives it, of which the frame with a number is wanted first."""


class FreshReaders:
    """Opens one for each use."""

    def lend(self, source: Source, needed: Size | None, *, fit: bool, number: int) -> Reader:
        """A new one, closed after use. Raises FootageError as `Source.reader`."""
        return source.reader(0, needed, fit=fit)


@dataclass(frozen=True, eq=False)
class _Idle:
    """An open reader that nobody uses."""

    source: Source
    form: Hashable
    reader: Reader

    @property
    def bytes(self) -> int:
        """Bytes that a reader holds, about."""
        return self.source.facts.picture.decoded_bytes * _HELD_FRAMES // self.reader.reduction**2


class ReaderPool:
    """Keeps a few readers open, within a budget of memory; for use by several threads at once."""

    def __init__(self, budget: int = _BUDGET_BYTES) -> None:
        self._budget = budget
        self._lock = threading.Lock()
        self._idle: list[_Idle] = []  # that used last comes last
        self._wanted: tuple[Source, ...] | None = None  # whose readers are kept; of all, if None

    @contextmanager
    def lend(self, source: Source, needed: Size | None, *, fit: bool, number: int) -> Iterator[Reader]:
        """The one that has least to decode for a frame; a new one, if none is free.

        Raises:
            FootageError: as `Source.reader`.
        """
        form = source.form_of_frames(needed, fit=fit)
        reader = self._nearest(source, form, number) or source.reader(0, needed, fit=fit)
        lost_before = len(reader.lost)
        try:
            yield reader
        except (Cancelled, GeneratorExit):
            self._take_back(_Idle(source, form, reader))
            raise
        except BaseException:
            reader.close()
            raise
        if len(reader.lost) > lost_before:
            reader.close()  # its file may have become another one meanwhile
        else:
            self._take_back(_Idle(source, form, reader))

    def keep_only(self, sources: Iterable[Source]) -> None:
        """Close all readers of other footage: at once, or when they come back."""
        with self._lock:
            self._wanted = tuple(sources)
            others = [idle for idle in self._idle if idle.source not in self._wanted]
            self._idle = [idle for idle in self._idle if idle.source in self._wanted]
        for idle in others:
            idle.reader.close()

    def close(self) -> None:
        """Close all: at once, or when they come back."""
        self.keep_only(())

    def _nearest(self, source: Source, form: Hashable, number: int) -> Reader | None:
        with self._lock:
            fitting = [idle for idle in self._idle if idle.source is source and idle.form == form]
            if not fitting:
                return None
            nearest = min(fitting, key=lambda idle: idle.reader.effort_to(number))
            self._idle.remove(nearest)
        return nearest.reader

    def _take_back(self, idle: _Idle) -> None:
        over = []
        with self._lock:
            if self._wanted is None or idle.source in self._wanted:
                self._idle.append(idle)
            else:
                over.append(idle)
            while self._idle and sum(each.bytes for each in self._idle) > self._budget:
                over.append(self._idle.pop(0))
        for each in over:
            each.reader.close()
