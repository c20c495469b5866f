"""Traces that other people's packages add: a number of each recorded frame, from small pictures."""

from collections.abc import Callable
from contextlib import closing
from dataclasses import dataclass
from functools import partial

import numpy as np
import numpy.typing as npt

from chronoxis.core.extensions import TRACES, code_of, guarded, usable
from chronoxis.core.footage.prefetch import ahead, depth_of
from chronoxis.core.footage.source import Source
from chronoxis.core.traces.glances import COLUMNS, ROWS, Small, glance_at
from chronoxis.core.traces.store import TraceStore, fingerprint

Column = npt.NDArray[np.float32]

_TOLD_FRAMES = 25  # from one report of how far it is to the next


def _nobody(_values: Column, _share: float) -> None:
    """Nobody wants to see it come."""


@dataclass(frozen=True)
class AddedTrace:
    """Something measured of pictures.

    Attributes:
        key: by which options and the store know it.
        label: what a person calls it.
        about: what it is, in a few words.
        measure: gives a number of each frame, from linear light of it and of the one before.
    """

    key: str
    label: str
    about: str
    measure: Callable[[Small, Small], float]

    def of(
        self, source: Source, store: TraceStore, shown: Callable[[Column, float], None] = _nobody
    ) -> Column:
        """Measure footage, as it was recorded, unless that was done before by the same code.

        Args:
            source: opened and counted.
            store: where it is kept.
            shown: called now and then with what is known so far, which is no number where nothing is, and
                the share done; it may raise `Cancelled` to stop.

        Returns:
            A number of each recorded frame, shape (frames,).

        Raises:
            FootageError: the pictures cannot be read.
            ExtensionError: the package's code failed.
            Cancelled: ``shown`` raised it.
        """
        kept = self.kept(source, store)
        if kept is not None:
            return kept
        values = self._measured(source.originals.source, shown)
        store.keep(fingerprint(source.files), self._name, {"values": values})
        return values

    def kept(self, source: Source, store: TraceStore) -> Column | None:
        """What was measured of footage before by the same code. Raises FootageError: it cannot be read."""
        kept = store.kept(fingerprint(source.files), self._name)
        count = len(source.originals.source.edges) - 1
        if kept is None or len(kept.get("values", ())) != count:
            return None
        return kept["values"].astype(np.float32)

    @property
    def _name(self) -> str:
        return f"{self.key.replace(':', '+')}-{code_of(TRACES, self.key)}"

    def _measured(self, source: Source, shown: Callable[[Column, float], None]) -> Column:
        count = len(source.edges) - 1
        values, colour = np.full(count, np.nan, np.float32), source.facts.picture.colour
        before: Small | None = None
        with source.reader(0, (COLUMNS, ROWS), fit=True) as reader:
            depth = depth_of(source.facts.picture.decoded_bytes // reader.reduction**2)
            with closing(ahead(partial(reader.frames, range(count)), depth)) as decoded:
                for number, frame in decoded:
                    light = glance_at(frame, colour).light
                    earlier = light if before is None else before
                    values[number] = guarded(self.key, partial(self._number, light, earlier))
                    before = light
                    if number % _TOLD_FRAMES == 0:
                        shown(values.copy(), (number + 1) / count)
        return values

    def _number(self, light: Small, before: Small) -> float:
        value = float(self.measure(light, before))
        if not np.isfinite(value):
            raise ValueError("it gave no finite number")
        return value


def added_traces() -> dict[str, AddedTrace]:
    """All that packages add, by key."""
    return usable(TRACES)
