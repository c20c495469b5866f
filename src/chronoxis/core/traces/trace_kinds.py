"""The kinds of trace: what can be measured of footage, and how."""

from collections.abc import Callable, Hashable
from dataclasses import dataclass
from functools import cache
from typing import Any, Generic, TypeVar

import numpy as np

from chronoxis.core.footage.source import Source
from chronoxis.core.traces.added_trace import AddedTrace, Column, added_traces
from chronoxis.core.traces.camera_path import CameraPath, Span, follow, kept_path
from chronoxis.core.traces.picture_trace import PictureTrace, kept_pictures, watch
from chronoxis.core.traces.proxies import kept_proxy, make_proxy
from chronoxis.core.traces.proxy_store import Proxy, ProxyStore
from chronoxis.core.traces.sound_trace import SoundTrace, kept_sound, listen
from chronoxis.core.traces.store import TraceStore

Trace = TypeVar("Trace")

Shown = Callable[[Trace, float], None]
"""Called now and then with what is known so far, and the share done; it may raise `Cancelled` to stop."""


@dataclass(frozen=True, eq=False)
class TraceKind(Generic[Trace]):
    """One kind of trace.

    Attributes:
        name: what measuring it is called, in a log and by a thread.
        fits: whether footage has what is measured.
        kept: what the store has of it, whole or in part. Raises FootageError.
        measure: measures it, with what is known of it already. Raises FootageError, Cancelled.
        suffices: whether a trace tells all about some of its frames, of all frames where none are named.
    """

    name: str
    fits: Callable[[Source], bool]
    kept: Callable[[Source, TraceStore], Trace | None]
    measure: Callable[[Source, tuple[Span, ...], TraceStore, Shown[Trace], Trace | None], Trace]
    suffices: Callable[[Trace, tuple[Span, ...]], bool]


def _has_pictures(source: Source) -> bool:
    return bool(source.files) and source.has_pictures


PICTURES: TraceKind[PictureTrace] = TraceKind(
    "measuring pictures",
    _has_pictures,
    kept_pictures,
    lambda source, _, store, shown, known: watch(source, store, shown, known),
    lambda trace, _: trace.is_whole,
)
SOUND: TraceKind[SoundTrace] = TraceKind(
    "measuring sound",
    lambda source: bool(source.files) and source.facts.sound is not None,
    kept_sound,
    lambda source, _, store, shown, __: listen(source, store, shown),
    lambda trace, _: trace.is_whole,
)
CAMERA: TraceKind[CameraPath] = TraceKind(
    "following the camera",
    _has_pictures,
    kept_path,
    follow,
    lambda path, spans: not path.lacks(spans),
)
PROXIES: TraceKind[Proxy] = TraceKind(
    "making proxies",
    _has_pictures,
    lambda source, _: kept_proxy(source, ProxyStore()),
    lambda source, _, __, shown, ___: make_proxy(source, ProxyStore(), shown),
    lambda proxy, _: proxy.is_whole,
)
OWN_KINDS: tuple[TraceKind[Any], ...] = (PICTURES, SOUND, CAMERA, PROXIES)
"""The program's own."""


@cache
def added_kinds() -> dict[str, TraceKind[Column]]:
    """Those that packages add, by key."""
    return {key: _added(trace) for key, trace in added_traces().items()}


def trace_kinds() -> tuple[TraceKind[Any], ...]:
    """All that can be measured."""
    return (*OWN_KINDS, *added_kinds().values())


def _added(trace: AddedTrace) -> TraceKind[Column]:
    return TraceKind(
        f"measuring {trace.label}",
        _has_pictures,
        trace.kept,
        lambda source, _, store, shown, __: trace.of(source, store, shown),
        lambda values, _: not np.isnan(values).any(),
    )


@dataclass(frozen=True, eq=False)
class TraceWish:
    """A trace of footage that is wished for. Whatever was chosen of its course, the wish is the same.

    Attributes:
        kind: of the trace.
        source: the footage, opened and counted.
        spans: frames as they were recorded that it has to tell about; all, where none are named.
    """

    kind: TraceKind[Any]
    source: Source
    spans: tuple[Span, ...] = ()

    @property
    def origin(self) -> Hashable:
        """Where the footage is opened from."""
        return self.source.facts.origin

    def is_met_by(self, trace: Any) -> bool:
        """Whether a trace, if there is one, tells all that is wished for."""
        return trace is not None and self.kind.suffices(trace, self.spans)

    def __eq__(self, other: object) -> bool:
        if not isinstance(other, TraceWish):
            return NotImplemented
        same = self.kind is other.kind and self.source.facts is other.source.facts
        return same and self.spans == other.spans

    def __hash__(self) -> int:
        return hash((self.kind, id(self.source.facts), self.spans))
